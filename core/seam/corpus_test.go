package seam_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strconv"
	"sync"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/core/timecode"
	"blendseam/internal/roomtest"
)

// The corpus: seams between real voices (Debian's alsa-utils) over made backgrounds, one third clean, the others with one
// trouble each. What is planted is known; the measures know nothing of this file.

// A case of the corpus: a scene with one track and one seam that matters.
type specimen struct {
	*studio
	want  seam.Cause
	about string
}

// troubles are what is planted, in turn; every third seam is clean.
var troubles = []seam.Cause{seam.Click, seam.BackgroundStep, seam.ColourStep, seam.DeadSilence, seam.LevelStep, seam.WordCut}

// A maker draws specimens.
type maker struct {
	t      testing.TB
	r      *rand.Rand
	voices [][]float64 // of one loudness
}

func newMaker(t testing.TB, seed uint64) *maker {
	m := &maker{t: t, r: rand.New(rand.NewPCG(seed, 77))}
	for _, v := range roomtest.Words(t) {
		lufs := measure.LoudnessOf(pcm.Block{v}, rate).IntegratedLUFS
		if lufs < -60 {
			continue
		}
		m.voices = append(m.voices, scaled(trimmed(v), -26-lufs))
	}
	return m
}

func scaled(v []float64, db float64) []float64 {
	out, gain := slices.Clone(v), measure.Amplitude(db)
	for i := range out {
		out[i] *= gain
	}
	return out
}

// trimmed is a voice from its first to its last 10 ms within 45 dB of its loudest.
func trimmed(v []float64) []float64 {
	const n = rate / 100
	top, first, last := 0.0, -1, 0
	var levels []float64
	for at := 0; at+n <= len(v); at += n {
		levels = append(levels, measure.Amplitude(measure.RMSDB(pcm.Block{v[at : at+n]})))
		top = max(top, levels[len(levels)-1])
	}
	for i, l := range levels {
		if l > top*measure.Amplitude(-45) {
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	return v[first*n : (last+1)*n]
}

func (m *maker) between(low, high float64) float64 { return low + (high-low)*m.r.Float64() }

// A room is a kind of background; its noise is another each time it is drawn, its level and colour are not.
type roomKind struct {
	tilt   float64 // of a one-pole low-pass: 0 white, near 1 dull
	hum    float64 // against the noise
	humHz  float64
	drops  float64 // of rain, each second
	rumble float64
}

func (m *maker) room() roomKind {
	k := roomKind{tilt: m.between(0.2, 0.97), rumble: m.between(0, 0.4)}
	switch m.r.IntN(4) {
	case 0:
		k.hum, k.humHz = m.between(0.2, 0.8), []float64{50, 60, 100, 120}[m.r.IntN(4)]
	case 1:
		k.drops = m.between(200, 900)
	}
	return k
}

// noise draws n samples of a room at an RMS level, in dBFS.
func (m *maker) noise(k roomKind, n int, db float64) []float64 {
	v := make([]float64, n)
	low, slow := 0.0, 0.0
	for i := range v {
		w := m.r.NormFloat64()
		low = k.tilt*low + (1-k.tilt)*w
		slow = 0.998*slow + 0.002*w
		v[i] = low*math.Sqrt((1+k.tilt)/(1-k.tilt)) + 30*k.rumble*slow + k.hum*math.Sqrt2*math.Sin(2*math.Pi*k.humHz*float64(i)/rate)
	}
	for range int(k.drops * float64(n) / rate) {
		at, size, hz := m.r.IntN(n), m.between(0.3, 1.5), m.between(1500, 6000)
		for i := 0; i < 300 && at+i < n; i++ {
			v[at+i] += size * math.Exp(-float64(i)/60) * math.Sin(2*math.Pi*hz*float64(i)/rate)
		}
	}
	return scaled(v, db-measure.RMSDB(pcm.Block{v}))
}

// coloured is a background with its upper half raised or lowered, at the level it had.
func coloured(v []float64, db float64) []float64 {
	out := make([]float64, len(v))
	const corner = 1000.0
	a, low, gain := math.Exp(-2*math.Pi*corner/rate), 0.0, measure.Amplitude(db)
	for i, x := range v {
		low = a*low + (1-a)*x
		out[i] = low + gain*(x-low)
	}
	return scaled(out, measure.RMSDB(pcm.Block{v})-measure.RMSDB(pcm.Block{out}))
}

// A take is a recording: a background with two phrases, a pause between them.
type take struct {
	sound  []float64
	first  pcm.Span
	second pcm.Span
}

func (t take) pause() pcm.Span { return pcm.Span{From: t.first.To, To: t.second.From} }

func (m *maker) take(k roomKind, roomDB, voiceDB, colour float64) take {
	a, b := m.voices[m.r.IntN(len(m.voices))], m.voices[m.r.IntN(len(m.voices))]
	lead, pause, tail := int(m.between(0.8, 1.5)*rate), int(m.between(0.9, 1.8)*rate), int(m.between(0.8, 1.5)*rate)
	v := m.noise(k, lead+len(a)+pause+len(b)+tail, roomDB)
	if colour != 0 {
		v = coloured(v, colour)
	}
	t := take{sound: v, first: pcm.Span{From: int64(lead), To: int64(lead + len(a))}}
	t.second = pcm.Span{From: t.first.To + int64(pause), To: t.first.To + int64(pause+len(b))}
	for i, x := range scaled(a, voiceDB) {
		v[lead+i] += x
	}
	for i, x := range scaled(b, voiceDB) {
		v[int(t.second.From)+i] += x
	}
	return t
}

// make draws specimen number i.
func (m *maker) make(i int) specimen {
	want := seam.None
	if i%3 != 0 {
		want = troubles[(i-i/3-1)%len(troubles)]
	}
	k, db := m.room(), -m.between(46, 60)
	step, level, colour := 0.0, 0.0, 0.0
	sign := float64(1 - 2*m.r.IntN(2))
	switch want {
	case seam.BackgroundStep:
		step = sign * m.between(3, 12)
	case seam.LevelStep:
		level = sign * m.between(5, 10)
	case seam.ColourStep:
		colour = sign * m.between(10, 18)
	}
	left, right := m.take(k, db, 0, 0), m.take(k, db+step, level, colour)
	// The cut lies in a pause of both: the left clip ends behind its first phrase, the right one begins before its second.
	lp, rp := left.pause(), right.pause()
	out := lp.From + int64(m.between(0.2, 0.5)*float64(lp.Len()))
	in := rp.From + int64(m.between(0.5, 0.8)*float64(rp.Len()))
	sp := specimen{studio: newStudio(m.t), want: want}
	sp.scene.Rate = timecode.F25
	gap := int64(0)
	switch want {
	case seam.WordCut:
		if sign > 0 {
			out = m.inAWord(left.sound, left.first)
		} else {
			in = m.inAWord(right.sound, right.second)
		}
	case seam.DeadSilence:
		gap = int64(m.between(0.06, 0.5) * rate)
	case seam.Click:
		size := measure.Amplitude(db + m.between(22, 34))
		if m.r.IntN(2) == 0 { // one side does not lie about zero
			for i := range right.sound {
				right.sound[i] += sign * size
			}
		} else { // a pop in the recording, just where it is cut
			for i := range int64(6) {
				right.sound[in+i] += sign * size * float64(1-2*(i%2))
			}
		}
	}
	sp.sound["l"], sp.sound["r"] = pcm.Block{left.sound}, pcm.Block{right.sound}
	for _, id := range []string{"l", "r"} {
		sp.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: sp.sound[id].Len(), Channels: 1}})
	}
	from, to := left.first.From-int64(0.5*rate), right.second.To+int64(0.5*rate)
	sp.do(&scene.Add{Track: "t1", Source: "l", In: from, Length: out - from})
	sp.do(&scene.Add{Track: "t1", Source: "r", In: in, Start: out - from + gap, Length: to - in})
	blended := 0.0
	if want != seam.Click && want != seam.DeadSilence && want != seam.WordCut && m.r.IntN(2) == 0 {
		n := int64(m.between(10, 80) * rate / 1000)
		sp.blend(n, n)
		blended = float64(2*n) * 1000 / rate
	}
	sp.about = fmt.Sprintf("specimen %d: %s, room at %.0f dBFS %+v, step %.1f dB, level %.1f dB, colour %.1f dB, gap %d, blend %.0f ms", i, want, db, k, step, level, colour, gap, blended)
	return sp
}

