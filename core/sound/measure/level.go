// Package measure tells how loud, how alike and how quiet sound is. Everything takes samples at full
// scale 1 and gives dB; silence is Silence, never minus infinity, so that figures can be stored and sent.
package measure

import (
	"math"
	"slices"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/simd"
)

// SamplePeakDB is the largest magnitude of any sample, in dBFS.
func SamplePeakDB(b pcm.Block) float64 { return level.DB(peak(b)) }

func peak(b pcm.Block) float64 {
	var top float64
	for _, ch := range b {
		top = max(top, simd.Peak(ch))
	}
	return top
}

// RMSDB is the root mean square over all channels in dBFS, a full-scale square wave being 0.
func RMSDB(b pcm.Block) float64 { return level.DB(math.Sqrt(meanSquare(b))) }

func meanSquare(b pcm.Block) float64 {
	var sum float64
	for _, ch := range b {
		for _, v := range ch {
			sum += v * v
		}
	}
	return sum / float64(max(1, int64(len(b))*b.Len()))
}

// FrameMS is the length, in milliseconds, of the frames whose levels make the background level.
const FrameMS = 20

// FrameLevels gives the RMS level in dBFS of each whole 20 ms frame of b at rate samples a second.
func FrameLevels(b pcm.Block, rate int) []float64 {
	n := int64(rate) * FrameMS / 1000
	levels := make([]float64, 0, b.Len()/n)
	for at := int64(0); at+n <= b.Len(); at += n {
		levels = append(levels, RMSDB(b.Slice(at, at+n)))
	}
	return levels
}

// Percentile is the value below which the part p of v lies, interpolated between neighbours
// (the definition numpy calls "linear"). An empty v gives level.Silence. v is left as it is.
func Percentile(v []float64, p float64) float64 {
	if len(v) == 0 {
		return level.Silence
	}
	v = slices.Clone(v)
	slices.Sort(v)
	at := p * float64(len(v)-1)
	i := int(at)
	if i+1 >= len(v) {
		return v[len(v)-1]
	}
	return v[i] + (at-float64(i))*(v[i+1]-v[i])
}

// NoiseVarianceDB is the variance of the level of noise of a bandwidth in Hz that is heard for some seconds, in dB
// squared: its mean power lies off its true one by a variance of 1/(B T), in shares of its square (S. O. Rice,
// "Mathematical Analysis of Random Noise", Bell Syst. Tech. J. 23, 1944).
func NoiseVarianceDB(bandwidth, seconds float64) float64 {
	const toDB = 10 / math.Ln10 // of a small share of a power
	return toDB * toDB / (bandwidth * seconds)
}
