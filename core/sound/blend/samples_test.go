package blend_test

import (
	"fmt"
	"math"
	"testing"

	"blendseam/core/sound/blend"
)

// What pages draw by is what is rendered by.
func TestSamplesAreTheGains(t *testing.T) {
	const n, bends = 48, 16
	for _, l := range blend.Laws {
		out, in := l.Samples(n)
		for i := range n + 1 {
			o, v := l.Law.Gains(float64(i)/n, 0)
			if math.Abs(out[i]-o) > 1e-4 || math.Abs(in[i]-v) > 1e-4 {
				t.Errorf("%s at %d: %g %g, want %g %g", l.Law, i, out[i], in[i], o, v)
			}
		}
	}
	for _, s := range blend.Shapes {
		list := s.Samples(n, bends)
		if s.Bends != (len(list) == bends+1) || !s.Bends && len(list) != 1 {
			t.Errorf("%s has %d rows", s.Shape, len(list))
		}
		for b, row := range list {
			bend := 0.0
			if s.Bends {
				bend = 2*float64(b)/bends - 1
			}
			for i, v := range row {
				if want := (blend.Curve{Shape: s.Shape, Bend: bend}).Rise(float64(i) / n); math.Abs(v-want) > 1e-4 {
					t.Errorf("%s, bend %g, at %d: %g, want %g", s.Shape, bend, i, v, want)
				}
			}
		}
	}
}

// The middle of a blend: 3 dB down at constant power, 6 dB at constant gain.
func ExampleLaw_Gains() {
	for _, l := range []blend.Law{blend.ConstantPower, blend.ConstantGain} {
		out, in := l.Gains(0.5, 0)
		fmt.Printf("%s: %.2f and %.2f dB\n", l.Name(), 20*math.Log10(out), 20*math.Log10(in))
	}
	// Output:
	// Constant power: -3.01 and -3.01 dB
	// Constant gain: -6.02 and -6.02 dB
}

// Which law holds the level depends on how alike both sides are.
func ExampleLaw_SummedLevelDB() {
	for _, r := range []float64{0, 1} {
		for _, l := range blend.Laws {
			fmt.Printf("likeness %g, %s: %+.2f dB\n", r, l.Name, math.Round(100*l.Law.SummedLevelDB(0.5, r))/100+0)
		}
	}
	// Output:
	// likeness 0, Constant power: +0.00 dB
	// likeness 0, Constant gain: -3.01 dB
	// likeness 0, Matched: +0.00 dB
	// likeness 1, Constant power: +3.01 dB
	// likeness 1, Constant gain: +0.00 dB
	// likeness 1, Matched: +0.00 dB
}

func ExampleCurve_Rise() {
	for _, c := range []blend.Curve{{Shape: blend.Straight}, {Shape: blend.QuarterSine},
		{Shape: blend.Exponential, Bend: 1}} {
		fmt.Printf("%s: %.3f\n", c.Shape, c.Rise(0.5))
	}
	// Output:
	// straight: 0.500
	// quarter_sine: 0.707
	// exponential: 0.953
}
