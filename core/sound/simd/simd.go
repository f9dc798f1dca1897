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

// Lanes is how many numbers Dot4 multiplies at once: what it is given is a multiple of it long.
const Lanes = 16

// Dot4 fills sums with the sums of products of x and four stretches of y, each as long as x, of which each begins step
// numbers after the one before. Its length is a multiple of Lanes. The products are added in Lanes sums, whose halves
// are added then.
func Dot4(sums *[4]float32, x, y []float32, step int) {
	_ = y[3*step+len(x)-1]
	dot4(sums, x, y, step)
}

// plainDot4 is Dot4, one number after the other.
func plainDot4(sums *[4]float32, x, y []float32, step int) {
	for k := range sums {
		row := y[k*step : k*step+len(x)]
		var s [Lanes]float32
		for i, v := range x {
			s[i%Lanes] += float32(v * row[i]) // rounded, so that it is the same on every processor
		}
		for i := range Lanes / 2 {
			s[i] += s[i+Lanes/2]
		}
		sums[k] = ((s[0] + s[4]) + (s[2] + s[6])) + ((s[1] + s[5]) + (s[3] + s[7]))
	}
}
