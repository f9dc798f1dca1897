package fill_test

import (
	"context"
	"math"
	"slices"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/listen/tone"
	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

// A gap between two takes, 6 dB apart and coloured otherwise, is filled with tone that passes from the one's room to
// the other's: no dead silence, no 400 ms more than 1.5 dB off the line between both, the words as they were.
func TestAGapIsFilledFromRoomToRoom(t *testing.T) {
	t.Parallel()
	m := seamtest.NewMaker(t, corpus.Seed()+90)
	left, right := room.Kinds[0], room.Kinds[1]
	right.Level = left.Level + 6
	a, aw := m.SpokenIn(left, 5, 25, 1.5)
	b, bw := m.SpokenIn(right, 5, 25, 1.5)
	s := seamtest.New(t)
	s.Sound["a"], s.Sound["b"] = pcm.Block{a}, pcm.Block{b}
	for _, id := range []string{"a", "b"} {
		s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.Sound[id].Len(), Channels: 1}})
	}
	out, gap := aw[0].To+rate*7/10, int64(rate*3/2)
	s.Do(&edit.Add{Track: "t1", Source: "a", Length: out})
	in := bw[0].From - rate*7/10
	s.Do(&edit.Add{Track: "t1", Source: "b", In: in, Start: out + gap, Length: int64(len(b)) - in})
	clips := s.Scene.Track("t1").Clips
	filler := fill.Filler{Meter: s.Meter()}
	patch, err := filler.Patch(context.Background(), scene.Hole{Clip: clips[0].ID, Next: clips[1].ID})
	if err != nil || patch == nil {
		t.Fatal(err, patch)
	}
	filled, err := edit.Apply(s.Scene, patch.Edit)
	if err != nil {
		t.Fatal(err)
	}
	before, after := s.Render(s.Scene), s.Render(filled)
	for _, w := range []pcm.Span{aw[0], bw[0].Add(out + gap - in)} {
		if !slices.Equal(before[0][w.From:w.To], after[0][w.From:w.To]) {
			t.Error("words have changed")
		}
	}
	l, r := tone.LevelDB(pcm.Block{a[:rate*12/10]}, rate), tone.LevelDB(pcm.Block{b[:rate*12/10]}, rate)
	worst := 0.0
	for at := out; at+rate*4/10 <= out+gap; at += rate / 20 {
		x := float64(at+rate*2/10-out) / float64(gap)
		worst = max(worst, math.Abs(tone.LevelDB(after.Slice(at, at+rate*4/10), rate)-l-(r-l)*x))
	}
	t.Logf("at most %.2f dB off the line from %.1f to %.1f dBFS", worst, l, r)
	if worst > 1.5 {
		t.Errorf("%.2f dB off the line", worst)
	}
	for at := out - rate/5; at < out+gap+rate/5; at += rate / 200 {
		if measure.RMSDB(after.Slice(at, at+rate/200)) < -80 {
			t.Fatalf("dead silence at %.2f s", float64(at)/rate)
		}
	}
	all, err := audit.All(context.Background(), meter.NewMeter(filled, s.Sources()), 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range all {
		if x.Kind == audit.Fade && x.Verdict != audit.Clean && x.Left+x.Right != "" &&
			(x.Left == clips[0].ID || x.Right == clips[1].ID) {
			t.Errorf("the seam at %.2f s is %s: %s", float64(x.At)/rate, x.Verdict, x.Why)
		}
	}
}

// On two microphones, who speaks over another one's line is found; a voice that reaches both microphones is not. The
// hum of a room is named.
func TestSpeechOverALineIsFoundAndHumIsNamed(t *testing.T) {
	t.Parallel()
	m := seamtest.NewMaker(t, corpus.Seed()+91)
	k := room.Kinds[0] // a kitchen, with a fridge
	a, aw := m.SpokenIn(k, 9, 28, 1.5, 2.9, 4.4)
	b := k.Sound(9*rate, rate, 1, m.R.Uint64())[0]
	for i := range b { // what reaches the other microphone, 2 ms later
		if i > 96 {
			b[i] += 0.15 * (a[i-96])
		}
	}
	over, at := seamtest.Scaled(m.Voices[3], k.Level+26+26), int64(3.1*rate)
	for j, x := range over[:rate/2] {
		b[at+int64(j)] += x
	}
	s := seamtest.New(t)
	s.Do(&edit.AddTrack{Name: "Second", Purpose: "dialogue"})
	s.Sound["a"], s.Sound["b"] = pcm.Block{a}, pcm.Block{b}
	for i, id := range []string{"a", "b"} {
		s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.Sound[id].Len(), Channels: 1}})
		s.Do(&edit.Add{Track: s.Scene.Tracks[i].ID, Source: id, Length: s.Sound[id].Len()})
	}
	filler := fill.Filler{Meter: s.Meter()}
	found, hums, err := filler.Findings(context.Background(), 1)
	if err != nil {
		t.Fatal(err)
	}
	var spoken []fill.Finding
	for _, f := range found {
		if f.Kind == fill.SpokenOver {
			spoken = append(spoken, f)
		}
	}
	if len(spoken) != 1 || spoken[0].TrackName != "Second" ||
		!spoken[0].Span.Overlaps(pcm.Span{From: at + rate/10, To: at + rate*4/10}) {
		t.Errorf("found %+v; the line is %v", found, aw)
	}
	if len(hums) != 2 || !strings.Contains(hums[0].Words, "100.0 Hz") {
		t.Errorf("hums %+v", hums)
	}
}

// Keeping the words keeps all of them, with margins, and takes the pauses out.
func TestTheWordsAreKept(t *testing.T) {
	t.Parallel()
	m := seamtest.NewMaker(t, corpus.Seed()+92)
	v, words := m.SpokenIn(room.Kinds[3], 10, 30, 1.5, 4.5, 7.5)
	s := seamtest.New(t)
	s.Sound["a"] = pcm.Block{v}
	s.Do(&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: int64(len(v)), Channels: 1}})
	s.Do(&edit.Add{Track: "t1", Source: "a", Length: int64(len(v))})
	filler := fill.Filler{Meter: s.Meter()}
	kept, err := filler.KeepWords(context.Background(), pcm.Span{To: s.Scene.Length()})
	if err != nil || len(kept) != 1 {
		t.Fatal(err, kept)
	}
	if len(kept[0].Stretches) != 3 || kept[0].Seconds < 3 {
		t.Errorf("%+v", kept)
	}
	for i, k := range kept[0].Stretches {
		if !words[i].In(k) {
			t.Errorf("%v are kept of the words %v", k, words[i])
		}
	}
	cut, err := edit.Apply(s.Scene, kept[0].Edit)
	if err != nil {
		t.Fatal(err)
	}
	before, after := s.Render(s.Scene), s.Render(cut)
	for _, w := range words {
		if !slices.Equal(before[0][w.From:w.To], after[0][w.From:w.To]) {
			t.Error("words have changed")
		}
	}
}
