package blend_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// power is the mean power of a blend of two noises of unit power and a given correlation, in dB against the ends, in
// each twentieth of the blend, over so many seeds.
func power(gains func(x float64) (out, in float64), correlation float64, seeds int) [20]float64 {
	const n = 4000
	var sum [20]float64
	for seed := range seeds {
		r := rand.New(rand.NewPCG(uint64(seed), 9))
		for i := range n {
			a := r.NormFloat64()
			b := correlation*a + math.Sqrt(1-correlation*correlation)*r.NormFloat64()
			out, in := gains(blend.Position(int64(i), n))
			v := out*a + in*b
			sum[i*20/n] += v * v
		}
	}
	for k := range sum {
		sum[k] = 10 * math.Log10(sum[k]/float64(seeds*n/20))
	}
	return sum
}

func furthest(p [20]float64) float64 {
	most := 0.0
	for _, v := range p {
		if math.Abs(v) > math.Abs(most) {
			most = v
		}
	}
	return most
}

// The laws hold the power of the material that they are for within 0.2 dB (mean of 200 seeds); on the other material
// they dip or bulge by 10 lg 2 = 3.01 dB in the middle, as their formulas say.
func TestLawsHoldThePowerOfTheirMaterial(t *testing.T) {
	law := func(l blend.Law, r float64) func(float64) (float64, float64) {
		return func(x float64) (float64, float64) { return l.Gains(x, r) }
	}
	for _, c := range []struct {
		name        string
		law         blend.Law
		correlation float64
		want        float64 // at the furthest
	}{
		{"constant power, unrelated", blend.ConstantPower, 0, 0}, {"constant gain, identical", blend.ConstantGain, 1, 0},
		{"constant power, identical", blend.ConstantPower, 1, 3.01},
		{"constant gain, unrelated", blend.ConstantGain, 0, -3.01},
	} {
		got := furthest(power(law(c.law, c.correlation), c.correlation, 200))
		if math.Abs(got-c.want) > 0.2 {
			t.Errorf("%s: %.2f dB, want %.2f", c.name, got, c.want)
		}
	}
	for r := -0.3; r <= 1.001; r += 0.1 {
		if got := furthest(power(law(blend.Matched, r), r, 200)); math.Abs(got) > 0.2 {
			t.Errorf("matched, correlation %.1f: %.2f dB", r, got)
		}
	}
}

// ffmpeg's acrossfade over two files: tri is our straight shape and constant gain, qsin our quarter sine and constant
// power, hsin our raised cosine. ffmpeg counts a fade's samples from 0 to n-1 where we take their middles, so samples
// may differ by half a step of the gain.
func TestGainsAreThoseOfFFmpegsAcrossfade(t *testing.T) {
	const n = 4800
	shape := func(s blend.Shape) func(float64) (float64, float64) {
		c := blend.Curve{Shape: s}
		return func(x float64) (float64, float64) { return c.Rise(1 - x), c.Rise(x) }
	}
	laws := map[blend.Law]func(float64) (float64, float64){}
	for _, l := range []blend.Law{blend.ConstantGain, blend.ConstantPower} {
		laws[l] = func(x float64) (float64, float64) { return l.Gains(x, 0) }
	}
	for _, c := range []struct {
		curve string
		gains func(float64) (float64, float64)
	}{{"tri", laws[blend.ConstantGain]}, {"tri", shape(blend.Straight)}, {"qsin", laws[blend.ConstantPower]},
		{"qsin", shape(blend.QuarterSine)}, {"hsin", shape(blend.RaisedCosine)}} {
		// A constant on one side alone shows that side's gain.
		side := func(left, right string) pcm.Block {
			return outside.Filter(
				t,
				1,
				"aevalsrc="+left+":s=48000:d=0.2[a];aevalsrc="+right+":s=48000:d=0.2[b];"+
					"[a][b]acrossfade=ns=4800:c1="+c.curve+":c2="+c.curve,
			)
		}
		out, in := side("1", "0"), side("0", "1")
		for i := range n {
			wantOut, wantIn := c.gains(blend.Position(int64(i), n))
			at := 9600 - n + i
			if math.Abs(out[0][at]-wantOut) > 2.0/n || math.Abs(in[0][at]-wantIn) > 2.0/n {
				t.Fatalf(
					"%s at %d of %d: ffmpeg has %.5f and %.5f, ours are %.5f and %.5f",
					c.curve,
					i,
					n,
					out[0][at],
					in[0][at],
					wantOut,
					wantIn,
				)
			}
		}
	}
}
