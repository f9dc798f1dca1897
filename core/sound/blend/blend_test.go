package blend

import (
	"math"
	"math/rand/v2"
	"testing"
)

func TestLawsHoldTheirSums(t *testing.T) {
	for i := int64(0); i < 1000; i++ {
		x := Position(i, 1000)
		if o, in := ConstantGain.Gains(x, 0); math.Abs(o+in-1) > 1e-15 {
			t.Fatalf("constant gain at %g sums to %g", x, o+in)
		}
		if o, in := ConstantPower.Gains(x, 0); math.Abs(o*o+in*in-1) > 1e-14 {
			t.Fatalf("constant power at %g sums to %g", x, o*o+in*in)
		}
		for _, r := range []float64{-0.5, -0.3, 0, 0.4, 1} {
			if db := Matched.SummedLevelDB(x, r); math.Abs(db) > 1e-12 {
				t.Fatalf("matched for r=%g at %g is %g dB off", r, x, db)
			}
		}
		if o, in := Matched.Gains(x, 1); math.Abs(o+in-1) > 1e-14 {
			t.Fatalf("matched for r=1 at %g sums to amplitude %g", x, o+in)
		}
	}
}

// Common practice, no source: both sides are 6.02 dB down in the middle of a constant-gain crossfade,
// 3.01 dB in that of a constant-power one; the wrong law dips or bulges by 3.01 dB.
func TestMiddleOfEachLawIsTheTextbookFigure(t *testing.T) {
	db := func(g float64) float64 { return 20 * math.Log10(g) }
	o, _ := ConstantGain.Gains(0.5, 0)
	p, _ := ConstantPower.Gains(0.5, 0)
	for _, c := range []struct {
		what      string
		got, want float64
	}{{"constant gain", db(o), -6.0206}, {"constant power", db(p), -3.0103},
		{"constant gain on unlike sides", ConstantGain.SummedLevelDB(0.5, 0), -3.0103},
		{"constant power on identical sides", ConstantPower.SummedLevelDB(0.5, 1), 3.0103}} {
		if math.Abs(c.got-c.want) > 1e-4 {
			t.Errorf("%s: %g dB, want %g", c.what, c.got, c.want)
		}
	}
}

// Noises of a made correlation, blended: the short-term power through the blend, mean of 200 seeds.
func TestMatchedLawKeepsPowerOfCorrelatedNoise(t *testing.T) {
	const n, parts = 4000, 8
	for _, r := range []float64{-0.3, 0, 0.5, 1} {
		var power [parts]float64
		for seed := uint64(0); seed < 200; seed++ {
			rng := rand.New(rand.NewPCG(seed, 9))
			for i := int64(0); i < n; i++ {
				a := rng.NormFloat64()
				b := r*a + math.Sqrt(1-r*r)*rng.NormFloat64()
				o, in := Matched.Gains(Position(i, n), r)
				v := o*a + in*b
				power[i*parts/n] += v * v
			}
		}
		for k, p := range power {
			if db := 10 * math.Log10(p/(200*n/parts)); math.Abs(db) > 0.2 {
				t.Errorf("r=%g: part %d of the blend is %.2f dB off", r, k, db)
			}
		}
	}
}

func TestShapesRiseFromNothingToOne(t *testing.T) {
	all := []Curve{{}}
	for _, s := range Shapes {
		for _, bend := range []float64{-1, 0, 0.5, 1} {
			all = append(all, Curve{s.Shape, bend})
		}
	}
	for _, c := range all {
		if c.Shape != "" && c.Check() != nil {
			t.Errorf("%v is refused: %v", c, c.Check())
		}
		if math.Abs(c.Rise(0)) > 1e-15 || math.Abs(c.Rise(1)-1) > 1e-15 {
			t.Errorf("%v goes from %g to %g", c, c.Rise(0), c.Rise(1))
		}
		for x := 0.01; x <= 1; x += 0.01 {
			if c.Rise(x) < c.Rise(x-0.01) {
				t.Errorf("%v falls at %g", c, x)
			}
		}
	}
	// The Hermite polynomial of that name (OpenGL Shading Language 4.60, 8.3: t*t*(3-2*t)), worked by hand.
	for x, want := range map[float64]float64{0.1: 0.028, 0.25: 0.15625, 0.5: 0.5, 0.9: 0.972} {
		if got := (Curve{Shape: "smoothstep"}).Rise(x); math.Abs(got-want) > 1e-12 {
			t.Errorf("smoothstep at %g is %g, want %g", x, got, want)
		}
	}
	if (Curve{Exponential, 2}).Check() == nil || (Curve{Shape: "wavy"}).Check() == nil {
		t.Error("a curve that does not exist is accepted")
	}
	if (Curve{Exponential, 1}).Rise(0.3) <= 0.3 || (Curve{Exponential, -1}).Rise(0.3) >= 0.3 {
		t.Error("the bend goes the wrong way")
	}
}
