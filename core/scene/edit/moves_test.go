package edit_test

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

const fr = 1920 // samples of a frame at 25

// takes is a scene at 25 frames a second: picture t1 and voices t2 with three linked clips, 100 frames each, that
// touch; Oda (c4, c5) with 40 frames of handle at its tail, Pell (c7, c8) with 10 at its head and 20 at its tail,
// wide (c10, c11). A tune lies over all on t3.
func takes(t testing.TB) *scene.Scene {
	src := func(id, name string, frames int64) *edit.Bring {
		return &edit.Bring{Source: scene.Source{ID: id, Name: name, Samples: frames * fr, Frames: frames, Channels: 1}}
	}
	return scenetest.Must(
		t,
		scene.New("takes", timecode.F25, 48000),
		src(
			"o",
			"Oda",
			140,
		),
		src("p", "Pell", 130),
		src("w", "wide", 200),
		&edit.Bring{Source: scene.Source{ID: "m", Name: "tune", Samples: 400 * fr, Channels: 2}},
		&edit.AddTrack{Name: "Picture", Purpose: "picture"},
		&edit.AddTrack{Name: "Voices", Purpose: "dialogue"},
		&edit.Add{Track: "t2", Picture: "t1", Source: "o", Length: 100 * fr},
		&edit.Add{Track: "t2", Picture: "t1", Source: "p", In: 10 * fr, Start: 100 * fr, Length: 100 * fr},
		&edit.Add{Track: "t2", Picture: "t1", Source: "w", In: 50 * fr, Start: 200 * fr, Length: 100 * fr},
		&edit.AddTrack{Name: "Music", Purpose: "music"},
		&edit.Add{Track: "t12", Source: "m", Length: 320 * fr},
	)
}

// ids gives the clips of takes: sound and picture of Oda, Pell and wide.
func ids(s *scene.Scene) (sound, picture [3]scene.ClipID) {
	for i := range 3 {
		sound[i], picture[i] = s.Tracks[1].Clips[i].ID, s.Tracks[0].Clips[i].ID
	}
	return sound, picture
}

func at(s *scene.Scene, id scene.ClipID) [3]int64 { // start, end and in, in frames
	t, c := s.Clip(id)
	return [3]int64{s.Time(t, c.Start) / fr, s.Time(t, c.End()) / fr, s.Time(t, c.In) / fr}
}

