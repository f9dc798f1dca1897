package edit_test

import (
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/internal/scenetest"
)

// without is takes with the recording of Oda missing, and the id of that.
func without(t *testing.T) (s *scene.Scene, missing string, was scene.Source) {
	s = takes(t)
	snd, _ := ids(s)
	_, c := s.Clip(snd[0])
	was = s.Sources[c.Source]
	c2 := *s
	gone := scene.MissingSource(s, was)
	c2.Sources = map[string]scene.Source{gone.ID: gone}
	for id, src := range s.Sources {
		if id != was.ID {
			c2.Sources[id] = src
		}
	}
	c2.Tracks = nil
	for _, x := range s.Tracks {
		own := *x
		own.Clips = append([]scene.Clip{}, x.Clips...)
		for i := range own.Clips {
			if own.Clips[i].Source == was.ID {
				own.Clips[i].Source = gone.ID
			}
		}
		c2.Tracks = append(c2.Tracks, &own)
	}
	if err := c2.Check(); err != nil {
		t.Fatal(err)
	}
	return &c2, gone.ID, was
}

// A recording that was missing takes its place in every clip, of sound and picture; one with a source timecode is met
// where clips count from that.
func TestAMissingRecordingIsLinked(t *testing.T) {
	s, missing, was := without(t)
	e := &edit.LinkSource{Source: missing, To: was}
	now := scenetest.Must(t, s, e)
	want := takes(t)
	for i, track := range now.Tracks {
		for k, c := range track.Clips {
			if !c.Equal(want.Tracks[i].Clips[k]) {
				t.Errorf("%s is %+v", track.Name, c)
			}
		}
	}
	if _, still := now.Sources[missing]; still {
		t.Error("it is missing still")
	}
	if words := edit.Describe(s, now, e); !strings.HasPrefix(words, "the missing recording "+was.Name+" linked") {
		t.Errorf("it is told as %q", words)
	}
	// The same clips, counted from ten o'clock.
	snd, _ := ids(s)
	late := int64(36000 * 48000)
	far := *s
	far.Tracks = nil
	for _, x := range s.Tracks {
		own := *x
		own.Clips = append([]scene.Clip{}, x.Clips...)
		for i := range own.Clips {
			if own.Clips[i].Source == missing {
				own.Clips[i].In += s.Unit(x, late)
			}
		}
		far.Tracks = append(far.Tracks, &own)
	}
	far.Sources = map[string]scene.Source{}
	for id, src := range s.Sources {
		if id == missing {
			src.Samples, src.Frames = src.Samples+late, src.Frames+36000*25
		}
		far.Sources[id] = src
	}
	was.Offset = late
	now = scenetest.Must(t, &far, &edit.LinkSource{Source: missing, To: was})
	_, c := now.Clip(snd[0])
	_, first := want.Clip(snd[0])
	if c.In != first.In || c.Source != was.ID {
		t.Errorf("counted from ten o'clock it begins at %d, not %d", c.In, first.In)
	}
}

// refusedLinks are refusals of linking what is missing.
func refusedLinks(t *testing.T) (list [][2]string) {
	s, missing, was := without(t)
	says := func(e edit.Edit, want string) {
		got := "it was done"
		if _, err := edit.Apply(s, e); err != nil {
			got = edit.Message(err)
		}
		list = append(list, [2]string{got, want})
	}
	says(&edit.LinkSource{Source: "nobody", To: was}, `No recording of this scene is missing under the name "nobody".`)
	short, blind := was, was
	short.ID, short.Samples = "short", 1920*50
	says(&edit.LinkSource{Source: missing, To: short},
		was.Name+" lasts 50 frames, and clips show up to 100 frames of it; it is not the one that is missing.")
	blind.ID, blind.Frames = "blind", 3
	says(&edit.LinkSource{Source: missing, To: blind},
		was.Name+" has 3 frames of picture, and clips show up to frame 100; it is not the one that is missing.")
	return list
}
