package audit

import (
	"math"

	"blendseam/core/analysis"
	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/scene"
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
	leastPieces = 4 // on each side
)

// A scatter is how the level of each band comes and goes in pieces of a background.
type scatter struct {
	piece  [analysis.Bands]float64 // that is being added up
	frames int
	pieces [analysis.Bands][]float64 // dB
}

func (s *scatter) add(bands []float32, gain float64) {
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

// levels are the bands' levels and the variances of those, in dB and its square.
func (s *scatter) levels() (db, variance [analysis.Bands]float64) {
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

func bandwidth(band int) float64 { return thirds[band] * (math.Pow(2, 1.0/6) - math.Pow(2, -1.0/6)) }

// surely is how surely two backgrounds are two rooms, from 0 to 1, by the levels of their bands and the variances of
// those.
func surely(left, right, l, r [analysis.Bands]float64) float64 {
	sum := 0.0
	for b := range left {
		d := left[b] - right[b]
		sum += d * d / (l[b] + r[b] + roomWander*roomWander) / float64(len(left))
	}
	// E. B. Wilson, M. M. Hilferty, "The Distribution of Chi-Square", Proc. Natl. Acad. Sci. 17, 1931
	z := (math.Cbrt(sum) - (1 - 2/(9*freedom))) / math.Sqrt(2/(9*freedom))
	return math.Erfc(-z/math.Sqrt2) / 2
}

// Where it is less sure than oneRoom that there are two rooms, what their colours differ by is chance, and counts no
// more than chanceShare of what is heard.
const (
	oneRoom     = 0.5
	chanceShare = 0.9
)

// least is the level of a band, dBFS, under which nothing is told apart.
const least = -105

// rooms tells how surely the backgrounds of both sides of a cut are two rooms, with all other tracks as they are on
// both sides together.
func (l *look) rooms() {
	if l.r.Kind != Cut && !l.r.Pair || l.track.Purpose == scene.ForMusic || l.sounds[0] == nil || l.sounds[1] == nil {
		return
	}
	beside := make([]float64, analysis.Bands) // power of what else is heard
	for _, o := range l.others {
		if o == nil {
			continue
		}
		for b, p := range o.colour().Powers {
			beside[b] += p / 2
		}
	}
	var db, variance [2][analysis.Bands]float64
	for i, r := range l.sounds {
		if len(r.scatter.pieces[0]) < leastPieces || r.BackgroundDB <= SilentDB {
			return
		}
		db[i], variance[i] = r.scatter.levels()
		gain := l.trackGain(i)
		for b, p := range beside {
			own := level.Power(db[i][b] + gain)
			whole := own + p + level.Power(least)
			db[i][b] = level.OfPower(whole)
			variance[i][b] *= own * own / (whole * whole)
		}
	}
	v := math.Round(1e4*surely(db[0], db[1], variance[0], variance[1])) / 1e4
	l.r.Measures.TwoRooms = &v
	alone := l.others[0] == nil && l.others[1] == nil // else it is colour that says what other tracks change
	if step := l.r.Measures.ColourStepDB; step != nil && v < oneRoom && alone {
		*step = min(*step, chanceShare*AudibleFrom(ColourStep))
	}
}