func TestALeadIsMadeStraightenedAndSurvivesTrimsAndRolls(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	cut := scene.Edge{Left: snd[0], Right: snd[1]}
	lead := func(s *scene.Scene) int64 {
		n, ok := s.LeadAt(cut)
		if !ok {
			t.Fatal("the cut has no picture")
		}
		return n / fr
	}
	e := &edit.Lead{Left: snd[0], Right: snd[1], Frames: 8}
	j := scenetest.Must(t, s, e)
	if got := lead(j); got != 8 {
		t.Fatalf("sound leads by %d frames, want 8", got)
	}
	if w := edit.Describe(s, j, e); w != "sound leads by 8 frames from Oda to Pell" {
		t.Errorf("it reads %q", w)
	}
	if at(j, pic[1]) != at(s, pic[1]) || at(j, snd[1]) != [3]int64{92, 200, 2} {
		t.Errorf("picture at %v, sound at %v", at(j, pic[1]), at(j, snd[1]))
	}
	if j.Length() != s.Length() {
		t.Error("a lead changed the scene's length")
	}
	// Trims of either side, of picture or of sound, closed up: the lead stays.
	for _, trim := range []*edit.Trim{
		{Clip: pic[0], Edge: "tail", To: 94 * fr, Close: true}, {Clip: snd[0], Edge: "tail", To: 86 * fr, Close: true},
		{Clip: pic[1], Edge: "head", To: 105 * fr, Close: true}, {Clip: snd[1], Edge: "head", To: 97 * fr, Close: true},
		{Clip: pic[0], Edge: "tail", To: 104 * fr, Close: true}} {
		after := scenetest.Must(t, j, trim)
		if got := lead(after); got != 8 {
			t.Errorf("after %+v sound leads by %d frames", trim, got)
		}
		if by := after.Tracks[0].Clips[2].End() - j.Tracks[0].Clips[2].End(); by == 0 ||
			after.Tracks[1].Clips[2].End()/fr-j.Tracks[1].Clips[2].End()/fr != by {
			t.Errorf("after %+v the last picture moved by %d frames, its sound by another length", trim, by)
		}
	}
	for _, roll := range []*edit.Roll{{Left: snd[0], Right: snd[1], To: 94 * fr},
		{Left: pic[0], Right: pic[1], To: 102 * fr}} {
		if got := lead(scenetest.Must(t, j, roll)); got != 8 {
			t.Errorf("after %+v sound leads by %d frames", roll, got)
		}
	}
	// It trails, and is straight again, to the bit.
	l := scenetest.Must(t, j, &edit.Lead{Left: snd[0], Right: snd[1], Frames: -5})
	if got := lead(l); got != -5 {
		t.Errorf("sound leads by %d frames, want -5", got)
	}
	straight := scenetest.Must(t, l, &edit.Lead{Left: snd[0], Right: snd[1]})
	if string(bits(t, straight)) != string(bits(t, s)) {
		t.Error("made straight again, the scene is not as it was")
	}
	// Closing up after a removal takes the leading sound along.
	gone := scenetest.Must(
		t,
		scenetest.Must(t, s, &edit.Lead{Left: snd[1], Right: snd[2], Frames: 6}),
		&edit.Remove{Clips: []scene.ClipID{pic[0]}, Close: true},
	)
	if at(gone, pic[2])[0] != 100 || at(gone, snd[2])[0] != 94 {
		t.Errorf("after the removal picture starts at %d, sound at %d", at(gone, pic[2])[0], at(gone, snd[2])[0])
	}
}

func TestAllCutsOfARangeLeadAtOnceAndThoseThatCannotAreNamed(t *testing.T) {
	s := takes(t)
	e := &edit.LeadAll{To: s.Length(), Frames: 12}
	after := scenetest.Must(t, s, e)
	want := "1 cut: sound leads by 12 frames; 1 left as it was: Pell has 10 frames of handle at its head, and 12 " +
		"frames are needed"
	if w := edit.Describe(s, after, e); w != want {
		t.Errorf("it reads %q, want %q", w, want)
	}
	both := &edit.LeadAll{To: s.Length(), Frames: 6}
	if w := edit.Describe(s, scenetest.Must(t, s, both), both); w != "2 cuts: sound leads by 6 frames" {
		t.Errorf("it reads %q", w)
	}
}

func TestSoundAtAGapLeadsByATrimOfItsOwn(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	s = scenetest.Must(t, s, &edit.RemoveRange{From: 80 * fr, To: 100 * fr, Tracks: []scene.TrackID{"t2"}})
	after := scenetest.Must(t, s, &edit.Lead{Right: snd[1], Frames: 7})
	if at(after, snd[1])[0] != 93 || at(after, pic[1])[0] != 100 {
		t.Errorf("sound starts at %d, picture at %d", at(after, snd[1])[0], at(after, pic[1])[0])
	}
	trimmed := scenetest.Must(t, after, &edit.Trim{Clip: pic[1], Edge: "head", To: 103 * fr})
	if at(trimmed, snd[1])[0] != 96 {
		t.Errorf("after a trim of the picture sound starts at %d, want 96", at(trimmed, snd[1])[0])
	}
}

