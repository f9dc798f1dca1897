package blending_test

import (
	"math"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/blending"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// three is a scene of three clips that touch, of recordings of 10 s: each from 2 s on, for 4 s. A fourth lies on a
// track of its own.
func three(t *testing.T, rate timecode.Rate) *scene.Scene {
	t.Helper()
	s := scene.New("three", rate, 48000)
	edits := []edit.Edit{&edit.AddTrack{Name: "Dialogue", Purpose: "dialogue"},
		&edit.AddTrack{Name: "Music", Purpose: "music"}}
	second := func(n int64) int64 { return rate.SampleOf(rate.Nearest(n*48000, 48000), 48000) }
	for i, name := range []string{"one", "two", "three"} {
		src := scene.Source{ID: "s" + string(rune('1'+i)), Name: name, Samples: second(10), Channels: 1}
		start := second(4 * int64(i))
		laid := &edit.Add{
			Track:  "t1",
			Source: src.ID,
			In:     second(2),
			Start:  start,
			Length: second(4*int64(i)+4) - start,
		}
		edits = append(edits, &edit.Bring{Source: src}, laid)
	}
	edits = append(edits, &edit.Add{Track: "t2", Source: "s1", In: 0, Start: second(20), Length: second(4)})
	return scenetest.Must(t, s, edits...)
}

func clips(s *scene.Scene) (list []scene.ClipID) {
	for _, c := range s.Tracks[0].Clips {
		list = append(list, c.ID)
	}
	return list
}

// done is the scene after what is planned.
func done(t *testing.T, s *scene.Scene, list []blending.Planned) *scene.Scene {
	t.Helper()
	for _, x := range list {
		if x.Edit != nil {
			s = scenetest.Must(t, s, x.Edit.Edit)
		}
	}
	return s
}

const second = 48000

var (
	rates = []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976}
	four  = scene.Style{Name: "four", Law: blend.ConstantPower, Frames: 4}
)

func TestAPlanSaysWhatIsDoneShortenedAndRefusedAndIsDoneAsOneEdit(t *testing.T) {
	s := three(t, timecode.F25)
	ids := clips(s)
	s = scenetest.Must(t, s, &edit.Slip{Clip: ids[1], By: -2 * second}) // two has no handle at its head then
	all := pcm.Span{To: s.Length()}
	style := scene.Style{Name: "long", Law: blend.ConstantGain, Frames: 30, Lean: -1}
	list := blending.Plan(s, style, all, nil, blending.PlainCuts)
	if len(list) != 2 || list[0].Will != blending.Refused || list[0].Edit != nil ||
		!strings.Contains(list[0].Words, "two reaches only 0 frames before the cut") ||
		list[1].Will != blending.Done || list[1].Words != "30 frames" {
		t.Fatalf("%+v", list)
	}
	style.Lean = 0
	list = blending.Plan(s, style, all, nil, blending.EveryCut)
	if list[0].Will != blending.Shortened || list[0].Words != "15 frames: two reaches only 0 frames before the cut" {
		t.Errorf("%+v", list[0])
	}
	blended := done(t, s, list)
	if b := blended.Tracks[0].Blends; len(b) != 2 || b[0].Before != 0 || b[0].After != 15*second/25 ||
		b[1].Law != blend.ConstantGain {
		t.Errorf("%+v", b)
	}
	if n := len(blending.Plan(blended, style, all, nil, blending.PlainCuts)); n != 0 {
		t.Errorf("%d plain cuts are left", n)
	}
	off := blending.Plan(blended, style, pcm.Span{From: 6 * second, To: 9 * second}, []scene.TrackID{"t1"},
		blending.TakeOff)
	if len(off) != 1 || off[0].At != 8*second {
		t.Fatalf("%+v", off)
	}
	if plain := done(t, blended, off); len(plain.Tracks[0].Blends) != 1 {
		t.Errorf("%+v", plain.Tracks[0].Blends)
	}
}

