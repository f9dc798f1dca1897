package pcm

import (
	"bytes"
	"math"
	"math/rand/v2"
	"testing"
)

// What goes fast gives the same bits as one sample after the other, whatever the length, also where samples are out
// of range.
func TestWhatGoesFastGivesTheSameBits(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for n := 1; n < 90; n++ {
		for round := range 20 {
			left, right := make([]float64, n), make([]float64, n)
			for i := range left {
				left[i], right[i] = 2*r.Float64()-1, r.NormFloat64()*0.3
			}
			if round%4 == 3 { // what cannot be written as it is
				left[r.IntN(n)] = []float64{1.5, -7, math.NaN(), 1, -1, math.Inf(1), math.Nextafter(1, 0)}[r.IntN(7)]
			}
			fast, slow := make([]byte, 6*n), make([]byte, 6*n)
			e := Encoder{Format: Format{Rate: 48000, Channels: 2, Bits: 24}}
			clipped := e.Encode(fast, Block{left, right}, 0)
			over := e.encodeInts(slow, left, 6, 0, 0) + e.encodeInts(slow[3:], right, 6, 1, 0)
			if !bytes.Equal(fast, slow) || clipped != over {
				t.Fatalf("%d pairs: %d clipped, want %d; %x, want %x", n, clipped, over, fast, slow)
			}
			sum, want := Block{
				append([]float64(nil), right...),
				append([]float64(nil), left...),
			}, Block{
				append([]float64(nil), right...),
				append([]float64(nil), left...),
			}
			gain := r.Float64() * 3
			AddStereo24(sum, fast, gain)
			for i := range n {
				pair := uint64(0)
				for k := range 6 {
					pair |= uint64(fast[6*i+k]) << (8 * k)
				}
				addPair(&want[0][i], &want[1][i], pair, gain*(1.0/(1<<31)))
			}
			for c := range sum {
				for i := range sum[c] {
					if math.Float64bits(sum[c][i]) != math.Float64bits(want[c][i]) {
						t.Fatalf("%d pairs: sample %d of channel %d is %g, want %g", n, i, c, sum[c][i], want[c][i])
					}
				}
			}
		}
	}
}