func TestSlipSlideSwapAndDuplicate(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	for _, c := range []struct {
		name  string
		edit  edit.Edit
		words string
		want  map[scene.ClipID][3]int64
	}{
		{"slip", &edit.Slip{Clip: snd[1], By: -10 * fr}, "Pell slipped, shows its recording from 10 frames earlier",
			map[scene.ClipID][3]int64{snd[1]: {100, 200, 0}, pic[1]: {100, 200, 0}}},
		{"slide", &edit.Slide{Clip: pic[1], By: 20 * fr}, "Pell slid 20 frames later between its neighbours",
			map[scene.ClipID][3]int64{
				snd[0]: {0, 120, 0}, pic[1]: {120, 220, 10}, snd[1]: {120, 220, 10}, pic[2]: {220, 300, 70},
			}},
		{"the two swapped", &edit.Swap{Left: snd[0], Right: snd[1]}, "Oda and Pell swapped",
			map[scene.ClipID][3]int64{snd[1]: {0, 100, 10}, pic[1]: {0, 100, 10}, snd[0]: {100, 200, 0}, pic[0]: {100, 200, 0}}},
		{"nudge", &edit.Nudge{Edges: []scene.Edge{{Left: snd[0], Right: snd[1]}, {Left: snd[1], Right: snd[2]}},
			Frames: 5}, "2 edges moved 5 frames later",
			map[scene.ClipID][3]int64{pic[0]: {0, 105, 0}, snd[1]: {105, 205, 15}, pic[2]: {205, 300, 55}}},
		{"nudge closed", &edit.Nudge{Edges: []scene.Edge{{Left: snd[0]}, {Left: snd[1]}}, Frames: -5, Close: true},
			"2 edges moved 5 frames earlier; scene 0 frames longer",
			map[scene.ClipID][3]int64{pic[0]: {0, 95, 0}, snd[1]: {95, 190, 10}, pic[2]: {190, 290, 50}}},
	} {
		after := scenetest.Must(t, s, c.edit)
		if w := edit.Describe(s, after, c.edit); w != strings.TrimSuffix(c.words, "; scene 0 frames longer") {
			t.Errorf("%s reads %q", c.name, w)
		}
		for id, want := range c.want {
			if got := at(after, id); got != want {
				t.Errorf("%s: %s lies at %v, want %v", c.name, id, got, want)
			}
		}
	}
	one := scenetest.Must(t, s, &edit.Nudge{Edges: []scene.Edge{{Left: snd[0], Right: snd[1]}}, Samples: 1})
	if _, c := one.Clip(snd[1]); c.Start != 100*fr+1 || at(one, pic[1])[0] != 100 {
		t.Error("a nudge by a sample did not move the sound's cut alone")
	}
	twice := scenetest.Must(t, s, &edit.Duplicate{Clips: []scene.ClipID{snd[1]}})
	if n := twice.Tracks[1].Clips; len(n) != 4 || n[2].In != 10*fr || n[2].Start != 200*fr || n[3].Start != 300*fr ||
		twice.Tracks[0].Clips[3].Start != 300 {
		t.Errorf("after duplicating: %+v", n)
	}
}

// What a room is made from goes along into a scene that has none of it.
func TestCopyTakesWhatARoomIsMadeFrom(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	room := scenetest.Room(3)
	_, c := s.Clip(snd[0])
	made := scenetest.MadeFrom(s, &room, recipe.Material{Source: c.Source, From: 50, To: 30000})
	s = scenetest.Must(t, s, &edit.SetRoom{
		Tones: []recipe.Tone{made}, Rooms: []recipe.Room{room}, Clips: map[scene.ClipID]int{snd[1]: 0},
	})
	_, c = s.Clip(snd[1])
	p, _, err := edit.Copy(s, c.Span(), []scene.TrackID{"t2"})
	if err != nil {
		t.Fatal(err)
	}
	empty := scenetest.Must(t, scene.New("another", s.Rate, s.SampleRate), &edit.AddTrack{Name: "D", Purpose: "dialogue"})
	after := scenetest.Must(t, empty, &edit.Paste{Clipboard: p, How: scene.Over})
	tone := after.Sources[after.Tracks[0].Clips[0].Room.Tone].Tone
	if tone == nil || after.Sources[tone.Left[0].Source].Samples == 0 {
		t.Errorf("the other scene has %+v", after.Sources)
	}
	delete(p.Sources, room.Tone)
	if _, err := edit.Apply(empty, &edit.Paste{Clipboard: p, How: scene.Over}); err == nil {
		t.Error("a room whose tone is not there was pasted")
	}
}

