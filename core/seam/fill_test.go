package seam_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/room"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/core/tone"
)

// spokenIn is a room with voices in it at some moments, in seconds.
func (m *maker) spokenIn(k room.Kind, seconds float64, above float64, at ...float64) ([]float64, []pcm.Span) {
	v := k.Sound(int64(seconds*rate), rate, 1, m.r.Uint64())[0]
	var words []pcm.Span
	for i, s := range at {
		voice := scaled(m.voices[i%len(m.voices)], k.Level+above+26)
		from := int64(s * rate)
		for j, x := range voice {
			if int(from)+j < len(v) {
				v[int(from)+j] += x
			}
		}
		words = append(words, pcm.Span{From: from, To: min(int64(len(v)), from+int64(len(voice)))})
	}
	return v, words
}

// A gap between two takes, 6 dB apart and coloured otherwise, is filled with tone that passes from the one's room to the other's: no dead
// silence, no 400 ms more than 1.5 dB off the line between both, the words as they were.
func TestAGapIsFilledFromRoomToRoom(t *testing.T) {
	t.Parallel()
	m := newMaker(t, seedOf()+90)
	left, right := room.Kinds[0], room.Kinds[1]
	right.Level = left.Level + 6
	a, aw := m.spokenIn(left, 5, 25, 1.5)
	b, bw := m.spokenIn(right, 5, 25, 1.5)
	s := newStudio(t)
	s.sound["a"], s.sound["b"] = pcm.Block{a}, pcm.Block{b}
	for _, id := range []string{"a", "b"} {
		s.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.sound[id].Len(), Channels: 1}})
	}
	out, gap := aw[0].To+rate*7/10, int64(rate*3/2)
	s.do(&scene.Add{Track: "t1", Source: "a", Length: out})
	in := bw[0].From - rate*7/10
	s.do(&scene.Add{Track: "t1", Source: "b", In: in, Start: out + gap, Length: int64(len(b)) - in})
	clips := s.scene.Track("t1").Clips
	meter, err := seam.NewMeter(s.scene, s.open)
	if err != nil {
		t.Fatal(err)
	}
	fill, err := meter.Patch(scene.Hole{Clip: clips[0].ID, Next: clips[1].ID})
	if err != nil || fill == nil {
		t.Fatal(err, fill)
	}
	filled, err := scene.Apply(s.scene, fill.Edit)
	if err != nil {
		t.Fatal(err)
	}
	before, after := bumped{studio: s}.render(s.scene), bumped{studio: s}.render(filled)
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
	all, err := seam.All(filled, s.open, 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range all {
		if x.Kind == seam.Fade && x.Verdict != seam.Clean && x.Left+x.Right != "" && (x.Left == clips[0].ID || x.Right == clips[1].ID) {
			t.Errorf("the seam at %.2f s is %s: %s", float64(x.At)/rate, x.Verdict, x.Why)
		}
	}
}

// On two microphones, who speaks over another one's line is found; a voice that reaches both microphones is not. The hum of a room is named.
func TestSpeechOverALineIsFoundAndHumIsNamed(t *testing.T) {
	t.Parallel()
	m := newMaker(t, seedOf()+91)
	k := room.Kinds[0] // a kitchen, with a fridge
	a, aw := m.spokenIn(k, 9, 28, 1.5, 2.9, 4.4)
	b := k.Sound(9*rate, rate, 1, m.r.Uint64())[0]
	for i := range b { // what reaches the other microphone, 2 ms later
		if i > 96 {
			b[i] += 0.15 * (a[i-96])
		}
	}
	over, at := scaled(m.voices[3], k.Level+26+26), int64(3.1*rate)
	for j, x := range over[:rate/2] {
		b[at+int64(j)] += x
	}
	s := newStudio(t)
	s.do(&scene.AddTrack{Name: "Second", Purpose: "dialogue"})
	s.sound["a"], s.sound["b"] = pcm.Block{a}, pcm.Block{b}
	for i, id := range []string{"a", "b"} {
		s.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.sound[id].Len(), Channels: 1}})
		s.do(&scene.Add{Track: s.scene.Tracks[i].ID, Source: id, Length: s.sound[id].Len()})
	}
	meter, err := seam.NewMeter(s.scene, s.open)
	if err != nil {
		t.Fatal(err)
	}
	found, hums, err := seam.Findings(s.scene, meter, 1)
	if err != nil {
		t.Fatal(err)
	}
	var spoken []seam.Finding
	for _, f := range found {
		if f.Kind == seam.SpokenOver {
			spoken = append(spoken, f)
		}
	}
	if len(spoken) != 1 || spoken[0].TrackName != "Second" || !spoken[0].Span.Overlaps(pcm.Span{From: at + rate/10, To: at + rate*4/10}) {
		t.Errorf("found %+v; the line is %v", found, aw)
	}
	if len(hums) != 2 || !strings.Contains(hums[0].Words, "100.0 Hz") {
		t.Errorf("hums %+v", hums)
	}
}

// Keeping the words keeps all of them, with margins, and takes the pauses out.
func TestTheWordsAreKept(t *testing.T) {
	t.Parallel()
	m := newMaker(t, seedOf()+92)
	v, words := m.spokenIn(room.Kinds[3], 10, 30, 1.5, 4.5, 7.5)
	s := newStudio(t)
	s.sound["a"] = pcm.Block{v}
	s.do(&scene.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: int64(len(v)), Channels: 1}})
	s.do(&scene.Add{Track: "t1", Source: "a", Length: int64(len(v))})
	meter, err := seam.NewMeter(s.scene, s.open)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := meter.KeepWords(pcm.Span{To: s.scene.Length()})
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
	cut, err := scene.Apply(s.scene, kept[0].Edit)
	if err != nil {
		t.Fatal(err)
	}
	before, after := bumped{studio: s}.render(s.scene), bumped{studio: s}.render(cut)
	for _, w := range words {
		if !slices.Equal(before[0][w.From:w.To], after[0][w.From:w.To]) {
			t.Error("words have changed")
		}
	}
}
