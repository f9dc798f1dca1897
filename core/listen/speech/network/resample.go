package network

import (
	"math"
	"sync"

	"blendseam/core/sound/simd"
)

// A Resampler brings sound of one rate to Rate by a windowed sinc: each result is a sum over reach source samples to
// both sides.
type Resampler struct {
	rate   int64
	up     int64 // outputs that come before the same phase comes again
	down   int64 // source samples that go by until then
	reach  int64
	width  int
	phases []float32
}

// zeros is how many crossings of zero the sinc has to each side, and kaiser the shape of its window (J. F. Kaiser,
// "Nonrecursive digital filter design using the I0-sinh window function", ISCAS 1974): 60 dB down.
const (
	zeros  = 12
	kaiser = 5.65
)

var resamplers sync.Map // by rate

// NewResampler gives the resampler of sound of rate samples a second, which is shared.
func NewResampler(rate int) *Resampler {
	if r, ok := resamplers.Load(rate); ok {
		return r.(*Resampler)
	}
	g := gcd(int64(rate), Rate)
	r := &Resampler{rate: int64(rate), up: Rate / g, down: int64(rate) / g}
	cut := 0.94 * min(1, float64(Rate)/float64(rate)) // of half the source's rate
	r.reach = int64(math.Ceil(zeros / cut))
	r.width = padded(int(2*r.reach + 1))
	r.phases = make([]float32, r.up*int64(r.width))
	for p := range r.up {
		off := float64(p*r.down%r.up) / float64(r.up) // of the result behind its source sample
		row, sum := r.phases[p*int64(r.width):(p+1)*int64(r.width)], 0.0
		values := make([]float64, 2*r.reach+1)
		for i := range values {
			t := (float64(int64(i)-r.reach) - off)
			values[i] = sinc(cut*t) * bessel(kaiser*math.Sqrt(max(0, 1-t*t/float64((r.reach+1)*(r.reach+1)))))
			sum += values[i]
		}
		for i, v := range values {
			row[i] = float32(v / sum)
		}
	}
	kept, _ := resamplers.LoadOrStore(rate, r)
	return kept.(*Resampler)
}

// Reach is how many source samples beside a moment the result there depends on.
func (r *Resampler) Reach() int64 { return r.reach + 1 }

// Between gives the results from number first up to number last of a sound of which v begins at source sample from.
// Result n lies at source sample n rate/Rate. What lies outside v is silent.
func (r *Resampler) Between(v []float64, from, first, last int64) []float32 {
	if last <= first {
		return nil
	}
	begin := first*r.down/r.up - r.reach // of the source samples that are needed
	end := (last+4*r.up)*r.down/r.up + int64(r.width)
	source := make([]float32, end-begin)
	for i := max(0, from-begin); i < min(int64(len(source)), from+int64(len(v))-begin); i++ {
		source[i] = float32(v[begin+i-from])
	}
	out := make([]float32, last-first)
	var sums [4]float32
	for k := range min(r.up, int64(len(out))) { // all results of one phase, four at a time
		n := first + k
		row := r.phases[n%r.up*int64(r.width):][:r.width]
		for i := k; i < int64(len(out)); i += 4 * r.up {
			at := (first+i)*r.down/r.up - r.reach - begin
			simd.Dot4(&sums, row, source[at:], int(r.down))
			for j := range int64(4) {
				if to := i + j*r.up; to < int64(len(out)) {
					out[to] = sums[j]
				}
			}
		}
	}
	return out
}

func sinc(x float64) float64 {
	if x == 0 {
		return 1
	}
	return math.Sin(math.Pi*x) / (math.Pi * x)
}

// bessel is the modified Bessel function of the first kind and order 0, by its power series.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-12*sum; k++ {
		term *= x / 2 / k * x / 2 / k
		sum += term
	}
	return sum
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}
