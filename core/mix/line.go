package mix

import (
	"sort"

	"blendseam/core/level"
	"blendseam/core/line"
	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// levelAt is a line's level at a moment, in dB.
func levelAt(points []scene.LevelPoint, at int64) float64 {
	return line.At(len(points), at, func(i int) (int64, float64) { return points[i].At, points[i].DB })
}

// stride is how many samples of a slope are reckoned from one exact gain: from each multiple of it after the slope's
// first point on, so that a sample has the same gain wherever rendering begins.
const stride = 64

// turnBy applies a line of levels, straight in dB between its points, to sound whose first sample lies at a moment of
// the line.
func turnBy(sound pcm.Block, points []scene.LevelPoint, at int64) {
	n := sound.Len()
	if len(points) == 0 || n == 0 {
		return
	}
	end := at + n
	for k := sort.Search(len(points), func(i int) bool { return points[i].At > at }); at < end; k++ {
		to := end
		if k < len(points) {
			to = min(end, points[k].At)
		}
		part := sound.Slice(at-(end-n), to-(end-n))
		switch {
		case k == 0 || k == len(points) || points[k-1].DB == points[k].DB:
			times(part, level.Amplitude(points[max(0, k-1)].DB))
		default:
			slope(part, points[k-1], points[k], at)
		}
		at = to
	}
}

func times(sound pcm.Block, gain float64) {
	if gain == 1 {
		return
	}
	for _, ch := range sound {
		for i := range ch {
			ch[i] *= gain
		}
	}
}

// slope applies the line from one point to the next, from a moment between them on.
func slope(sound pcm.Block, from, to scene.LevelPoint, at int64) {
	perSample := (to.DB - from.DB) / float64(to.At-from.At)
	ratio := level.Amplitude(perSample)
	for i, n := int64(0), sound.Len(); i < n; {
		past := at + i - from.At
		exact := past / stride * stride
		gain := level.Amplitude(from.DB + perSample*float64(exact))
		for range past - exact {
			gain *= ratio
		}
		until := min(n, i+stride-(past-exact))
		for _, ch := range sound {
			g := gain
			for k := i; k < until; k++ {
				ch[k] *= g
				g *= ratio
			}
		}
		i = until
	}
}
