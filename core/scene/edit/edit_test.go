package edit

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/timecode"
)

// dialogue is two touching clips of one track at 25 frames a second: 40 frames of handle behind the
// first, 10 ahead of the second.
func dialogue(t testing.TB) *scene.Scene {
	return must(t, scene.New("test", timecode.F25, 48000),
		&Bring{scene.Source{ID: "s1", Name: "Oda, take 1", Samples: 1920 * 140, Channels: 1}},
		&Bring{scene.Source{ID: "s2", Name: "Pell, take 2", Samples: 1920 * 200, Channels: 1}},
		&AddTrack{Name: "Voices", Purpose: "dialogue"},
		&Add{Track: "t1", Source: "s1", Length: 1920 * 100},
		&Add{Track: "t1", Source: "s2", In: 1920 * 10, Start: 1920 * 100, Length: 1920 * 80})
}

func must(t testing.TB, s *scene.Scene, list ...Edit) *scene.Scene {
	t.Helper()
	for _, e := range list {
		next, err := Apply(s, e)
		if err != nil {
			t.Fatalf("%#v: %s", e, Message(err))
		}
		s = next
	}
	return s
}

func TestBlendWithoutHandleSaysWhatIsMissingAndWhatWouldWork(t *testing.T) {
	s := dialogue(t)
	ask := &SetBlend{Left: "c2", Right: "c3", Before: 1920 * 15, After: 1920 * 15, Law: blend.ConstantPower}
	_, err := Apply(s, ask)
	var need *NeedHandle
	if !errors.As(err, &need) {
		t.Fatalf("got %v", err)
	}
	if need.Clip != "c3" || need.Side != "head" || need.Have != 1920*10 || need.Want != 1920*15 {
		t.Errorf("refusal says %+v", need)
	}
	if want := "Pell, take 2 has 10 frames of handle at its head, and 15 frames are needed."; need.Error() != want {
		t.Errorf("it reads %q, want %q", need.Error(), want)
	}
	var words []string
	for _, a := range need.Alternatives() {
		words = append(words, a.Words)
		after := must(t, s, a.Edit)
		if b := after.Tracks[0].Blend("c2", "c3"); b == nil {
			t.Errorf("%q gives no blend", a.Words)
		}
	}
	if got := strings.Join(
		words,
		" | ",
	); got != "a blend of 25 frames, 10 frames before and 15 frames after | the same length leaning onto Pell, take "+
		"2, 10 frames before the cut | pull the clips together, the scene 5 frames shorter" {
		t.Errorf("alternatives: %s", got)
	}
	pulled := must(t, s, need.Alternatives()[2].Edit)
	if pulled.Length() != s.Length()-1920*5 {
		t.Errorf("pulled together, the scene is %d samples shorter", s.Length()-pulled.Length())
	}
}

