package edit_test

import (
	"math"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/internal/scenetest"
)

// lullAt is where the only lull of a clip is heard.
func lullAt(t *testing.T, s *scene.Scene, clip scene.ClipID) pcm.Span {
	t.Helper()
	_, c := s.Clip(clip)
	if c == nil || len(c.Lulls) != 1 {
		t.Fatalf("%s has not one lull: %+v", clip, c)
	}
	return c.LullSpan(c.Lulls[0])
}

// A lull stays on its sound through everything that is done to its clip.
func TestALullStaysOnItsSound(t *testing.T) {
	s := takes(t)
	snd, pic := ids(s)
	s = scenetest.Must(
		t,
		s,
		&edit.Remove{Clips: []scene.ClipID{s.Tracks[2].Clips[0].ID}},
		&edit.AddLull{Clip: snd[0], From: 40 * fr, To: 50 * fr, DepthDB: 12},
	)
	want := pcm.Span{From: 40 * fr, To: 50 * fr}
	for name, c := range map[string]struct {
		edit edit.Edit
		by   int64
	}{
		"a trim of the head":         {&edit.Trim{Clip: snd[0], Edge: "head", To: 20 * fr}, 0},
		"a head that closes up":      {&edit.Trim{Clip: snd[0], Edge: "head", To: 20 * fr, Close: true}, -20 * fr},
		"a slip":                     {&edit.Slip{Clip: snd[0], By: 5 * fr}, -5 * fr},
		"a trim over its first half": {&edit.Trim{Clip: snd[0], Edge: "head", To: 45 * fr}, 0},
	} {
		span := want.Add(c.by)
		next := scenetest.Must(t, s, c.edit)
		_, clip := next.Clip(snd[0])
		if got := lullAt(t, next, snd[0]); got != span.Intersect(clip.Span()) {
			t.Errorf("after %s it lies at %v, want %v", name, got, span)
		}
	}
	divided := scenetest.Must(t, s, &edit.Divide{Clips: []scene.ClipID{snd[0]}, At: 45 * fr})
	if a, b := lullAt(
		t,
		divided,
		snd[0],
	), lullAt(
		t,
		divided,
		divided.Tracks[1].Clips[1].ID,
	); a != (pcm.Span{From: 40 * fr, To: 45 * fr}) ||
		b != (pcm.Span{From: 45 * fr, To: 50 * fr}) {
		t.Errorf("divided in the middle it lies at %v and %v", a, b)
	}
	copied := scenetest.Must(t, s, &edit.Duplicate{Clips: []scene.ClipID{snd[0]}})
	if got := lullAt(t, copied, copied.Tracks[1].Clips[1].ID); got != want.Add(100*fr) {
		t.Errorf("in a copy it lies at %v", got)
	}
	if _, c := s.Clip(pic[0]); len(c.Lulls) != 0 {
		t.Error("the picture has a lull")
	}
}

// Edges of a lull go down and up as cos and sin of a quarter turn, so that with tone that fades the other way the
// power is held at every sample; so it is for a lull that is not to silence.
func TestLullEdgesHoldThePower(t *testing.T) {
	for _, depth := range []float64{0, 6, 20} {
		l := scene.Lull{From: 1000, To: 3000, DepthDB: depth, FadeIn: 400, FadeOut: 700}
		floor := l.Floor()
		for at := int64(900); at < 3100; at++ {
			x := 0.0 // how far tone is faded in
			switch {
			case at >= 1000 && at < 1400:
				x = (float64(at-1000) + 0.5) / 400
			case at >= 1400 && at < 2300:
				x = 1
			case at >= 2300 && at < 3000:
				x = (float64(3000-at) - 0.5) / 700
			}
			tone := math.Sin(math.Pi/2*x) * math.Sqrt(1-floor*floor)
			if power := l.Gain(at)*l.Gain(at) + tone*tone; math.Abs(power-1) > 1e-12 {
				t.Fatalf("%g dB deep, at %d the power is %g", depth, at, power)
			}
		}
	}
	if g := (scene.Lull{From: 0, To: 100, DepthDB: 6.0206, Off: true}).Gain(50); g != 1 {
		t.Errorf("switched off it has a gain of %g", g)
	}
}

func patched(t *testing.T, s *scene.Scene, hole scene.Hole) (*scene.Scene, scene.ClipID) {
	span, ok := s.HoleSpan(hole)
	if !ok {
		t.Fatal("there is no hole")
	}
	mid := s.ToneMiddle()
	s = scenetest.Must(
		t,
		s,
		&edit.LayTone{
			Name:    "room",
			From:    span.From - fr,
			To:      span.To + fr,
			In:      mid - fr,
			FadeIn:  2 * fr,
			FadeOut: 2 * fr,
			Fills:   &hole,
			Tone:    recipe.Tone{Seed: 1, Left: []recipe.Material{{Source: "o", To: 48000}}, From: mid, To: mid + span.Len()},
		},
	)
	track := s.Tracks[2] // below the dialogue
	if track.Purpose != "tone" || len(track.Clips) != 1 {
		t.Fatalf("the patch lies on %+v", track)
	}
	return s, track.Clips[0].ID
}

