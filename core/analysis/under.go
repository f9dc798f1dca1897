package analysis

import (
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
	fill := make(ground.Spectrum, recipe.FineBands)
	if len(room.FillDB) > 0 {
		fill = ground.FromDB(room.FillDB)
	}
	fill = fill.With(room.Hum)
	gain := func(low, high float64) float64 { return 1 }
	if room.Hush != nil {
		own := ground.FromDB(room.Hush.RoomDB)
		hushed := make(ground.Spectrum, len(own))
		for i, p := range own {
			hushed[i] = p * level.Power(room.Hush.GainDB[i])
		}
		gain = func(low, high float64) float64 { return share(hushed, own, low, high) }
		m.all = float32(gain(30, 20000))
		for b := range m.room {
			m.room[b] = float32(own.Between(ground.Third(b + ground.ThirdLow)))
		}
	}
	var gains, adds [recipe.Bands]float64
	for k := range gains {
		low, high := ground.Third(k + recipe.BandLow)
		gains[k], adds[k] = gain(low, high), fill.Between(low, high)
	}
	for b := range m.gain {
		k := b + ground.ThirdLow - recipe.BandLow
		m.gain[b], m.add[b] = float32(gains[k]), float32(adds[k])
	}
	out.Quiets = quietsUnder(a.Quiets, gains, adds)
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

// quietsUnder are quiet stretches with each third-octave changed by a share of its power, and by what is added.
func quietsUnder(quiets []tone.Quiet, gains, adds [recipe.Bands]float64) []tone.Quiet {
	list := make([]tone.Quiet, len(quiets))
	for i, q := range quiets {
		thirds, was, is := make([]float64, len(q.Thirds)), 0.0, 0.0
		for k, db := range q.Thirds {
			p := level.Power(db)*gains[k] + adds[k]
			thirds[k] = level.OfPower(p)
			was, is = was+level.Power(db), is+p
		}
		q.Thirds = thirds
		if was > 0 {
			q.LevelDB += level.OfPower(is / was)
		}
		list[i] = q
	}
	return list
}