func TestTrimsSayWhatTheyDidAndWhatStopsThem(t *testing.T) {
	s := dialogue(t)
	for _, c := range []struct {
		name  string
		edit  Edit
		words string // after "" the refusal
		error string
	}{
		{"tail shorter, gap", &Trim{Clip: "c2", Edge: "tail", To: 1920 * 94}, "tail of Oda, take 1 6 frames shorter", ""},
		{"tail shorter, closed", &Trim{Clip: "c2", Edge: "tail", To: 1920 * 94, Close: true},
			"tail of Oda, take 1 6 frames shorter, closed up; scene 6 frames shorter", ""},
		{"head shorter, closed", &Trim{Clip: "c3", Edge: "head", To: 1920 * 101, Close: true},
			"head of Pell, take 2 1 frame shorter, closed up; scene 1 frame shorter", ""},
		{"tail longer, moving", &Trim{Clip: "c2", Edge: "tail", To: 1920 * 120, Close: true},
			"tail of Oda, take 1 20 frames longer, all that follows moved; scene 20 frames longer", ""},
		{"tail into neighbour", &Trim{Clip: "c2", Edge: "tail", To: 1920 * 120}, "",
			"Oda, take 1 has 0 frames of room at its tail, where Pell, take 2 lies on track Voices, and 20 frames are " +
				"needed. What would work: roll the cut; trim and move all that follows."},
		{"beyond the recording", &Trim{Clip: "c2", Edge: "tail", To: 1920 * 150, Close: true}, "",
			"Oda, take 1 has 40 frames of handle at its tail, and 50 frames are needed. What would work: trim to the end of " +
				"the recording, 40 frames longer."},
		{"nothing left", &Trim{Clip: "c3", Edge: "head", To: 1920 * 180}, "",
			"Pell, take 2 is 80 frames long and its head cannot move in by 80 frames: nothing would be left of it. What " +
				"would work: remove it."},
		{"roll", &Roll{Left: "c2", Right: "c3", To: 1920 * 95},
			"cut from Oda, take 1 to Pell, take 2 rolled 5 frames earlier", ""},
		{"roll too far", &Roll{Left: "c2", Right: "c3", To: 1920 * 80}, "",
			"Pell, take 2 has 10 frames of handle at its head, and 20 frames are needed. What would work: roll by 10 frames."},
		{"remove, closed", &Remove{Clips: []scene.ClipID{"c2"}, Close: true},
			"Oda, take 1 removed, closed up; scene 100 frames shorter", ""},
		{"move onto another", &Move{Clip: "c3", To: 1920 * 95}, "",
			"Oda, take 1 lies in the way of Pell, take 2 on track Voices, by 5 frames. What would work: right after Oda, " +
				"take 1."},
		{"divide beside", &Divide{Clips: []scene.ClipID{"c2"}, At: 1920 * 120}, "",
			"Oda, take 1 does not lie over 01:00:04:20; it runs from 01:00:00:00 to 01:00:04:00."},
		{"fade too long", &FadeEdge{Clip: "c2", Edge: "tail", Length: 1920 * 101}, "",
			"Oda, take 1 has room for a fade of 100 frames at its tail, not of 101 frames. What would work: fade over 100 " +
				"frames."},
		{"unlink the unlinked", &Unlink{Clips: []scene.ClipID{"c2"}}, "", "Oda, take 1 is not linked to another clip."},
		{"no such clip", &Gain{Clips: []scene.ClipID{"c99"}, DB: 1}, "",
			`There is no clip "c99" in this scene; it may have been removed.`},
		{"loud", &Gain{Clips: []scene.ClipID{"c2"}, DB: 60}, "", "A gain of 60 dB is outside -120 to 40."},
	} {
		after, err := Apply(s, c.edit)
		switch {
		case err == nil && c.error != "":
			t.Errorf("%s: was not refused", c.name)
		case err != nil && Message(err) != c.error:
			t.Errorf("%s: refused with %q, want %q", c.name, Message(err), c.error)
		case err == nil && Describe(s, after, c.edit) != c.words:
			t.Errorf("%s: reads %q, want %q", c.name, Describe(s, after, c.edit), c.words)
		}
	}
}

func TestRollKeepsABlendAndATrimAwayTakesItOff(t *testing.T) {
	s := must(
		t,
		dialogue(t),
		&SetBlend{Left: "c2", Right: "c3", Before: 1920 * 3, After: 1920 * 3, Law: blend.ConstantGain},
	)
	rolled := must(t, s, &Roll{Left: "c2", Right: "c3", To: 1920 * 103})
	if b := rolled.Tracks[0].Blend("c2", "c3"); b == nil || b.Law != blend.ConstantGain {
		t.Error("rolling lost the blend")
	}
	away := &Trim{Clip: "c2", Edge: "tail", To: 1920 * 90}
	apart := must(t, s, away)
	if len(apart.Tracks[0].Blends) != 0 {
		t.Error("a blend is left without a cut")
	}
	if words := Describe(s, apart, away); words != "tail of Oda, take 1 10 frames shorter; 1 blend taken off" {
		t.Errorf("it reads %q", words)
	}
}

func TestDividingKeepsTheBlendAtTheTail(t *testing.T) {
	s := must(t, dialogue(t), &SetBlend{Left: "c2", Right: "c3", Before: 9600, After: 9600, Law: blend.ConstantPower})
	e := &Divide{Clips: []scene.ClipID{"c2"}, At: 1920 * 50}
	after := must(t, s, e)
	if len(after.Tracks[0].Clips) != 3 || after.Tracks[0].Blend("c4", "c3") == nil {
		t.Errorf("after dividing: %+v", after.Tracks[0])
	}
	if words := Describe(s, after, e); strings.Contains(words, "taken off") {
		t.Errorf("it reads %q", words)
	}
}

func TestLinkedClipsMoveTrimAndDivideTogether(t *testing.T) {
	s := must(t, scene.New("test", timecode.F2997D, 48000),
		&Bring{scene.Source{ID: "s", Name: "take", Samples: 48000 * 60, Frames: 1700}},
		&AddTrack{Name: "Picture", Purpose: "picture"}, &AddTrack{Name: "Voices", Purpose: "dialogue"},
		&Add{Track: "t2", Picture: "t1", Source: "s", In: 16016, Start: 160160, Length: 160160})
	s = must(
		t,
		s,
		&Move{Clip: "c4", To: 320320},
		&Trim{Clip: "c5", Edge: "head", To: 336336},
		&Divide{Clips: []scene.ClipID{"c4"}, At: 400400},
	)
	for ti, want := range []int64{210, 336336} {
		if got := s.Tracks[ti].Clips[0].Start; got != want {
			t.Errorf("track %d: first clip starts at %d, want %d", ti, got, want)
		}
		if len(s.Tracks[ti].Clips) != 2 {
			t.Fatalf("track %d has %d clips", ti, len(s.Tracks[ti].Clips))
		}
	}
	if l := s.Linked(s.Tracks[0].Clips[1].ID); len(l) != 2 || l[1] != s.Tracks[1].Clips[1].ID {
		t.Errorf("the right halves are linked as %v", l)
	}
}

