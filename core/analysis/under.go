package analysis

import (
	"math"

	"blendseam/core/ground"
	"blendseam/core/level"
	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/speech"
	"blendseam/core/tone"
	"blendseam/core/tone/recipe"
)

// A mixed is what a room does to the powers of a recording: each band is turned down where only the background is
// heard, and noise is added.
type mixed struct {
	frameStore
	gain, add           [Bands]float32
	room                [Bands]float32 // what the background has; above wordOver of it are words
	all, addLevel, loud float32        // of the whole
	hushed              bool
}

// wordOver is how far the power of a band stands over the background's where a word is heard.
const wordOver = 5

func (m *mixed) read(first int64, count int) (Frames, error) {
	f, err := m.frameStore.read(first, count)
	for i := range f.Count {
		bands := f.Of(i)
		down := m.hushed
		for b, p := range bands {
			down = down && p < wordOver*m.room[b]
		}
		for b := range bands {
			if down {
				bands[b] *= m.gain[b]
			}
			bands[b] += m.add[b]
		}
		if down {
			f.Level[i] *= m.all
			f.Loud[i] *= m.all
		}
		f.Level[i] += m.addLevel
		f.Loud[i] += m.loud
	}
	return f, err
}

// Under is the analysis of the recording as a room makes it. Its words are those of the recording; its strays and hum
// too, for what is laid under them is no louder than a background.
func (a *Recording) Under(room *recipe.Room) *Recording {
	if room == nil {
		return a
	}
	out := *a
	m := &mixed{frameStore: a.frames, all: 1, hushed: room.Hush != nil}
	fill, gains := noiseOf(*room), ground.Spectrum(nil)
	if room.Hush != nil {
		own := ground.FromDB(room.Hush.RoomDB)
		gains = make(ground.Spectrum, len(own))
		for i, p := range own {
			gains[i] = p * level.Power(room.Hush.GainDB[i])
		}
		m.all = float32(share(gains, own, 30, 20000))
		for b := range m.gain {
			low, high := ground.Third(b - 9)
			m.gain[b], m.room[b] = float32(share(gains, own, low, high)), float32(own.Between(low, high))
		}
		fillQuiets(&out, func(n int) float64 {
			low, high := ground.Third(n)
			return share(gains, own, low, high)
		}, fill)
	} else {
		fillQuiets(&out, func(int) float64 { return 1 }, fill)
	}
	for b := range m.add {
		low, high := ground.Third(b - 9)
		m.add[b] = float32(fill.Between(low, high))
	}
	// how loud it is, measured on a second of it
	noise := pcm.NewBlock(1, int64(a.Rate))
	ground.NewNoise(*room, a.Rate).Add(noise, 0)
	drift := speech.NewDrift(noise[0], int64(a.Rate))
	m.addLevel = float32(drift.Energy(noise[0]) / float64(a.Rate))
	m.loud = float32(measure.NewKFilter(a.Rate).Energy(noise[0]) / float64(a.Rate) * float64(a.Channels))
	out.frames = m
	return &out
}

func share(part, whole ground.Spectrum, low, high float64) float64 {
	if p := whole.Between(low, high); p > 0 {
		return part.Between(low, high) / p
	}
	return 1
}

// noiseOf is the spectrum of what a room adds, its hum among it.
func noiseOf(r recipe.Room) ground.Spectrum {
	s := ground.FromDB(r.FillDB)
	if len(s) == 0 {
		s = make(ground.Spectrum, recipe.FineBands)
	}
	for _, h := range r.Hum {
		if b := int(math.Round(12*math.Log2(h.Hz/1000))) - recipe.FineLow; b >= 0 && b < len(s) {
			s[b] += level.Power(h.LevelDB)
		}
	}
	return s
}

// fillQuiets changes the quiet stretches of a recording: each third-octave by a share of its power, and by what is
// added.
func fillQuiets(a *Recording, gain func(n int) float64, fill ground.Spectrum) {
	list := make([]tone.Quiet, len(a.Quiets))
	for i, q := range a.Quiets {
		thirds, was, is := make([]float64, len(q.Thirds)), 0.0, 0.0
		for k, db := range q.Thirds {
			n := k + recipe.BandLow
			low, high := ground.Third(n)
			p := level.Power(db)*gain(n) + fill.Between(low, high)
			thirds[k] = level.OfPower(p)
			was, is = was+level.Power(db), is+p
		}
		q.Thirds = thirds
		if was > 0 {
			q.LevelDB += level.OfPower(is / was)
		}
		list[i] = q
	}
	a.Quiets = list
}