func TestCopyTakesBlendsFadesAndLinksAndSaysWhatItDrops(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(
		t,
		s,
		&edit.SetBlend{Left: snd[0], Right: snd[1], Before: 4 * fr, After: 4 * fr, Law: blend.ConstantGain},
		&edit.SetBlend{Left: snd[1], Right: snd[2], Before: 4 * fr, After: 4 * fr, Law: blend.ConstantPower},
		&edit.Gain{Clips: []scene.ClipID{snd[1]}, DB: -3},
		&edit.FadeEdge{Clip: snd[2], Edge: "tail", Length: 9 * fr},
	)
	p, dropped, err := edit.Copy(s, pcm.Span{From: 98 * fr, To: 300 * fr}, []scene.TrackID{"t1", "t2"})
	if err != nil || dropped != 1 {
		t.Fatalf("copied with %d blends dropped, %v; want 1, its edge runs through the first", dropped, err)
	}
	e := &edit.Paste{Clipboard: p, At: 300 * fr, How: scene.Over}
	after := scenetest.Must(t, s, e)
	v := after.Tracks[1]
	if w := edit.Describe(
		s,
		after,
		e,
	); w != "6 clips pasted at 01:00:12:00 over what was there; scene 182 frames longer" {
		t.Errorf("it reads %q", w)
	}
	if len(v.Clips) != 6 || v.Clips[3].Start != 300*fr || v.Clips[3].Length != 2*fr || v.Clips[4].GainDB != -3 ||
		v.Clips[5].FadeOut.Length != 9*fr ||
		len(v.Blends) != 3 {
		t.Errorf("pasted: %+v, blends %+v", v.Clips, v.Blends)
	}
	if l := after.Linked(v.Clips[4].ID); len(l) != 2 || l[0] != after.Tracks[0].Clips[4].ID {
		t.Errorf("the pasted clip is linked as %v", l)
	}
	pushed := scenetest.Must(t, s, &edit.Paste{Clipboard: p, At: 150 * fr, How: scene.Insert})
	if got := pushed.Tracks[0].Clips; len(got) != 7 || got[5].Start != 150+202 || got[6].Start != 200+202 {
		t.Errorf("after inserting, picture is %+v", got)
	}
	if tune := pushed.Tracks[2].Clips[0]; tune.Length != 320*fr {
		t.Error("inserting cut the tune, which has no part in it")
	}
}

func TestRangesGoFromChosenTracksAndStayLinked(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	gap := &edit.RemoveRange{From: 40 * fr, To: 52 * fr, Tracks: []scene.TrackID{"t2"}}
	after := scenetest.Must(t, s, gap)
	want := "12 frames from 01:00:01:15 removed on track Voices, a gap left; Picture and Music stay"
	if w := edit.Describe(s, after, gap); w != want {
		t.Errorf("it reads %q", w)
	}
	if v := after.Tracks[1].Clips; len(v) != 4 || v[0].End() != 40*fr || v[1].Start != 52*fr || v[1].In != 52*fr ||
		at(after, pic[0]) != [3]int64{0, 100, 0} {
		t.Errorf("after it: %+v", v)
	}
	if l := after.Linked(pic[0]); len(l) != 3 {
		t.Errorf("the picture is linked with %v; both pieces of its sound should stay with it", l)
	}
	// The outermost piece's edge goes along with the picture's, the inner edges stay.
	trimmed := scenetest.Must(t, after, &edit.Trim{Clip: pic[0], Edge: "tail", To: 97 * fr})
	if v := trimmed.Tracks[1].Clips; v[0].End() != 40*fr || v[1].End() != 97*fr {
		t.Errorf("after a trim of the picture: %+v", v)
	}
	close := &edit.RemoveRange{From: 40 * fr, To: 52 * fr, Close: true}
	closed := scenetest.Must(t, s, close)
	if w := edit.Describe(
		s,
		closed,
		close,
	); w != "12 frames from 01:00:01:15 removed on Picture, Voices and Music, closed up; scene 12 frames shorter" {
		t.Errorf("it reads %q", w)
	}
	if at(closed, snd[1])[0] != 88 || at(closed, pic[1])[0] != 88 || closed.Tracks[2].Clips[1].Start != 40*fr {
		t.Error("closing up a range did not move every track")
	}
}

