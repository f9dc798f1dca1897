package mend_test

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"sync"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/listen/tone"
	"blendseam/core/mend"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

// A pause with a blow in it: two phrases of real voices (Debian's alsa-utils) over a modelled room.
type bumped struct {
	*seamtest.Studio
	about string
	words pcm.Span // from the first phrase's start to the second one's end
	pause pcm.Span
	blow  pcm.Span // as long as it stands over the room
}

func newBumped(m *seamtest.Maker, i int, kinds []room.Kind, rooms []pcm.Block) bumped {
	k := kinds[i%len(kinds)]
	take := m.Take(seamtest.RoomKind{}, -200, 0, 0) // voices alone
	n := int64(len(take.Sound))
	from := m.R.Int64N(rooms[i%len(rooms)].Len() - n)
	voiceDB := k.Level + m.Between(16, 32) + 26
	for j := range take.Sound {
		take.Sound[j] = take.Sound[j]*level.Amplitude(voiceDB) + rooms[i%len(rooms)][0][from+int64(j)]
	}
	blow, above := roomtest.Blows(m.R, rate), m.Between(14, 34)
	p := take.Pause()
	end := int64(0)
	for j := 0; j+rate/100 <= len(blow.Sound); j += rate / 100 {
		if measure.RMSDB(pcm.Block{blow.Sound[j : j+rate/100]})+above > -3 {
			end = int64(j + rate/100)
		}
	}
	margin := int64(rate / 4)
	at := p.From + margin + m.R.Int64N(max(1, p.Len()-2*margin-end))
	for j, x := range blow.Sound {
		if int(at)+j < len(take.Sound) {
			take.Sound[int(at)+j] += x * level.Amplitude(k.Level+above)
		}
	}
	b := bumped{
		Studio: seamtest.New(m.T),
		words:  pcm.Span{From: take.First.From, To: take.Second.To},
		pause:  p,
		blow:   pcm.Span{From: at, To: min(p.To, at+end)},
	}
	b.Sound["a"] = pcm.Block{take.Sound}
	b.Do(&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: n, Channels: 1}})
	b.Do(&edit.Add{Track: "t1", Source: "a", Length: n})
	b.about = fmt.Sprintf(
		"case %d: a %s, %.0f dB over %s, %.2f to %.2f s of a pause from %.2f to %.2f s",
		i,
		blow.Name,
		above,
		k.Name,
		float64(at)/rate,
		float64(b.blow.To)/rate,
		float64(p.From)/rate,
		float64(p.To)/rate,
	)
	return b
}

// fault says what mending leaves to be heard of the blow, "" if nothing.
func (b bumped) fault(mending *mend.Mending) string {
	before, after := b.Render(b.Scene), b.Render(mending.Scene)
	if before.Len() != after.Len() {
		return "the length has changed"
	}
	var hole pcm.Span // all lulls together
	var lulls []pcm.Span
	for _, s := range audit.Find(mending.Scene) {
		if s.Kind != audit.Lull {
			continue
		}
		span := pcm.Span{From: s.From, To: s.To}
		if !span.In(b.pause) && !span.Overlaps(b.blow) {
			return fmt.Sprintf("something else was lulled, at %.2f s", float64(s.At)/rate)
		}
		if lulls = append(lulls, span); hole.Empty() {
			hole = span
		}
		hole.To = max(hole.To, span.To)
	}
	if !b.blow.In(hole) {
		return fmt.Sprintf("the lull is %.2f to %.2f s", float64(hole.From)/rate, float64(hole.To)/rate)
	}
	for i := b.words.From; i < b.words.To; i++ { // beyond them the clip's ends may be faded
		in := false
		for _, l := range lulls {
			in = in || l.Contains(i)
		}
		if !in && before[0][i] != after[0][i] {
			return fmt.Sprintf("sample %d has changed outside the lulls", i)
		}
	}
	var room []pcm.Span
	for _, s := range []pcm.Span{{From: b.pause.From + rate*15/100, To: hole.From},
		{From: hole.To, To: b.pause.To - rate*5/100}} {
		if s.Len() > rate/20 {
			room = append(room, s)
		}
	}
	room = append(
		room,
		pcm.Span{To: rate * 7 / 10},
		pcm.Span{From: after.Len() - rate*5/10, To: after.Len()},
	) // ahead of and behind the phrases
	heard := func(b pcm.Block, spans ...pcm.Span) float64 {
		sum, n := 0.0, int64(0)
		for _, s := range spans {
			sum += math.Pow(10, tone.LevelDB(b.Slice(s.From, s.To), rate)/10) * float64(s.Len())
			n += s.Len()
		}
		return 10 * math.Log10(sum/float64(n))
	}
	if step := heard(after, hole) - heard(before, room...); math.Abs(step) > 1 {
		return fmt.Sprintf("the background steps by %.2f dB", step)
	}
	if colour := measure.ColourStepDB(
		measure.ColourOf(before, room, rate),
		measure.ColourOf(after, []pcm.Span{hole}, rate),
		-110,
	); colour > 1.5 {
		return fmt.Sprintf("the background is coloured otherwise by %.2f dB", colour)
	}
	steepest := func(b pcm.Block, s pcm.Span) (most float64) {
		for i := max(3, s.From); i < s.To; i++ {
			v := b[0]
			most = max(most, math.Abs(v[i]-3*v[i-1]+3*v[i-2]-v[i-3]))
		}
		return most
	}
	usual := 0.0
	for _, s := range room {
		usual = max(usual, steepest(before, s))
	}
	if click := level.DB(steepest(after, hole) / usual); click > 6 {
		return fmt.Sprintf("a click of %.1f dB", click)
	}
	for at := hole.From; at+rate/200 <= hole.To; at += rate / 200 {
		if measure.RMSDB(after.Slice(at, at+rate/200)) < -80 {
			return fmt.Sprintf("dead silence at %.2f s", float64(at)/rate)
		}
	}
	return ""
}

// A blow planted in a pause of real voices over twelve rooms is found, lulled and patched by mending. Afterwards the
// background steps by at most 1 dB and 1.5 dB of colour, nothing clicks, nothing is dead silent, and all outside the
// lull is as it was, to the bit.
func TestBlowsAreMended(t *testing.T) {
	t.Parallel()
	cases := corpus.Cases(12, 40)
	m := seamtest.NewMaker(t, corpus.Seed()+50)
	kinds := roomtest.All()
	var rooms []pcm.Block
	for _, k := range kinds {
		rooms = append(rooms, k.Sound(40*rate, rate, 1, m.R.Uint64()))
	}
	made := make(chan bumped)
	var group sync.WaitGroup
	var mu sync.Mutex
	failed := 0
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for b := range made {
				o := mend.MendOptions{TakeOut: true, Threads: 1}
				mending, err := mend.New(b.Meter()).Mend(context.Background(), b.Measure(), o)
				if err != nil {
					t.Error(err)
					continue
				}
				if fault := b.fault(mending); fault != "" {
					mu.Lock()
					failed++
					t.Logf("%s: %s; %v", b.about, fault, left(mending))
					mu.Unlock()
				}
			}
		})
	}
	for i := range cases {
		made <- newBumped(m, i, kinds, rooms)
	}
	close(made)
	group.Wait()
	t.Logf("%d of %d are mended", cases-failed, cases)
	if failed > max(1, cases/20) {
		t.Errorf("%d of %d are not mended", failed, cases)
	}
}