// inAWord picks a place where a phrase is loud for 60 ms to both sides: in a word, not in a stop or between two words.
func (m *maker) inAWord(v []float64, phrase pcm.Span) int64 {
	const n = rate / 50
	levels := measure.FrameLevels(pcm.Block{v[phrase.From:phrase.To]}, rate)
	top := slices.Max(levels)
	var places []int64
	for i := 4; i+4 < len(levels); i++ {
		if slices.Min(levels[i-3:i+4]) > top-15 {
			places = append(places, phrase.From+int64(i)*n)
		}
	}
	if len(places) == 0 {
		m.t.Fatal("a voice without a loud word")
	}
	return places[m.r.IntN(len(places))]
}

// all measures the specimen's seams.
func (s specimen) all() []seam.Result {
	all, err := seam.All(s.scene, s.open, 1)
	if err != nil {
		s.t.Error(err)
	}
	return all
}

// matters is the seam that matters among all.
func (s specimen) matters(all []seam.Result) seam.Result {
	if s.want == seam.DeadSilence {
		return find(all, seam.GapStart)
	}
	return find(all, seam.Cut)
}

func find(all []seam.Result, kind seam.Kind) seam.Result {
	for _, r := range all {
		if r.Kind == kind {
			return r
		}
	}
	return seam.Result{}
}

// each makes the corpus and does something with every specimen, several at once.
func each(t *testing.T, do func(specimen)) {
	m := newMaker(t, seedOf())
	made := make(chan specimen)
	var group sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for s := range made {
				do(s)
			}
		})
	}
	for i := range specimens {
		made <- m.make(i)
	}
	close(made)
	group.Wait()
}

const specimens = 132

// seedOf is a fixed seed, or that of the environment for a fresh look.
func seedOf() uint64 {
	if n, err := strconv.ParseUint(os.Getenv("BLENDSEAM_SEED"), 10, 64); err == nil {
		return n
	}
	return 1
}