func TestWhatSlippedOutOfSyncIsKnownAndBroughtBack(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	if off := s.Offsets(); len(off) != 0 {
		t.Fatalf("in sync, but %v", off)
	}
	s = scenetest.Must(t, s, &edit.Unlink{Clips: []scene.ClipID{snd[2]}}, &edit.Move{Clip: snd[2], To: 203 * fr})
	if off := s.Offsets(); len(off) != 1 || off[snd[2]] != 3*fr {
		t.Fatalf("offsets %v, want 3 frames for %s", off, snd[2])
	}
	linked := scenetest.Must(t, s, &edit.Link{Clips: []scene.ClipID{snd[2], s.Tracks[0].Clips[2].ID}})
	for _, c := range []struct {
		from  *scene.Scene
		by    string
		words string
		want  [3]int64
	}{{s, "move", "wide moved back into sync, 3 frames earlier", [3]int64{200, 300, 50}},
		{linked, "move", "wide moved back into sync, 3 frames earlier", [3]int64{200, 300, 50}},
		{linked, "slip", "wide slipped back into sync, by 3 frames", [3]int64{203, 303, 53}}} {
		e := &edit.Resync{Clip: snd[2], By: c.by}
		after := scenetest.Must(t, c.from, e)
		if w, _, _ := strings.Cut(edit.Describe(c.from, after, e), ";"); w != c.words {
			t.Errorf("it reads %q", w)
		}
		if at(after, snd[2]) != c.want || len(after.Offsets()) != 0 {
			t.Errorf("by %s it lies at %v, offsets %v", c.by, at(after, snd[2]), after.Offsets())
		}
	}
}

func TestARangeIsFilledFromStartEndOrAMoment(t *testing.T) {
	s := scenetest.Must(t, takes(t), &edit.Bring{Source: scene.Source{ID: "n", Name: "narrator", Samples: 90 * fr}})
	for _, c := range []struct {
		fit        string
		moment, at int64
		in         int64
	}{{"start", 20, 0, 20}, {"end", 85, 0, 55}, {"moment", 50, 230, 30}} {
		after := scenetest.Must(
			t,
			s,
			&edit.Fill{
				Track:  "t2",
				Source: "n",
				From:   210 * fr,
				To:     240 * fr,
				Fit:    c.fit,
				Moment: c.moment * fr,
				At:     c.at * fr,
			},
		)
		v := after.Tracks[1].Clips[3]
		if v.Start != 210*fr || v.End() != 240*fr || v.In != c.in*fr {
			t.Errorf("from its %s: %+v", c.fit, v)
		}
	}
}

func TestClosingUpSaysWhatLiesOverItAndWhatIsLeftBehind(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	e := &edit.Trim{Clip: snd[0], Edge: "tail", To: 94 * fr, Close: true}
	if w := edit.Describe(
		s,
		scenetest.Must(t, s, e),
		e,
	); w != "tail of Oda 6 frames shorter, closed up; tune on Music lies over it and stays" {
		t.Errorf("it reads %q", w)
	}
	yes := true
	locked := scenetest.Must(
		t,
		s,
		&edit.AddTrack{Name: "Effects", Purpose: "effects"},
		&edit.Bring{Source: scene.Source{ID: "x", Name: "door", Samples: 20 * fr}},
	)
	fx := locked.Tracks[3].ID
	locked = scenetest.Must(
		t,
		locked,
		&edit.Add{Track: fx, Source: "x", Start: 210 * fr, Length: 10 * fr},
		&edit.SetTrack{Track: fx, Locked: &yes},
	)
	_, err := edit.Apply(locked, e)
	want := "Track Effects is locked, and its 1 clip after 01:00:04:00 could not move with all that follows. What " +
		"would work: unlock track Effects; let track Effects stay where it is from now on; trim and leave a gap."
	if err == nil || edit.Message(err) != want {
		t.Errorf("got %v", err)
	}
}

