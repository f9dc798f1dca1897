package interpolate_test

import (
	"fmt"

	"blendseam/core/sound/interpolate"
)

func ExampleLinear() {
	points := []struct {
		at int64
		db float64
	}{{48000, 0}, {96000, -6}}
	for _, at := range []int64{0, 72000, 100000} {
		fmt.Println(interpolate.Linear(len(points), at, func(i int) (int64, float64) { return points[i].at, points[i].db }))
	}
	// Output:
	// 0
	// -3
	// -6
}
