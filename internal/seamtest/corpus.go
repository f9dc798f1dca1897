package seamtest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/core/sound/timecode"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/roomtest"
)

// A case of the corpus: a scene with one track and one seam that matters.
type Specimen struct {
	*Studio
	Want  audit.Cause
	About string
}

// troubles are what is planted, in turn; every third seam is clean.
var troubles = []audit.Cause{
	audit.Click,
	audit.BackgroundStep,
	audit.ColourStep,
	audit.DeadSilence,
	audit.LevelStep,
	audit.WordCut,
}

// A maker draws Specimens.
type Maker struct {
	T      testing.TB
	R      *rand.Rand
	Voices [][]float64 // of one loudness
}

// Phrases of other voices are so long, in seconds.
const (
	leastPhraseS = 0.8
	mostPhraseS  = 2.5
)

func NewMaker(t testing.TB, seed uint64) *Maker {
	m := &Maker{T: t, R: rand.New(rand.NewPCG(seed, 77))}
	voices := roomtest.Words(t)
	if corpus.FreshVoices() {
		voices = eartest.Phrases(t, eartest.Fresh, leastPhraseS, mostPhraseS)
	}
	for _, v := range voices {
		lufs := measure.LoudnessOf(pcm.Block{v}, Rate).IntegratedLUFS
		if lufs < -60 {
			continue
		}
		m.Voices = append(m.Voices, Scaled(Trimmed(v), -26-lufs))
	}
	return m
}

func Scaled(v []float64, db float64) []float64 {
	out, gain := slices.Clone(v), level.Amplitude(db)
	for i := range out {
		out[i] *= gain
	}
	return out
}

