package audit

import (
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/tworooms"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
)

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
		if r.Scatter.Pieces() < tworooms.LeastPieces || r.BackgroundDB <= DeadSilenceDB {
			return
		}
		db[i], variance[i] = r.Scatter.Levels()
		gain := l.trackGain(i)
		for b, p := range beside {
			own := level.Power(db[i][b] + gain)
			whole := own + p + level.Power(least)
			db[i][b] = level.OfPower(whole)
			variance[i][b] *= own * own / (whole * whole)
		}
	}
	v := math.Round(1e4*tworooms.Confidence(db[0], db[1], variance[0], variance[1])) / 1e4
	l.r.Measures.TwoRooms = &v
	alone := l.others[0] == nil && l.others[1] == nil // else it is colour that says what other tracks change
	if step := l.r.Measures.ColourStepDB; step != nil && v < oneRoom && alone {
		*step = min(*step, chanceShare*AudibleFrom(ColourStep))
	}
}