func TestLockedTracksRefuseAndOfferToUnlock(t *testing.T) {
	yes := true
	s := must(t, dialogue(t), &SetTrack{Track: "t1", Locked: &yes})
	_, err := Apply(s, &Gain{Clips: []scene.ClipID{"c2"}, DB: -3})
	if want := "Track Voices is locked. What would work: unlock track Voices."; err == nil || Message(err) != want {
		t.Errorf("got %v", err)
	}
}

func TestEditsOfTheWireAreCheckedByName(t *testing.T) {
	e, err := Parse([]byte(`{"edit":"trim","clip":"c7","edge":"tail","to":96000,"close":true}`))
	if tr, ok := e.(*Trim); err != nil || !ok || tr.To != 96000 || !tr.Close {
		// "edge" is a field of the trim, "edit" the name
		t.Fatalf("got %#v, %v", e, err)
	}
	for _, bad := range []string{`{"edit":"glue"}`, `{"edit":"trim","clips":"c7"}`, `[]`, `{}`,
		`{"edit":"several","edits":[{"edit":"x"}]}`} {
		if e, err := Parse([]byte(bad)); err == nil {
			t.Errorf("%s was read as %#v", bad, e)
		}
	}
	raw, err := json.Marshal(Alternative{"w", NewBatch("", &Gain{Clips: []scene.ClipID{"a"}, DB: 2})})
	if err != nil || !strings.Contains(string(raw), `{"edit":"several","edits":[{"edit":"gain","clips":["a"],"db":2}]}`) {
		t.Errorf("alternative as JSON: %s, %v", raw, err)
	}
}

func TestUnlinkingAllOfALinkIsOneEdit(t *testing.T) {
	s := scene.New("s", timecode.F25, 48000)
	for _, e := range []Edit{
		&Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 96000, Frames: 50, Channels: 1}},
		&AddTrack{Name: "P", Purpose: "picture"}, &AddTrack{Name: "D", Purpose: "dialogue"},
		&Add{Track: "t2", Picture: "t1", Source: "a", Length: 96000},
	} {
		next, err := Apply(s, e)
		if err != nil {
			t.Fatal(err)
		}
		s = next
	}
	var ids []scene.ClipID
	for _, tr := range s.Tracks {
		ids = append(ids, tr.Clips[0].ID)
	}
	free, err := Apply(s, &Unlink{Clips: ids})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range ids {
		if _, c := free.Clip(id); c.Link != "" {
			t.Errorf("%s is still linked", c.Name)
		}
	}
	if _, err := Apply(free, &Unlink{Clips: ids}); err == nil {
		t.Error("what is not linked was unlinked")
	}
}

// With 82 samples of handle a blend of 0 frames was offered: instead one side is trimmed back, or the clips are pulled.
func TestHardlyAnyHandleOffersWhatWouldBeHeard(t *testing.T) {
	s := scene.New("s", timecode.F25, 48000)
	s = must(t, s, &Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 96_000, Channels: 1}})
	s = must(t, s, &Bring{Source: scene.Source{ID: "b", Name: "b", Samples: 96_000, Channels: 1}})
	s = must(t, s, &AddTrack{Name: "D", Purpose: scene.ForDialogue})
	s = must(t, s, &Add{Track: "t1", Source: "a", Length: 96_000 - 82})
	s = must(t, s, &Add{Track: "t1", Source: "b", Start: 96_000 - 82, Length: 96_000})
	c := s.Tracks[0].Clips
	_, err := Apply(s, &SetBlend{Left: c[0].ID, Right: c[1].ID, Before: 3840, After: 3840, Law: blend.ConstantPower})
	r, ok := err.(Refusal)
	if !ok || len(r.Alternatives()) == 0 {
		t.Fatalf("%v", err)
	}
	for _, a := range r.Alternatives() {
		if strings.Contains(a.Words, "0 frames (") || strings.Contains(a.Words, " 0.") {
			t.Errorf("%q is offered", a.Words)
		}
		if next, err := Apply(s, a.Edit); err != nil || len(next.Tracks[0].Blends) != 1 {
			t.Errorf("%q: %v", a.Words, err)
		}
	}
}
