package meter

import (
	"context"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tworooms"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Surroundings are what a clip's recording holds around a moment of the scene, beyond the clip's edge too: where its
// words, breaths and pauses lie, in samples of the scene, and its background at the clip's gain.
type Surroundings struct {
	Span         pcm.Span         // that was looked at
	Stretches    []speech.Part    // words and breaths
	BackgroundDB float64          // level of the pauses, above 30 Hz
	Colour       measure.Colour   // of the pauses
	Pause        int64            // how much of it is pause, samples
	SureDB       float64          // by how much the background may be off, dB
	Scatter      tworooms.Scatter // of what is pause
}

// pausesSureDB is by how much a background may be off that was measured in pauses, dB.
const pausesSureDB = 0.5

// Known tells whether there is a background that is known well enough to judge by.
func (r *Surroundings) Known() bool { return r.SureDB <= analysis.UnsureDB }

// WordAt gives the word that sounds at a moment of the scene, with its ends in the scene.
func (r *Surroundings) WordAt(at int64) (speech.Part, bool) {
	for _, s := range r.Stretches {
		if s.Kind == speech.Word && s.Span.Contains(at) {
			return s, true
		}
	}
	return speech.Part{}, false
}

// Around looks at a clip's recording around a moment: so much before and after, in milliseconds, as the recording has.
func (m *Meter) Around(ctx context.Context, c *scene.Clip, at int64, beforeMS, afterMS float64) (*Surroundings, error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	return m.surroundings(a, c, pcm.Span{From: at - m.Samples(beforeMS), To: at + m.Samples(afterMS)})
}

func (m *Meter) surroundings(a *analysis.Recording, c *scene.Clip, span pcm.Span) (*Surroundings, error) {
	shift := c.Shift()
	span = span.Intersect(pcm.Span{To: a.Length}.Add(shift))
	r := &Surroundings{Span: span, BackgroundDB: level.Silence}
	if span.Empty() {
		return r, nil
	}
	own := span.Add(-shift)
	for _, s := range a.Within(own) {
		s.Span = s.Span.Intersect(own).Add(shift)
		if s.Voiced = s.Voiced.Intersect(own); !s.Voiced.Empty() {
			s.Voiced = s.Voiced.Add(shift)
		}
		s.PeakDB += c.GainDB
		r.Stretches = append(r.Stretches, s)
	}
	f, err := a.Frames(own)
	if err != nil {
		return nil, err
	}
	p := newPauses(f.Count)
	for _, pause := range speech.Pauses(r.Stretches, span, m.Scene.SampleRate) {
		r.Pause += pause.Len()
		pause = pause.Add(-shift)
		for i := range f.Count {
			if s := f.Span(i); s.From >= pause.From && s.To <= pause.To {
				gain := c.GainDB
				if len(c.Level) > 0 {
					gain += c.LevelDB((s.From + s.To) / 2)
				}
				p.add(f.Of(i), float64(f.Level[i]), level.Power(gain))
			}
		}
	}
	r.Scatter = p.scatter
	if len(p.levels) >= speech.LeastLevels*2 {
		r.BackgroundDB, r.Colour, r.SureDB = p.backgroundDB(), p.colour(), pausesSureDB
		return r, nil
	}
	// No pause: what is known of the whole recording has to do.
	if r.SureDB = a.Floor.SureDB; a.Floor.Seconds == 0 {
		r.SureDB = -level.Silence
	}
	r.BackgroundDB = a.Floor.DB + c.GainDB
	r.Colour = measure.Colour{Centres: analysis.Centres, Powers: make([]float64, analysis.Bands), Seconds: a.Floor.Seconds}
	for b, power := range a.Floor.Bands {
		r.Colour.Powers[b] = power * level.Power(c.GainDB)
	}
	return r, nil
}

// pauses add up frames of background.
type pauses struct {
	levels  []float64 // dB
	powers  []float64
	scatter tworooms.Scatter
}

func newPauses(frames int) *pauses {
	return &pauses{levels: make([]float64, 0, frames), powers: make([]float64, analysis.Bands)}
}

// add takes a frame at a gain, as a power.
func (p *pauses) add(bands []float32, loud, gain float64) {
	p.levels = append(p.levels, level.OfPower(loud*gain))
	p.scatter.Add(bands, gain)
	for b, v := range bands {
		p.powers[b] += float64(v) * gain
	}
}

func (p *pauses) backgroundDB() float64 { return measure.Percentile(p.levels, 0.5) }

// colour is the mean of the frames' bands.
func (p *pauses) colour() measure.Colour {
	c := measure.Colour{Centres: analysis.Centres, Powers: p.powers,
		Seconds: float64(len(p.levels)) * analysis.HopMS / 1000}
	if p.scatter.Pieces() >= tworooms.LeastPieces { // what stands out of a few pieces is not the room
		db, _ := p.scatter.Levels()
		for b := range c.Powers {
			c.Powers[b] = level.Power(db[b])
		}
		return c
	}
	if n := float64(len(p.levels)); n > 0 {
		for b := range c.Powers {
			c.Powers[b] /= n
		}
	}
	return c
}
