package mix

import (
	"sort"

	"gonum.org/v1/gonum/floats"

	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// stride is how many samples of a slope are reckoned from one exact gain: from each multiple of it after the slope's
// first point on, so that a sample has the same gain wherever rendering begins.
const stride = 256

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
		floats.Scale(gain, ch)
	}
}

// slope applies the line from one point to the next, from a moment between them on.
func slope(sound pcm.Block, from, to scene.LevelPoint, at int64) {
	perSample := (to.DB - from.DB) / float64(to.At-from.At)
	ratio := level.Amplitude(perSample)
	twice := ratio * ratio
	for i, n := int64(0), sound.Len(); i < n; {
		past := at + i - from.At
		exact := past / stride * stride
		// Two gains that are one sample apart, each falling by two samples at a time: neither waits for the other.
		now := level.Amplitude(from.DB + perSample*float64(exact))
		next := now * ratio
		for range (past - exact) / 2 {
			now, next = now*twice, next*twice
		}
		if (past-exact)%2 == 1 {
			now, next = next, now*twice
		}
		until := min(n, i+stride-(past-exact))
		for c := 0; c < len(sound); c += 2 {
			if c+1 < len(sound) {
				fallBoth(sound[c][i:until], sound[c+1][i:until], now, next, twice)
			} else {
				fall(sound[c][i:until], now, next, twice)
			}
		}
		i = until
	}
}

// fall multiplies a sample by a gain, the next by the next, both gains by what they fall by over two samples, and so
// goes on.
func fall(x []float64, now, next, twice float64) {
	for ; len(x) > 1; x = x[2:] {
		x[0] *= now
		x[1] *= next
		now, next = now*twice, next*twice
	}
	if len(x) > 0 {
		x[0] *= now
	}
}

// fallBoth is fall of two channels at once.
func fallBoth(x, y []float64, now, next, twice float64) {
	y = y[:len(x)]
	i := 0
	for ; i+1 < len(x); i += 2 {
		x[i] *= now
		y[i] *= now
		x[i+1] *= next
		y[i+1] *= next
		now, next = now*twice, next*twice
	}
	if i < len(x) {
		x[i] *= now
		y[i] *= now
	}
}