func TestDifferencesOfTwoStatesAreToldInWords(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	if d := scene.Differences(s, s); len(d) != 0 {
		t.Errorf("a scene differs from itself: %v", d)
	}
	after := scenetest.Must(
		t,
		s,
		&edit.Trim{Clip: snd[0], Edge: "tail", To: 94 * fr, Close: true},
		&edit.Slip{Clip: snd[1], By: -2 * fr},
		&edit.Gain{Clips: []scene.ClipID{snd[2]}, DB: -3},
		&edit.SetBlend{
			Left:   snd[1],
			Right:  snd[2],
			Before: fr,
			After:  fr,
			Law:    blend.ConstantGain,
		},
		&edit.AddMarker{At: fr, Name: "rain"},
	)
	after = scenetest.Must(t, after, &edit.Remove{Clips: []scene.ClipID{after.Tracks[2].Clips[0].ID}})
	got := scene.Differences(s, after)
	for _, want := range []string{"Oda on Picture: tail 6 frames shorter", "Oda on Voices: tail 6 frames shorter",
		"Pell on Voices: slipped, shows its recording from 2 frames earlier, moved 6 frames earlier",
		"wide on Picture moved 6 frames earlier", "wide on Voices: -3.0 dB, was +0.0",
		"blend from Pell to wide on Voices is new, 2 frames long", "tune at 01:00:00:00 on Music is gone",
		"marker rain at 01:00:00:01 is new", "scene 26 frames shorter"} {
		if !slices.Contains(got, want) {
			t.Errorf("nothing says %q:\n%s", want, strings.Join(got, "\n"))
		}
	}
	_ = pic
}

func TestNewLinksKeepClearOfThoseThatAFileBrought(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	for _, track := range s.Tracks[:2] { // as a scene file may have named them: with the numbers that come next
		for i := range track.Clips {
			track.Clips[i].Link = scene.LinkID(fmt.Sprintf("l%d", s.LastID+3+int64(i)))
		}
	}
	after := scenetest.Must(t, s, &edit.Divide{Clips: []scene.ClipID{snd[0]}, At: 50 * fr})
	for _, id := range []scene.ClipID{snd[1], after.Tracks[1].Clips[1].ID, pic[0]} {
		one := after.Linked(id)
		if len(one) != 2 {
			t.Errorf("%v are linked; two clips should be", one)
		}
	}
}

func TestGapsCloseUpOnEveryTrackThatFollows(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	s = scenetest.Must(
		t,
		s,
		&edit.Lead{Left: snd[1], Right: snd[2], Frames: 6},
		&edit.RemoveRange{From: 180 * fr, To: 194 * fr, Tracks: []scene.TrackID{"t1", "t2"}},
	)
	if at(s, pic[2])[0] != 200 || at(s, snd[2])[0] != 194 {
		t.Fatalf("picture at %v, sound at %v", at(s, pic[2]), at(s, snd[2]))
	}
	e := &edit.CloseGap{Track: "t2", At: 185 * fr}
	after := scenetest.Must(t, s, e)
	if w := edit.Describe(
		s,
		after,
		e,
	); w != "gap of 14 frames on Voices closed up; tune on Music lies over it and stays" {
		t.Errorf("it reads %q", w)
	}
	if at(after, snd[2])[0] != 180 || at(after, pic[2])[0] != 186 || at(after, snd[1])[0] != 100 {
		t.Errorf("after it sound lies at %v, picture at %v", at(after, snd[2]), at(after, pic[2]))
	}
	if lead, _ := after.LeadAt(scene.Edge{Left: after.Tracks[1].Clips[1].ID, Right: snd[2]}); lead != 6*fr {
		t.Errorf("sound leads by %d frames, want 6", lead/fr)
	}
}

