// Package simd has the few inner loops that are worth vector instructions. Each gives the bits that the plain loop
// beside it gives, which is used where the processor has no such instructions.
package simd

import "math"

// peak is the largest magnitude, one number after the other.
func peak(v []float64) (most float64) {
	for _, x := range v {
		if x = math.Abs(x); x > most {
			most = x
		}
	}
	return most
}

// ReachPoints is how many points Reach looks at.
const ReachPoints = 16

// reach is Reach, one point after the other.
func reach(v []float64, large, small, even, limit float64) (mask int) {
	for i := range ReachPoints {
		x, y := math.Abs(v[i]), math.Abs(v[i+1])
		if max(large*max(x, y)+small*min(x, y), even*(x+y)) > limit {
			mask |= 1 << i
		}
	}
	return mask
}

// round32 is Round32, one number after the other.
func round32(v []float64) {
	for i, x := range v {
		v[i] = float64(float32(x))
	}
}