// Trimmed is a voice from its first to its last 10 ms within 45 dB of its loudest.
func Trimmed(v []float64) []float64 {
	const n = Rate / 100
	top, first, last := 0.0, -1, 0
	var levels []float64
	for at := 0; at+n <= len(v); at += n {
		levels = append(levels, level.Amplitude(measure.RMSDB(pcm.Block{v[at : at+n]})))
		top = max(top, levels[len(levels)-1])
	}
	for i, l := range levels {
		if l > top*level.Amplitude(-45) {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	return v[first*n : (last+1)*n]
}

func (m *Maker) Between(low, high float64) float64 { return low + (high-low)*m.R.Float64() }

// A room is a kind of background; its noise is another each time it is drawn, its level and colour are not.
type RoomKind struct {
	tilt   float64 // of a one-pole low-pass: 0 white, near 1 dull
	hum    float64 // against the noise
	humHz  float64
	drops  float64 // of rain, each second
	rumble float64
}

func (m *Maker) Room() RoomKind {
	k := RoomKind{tilt: m.Between(0.2, 0.97), rumble: m.Between(0, 0.4)}
	switch m.R.IntN(4) {
	case 0:
		k.hum, k.humHz = m.Between(0.2, 0.8), []float64{50, 60, 100, 120}[m.R.IntN(4)]
	case 1:
		k.drops = m.Between(200, 900)
	}
	return k
}

// Noise draws n samples of a room at an RMS level, in dBFS.
func (m *Maker) Noise(k RoomKind, n int, db float64) []float64 {
	v := make([]float64, n)
	low, slow := 0.0, 0.0
	for i := range v {
		w := m.R.NormFloat64()
		low = k.tilt*low + (1-k.tilt)*w
		slow = 0.998*slow + 0.002*w
		v[i] = low*math.Sqrt(
			(1+k.tilt)/(1-k.tilt),
		) + 30*k.rumble*slow + k.hum*math.Sqrt2*math.Sin(
			2*math.Pi*k.humHz*float64(i)/Rate,
		)
	}
	for range int(k.drops * float64(n) / Rate) {
		at, size, hz := m.R.IntN(n), m.Between(0.3, 1.5), m.Between(1500, 6000)
		for i := 0; i < 300 && at+i < n; i++ {
			v[at+i] += size * math.Exp(-float64(i)/60) * math.Sin(2*math.Pi*hz*float64(i)/Rate)
		}
	}
	return Scaled(v, db-measure.RMSDB(pcm.Block{v}))
}

// Coloured is a background with its upper half raised or lowered, at the level it had.
func Coloured(v []float64, db float64) []float64 {
	out := make([]float64, len(v))
	const corner = 1000.0
	a, low, gain := math.Exp(-2*math.Pi*corner/Rate), 0.0, level.Amplitude(db)
	for i, x := range v {
		low = a*low + (1-a)*x
		out[i] = low + gain*(x-low)
	}
	return Scaled(out, measure.RMSDB(pcm.Block{v})-measure.RMSDB(pcm.Block{out}))
}

// A take is a recording: a background with two phrases, a pause between them.
type Take struct {
	Sound  []float64
	First  pcm.Span
	Second pcm.Span
}

func (t Take) Pause() pcm.Span { return pcm.Span{From: t.First.To, To: t.Second.From} }

func (m *Maker) Take(k RoomKind, roomDB, voiceDB, colour float64) Take {
	a, b := m.Voices[m.R.IntN(len(m.Voices))], m.Voices[m.R.IntN(len(m.Voices))]
	lead, pause, tail := int(m.Between(0.8, 1.5)*Rate), int(m.Between(0.9, 1.8)*Rate), int(m.Between(0.8, 1.5)*Rate)
	v := m.Noise(k, lead+len(a)+pause+len(b)+tail, roomDB)
	if colour != 0 {
		v = Coloured(v, colour)
	}
	t := Take{Sound: v, First: pcm.Span{From: int64(lead), To: int64(lead + len(a))}}
	t.Second = pcm.Span{From: t.First.To + int64(pause), To: t.First.To + int64(pause+len(b))}
	for i, x := range Scaled(a, voiceDB) {
		v[lead+i] += x
	}
	for i, x := range Scaled(b, voiceDB) {
		v[int(t.Second.From)+i] += x
	}
	return t
}

// Make draws specimen number i.
func (m *Maker) Make(i int) Specimen {
	want := audit.None
	if i%3 != 0 {
		want = troubles[(i-i/3-1)%len(troubles)]
	}
	k, db := m.Room(), -m.Between(46, 60)
	step, louder, colour := 0.0, 0.0, 0.0
	sign := float64(1 - 2*m.R.IntN(2))
	switch want {
	case audit.BackgroundStep:
		step = sign * m.Between(3, 12)
	case audit.LevelStep:
		louder = sign * m.Between(5, 10)
	case audit.ColourStep:
		colour = sign * m.Between(10, 18)
	}
	left, right := m.Take(k, db, 0, 0), m.Take(k, db+step, louder, colour)
	// The cut lies in a pause of both: the left clip ends behind its first phrase, the right one begins before its
	// second.
	lp, rp := left.Pause(), right.Pause()
	out := lp.From + int64(m.Between(0.2, 0.5)*float64(lp.Len()))
	in := rp.From + int64(m.Between(0.5, 0.8)*float64(rp.Len()))
	sp := Specimen{Studio: New(m.T), Want: want}
	sp.Scene.Rate = timecode.F25
	gap := int64(0)
	switch want {
	case audit.WordCut:
		if sign > 0 {
			out = m.InAWord(left.Sound, left.First)
		} else {
			in = m.InAWord(right.Sound, right.Second)
		}
	case audit.DeadSilence:
		gap = int64(m.Between(0.06, 0.5) * Rate)
	case audit.Click:
		size := level.Amplitude(db + m.Between(22, 34))
		if m.R.IntN(2) == 0 { // one side does not lie about zero
			for i := range right.Sound {
				right.Sound[i] += sign * size
			}
		} else { // a pop in the recording, just where it is cut
			for i := range int64(6) {
				right.Sound[in+i] += sign * size * float64(1-2*(i%2))
			}
		}
	}
	sp.Sound["l"], sp.Sound["r"] = pcm.Block{left.Sound}, pcm.Block{right.Sound}
	for _, id := range []string{"l", "r"} {
		sp.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: sp.Sound[id].Len(), Channels: 1}})
	}
	from, to := left.First.From-int64(0.5*Rate), right.Second.To+int64(0.5*Rate)
	sp.Do(&edit.Add{Track: "t1", Source: "l", In: from, Length: out - from})
	sp.Do(&edit.Add{Track: "t1", Source: "r", In: in, Start: out - from + gap, Length: to - in})
	blended := 0.0
	if want != audit.Click && want != audit.DeadSilence && want != audit.WordCut && m.R.IntN(2) == 0 {
		n := int64(m.Between(10, 80) * Rate / 1000)
		sp.Blend(n, n)
		blended = float64(2*n) * 1000 / Rate
	}
	sp.About = fmt.Sprintf(
		"specimen %d: %s, room at %.0f dBFS %+v, step %.1f dB, level %.1f dB, colour %.1f dB, gap %d, blend %.0f ms",
		i,
		want,
		db,
		k,
		step,
		louder,
		colour,
		gap,
		blended,
	)
	return sp
}

// InAWord picks a place where a phrase is loud for 60 ms to both sides: in a word, not in a stop or between two words.
func (m *Maker) InAWord(v []float64, phrase pcm.Span) int64 {
	const n = Rate / 50
	levels := measure.FrameLevels(pcm.Block{v[phrase.From:phrase.To]}, Rate)
	top := slices.Max(levels)
	var places []int64
	for i := 4; i+4 < len(levels); i++ {
		if slices.Min(levels[i-3:i+4]) > top-15 {
			places = append(places, phrase.From+int64(i)*n)
		}
	}
	if len(places) == 0 {
		m.T.Fatal("a voice without a loud word")
	}
	return places[m.R.IntN(len(places))]
}

// All measures the specimen's seams.
func (s Specimen) All() []audit.Result { return s.Measure() }