func TestALeadGrowsFrameByFrame(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	for n := 1; n <= 3; n++ {
		e := &edit.Lead{Left: snd[0], Right: snd[1], Frames: 1, More: true}
		next := scenetest.Must(t, s, e)
		if w := edit.Describe(
			s,
			next,
			e,
		); w != fmt.Sprintf(
			"sound leads by %d %s from Oda to Pell",
			n,
			[]string{"frame", "frames", "frames"}[n-1],
		) {
			t.Errorf("it reads %q", w)
		}
		s = next
	}
	back := &edit.Lead{Left: snd[0], Right: snd[1], Frames: -5, More: true}
	if w := edit.Describe(s, scenetest.Must(t, s, back), back); w != "sound trails by 2 frames from Oda to Pell" {
		t.Errorf("it reads %q", w)
	}
}

func TestStretchesAreTakenOutEndToEnd(t *testing.T) {
	s := takes(t)
	s = scenetest.Must(
		t,
		s,
		&edit.SetStretch{Source: "o", Name: "first", From: 10*fr + 300, To: 30*fr - 200},
		&edit.SetStretch{Source: "o", Name: "second", From: 50 * fr, To: 55 * fr},
	)
	e, err := edit.Taking{Source: "o", Track: "t2", At: -1}.TakeOut(s)
	if err != nil {
		t.Fatal(err)
	}
	after := scenetest.Must(t, s, e)
	if w := edit.Describe(s, after, e); w != "2 stretches of Oda taken out to track Voices; scene 5 frames longer" {
		t.Errorf("it reads %q", w)
	}
	v, p := after.Tracks[1].Clips[3:], after.Tracks[0].Clips[3:]
	if len(v) != 2 || len(p) != 2 || v[0].Name != "first" || v[0].Start != 300*fr || v[0].In != 10*fr ||
		v[0].Length != 20*fr ||
		v[1].Start != 320*fr ||
		p[1].Start != 320 ||
		p[1].Length != 5 ||
		v[1].Link != p[1].Link {
		t.Errorf("taken out: %+v and %+v", v, p)
	}
	one, err := edit.Taking{
		Source: "o", Names: []string{"second"}, Track: "t2", At: 100 * fr, How: scene.Insert,
	}.TakeOut(s)
	if err != nil {
		t.Fatal(err)
	}
	pushed := scenetest.Must(t, s, one)
	if w := edit.Describe(s, pushed, one); w != "second of Oda taken out to track Voices" {
		t.Errorf("it reads %q", w)
	}
	if c := pushed.Tracks[1].Clips; c[1].Name != "second" || c[1].Start != 100*fr || c[2].Start != 105*fr ||
		pushed.Tracks[0].Clips[2].Start != 105 {
		t.Errorf("inserted: %+v", c)
	}
}

func TestClipsAreEqualOnlyInEverything(t *testing.T) {
	base := scene.Clip{Foreign: scene.Foreign{"x": []byte("1")}}
	if !base.Equal(scene.Clip{Foreign: scene.Foreign{"x": []byte("1")}}) {
		t.Error("a clip differs from itself")
	}
	for i := range reflect.TypeFor[scene.Clip]().NumField() { // every field there is, also those to come
		other := base
		switch f := reflect.ValueOf(&other).Elem().Field(i); f.Kind() {
		case reflect.String:
			f.SetString("z")
		case reflect.Int64:
			f.SetInt(9)
		case reflect.Float64:
			f.SetFloat(9)
		case reflect.Bool:
			f.SetBool(true)
		case reflect.Struct:
			f.Set(reflect.ValueOf(scene.Fade{Length: 9}))
		case reflect.Slice:
			f.Set(reflect.MakeSlice(f.Type(), 1, 1))
		case reflect.Pointer:
			f.Set(reflect.New(f.Type().Elem()))
		case reflect.Map:
			f.Set(reflect.ValueOf(scene.Foreign{"x": []byte("2")}))
		default:
			t.Fatalf("a field of kind %s", f.Kind())
		}
		if base.Equal(other) {
			t.Errorf("clips that differ in %s are equal", reflect.TypeFor[scene.Clip]().Field(i).Name)
		}
	}
}

