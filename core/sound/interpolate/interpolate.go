// Package interpolate has what is straight between points in time: levels in dB, shares, samples.
package interpolate

import "sort"

// Linear is the value at a moment of a line of count points in order of time, each given by point as its moment and its
// value. Between two of them it is straight; before the first and after the last it stays. A line without points is 0.
func Linear(count int, at int64, point func(i int) (at int64, v float64)) float64 {
	after := sort.Search(count, func(i int) bool { t, _ := point(i); return t > at })
	switch {
	case count == 0:
		return 0
	case after == 0:
		_, v := point(0)
		return v
	case after == count:
		_, v := point(count - 1)
		return v
	}
	t0, v0 := point(after - 1)
	t1, v1 := point(after)
	return v0 + (v1-v0)*float64(at-t0)/float64(t1-t0)
}
