package simd

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// What goes fast gives what the plain loop gives, at any length and place. Pairs of samples are tested in
// core/sound/pcm.
func TestPeakAndReachAreThoseOfThePlainLoops(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	v := make([]float64, 300)
	for i := range v {
		v[i] = r.NormFloat64()
	}
	for n := range len(v) {
		from := r.IntN(len(v) - n)
		if got, want := Peak(v[from:from+n]), peak(v[from:from+n]); got != want {
			t.Fatalf("the peak of %d from %d on is %g, want %g", n, from, got, want)
		}
	}
	for from := 0; from+ReachPoints < len(v); from++ {
		limit := 2 * r.Float64()
		if got, want := Reach(v[from:], 0.9, 0.3, 0.64, limit), reach(v[from:], 0.9, 0.3, 0.64, limit); got != want {
			t.Fatalf("from %d on %b reach %g, want %b", from, got, limit, want)
		}
	}
}

func TestRoundingTo32BitsIsThatOfThePlainLoop(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for n := range 40 {
		fast := make([]float64, n)
		for i := range fast {
			fast[i] = r.NormFloat64() * math.Exp2(float64(r.IntN(300)-200))
		}
		if n > 3 {
			fast[0], fast[1], fast[2] = 0, math.Inf(1), math.Copysign(0, -1)
		}
		plain := slices.Clone(fast)
		Round32(fast)
		round32(plain)
		for i := range fast {
			if math.Float64bits(fast[i]) != math.Float64bits(plain[i]) {
				t.Fatalf("of %d, number %d is rounded to %g, not to %g", n, i, fast[i], plain[i])
			}
		}
	}
}

func TestSumsOfProductsAreThoseOfThePlainLoop(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	v := make([]float32, 4*400)
	for i := range v {
		v[i] = float32(r.NormFloat64() * math.Exp2(float64(r.IntN(20)-10)))
	}
	for n := Lanes; n <= 400; n += Lanes {
		for _, step := range []int{0, 1, 3, n, 400} {
			var fast, plain [4]float32
			x := v[r.IntN(100):][:n]
			Dot4(&fast, x, v, step)
			plainDot4(&plain, x, v, step)
			if fast != plain {
				t.Fatalf("%d numbers, rows %d apart: %v, want %v", n, step, fast, plain)
			}
		}
	}
}