// Matters is the seam that matters among all.
func (s Specimen) Matters(all []audit.Result) audit.Result {
	if s.Want == audit.DeadSilence {
		return Find(all, audit.GapStart)
	}
	return Find(all, audit.Cut)
}

func Find(all []audit.Result, kind audit.Kind) audit.Result {
	for _, r := range all {
		if r.Kind == kind {
			return r
		}
	}
	return audit.Result{}
}

// Each makes the corpus and does something with every specimen, several at once.
func Each(t *testing.T, do func(Specimen)) {
	m := NewMaker(t, corpus.Seed())
	made := make(chan Specimen)
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for s := range made {
				do(s)
			}
		})
	}
	for i := range Specimens() {
		made <- m.Make(i)
	}
	close(made)
	group.Wait()
}

// Specimens is how many the corpus has.
func Specimens() int { return corpus.Cases(44, 132) }

// SpokenIn is a room with voices in it at some moments, in seconds.
func (m *Maker) SpokenIn(k room.Kind, seconds float64, above float64, at ...float64) ([]float64, []pcm.Span) {
	v := k.Sound(int64(seconds*Rate), Rate, 1, m.R.Uint64())[0]
	var words []pcm.Span
	for i, s := range at {
		voice := Scaled(m.Voices[i%len(m.Voices)], k.Level+above+26)
		from := int64(s * Rate)
		for j, x := range voice {
			if int(from)+j < len(v) {
				v[int(from)+j] += x
			}
		}
		words = append(words, pcm.Span{From: from, To: min(int64(len(v)), from+int64(len(voice)))})
	}
	return v, words
}

// Long lays so many clips of 2 to 4 s on each of two tracks, one touching the next, over a bed of tone.
func Long(t testing.TB, clips int) (*scene.Scene, func(scene.Source) (pcm.ReaderAt, error)) {
	m := NewMaker(t, 3)
	st := New(t)
	k := m.Room()
	for i := range 12 {
		id := string(rune('a' + i))
		var v []float64
		for range 4 {
			v = append(v, m.Take(k, -52, 0, 0).Sound...)
		}
		st.Sound[id] = pcm.Block{v}
		st.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: int64(len(v)), Channels: 1}})
	}
	st.Do(&edit.AddTrack{Name: "E", Purpose: scene.ForDialogue})
	st.Do(&edit.AddTrack{Name: "T", Purpose: scene.ForTone})
	for _, track := range []*scene.Track{st.Scene.Tracks[0], st.Scene.Tracks[1]} {
		at := int64(0)
		for i := range clips {
			n := int64(m.Between(2, 4) * Rate)
			id := string(rune('a' + i%12))
			in := m.R.Int64N(st.Sound[id].Len() - n - Rate)
			st.Do(&edit.Add{Track: track.ID, Source: id, In: in + Rate/2, Start: at, Length: n})
			at += n
		}
	}
	bed := pcm.Block{m.Noise(k, int(st.Scene.Length()), -60)}
	st.Sound["bed"] = bed
	st.Do(&edit.Bring{Source: scene.Source{ID: "bed", Name: "bed", Samples: bed.Len(), Channels: 1}})
	st.Do(&edit.Add{Track: st.Scene.Tracks[2].ID, Source: "bed", Length: st.Scene.Length()})
	return st.Scene, st.Open
}

// Takes lays cuts between takes: so many recordings of real voices, each in a room of its own, from which clips of
// about seconds come in turn, one touching the next in the pauses of both.
func Takes(t testing.TB, seed uint64, takes, clips int, seconds float64) *Studio {
	m := NewMaker(t, seed)
	st := New(t)
	each := int(math.Ceil(float64(clips)/float64(takes))) + 1
	pauses := make([][]int64, takes) // middles
	for i := range takes {
		id := string(rune('a' + i))
		k, db := m.Room(), -m.Between(48, 56)
		var v []float64
		for float64(len(v)) < float64(each)*seconds*Rate {
			take := m.Take(k, db, 0, 0)
			at := int64(len(v))
			pauses[i] = append(pauses[i], at+(take.Pause().From+take.Pause().To)/2)
			if at > 0 {
				pauses[i] = append(pauses[i], at)
			}
			v = append(v, take.Sound...)
		}
		slices.Sort(pauses[i])
		st.Sound[id] = pcm.Block{v}
		st.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, URL: id + ".wav", Samples: int64(len(v)), Channels: 1}})
	}
	next := make([]int, takes)
	start := int64(0)
	for i := range clips {
		k := i % takes
		from := next[k]
		to := from + 1
		for to < len(pauses[k])-1 && float64(pauses[k][to]-pauses[k][from]) < (seconds-0.8)*Rate {
			to++
		}
		if to >= len(pauses[k]) {
			from, to = 0, 2
		}
		next[k] = to
		in := pauses[k][from] + int64(m.Between(-0.15, 0.15)*Rate)
		n := pauses[k][to] - in
		st.Do(&edit.Add{Track: "t1", Source: string(rune('a' + k)), In: in, Start: start, Length: n})
		start += n
	}
	return st
}
