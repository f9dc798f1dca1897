package edit_test

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/corpus"
	"blendseam/internal/scenetest"
)

// handed is the edit that a hand makes with what it holds, by so many samples.
func handed(s *scene.Scene, clip scene.ClipID, edge scene.Side, doing edit.Gesture, by int64) edit.Edit {
	t, c := s.Clip(clip)
	at := s.Time(t, c.Start)
	if edge == scene.Tail {
		at = s.Time(t, c.End())
	}
	i := slices.IndexFunc(t.Clips, func(o scene.Clip) bool { return o.ID == clip })
	switch doing {
	case edit.TrimsGap, edit.TrimsClose:
		return &edit.Trim{Clip: clip, Edge: edge, To: at + by, Close: doing == edit.TrimsClose}
	case edit.Rolls, edit.Splits:
		roll := &edit.Roll{Left: clip, To: at + by, Alone: doing == edit.Splits}
		if edge == scene.Tail {
			roll.Right = t.Clips[i+1].ID
		} else {
			roll.Left, roll.Right = t.Clips[i-1].ID, clip
		}
		return roll
	case edit.Slips:
		return &edit.Slip{Clip: clip, By: by}
	}
	return &edit.Slide{Clip: clip, By: by}
}

// In scenes after random edits, whatever a hand may take hold of: an edit within the limits is never refused for what
// the limits are made of, one two frames beyond them always is, and what is said to go goes.
func TestAHandReachesAsFarAsEditsDo(t *testing.T) {
	doings := []edit.Gesture{
		edit.TrimsGap, edit.TrimsClose, edit.Rolls, edit.Splits, edit.Slips, edit.Slides,
	}
	held, beyond, moved := map[edit.Gesture]int{}, 0, 0
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D} {
		for seed := range uint64(corpus.Cases(25, 250)) {
			rng := rand.New(rand.NewPCG(seed, 5))
			s := scenetest.Mixed(t, rate)
			for range 25 {
				if next, err := edit.Apply(s, scenetest.Random(s, rng)); err == nil {
					s = next
				}
			}
			frame := s.Rate.SampleOf(1, s.SampleRate)
			for range 40 {
				tr := s.Tracks[rng.IntN(len(s.Tracks))]
				if len(tr.Clips) == 0 || tr.Locked {
					continue
				}
				clip := tr.Clips[rng.IntN(len(tr.Clips))].ID
				edge := []scene.Side{scene.Head, scene.Tail}[rng.IntN(2)]
				doing := doings[rng.IntN(len(doings))]
				r, ok := edit.ReachOf(s, clip, edge, doing)
				if !ok {
					continue
				}
				held[doing]++
				for _, by := range []int64{r.Low + frame, r.High - frame, r.Low / 2, r.High / 2} {
					// What goes with picture goes by whole frames, up to one more than the hand.
					if by < r.Low+frame || by > r.High-frame || by > 1<<40 || by == 0 {
						continue
					}
					next, err := edit.Apply(s, handed(s, clip, edge, doing, by))
					if limiting(err, doing) {
						t.Fatalf("%s seed %d: %s %s of %s by %d, within %+v: %v", rate, seed, doing, edge, clip, by, r, err)
					}
					if err == nil {
						moved++
						goesAsSaid(t, s, next, r, by, string(doing)+string(clip))
					}
				}
				for _, by := range []int64{r.Low - 2*frame, r.High + 2*frame} {
					if by > 1<<40 || by < -1<<40 {
						continue
					}
					if _, err := edit.Apply(s, handed(s, clip, edge, doing, by)); err == nil {
						t.Fatalf("%s seed %d: %s %s of %s by %d, beyond %+v, was done", rate, seed, doing, edge, clip, by, r)
					}
					beyond++
				}
			}
		}
	}
	for _, d := range doings {
		if held[d] < 20 {
			t.Errorf("%s was tried %d times", d, held[d])
		}
	}
	t.Logf("%v; %d edits went as far as was said, %d beyond were refused", held, moved, beyond)
}

// limiting tells whether an edit was refused for what limits are made of; what lies over where things close up is not.
func limiting(err error, doing edit.Gesture) bool {
	var handle *edit.NeedHandle
	var way *edit.InTheWay
	var short *edit.TooShort
	return errors.As(err, &handle) || errors.As(err, &way) && doing != edit.TrimsClose || errors.As(err, &short)
}

// goesAsSaid looks whether the edges that are said to go have gone, and no other of the clips that are named.
func goesAsSaid(t *testing.T, before, after *scene.Scene, r edit.Reach, by int64, what string) {
	t.Helper()
	for _, g := range r.Goes {
		bt, b := before.Clip(g.Clip)
		_, a := after.Clip(g.Clip)
		if a == nil || r.Rest >= 0 {
			continue // what closes up moves afterwards
		}
		slack := before.Rate.SampleOf(1, before.SampleRate)
		for _, x := range []struct {
			what string
			was  int64
			is   int64
			goes int
		}{{"head", b.Start, a.Start, g.Head}, {"tail", b.End(), a.End(), g.Tail}} {
			got := before.Time(bt, x.is) - before.Time(bt, x.was)
			if want := int64(x.goes) * by; max(got-want, want-got) > slack {
				t.Errorf("the %s of %s went by %d, said was %d %s %+v", x.what, g.Clip, got, want, what, r)
			}
		}
	}
}

// Sound that leads its picture by eight frames takes the picture along, as the trim itself does.
func TestSoundThatLeadsTakesItsPictureAlong(t *testing.T) {
	s := scenetest.Mixed(t, timecode.F25)
	var sound, picture *scene.Track
	for _, tr := range s.Tracks {
		if tr.Kind == scene.Picture {
			picture = tr
		} else if sound == nil {
			sound = tr
		}
	}
	left, right := sound.Clips[0].ID, sound.Clips[1].ID
	led := scenetest.Must(t, s, &edit.Lead{Left: left, Right: right, Frames: 8})
	r, ok := edit.ReachOf(led, right, scene.Head, edit.TrimsGap)
	goes := func(id scene.ClipID) bool {
		return slices.ContainsFunc(r.Goes, func(g edit.Effect) bool { return g.Clip == id && g.Head == 1 })
	}
	if !ok || !goes(right) || !goes(picture.Clips[1].ID) {
		t.Errorf("%+v", r)
	}
}
