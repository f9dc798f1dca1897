package noiseevent_test

import (
	"math/rand/v2"
	"slices"
	"sync"
	"testing"

	"blendseam/core/listen/noiseevent"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/roomtest"
)

const rate = 48000

// A scene for the ear: real voices (Debian's alsa-utils) over a room, 15 to 35 dB above it, with long pauses.
type take struct {
	sound  []float64
	pauses []pcm.Span // without voice, to the sample
	room   room.Kind
}

type studio struct {
	r      *rand.Rand
	voices [][]float64
	kinds  []room.Kind
	rooms  []pcm.Block
}

func newStudio(t testing.TB) *studio {
	s := &studio{r: rand.New(rand.NewPCG(corpus.Seed(), 21)), kinds: roomtest.All(), rooms: rooms()}
	for _, v := range roomtest.Words(t) {
		turn := level.Amplitude(-measure.LoudnessOf(pcm.Block{v}, rate).IntegratedLUFS)
		for i := range v {
			v[i] *= turn
		}
		s.voices = append(s.voices, v)
	}
	return s
}

// rooms are long ones, made once: each take is in a piece of one.
var rooms = sync.OnceValue(func() (list []pcm.Block) {
	r := rand.New(rand.NewPCG(corpus.Seed(), 22))
	for _, k := range roomtest.All() {
		list = append(list, k.Sound(20*rate, rate, 1, r.Uint64()))
	}
	return list
})

func (s *studio) take(i int) take {
	n := int64(7 * rate)
	k := i % len(s.rooms)
	from := s.r.Int64N(s.rooms[k].Len() - n)
	t := take{sound: slices.Clone(s.rooms[k][0][from : from+n]), room: s.kinds[k]}
	g := level.Amplitude(t.room.Level + 15 + 20*s.r.Float64())
	at := int64(rate)
	last := int64(0)
	for {
		v := s.voices[s.r.IntN(len(s.voices))]
		if at+int64(len(v)) > n-rate/2 {
			break
		}
		for j, x := range v {
			t.sound[at+int64(j)] += g * x
		}
		t.pauses = append(t.pauses, pcm.Span{From: last, To: at})
		last = at + int64(len(v))
		at = last + int64(float64(rate)*(0.9+0.8*s.r.Float64()))
	}
	t.pauses = append(t.pauses, pcm.Span{From: last, To: n})
	return t
}

// In takes without any fault, of voices and rooms, hardly anything is taken for a stray sound, a final consonant of a
// voice at the most.
func TestVoicesAndRoomsAreNoStraySounds(t *testing.T) {
	t.Parallel()
	s := newStudio(t)
	found, spoken := 0, 0
	for i := range corpus.Cases(18, 60) {
		take := s.take(i)
		for _, x := range noiseevent.Find(take.sound, rate) {
			found++
			if !slices.ContainsFunc(take.pauses, x.Lull.In) {
				spoken++
				t.Logf(
					"case %d, %s: a %s from %.2f to %.2f s, %.0f dB over the room, is part of a voice",
					i,
					take.room.Name,
					x.Kind,
					float64(x.Span.From)/rate,
					float64(x.Span.To)/rate,
					x.AboveDB,
				)
			} else {
				t.Logf(
					"case %d, %s: a %s from %.2f to %.2f s, %.0f dB over the room",
					i,
					take.room.Name,
					x.Kind,
					float64(x.Span.From)/rate,
					float64(x.Span.To)/rate,
					x.AboveDB,
				)
			}
		}
	}
	if spoken > 1 { // of some 240 words
		t.Errorf("%d parts of voices were taken for stray sounds", spoken)
	}
	if found > 3 {
		t.Errorf("%d stray sounds in %d takes without any", found, corpus.Cases(18, 60))
	}
}

// A blow planted in a pause is found, its lull holds it and leaves the words. One that may be a voice to the network is
// left: better no help.
func TestBlowsInPausesAreFound(t *testing.T) {
	t.Parallel()
	s := newStudio(t)
	missed, cases := 0, 0
	for i := range corpus.Cases(18, 60) {
		take := s.take(i)
		p := take.pauses[s.r.IntN(len(take.pauses))]
		blow := roomtest.Blows(s.r, rate)
		above := 15 + 20*s.r.Float64()
		room := p.Len() - rate*55/100
		if room < 0 {
			continue
		}
		at := p.From + rate*25/100 + s.r.Int64N(room+1)
		g := level.Amplitude(take.room.Level + above)
		for j, x := range blow.Sound[:min(len(blow.Sound), len(take.sound)-int(at))] {
			take.sound[at+int64(j)] += g * x
		}
		end := at // until it is 10 dB under the room, or as good as over
		for j := 0; j+rate/100 <= len(blow.Sound); j += rate / 100 {
			if measure.RMSDB(pcm.Block{blow.Sound[j : j+rate/100]})+above > 0 {
				end = at + int64(j+rate/100)
			}
		}
		cases++
		ok := false
		var got []noiseevent.Event
		for _, x := range noiseevent.Find(take.sound, rate) {
			got = append(got, x)
			if x.Lull.Overlaps(pcm.Span{From: at, To: at + 1}) && x.Lull.To >= min(end, p.To-rate/20) {
				ok = true
			}
		}
		if !ok {
			missed++
			t.Logf(
				"case %d, %s: a %s at %.2f to %.2f s, %.0f dB over the room, was not found: %+v",
				i,
				take.room.Name,
				blow.Name,
				float64(at)/rate,
				float64(end)/rate,
				above,
				got,
			)
		}
	}
	t.Logf("%d of %d missed", missed, cases)
	if missed > max(2, cases/6) {
		t.Errorf("%d of %d blows were not found", missed, cases)
	}
}