// Clips in hand are blended where two of them touch; one in hand at both its ends.
func TestClipsInHandAreBlendedWhereTheyTouch(t *testing.T) {
	for _, rate := range rates {
		s := three(t, rate)
		ids := clips(s)
		two := blending.InHand(s, four, blending.Selection{Clips: ids[:2]})
		if len(two) != 1 || two[0].Will != blending.Done || two[0].Left != ids[0] {
			t.Fatalf("%v: %+v", rate, two)
		}
		if n := len(done(t, s, two).Tracks[0].Blends); n != 1 {
			t.Errorf("%v: %d blends", rate, n)
		}
		one := blending.InHand(s, four, blending.Selection{Clips: ids[1:2]})
		if len(one) != 2 || len(done(t, s, one).Tracks[0].Blends) != 2 {
			t.Errorf("%v: %+v", rate, one)
		}
		again := blending.InHand(done(t, s, one), four, blending.Selection{Clips: ids})
		if len(again) != 2 || again[0].Will != blending.There || again[0].Edit != nil {
			t.Errorf("%v: blended twice: %+v", rate, again)
		}
		other := four
		other.Frames = 6
		if again = blending.InHand(done(t, s, one), other, blending.Selection{Clips: ids}); again[0].Had == "" {
			t.Errorf("%v: it is not said that a blend is replaced: %+v", rate, again[0])
		}
	}
	s := three(t, timecode.F25)
	free := blending.InHand(s, four, blending.Selection{Clips: []scene.ClipID{s.Tracks[1].Clips[0].ID}})
	if c := done(t, s, free).Tracks[1].Clips[0]; c.FadeIn.Length != 4*second/25 || c.FadeOut.Length != 4*second/25 {
		t.Errorf("a clip that nothing touches has the fades %+v and %+v", c.FadeIn, c.FadeOut)
	}
}

// A span over one cut is filled by the blend, as far as handles go; over several each gets the style's length.
func TestASpanOverACutIsFilledByItsBlend(t *testing.T) {
	for _, rate := range rates {
		s := three(t, rate)
		at := s.Tracks[0].Clips[0].End()
		span := pcm.Span{From: at - 5000, To: at + 12345}
		list := blending.InHand(s, four, blending.Selection{Span: span})
		if len(list) != 1 {
			t.Fatalf("%v: %+v", rate, list)
		}
		if b := done(t, s, list).Tracks[0].Blends[0]; b.Before != 5000 || b.After != 12345 {
			t.Errorf("%v: the blend is %+v", rate, b)
		}
		far := blending.InHand(s, four, blending.Selection{Span: pcm.Span{From: at - 3*second, To: at + second}})
		if far[0].Will != blending.Shortened || !strings.Contains(far[0].Words, "two reaches only") {
			t.Errorf("%v: beyond its handle: %+v", rate, far)
		}
		if b := done(t, s, far).Tracks[0].Blends[0]; b.Before != s.Tracks[0].Clips[1].In || b.After != second {
			t.Errorf("%v: the longest blend is %+v", rate, b)
		}
		several := blending.InHand(s, four, blending.Selection{Span: pcm.Span{From: at - 10, To: at + 5*second}})
		if len(several) != 2 || several[0].Words != "4 frames" || several[1].Words != "4 frames" {
			t.Errorf("%v: over several cuts: %+v", rate, several)
		}
	}
	s := three(t, timecode.F25)
	none := blending.InHand(s, four, blending.Selection{Span: pcm.Span{From: 18 * second, To: 21 * second}})
	if c := done(t, s, none).Tracks[1].Clips[0]; len(none) != 1 || c.FadeIn.Length != second {
		t.Errorf("a span over a free head: %+v, %+v", none, c.FadeIn)
	}
	if list := blending.InHand(s, four, blending.Selection{Span: pcm.Span{From: 1 * second, To: 2 * second}}); len(
		list,
	) != 0 {
		t.Errorf("a span within a clip: %+v", list)
	}
}

// At a gap there are choices, each of which leaves a blended cut.
func TestAtAGapThereAreChoices(t *testing.T) {
	for _, rate := range rates {
		s := three(t, rate)
		ids := clips(s)
		frames := func(n int64) int64 { return rate.SampleOf(n, 48000) }
		s = scenetest.Must(
			t,
			s,
			&edit.Trim{Clip: ids[0], Edge: scene.Tail, To: s.Tracks[0].Clips[0].End() - frames(12)},
		)
		for _, h := range []blending.Selection{{Clips: ids[:2]}, {Span: pcm.Span{From: 3 * second, To: 5 * second}}} {
			list := blending.InHand(s, four, h)
			if len(list) != 1 || list[0].Will != blending.Gap || list[0].Words != "gap of 12 frames" ||
				len(list[0].Choices) != 2 {
				t.Fatalf("%v: %+v", rate, list)
			}
			for i, c := range list[0].Choices {
				now := scenetest.Must(t, s, c.Edit)
				if b := now.Tracks[0].Blend(ids[0], ids[1]); b == nil {
					t.Errorf("%v, %s: no blend", rate, c.Words)
				}
				if keeps := now.Length() == s.Length(); keeps != (i == 1) &&
					now.Tracks[1].Clips[0].End() != s.Length() {
					t.Errorf("%v, %s: %d samples long, was %d", rate, c.Words, now.Length(), s.Length())
				}
			}
		}
	}
}

