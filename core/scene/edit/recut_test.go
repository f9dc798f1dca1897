package edit_test

import (
	"fmt"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/internal/scenetest"
)

// shots are the picture of a scene as a new cut of it, one after the other without what is left out.
func shots(s *scene.Scene, leave ...int) *edit.Recut {
	e := &edit.Recut{}
	at := int64(0)
	for i, c := range s.Tracks[0].Clips {
		skip := false
		for _, k := range leave {
			skip = skip || i == k
		}
		if !skip {
			e.Shots = append(e.Shots, scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Start: at, Length: c.Length})
			at += c.Length
		}
	}
	return e
}

// What lies under a shot that was lifted goes aside with its gain, lull and blend, and comes back with the shot;
// markers and named ranges go along; a track that stays does.
func TestALiftedShotIsKeptAsideWithItsWork(t *testing.T) {
	s := takes(t)
	snd, _ := ids(s)
	stays := true
	s = scenetest.Must(t, s,
		&edit.Gain{Clips: []scene.ClipID{snd[1]}, DB: -4},
		&edit.AddLull{Clip: snd[1], From: 120 * fr, To: 130 * fr},
		&edit.AddMarker{At: 220 * fr, Length: 20 * fr, Name: "rain"},
		&edit.SetTrack{Track: s.Tracks[2].ID, Stays: &stays},
	)
	tune := s.Tracks[2].Clips[0]
	e := shots(s, 1)
	cut := scenetest.Must(t, s, e)
	if len(cut.Aside) != 1 || len(cut.Aside[0].Tracks) != 2 || cut.Aside[0].Length != s.Tracks[0].Clips[1].Length {
		t.Fatalf("aside are %+v", cut.Aside)
	}
	if _, c := cut.Clip(snd[1]); c != nil {
		t.Error("its sound is heard still")
	}
	if m := cut.Markers[0]; m.At >= 220*fr || m.Length != 20*fr {
		t.Errorf("the named range is %+v", m)
	}
	if got := cut.Tracks[2].Clips[0]; got.Start != tune.Start || got.Length != tune.Length {
		t.Errorf("the tune stays, and lies at %+v", got)
	}
	if words := edit.Describe(s, cut, e); !strings.HasPrefix(words, "new picture cut: 1 lifted") {
		t.Errorf("it is told as %q", words)
	}
	back := scenetest.Must(t, cut, shots(s))
	_, was := s.Clip(snd[1])
	_, is := back.Clip(snd[1])
	if len(back.Aside) != 0 || is == nil || !is.Equal(*was) {
		t.Errorf("it comes back as %+v, was %+v", is, was)
	}
	if back.Markers[0].At != 220*fr {
		t.Errorf("the named range is at %d", back.Markers[0].At)
	}
}

// A new cut of another file is found by sources, whatever they are called: by hash, by file, by name, by reel; what it
// shows that is not known is asked for, or goes in as a new source.
func TestANewCutIsFoundBySources(t *testing.T) {
	s := takes(t)
	other := scene.New("cut", s.Rate, s.SampleRate)
	other = scenetest.Must(t, other, &edit.AddTrack{Name: "P", Purpose: scene.ForPicture})
	at := int64(0)
	for i, c := range s.Tracks[0].Clips {
		src := s.Sources[c.Source]
		src.ID, src.Name = string(rune('x'+i)), strings.ToUpper(src.Name)
		src.Unknown, src.Frames = true, 0
		if _, known := other.Sources[src.ID]; !known {
			other.Sources[src.ID] = src
		}
		if i == 1 {
			continue
		}
		other.Tracks[0].Clips = append(other.Tracks[0].Clips, scene.Clip{ID: scene.NewID(other, scene.AClip), Source: src.ID,
			Name: "SHOT", In: c.In, Start: at, Length: c.Length})
		at += c.Length
	}
	other.Sources["new"] = scene.Source{ID: "new", Name: "kiln wide", URL: "kiln wide.mov", Unknown: true}
	other.Tracks[0].Clips = append(other.Tracks[0].Clips, scene.Clip{ID: scene.NewID(other, scene.AClip), Source: "new",
		Name: "WIDE", In: 5, Start: at, Length: 30})
	e, unknown := edit.NewRecut(s, other)
	if len(unknown) != 1 || unknown[0].Name != "kiln wide" {
		t.Fatalf("unknown are %+v", unknown)
	}
	changes, _ := edit.RecutChanges(s, e)
	if len(changes) != 2 || changes[0].What != "lifted" || changes[1].What != "inserted" {
		t.Errorf("changes are %+v", changes)
	}
	cut := scenetest.Must(t, s, e)
	if n := len(cut.Tracks[0].Clips); cut.Tracks[0].Clips[n-1].Name != "WIDE" {
		t.Errorf("the last shot is %+v", cut.Tracks[0].Clips[n-1])
	}
}

// refusedRecuts are refusals of new cuts.
func refusedRecuts(t *testing.T) (list [][2]string) {
	s := takes(t)
	says := func(s *scene.Scene, e edit.Edit, want string) {
		got := "it was done"
		if _, err := edit.Apply(s, e); err != nil {
			got = edit.Message(err)
		}
		list = append(list, [2]string{got, want})
	}
	lame := shots(s)
	lame.Shots[1].Start = 3
	says(s, lame, "Shot 2 of the new cut, "+lame.Shots[1].Name+
		", has no length, or does not lie behind the one before it.")
	foreign := shots(s)
	foreign.Shots[0].Source = "nowhere"
	says(s, foreign, "The new cut shows "+foreign.Shots[0].Name+
		", which the scene has no recording of. Bring it in first.")
	long := shots(s)
	long.Shots[2].In = 1 << 30
	says(s, long, long.Shots[2].Name+" of the new cut shows frames that its recording has not: up to "+
		fmt.Sprint(1<<30+long.Shots[2].Length)+" of "+fmt.Sprint(s.Sources[long.Shots[2].Source].Frames)+".")
	many := &edit.Recut{Shots: make([]scene.NewShot, 20001)}
	says(s, many, "The new cut has 20001 shots; 20000 are the most.")
	yes := true
	says(scenetest.Must(t, s, &edit.SetTrack{Track: s.Tracks[1].ID, Locked: &yes}), shots(s),
		"Track "+s.Tracks[1].Name+" is locked, and would not follow the new cut. Unlock it first.")
	says(scenetest.Must(t, scene.New("x", s.Rate, 48000), &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue}),
		&edit.Recut{}, "The scene has no picture track, so that a new cut has nothing to follow.")
	return list
}
