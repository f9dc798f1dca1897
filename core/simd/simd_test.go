package simd

import (
	"math/rand/v2"
	"testing"
)

// What goes fast gives what the plain loop gives, at any length and place. Pairs of samples are tested in core/pcm.
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