func TestSoundAloneDoesNotCreepOutOfSync(t *testing.T) {
	s := takes(t)
	// a third of a frame
	e := &edit.RemoveRange{From: 10 * fr, To: 10*fr + 670, Tracks: []scene.TrackID{"t2"}, Close: true}
	_, err := edit.Apply(s, e)
	if want := "Oda would run 0.3 frames (670 samples) earlier than the clip that it is linked to. Move both, or " +
		"unlink it first. What would work: take it out of every track; leave a gap."; err == nil ||
		edit.Message(err) != want {
		t.Errorf("got %v", err)
	}
}

func TestWhatWasDoneOnceCanBeDoneAgain(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	for _, e := range []edit.Edit{&edit.Trim{Clip: snd[0], Edge: "tail", To: 100 * fr},
		&edit.Roll{Left: snd[0], Right: snd[1], To: 100 * fr},
		&edit.RemoveRange{From: 10 * fr, To: 10*fr + 670, Tracks: []scene.TrackID{"t2"}, Close: true}} {
		if _, err := edit.Apply(s, e); err == nil {
			t.Errorf("%+v is of no use, and was not refused", e)
		}
		if _, err := edit.Replay(s, e); err != nil {
			t.Errorf("%+v was kept by an earlier release, and cannot be done again: %v", e, err)
		}
	}
}

// What is taken from a recording that was brought to a room comes with that room, and nothing else does.
func TestANewClipHasTheRoomOfItsRecording(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(t, s, &edit.SetRoom{
		Rooms: []recipe.Room{scenetest.Room(3)}, Clips: map[scene.ClipID]int{snd[0]: 0},
	})
	_, first := s.Clip(snd[0])
	last := func(s *scene.Scene, track int) scene.Clip { return s.Tracks[track].Clips[len(s.Tracks[track].Clips)-1] }
	at := s.Length() + 10*fr
	laid := &edit.Add{Track: "t2", Source: first.Source, In: first.In, Start: at, Length: 20 * fr}
	if after := scenetest.Must(t, s, laid); !last(after, 1).Room.Equal(first.Room) || first.Room == nil {
		t.Errorf("its room is %+v", last(after, 1).Room)
	}
	_, other := s.Clip(snd[1])
	laid.Source, laid.In = other.Source, other.In
	if after := scenetest.Must(t, s, laid); other.Source != first.Source && last(after, 1).Room != nil {
		t.Error("another recording has its room")
	}
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "more", Purpose: scene.ForEffects})
	k := len(s.Tracks) - 1
	laid.Source, laid.In, laid.Track = first.Source, first.In, s.Tracks[k].ID
	if after := scenetest.Must(t, s, laid); last(after, k).Room != nil {
		t.Error("it has a room where there is no dialogue")
	}
}

// A named range moves with what it names, and is longer or shorter by what is put in or taken out within it.
func TestANamedRangeFollowsWhatItNames(t *testing.T) {
	base := takes(t)
	s := scenetest.Must(t, base,
		&edit.AddMarker{At: 20 * fr, Length: 100 * fr, Name: "kiln"}, &edit.AddMarker{At: 150 * fr, Length: 10 * fr,
			Name: "rain"})
	s = scenetest.Must(t, s, &edit.RemoveRange{From: 40 * fr, To: 50 * fr, Close: true})
	if a, b := s.Markers[0], s.Markers[1]; a.At != 20*fr || a.Length != 90*fr || b.At != 140*fr || b.Length != 10*fr {
		t.Errorf("ranges are %+v and %+v", a, b)
	}
	if base.Markers != nil {
		t.Error("the scene before has changed")
	}
	s = scenetest.Must(t, s, &edit.SetMarker{Marker: s.Markers[0].ID, Length: new(int64(5 * fr))})
	if s.Markers[0].Length != 5*fr {
		t.Errorf("set to %d", s.Markers[0].Length)
	}
}
