package analysis

import (
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A mixed is a recording's frames as a room makes them: each band is turned down where only the background is heard,
// and noise is added.
type mixed struct {
	frameStore
	room   *recipe.Room
	hop    int64
	states []mixedState // one, or the two that the room goes over between
}

// A mixedState is what a room does to the powers of a recording.
type mixedState struct {
	gain, add           [Bands]float32
	room                [Bands]float32 // what the background has; above wordOver of it are words
	all, addLevel, loud float32        // of the whole
	times               [Bands]float32 // by which the answer of a room multiplies everything
}

// wordOver is how far the power of a band stands over the background's where a word is heard.
const wordOver = 5

func (m *mixed) read(first int64, count int) (Frames, error) {
	f, err := m.frameStore.read(first, count)
	for i := range f.Count {
		s := m.at((first + int64(i) + 1) * m.hop)
		bands := f.Of(i)
		down := m.room.Hush != nil
		all, more := float32(1e-30), float32(0)
		for b, p := range bands {
			all, more = all+p, more+p*(s.times[b]-1)
			bands[b] *= s.times[b]
			down = down && bands[b] < wordOver*s.room[b]
		}
		f.Level[i] += more
		f.Loud[i] *= 1 + more/all
		for b := range bands {
			if down {
				bands[b] *= s.gain[b]
			}
			bands[b] += s.add[b]
		}
		if down {
			f.Level[i] *= s.all
			f.Loud[i] *= s.all
		}
		f.Level[i] += s.addLevel
		f.Loud[i] += s.loud
	}
	return f, err
}

// at is what the room does at a moment.
func (m *mixed) at(at int64) mixedState {
	s := m.states[0]
	share := float32(m.room.ShareAt(at))
	if share == 0 {
		return s
	}
	o := &m.states[1]
	over := func(a *float32, b float32) { *a += share * (b - *a) }
	for b := range s.gain {
		over(&s.gain[b], o.gain[b])
		over(&s.add[b], o.add[b])
		over(&s.room[b], o.room[b])
	}
	over(&s.all, o.all)
	over(&s.addLevel, o.addLevel)
	over(&s.loud, o.loud)
	return s
}

// Under is the analysis of the recording as a room makes it. Its words are those of the recording; its strays and hum
// too, for what is laid under them is no louder than a background.
func (a *Recording) Under(room *recipe.Room) *Recording {
	if room == nil {
		return a
	}
	out := *a
	m := &mixed{frameStore: a.frames, room: room, hop: hopOf(a.Rate)}
	first := *room
	first.Lead, first.Change = nil, nil
	states := []recipe.Room{first}
	if c := room.Change; c != nil {
		later := first
		later.FillDB, later.Hush = c.FillDB, c.Hush
		states = append(states, later)
	}
	var gains, adds [][recipe.Bands]float64
	for _, r := range states {
		state, gain, add := a.under(r)
		m.states, gains, adds = append(m.states, state), append(gains, gain), append(adds, add)
	}
	out.Floor = a.Floor.changed(m.states[0].gain, m.states[0].add)
	out.Quiets = make([]tone.Quiet, len(a.Quiets))
	for i, q := range a.Quiets {
		gain, add := gains[0], adds[0]
		if share := room.ShareAt((q.Span.From + q.Span.To) / 2); share > 0 {
			for k := range gain {
				gain[k] += share * (gains[1][k] - gain[k])
				add[k] += share * (adds[1][k] - add[k])
			}
		}
		out.Quiets[i] = quietUnder(q, gain, add)
	}
	out.frames = m
	return &out
}

// under is what a room that does not change does to a recording; for each third-octave of a quiet stretch, by how much
// its power is multiplied and what is added to it.
func (a *Recording) under(room recipe.Room) (m mixedState, gains, adds [recipe.Bands]float64) {
	m.all = 1
	fill := make(ambience.Spectrum, recipe.FineBands)
	if len(room.FillDB) > 0 {
		fill = ambience.FromDB(room.FillDB)
	}
	fill = fill.With(room.Hum)
	gain := func(low, high float64) float64 { return 1 }
	if room.Hush != nil {
		own := ambience.FromDB(room.Hush.RoomDB)
		hushed := make(ambience.Spectrum, len(own))
		for i, p := range own {
			hushed[i] = p * level.Power(room.Hush.GainDB[i])
		}
		gain = func(low, high float64) float64 { return share(hushed, own, low, high) }
		m.all = float32(gain(30, 20000))
		for b := range m.room {
			m.room[b] = float32(own.Between(ambience.Third(b + ambience.ThirdLow)))
		}
	}
	for k := range gains {
		low, high := ambience.Third(k + recipe.BandLow)
		gains[k], adds[k] = gain(low, high), fill.Between(low, high)
	}
	for b := range m.gain {
		k := b + ambience.ThirdLow - recipe.BandLow
		m.gain[b], m.add[b] = float32(gains[k]), float32(adds[k])
	}
	for b := range m.times {
		m.times[b] = 1
	}
	if d := room.Decay; d != nil {
		by := ambience.Spectrum(ambience.ImpulseOf(*d, room.Seed, a.Rate).Powers())
		one := ambience.Spectrum(slices.Repeat([]float64{1}, len(by)))
		times := func(third int) float64 {
			low, high := ambience.Third(third)
			return share(by, one, low, high)
		}
		for b := range m.times {
			m.times[b] = float32(times(b + ambience.ThirdLow))
		}
		for k := range gains {
			gains[k] *= times(k + recipe.BandLow)
		}
	}
	// how loud it is, measured on a second of it
	noise := pcm.NewBlock(1, int64(a.Rate))
	_ = ambience.NewNoise(room, a.Rate, nil).Add(noise, 0) // made by chance: nothing is read
	drift := speech.NewDrift(noise[0], int64(a.Rate))
	m.addLevel = float32(drift.Energy(noise[0]) / float64(a.Rate))
	loud := measure.NewKFilter(a.Rate).Energy(noise[0]) / float64(a.Rate)
	m.loud = float32(loud * float64(a.Channels) * room.InChannel(a.Channels))
	return m, gains, adds
}

func share(part, whole ambience.Spectrum, low, high float64) float64 {
	if p := whole.Between(low, high); p > 0 {
		return part.Between(low, high) / p
	}
	return 1
}

// quietUnder is a quiet stretch with each third-octave changed by a share of its power, and by what is added.
func quietUnder(q tone.Quiet, gains, adds [recipe.Bands]float64) tone.Quiet {
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
	return q
}
