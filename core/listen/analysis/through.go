package analysis

import (
	"math"

	"blendseam/core/listen/tone"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/level"
	"blendseam/core/sound/recipe"
)

// A throughCurve is a recording's frames as a curve makes them.
type throughCurve struct {
	frameStore
	gains [Bands]float32
}

func (t *throughCurve) read(first int64, count int) (Frames, error) {
	f, err := t.frameStore.read(first, count)
	for i := range f.Count {
		was, is := float32(1e-30), float32(0)
		for b, p := range f.Of(i) {
			was, is = was+p, is+p*t.gains[b]
			f.Of(i)[b] *= t.gains[b]
		}
		f.Level[i] *= is / was
		f.Loud[i] *= is / was
	}
	return f, err
}

// Through is the analysis of the recording as a curve makes it sound. Its words, strays and hum are those of the
// recording; level and loudness change as its third-octaves do together.
func (a *Recording) Through(c eq.Curve) *Recording {
	if !c.Does() {
		return a
	}
	rate := float64(a.Rate)
	out := *a
	t := &throughCurve{frameStore: a.frames}
	for b := range t.gains {
		t.gains[b] = float32(level.Power(c.DB(1000*math.Pow(10, float64(b+eq.FirstThird)/10), rate)))
	}
	out.frames = t
	out.Floor = a.Floor.changed(t.gains, [Bands]float32{})
	var gains, adds [recipe.Bands]float64
	for k := range gains {
		gains[k] = level.Power(c.DB(1000*math.Pow(10, float64(k+recipe.BandLow)/10), rate))
	}
	out.Quiets = make([]tone.Quiet, len(a.Quiets))
	for i, q := range a.Quiets {
		out.Quiets[i] = quietUnder(q, gains, adds)
	}
	return &out
}
