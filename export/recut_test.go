package export_test

import (
	"fmt"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/export"
	"blendseam/internal/scenetest"
)

// shot is a scene of so many shots with their sound, each of its own stretch of one take.
func shots(t testing.TB, n int) *scene.Scene {
	s := scene.New("shots", timecode.F25, 48000)
	s = scenetest.Must(t, s,
		&edit.Bring{Source: scene.Source{ID: "a", Name: "take", Samples: int64(n) * 60 * 1920, Frames: int64(n) * 60,
			Channels: 1}},
		&edit.AddTrack{Name: "Picture", Purpose: scene.ForPicture}, &edit.AddTrack{Name: "Oda", Purpose: scene.ForDialogue})
	for i := range int64(n) {
		link := scene.LinkID(fmt.Sprint("l", i))
		s.Tracks[0].Clips = append(s.Tracks[0].Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: "a", Name: "take",
			In: i*60 + 10, Start: i * 40, Length: 40, Link: link})
		s.Tracks[1].Clips = append(s.Tracks[1].Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: "a", Name: "take",
			In: (i*60 + 10) * 1920, Start: i * 40 * 1920, Length: 40 * 1920, Link: link})
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	return s
}

// without is the picture of a scene as a cut of its own, in which shots are left out.
func without(s *scene.Scene, leave func(i int) bool) *scene.Scene {
	c := *s
	pic := *s.Tracks[0]
	pic.Clips = nil
	at := int64(0)
	for i, x := range s.Tracks[0].Clips {
		if leave(i) {
			continue
		}
		x.Start = at
		at += x.Length
		pic.Clips = append(pic.Clips, x)
	}
	c.Tracks = []*scene.Track{&pic}
	return &c
}

// Seams inside what stayed are as they were, seams at what came apart are new, and rows say what becomes of the sound.
func TestAPlanCountsSeamsAndTellsOfSound(t *testing.T) {
	s := shots(t, 12)
	cut := without(s, func(i int) bool { return i == 4 || i == 8 })
	r, err := export.PlanRecut(s, cut, export.RecutOptions{})
	if err != nil {
		t.Fatal(err)
	}
	// Of 13 seams, two are gone with each shot, and one is new where it was.
	if r.Kept != 13-4 || len(r.New) != 2 || len(r.Rows) != 2 || len(r.Lost) != 0 {
		t.Errorf("%d seams kept, %d new, rows %+v, lost %v", r.Kept, len(r.New), r.Rows, r.Lost)
	}
	if x := r.Rows[0]; x.Words != "40 frames of take lifted at 01:00:06:10" || len(x.Clips) != 4 ||
		x.Sound != "one clip is kept aside; 3 clips move with the picture" {
		t.Errorf("it is told as %q, %q", x.Words, x.Sound)
	}
	half, err := export.PlanRecut(s, cut, export.RecutOptions{Skip: []int{1}})
	if err != nil || half.After.Length() != s.Length()-40*1920 || len(half.Rows) != 2 {
		t.Errorf("without the second change: %v, %d long", err, half.After.Length())
	}
	other := *s
	other.Rate = timecode.F24
	if _, err := export.PlanRecut(s, &other, export.RecutOptions{}); err == nil {
		t.Error("a cut at another rate is taken")
	}
}

func BenchmarkRecutOf2000(b *testing.B) {
	s := shots(b, 1000)
	cut := without(s, func(i int) bool { return i%17 == 3 })
	for b.Loop() {
		if _, err := export.PlanRecut(s, cut, export.RecutOptions{}); err != nil {
			b.Fatal(err)
		}
	}
}
