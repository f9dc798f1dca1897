package mix

import (
	"math"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// RenderedSum is the level of a blend as it sounds, in dB at so many moments along it, against both sides going over
// into each other at constant power without being alike: 10 lg (sum (o L + i R)^2 / sum ((L cos)^2 + (R sin)^2)). The
// sums run over a third of the blend around each moment. left and right are the sides over the blend, r their
// correlation.
func RenderedSum(
	b scene.Blend,
	leftDB, rightDB float64,
	left, right pcm.Block,
	r float64,
	moments int,
	sampleRate int64,
) []float64 {
	n := min(left.Len(), right.Len())
	heard, held := make([]float64, n+1), make([]float64, n+1)
	gl, gr := level.Amplitude(leftDB), level.Amplitude(rightDB)
	for i := range n {
		x := blend.Position(i, b.Length())
		out, in := b.Gains(x, r)
		s, c := math.Sincos(math.Pi / 2 * x)
		heard[i+1], held[i+1] = heard[i], held[i]
		for ch := range max(len(left), len(right)) {
			v, w := gl*left[min(ch, len(left)-1)][i], gr*right[min(ch, len(right)-1)][i]
			heard[i+1] += (out*v + in*w) * (out*v + in*w)
			held[i+1] += c*c*v*v + s*s*w*w
		}
	}
	window := max(n/3, min(n, sampleRate/50))
	sum := make([]float64, moments)
	for k := range sum {
		mid := int64(2*k+1) * n / int64(2*moments)
		a := max(0, min(n-window, mid-window/2))
		z := min(n, a+window)
		if e := held[z] - held[a]; e > 1e-12*float64(z-a) {
			sum[k] = level.OfPower(max(1e-12, (heard[z]-heard[a])/e))
		}
	}
	return sum
}