// A blend that nobody chose a length for is as long as its sound takes: 3 s in music, 1 s from effects into a voice; a
// cut of dialogue has that of the style, and so has one in effects alone.
func TestABlendFollowsItsSound(t *testing.T) {
	of := func(source string) scene.Purpose {
		return map[bool]scene.Purpose{true: scene.ForDialogue, false: scene.ForEffects}[source == "voice"]
	}
	for _, c := range []struct {
		purpose     scene.Purpose
		left, right string
		seconds     float64
	}{
		{scene.ForMusic, "other", "more", 3},
		{scene.ForEffects, "other", "voice", 1},
		{scene.ForEffects, "voice", "other", 1},
		{scene.ForEffects, "other", "more", 4. / 25},
		{scene.ForDialogue, "other", "voice", 4. / 25},
	} {
		s := scene.New("x", timecode.F25, 48000)
		list := []edit.Edit{&edit.AddTrack{Name: "T", Purpose: c.purpose}}
		for i, id := range []string{c.left, c.right} {
			list = append(list,
				&edit.Bring{Source: scene.Source{ID: id, Name: id, URL: id, Samples: 30 * 48000, Channels: 1}},
				&edit.Add{Track: "t1", Source: id, In: 10 * 48000, Start: int64(i) * 480000, Length: 480000})
		}
		s = scenetest.Must(t, s, list...)
		h := blending.Selection{Clips: []scene.ClipID{s.Tracks[0].Clips[0].ID, s.Tracks[0].Clips[1].ID}}
		plan := blending.BySound(s, four, h, of)
		b := done(t, s, plan).Tracks[0].Blends[0]
		if got := float64(b.Before+b.After) / 48000; math.Abs(got-c.seconds) > 1e-3 {
			t.Errorf(
				"on a track of %s from %s to %s it lasts %.3f s (%s)",
				c.purpose,
				c.left,
				c.right,
				got,
				plan[0].Words,
			)
		}
		h.Long = true
		b = done(t, s, blending.BySound(s, four, h, of)).Tracks[0].Blends[0]
		if got := float64(b.Before+b.After) / 48000; math.Abs(got-2*c.seconds) > 1e-3 {
			t.Errorf("long, on a track of %s from %s to %s it lasts %.3f s", c.purpose, c.left, c.right, got)
		}
	}
}

// From a clip over to its treated copy on another track, and back: both fade over one another at both ends of the span,
// and each is heard alone in between.
func TestAClipGoesOverToAnotherTrackAndBack(t *testing.T) {
	for _, rate := range rates {
		s := scene.New("x", rate, 48000)
		list := []edit.Edit{&edit.AddTrack{Name: "A", Purpose: scene.ForDialogue},
			&edit.AddTrack{Name: "B", Purpose: scene.ForDialogue},
			&edit.Bring{Source: scene.Source{ID: "s", Name: "s", URL: "s", Samples: 30 * second, Channels: 1}}}
		for _, id := range []scene.TrackID{"t1", "t2"} {
			list = append(list, &edit.Add{Track: id, Source: "s", In: second, Length: 20 * second})
		}
		s = scenetest.Must(t, s, list...)
		span := pcm.Span{From: 5 * second, To: 9 * second}
		e, err := blending.Across(s, four, span, "t1", "t2")
		if err != nil {
			t.Fatal(err)
		}
		next := scenetest.Must(t, s, e)
		a, b := next.Tracks[0].Clips, next.Tracks[1].Clips
		if len(a) != 2 || len(b) != 1 || len(next.Pairs) != 2 {
			t.Fatalf("%s: %d and %d clips, %d pairs", rate, len(a), len(b), len(next.Pairs))
		}
		for i, p := range next.Pairs {
			on, ok := next.Overlap(p)
			if at := []int64{span.From, span.To}[i]; !ok || on.From >= at || on.To <= at || on.Len() > second {
				t.Errorf("%s: pair %d lies from %d to %d", rate, i, on.From, on.To)
			}
		}
		for _, c := range []scene.Clip{a[0], a[1], b[0]} { // all in step
			if c.In-c.Start != second {
				t.Errorf("%s: a clip shows sample %d at %d", rate, c.In, c.Start)
			}
		}
		if _, err := blending.Across(s, four, pcm.Span{From: 0, To: 9 * second}, "t1", "t2"); err == nil {
			t.Error("from the very beginning there is nothing to come from")
		}
		if _, err := blending.Across(s, four, pcm.Span{From: 5 * second, To: 5*second + 10}, "t1", "t2"); err == nil {
			t.Error("a span shorter than a blend was taken")
		}
		if _, err := blending.Across(s, four, span, "t1", "t1"); err == nil {
			t.Error("over to itself was taken")
		}
	}
}