// A patch follows the edges of its lull, with its passage; it goes with the lull, and stays where it is once it is
// unlinked.
func TestAPatchFollowsItsLull(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(
		t,
		s,
		&edit.Remove{Clips: []scene.ClipID{s.Tracks[2].Clips[0].ID}},
		&edit.AddLull{Clip: snd[0], From: 40 * fr, To: 50 * fr},
	)
	lull := s.Tracks[1].Clips[0].Lulls[0].ID
	s, patch := patched(t, s, scene.Hole{Clip: snd[0], Lull: lull})
	from, to := int64(36*fr), int64(58*fr)
	longer := scenetest.Must(
		t,
		s,
		&edit.SetLull{Clip: snd[0], Lull: lull, From: &from},
		&edit.SetLull{Clip: snd[0], Lull: lull, To: &to},
	)
	_, c := longer.Clip(patch)
	if c.Span() != (pcm.Span{From: 35 * fr, To: 59 * fr}) {
		t.Errorf("it lies at %v", c.Span())
	}
	tone := longer.Sources[c.Source].Tone
	if a, b := tone.From-c.In+c.Start, tone.To-c.In+c.Start; a != from || b != to {
		t.Errorf("it goes over from %d to %d", a/fr, b/fr)
	}
	if was, now := s.Tracks[2].Clips[0], *c; was.Shift() != now.Shift() {
		t.Error("what sounded in the middle sounds elsewhere now")
	}
	if moved := scenetest.Must(
		t,
		s,
		&edit.Trim{Clip: snd[0], Edge: "head", To: 20 * fr, Close: true},
	); moved.Tracks[2].Clips[0].Start != 19*fr {
		t.Errorf("closed up, it lies at %d", moved.Tracks[2].Clips[0].Start/fr)
	}
	yes := true
	off := scenetest.Must(t, s, &edit.SetLull{Clip: snd[0], Lull: lull, Off: &yes})
	if off.Heard(off.Tracks[2].Clips[0]) || !s.Heard(s.Tracks[2].Clips[0]) {
		t.Error("a patch is heard while its lull is, and only then")
	}
	gone := scenetest.Must(t, s, &edit.RemoveLull{Clip: snd[0], Lull: lull})
	if len(gone.Tracks[2].Clips) != 0 {
		t.Error("the patch is left without its lull")
	}
	if got, want := edit.Describe(
		s,
		gone,
		&edit.RemoveLull{Clip: snd[0], Lull: lull},
	), "lull taken off Oda; 1 patch gone with its hole"; got != want {
		t.Errorf("it says %q", got)
	}
	free := scenetest.Must(
		t,
		s,
		&edit.Unlink{Clips: []scene.ClipID{patch}},
		&edit.SetLull{Clip: snd[0], Lull: lull, From: &from},
	)
	if _, c := free.Clip(patch); c.Start != 39*fr {
		t.Errorf("unlinked, it lies at %d", c.Start/fr)
	}
	trimmed := scenetest.Must(
		t,
		s,
		&edit.Trim{Clip: patch, Edge: "tail", To: 55 * fr},
		&edit.SetLull{Clip: snd[0], Lull: lull, To: &to},
	)
	if _, c := trimmed.Clip(patch); c.End() != 63*fr {
		t.Errorf("trimmed by hand and then moved with its lull, it ends at frame %d", c.End()/fr)
	}
}

func TestAPatchFollowsItsGap(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	s = scenetest.Must(t, s, &edit.Remove{Clips: []scene.ClipID{snd[1]}})
	s, patch := patched(t, s, scene.Hole{Clip: snd[0], Next: snd[2]})
	shorter := scenetest.Must(t, s, &edit.Trim{Clip: snd[0], Edge: "tail", To: 90 * fr, Alone: true})
	if _, c := shorter.Clip(patch); c.Span() != (pcm.Span{From: 89 * fr, To: 201 * fr}) {
		t.Errorf("it lies at %d to %d", c.Start/fr, c.End()/fr)
	}
	divided := scenetest.Must(t, s, &edit.Divide{Clips: []scene.ClipID{snd[0]}, At: 50 * fr})
	if _, c := divided.Clip(patch); c.Fills == nil || c.Fills.Clip == snd[0] {
		t.Errorf("the clip ahead divided, it fills %+v", c.Fills)
	}
	closed := scenetest.Must(t, s, &edit.CloseGap{Track: "t2", At: 120 * fr})
	if len(closed.Tracks[2].Clips) != 0 {
		t.Error("the gap is closed, and its patch still there")
	}
}

// Cut down to its words, a clip keeps its sync, its place and its outer edges; gaps are left.
func TestKeepLeavesTheWords(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	kept := scenetest.Must(
		t,
		s,
		&edit.Keep{Clip: snd[0], Stretches: []pcm.Span{{From: 0, To: 30 * fr}, {From: 60 * fr, To: 90 * fr}}, Fade: fr},
	)
	list := kept.Tracks[1].Clips
	if kept.Length() != s.Length() || list[0].End() != 30*fr || list[1].Start != 60*fr || list[1].In-list[0].In != 60*fr ||
		list[0].FadeIn.Length != 0 ||
		list[0].FadeOut.Length != fr ||
		list[1].FadeIn.Length != fr {
		t.Errorf("%+v", list[:2])
	}
	if list[0].Link != list[1].Link || list[0].Link == "" {
		t.Error("a part is not linked to its picture")
	}
}
