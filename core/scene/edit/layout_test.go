package edit

import (
	"slices"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

func TestLayingOutMakesTheTracksItNeedsAndGoesToTheEnd(t *testing.T) {
	s := scene.New("s", timecode.F25, 48000)
	s = must(t, s, &Bring{Source: scene.Source{ID: "film", Name: "film", Samples: 100_000, Frames: 52, Channels: 1}})
	s = must(t, s, &Bring{Source: scene.Source{ID: "sound", Name: "sound", Samples: 12_345, Channels: 2}})
	s = must(t, s, &Bring{Source: scene.Source{ID: "silent", Name: "silent", Frames: 10}})
	for _, id := range []string{"film", "sound", "film", "silent"} {
		e, err := LayOut(s, id, scene.ForDialogue)
		if err != nil {
			t.Fatal(err)
		}
		s = must(t, s, e)
	}
	if len(s.Tracks) != 2 || s.Tracks[0].Kind != scene.Picture || s.Tracks[1].Purpose != "dialogue" {
		t.Fatalf("%d tracks, %+v", len(s.Tracks), s.Tracks[0])
	}
	p, d := s.Tracks[0].Clips, s.Tracks[1].Clips
	// Of 52 frames and 100000 samples, 52 whole frames are in both: 99840 samples.
	if len(p) != 3 || len(d) != 3 || p[0].Length != 52 || d[0].Length != 99840 || p[0].Link == "" ||
		p[0].Link != d[0].Link {
		t.Errorf("picture %+v\nsound %+v", p, d)
	}
	if d[1].Start != 99840 || d[1].Length != 12345 {
		t.Errorf("sound alone lies at %d for %d", d[1].Start, d[1].Length)
	}
	// The third follows the longer of its two tracks, on the next frame or the same.
	if at := s.Time(s.Tracks[0], p[1].Start); at < 99840+12345-960 || at != d[2].Start {
		t.Errorf("the second film's picture is at %d, its sound at %d", at, d[2].Start)
	}
	if p[2].Length != 10 || p[2].Link != "" {
		t.Errorf("silent picture %+v", p[2])
	}
	if _, err := LayOut(s, "nobody", scene.ForDialogue); err == nil {
		t.Error("a source that is not there was laid out")
	}
}

func TestAStretchBetweenTimecodes(t *testing.T) {
	s := scene.New("s", timecode.F2997D, 48000)
	if _, err := s.Stretch("", ""); err == nil {
		t.Error("an empty scene has a stretch")
	}
	s = must(t, s, &Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 480_000, Channels: 1}})
	s = must(t, s, &AddTrack{Name: "D", Purpose: "dialogue"})
	s = must(t, s, &Add{Track: "t1", Source: "a", Length: 480_000})
	whole, err := s.Stretch("", "")
	if err != nil || whole.From != 0 || whole.To != 480_000 {
		t.Errorf("%v %v", whole, err)
	}
	// Frame f of 30000/1001 starts at sample round(f*48000*1001/30000): 30 at 48048, 60 at 96096.
	part, err := s.Stretch("01:00:01;00", "01:00:02;00")
	if err != nil || part.From != 48048 || part.To != 96096 {
		t.Errorf("%v %v", part, err)
	}
	// The scene ends within frame 299, at 480000 of 480480.
	if last, err := s.Stretch("01:00:09;00", "01:00:10;00"); err != nil || last.To != 480_000 {
		t.Errorf("to the end of the last frame: %v %v", last, err)
	}
	for _, bad := range [][2]string{{"01:00:02;00", "01:00:01;00"}, {"00:59:59;00", ""}, {"", "01:00:10;01"},
		{"noon", ""}, {"01:00:01;00", "01:00:01;00"}} {
		if got, err := s.Stretch(bad[0], bad[1]); err == nil {
			t.Errorf("%v gives %v", bad, got)
		}
	}
}

func TestWhatIsLaidOutGoesToTheTrackOfItsPurposeWhichIsMadeWhereThereIsNone(t *testing.T) {
	s := scene.New("s", timecode.F25, 48000)
	s = must(t, s, &Bring{Source: scene.Source{ID: "tune", Name: "tune", Samples: 96_000, Channels: 2}})
	s = must(t, s, &Bring{Source: scene.Source{ID: "film", Name: "film", Samples: 96_000, Frames: 50, Channels: 1}})
	for _, id := range []string{"tune", "film"} {
		s = must(t, s, &SetStretch{Source: id, Name: "good", From: 1920, To: 48000})
	}
	empty := s
	take := func(s *scene.Scene, x Taking) *scene.Scene {
		t.Helper()
		e, err := x.TakeOut(s)
		if err != nil {
			t.Fatal(err)
		}
		return must(t, s, e)
	}
	// Nothing but a name of no track was refused in a scene without tracks.
	s = take(empty, Taking{Source: "tune", Purpose: scene.ForMusic, At: -1})
	if len(s.Tracks) != 1 || s.Tracks[0].Purpose != scene.ForMusic || s.Tracks[0].Name != "Music" ||
		s.Tracks[0].Clips[0].Start != 0 {
		t.Fatalf("%+v", s.Tracks[0])
	}
	s = take(s, Taking{Source: "tune", Purpose: scene.ForMusic, At: -1})
	if len(s.Tracks) != 1 || len(s.Tracks[0].Clips) != 2 || s.Tracks[0].Clips[1].Start != 46080 {
		t.Errorf("%+v", s.Tracks[0].Clips)
	}
	s = take(s, Taking{Source: "film", Purpose: scene.ForMusic, At: -1}) // a voice on camera, whatever it sounds like
	if len(s.Tracks) != 3 {
		t.Fatalf("%d tracks", len(s.Tracks))
	}
	of := func(purpose scene.Purpose) *scene.Track {
		return s.Tracks[slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.Purpose == purpose })]
	}
	p, d := of(scene.ForPicture), of(scene.ForDialogue)
	if p.Kind != scene.Picture || d.Purpose != scene.ForDialogue || p.Clips[0].Link == "" ||
		p.Clips[0].Link != d.Clips[0].Link {
		t.Errorf("%+v\n%+v", p, d)
	}
	// A scene that begins with tracks has them all, in order, and what is laid out lands on its own.
	for _, first := range FirstTracks {
		empty = must(t, empty, &first)
	}
	e, err := LayOut(empty, "tune", scene.ForMusic)
	if err != nil {
		t.Fatal(err)
	}
	if s = must(t, empty, e); len(s.Tracks) != len(FirstTracks) || len(s.Tracks[4].Clips) != 1 {
		t.Errorf("%d tracks, music has %+v", len(s.Tracks), s.Tracks[4].Clips)
	}
}
