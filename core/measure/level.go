// Package measure tells how loud, how alike and how quiet sound is. Everything takes samples at full
// scale 1 and gives dB; silence is Silence, never minus infinity, so that figures can be stored and sent.
package measure

import (
	"math"
	"slices"

	"blendseam/core/pcm"
)

// Silence is the figure, in dB, for sound without any power.
const Silence = -150.0

// DB is an amplitude ratio in dB, at least Silence.
func DB(amplitude float64) float64 {
	if amplitude < 1e-7 {
		return max(Silence, 20*math.Log10(amplitude+1e-30))
	}
	return 20 * math.Log10(amplitude)
}

// Amplitude is the amplitude ratio of a level in dB: 10^(db/20).
func Amplitude(db float64) float64 { return math.Pow(10, db/20) }

// SamplePeakDB is the largest magnitude of any sample, in dBFS.
func SamplePeakDB(b pcm.Block) float64 { return DB(peak(b)) }

func peak(b pcm.Block) float64 {
	var top float64
	for _, ch := range b {
		for _, v := range ch {
			if v = math.Abs(v); v > top {
				top = v
			}
		}
	}
	return top
}

// RMSDB is the root mean square over all channels in dBFS, a full-scale square wave being 0.
func RMSDB(b pcm.Block) float64 { return DB(math.Sqrt(meanSquare(b))) }

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

// BackgroundDB is the level of what goes on behind words and events: the 10th percentile of the levels
// of 20 ms frames, in dBFS. Sound shorter than one frame gives Silence.
func BackgroundDB(b pcm.Block, rate int) float64 { return Percentile(FrameLevels(b, rate), 0.1) }

// Percentile is the value below which the part p of v lies, interpolated between neighbours
// (the definition numpy calls "linear"). An empty v gives Silence. v is left as it is.
func Percentile(v []float64, p float64) float64 {
	if len(v) == 0 {
		return Silence
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
