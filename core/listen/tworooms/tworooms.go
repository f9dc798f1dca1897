// Package tworooms tells how surely two backgrounds are those of two rooms, by the levels of their third-octaves and by
// how much those come and go.
package tworooms

import (
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
)

// How surely two backgrounds are different is told from the levels of their third-octaves. Noise of bandwidth B that is
// heard for T seconds lies off its true level by chance (see measure.NoiseVarianceDB); a real background comes and goes
// more than that. By how much is measured on pieces of blockFrames frames, whose median is the level: what stands out
// of a few of them, a breath, a chair, is not the room. The squares of the bands' differences, each over its variance
// and roomWander, have a mean that is about 1 where there is one room, distributed about as chi squared with freedom
// degrees over their number is: bands come and go together, so that those are fewer than bands.
//
// roomWander and freedom are such that of the pauses of uncut recordings at most 1 of 100 passes 0.99.
const (
	blockFrames = 10
	expectedAs  = 5.0 // pieces that what is expected of noise counts as, beside what was measured
	roomWander  = 1.0 // dB
	freedom     = 7.0
	LeastPieces = 4 // on each side
)

// A Scatter is how the level of each band comes and goes in pieces of a background.
type Scatter struct {
	piece  [analysis.Bands]float64 // that is being added up
	frames int
	pieces [analysis.Bands][]float64 // dB
}

// Add takes the bands of the next frame, as powers, at a gain, as a power.
func (s *Scatter) Add(bands []float32, gain float64) {
	for b, v := range bands {
		s.piece[b] += float64(v) * gain
	}
	if s.frames++; s.frames < blockFrames {
		return
	}
	for b, v := range s.piece {
		s.pieces[b] = append(s.pieces[b], level.OfPower(v/blockFrames))
	}
	s.piece, s.frames = [analysis.Bands]float64{}, 0
}

// Pieces is how many pieces were taken.
func (s *Scatter) Pieces() int { return len(s.pieces[0]) }

// Levels are the bands' levels and the variances of those, in dB and its square.
func (s *Scatter) Levels() (db, variance [analysis.Bands]float64) {
	const (
		ofNormal = 1.4826      // standard deviations in the median of the distances from the median
		ofMedian = math.Pi / 2 // variances of the mean in that of the median
		seconds  = blockFrames * analysis.HopMS / 1000.0
	)
	var own [analysis.Bands]float64
	more := 0.0 // than expected, in all bands
	n := float64(len(s.pieces[0]))
	expected := func(b int) float64 { return measure.NoiseVarianceDB(bandwidth(b), seconds) }
	for b, list := range s.pieces {
		db[b] = measure.Percentile(list, 0.5)
		off := make([]float64, len(list))
		for i, v := range list {
			off[i] = math.Abs(v - db[b])
		}
		sd := ofNormal * measure.Percentile(off, 0.5)
		own[b] = sd * sd
		more += own[b] / expected(b) / analysis.Bands
	}
	for b := range own {
		variance[b] = ofMedian * (expectedAs*max(1, more)*expected(b) + n*own[b]) / (expectedAs + n) / n
	}
	return db, variance
}

func bandwidth(band int) float64 {
	return analysis.Centres[band] * (math.Pow(2, 1.0/6) - math.Pow(2, -1.0/6))
}

// Confidence is how surely two backgrounds are two rooms, from 0 to 1, by the levels of their bands and the variances
// of those.
func Confidence(left, right, l, r [analysis.Bands]float64) float64 {
	sum := 0.0
	for b := range left {
		d := left[b] - right[b]
		sum += d * d / (l[b] + r[b] + roomWander*roomWander) / float64(len(left))
	}
	// E. B. Wilson, M. M. Hilferty, "The Distribution of Chi-Square", Proc. Natl. Acad. Sci. 17, 1931
	z := (math.Cbrt(sum) - (1 - 2/(9*freedom))) / math.Sqrt(2/(9*freedom))
	return math.Erfc(-z/math.Sqrt2) / 2
}
