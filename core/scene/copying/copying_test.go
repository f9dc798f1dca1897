package copying_test

import (
	"slices"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/copying"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// A track is duplicated with its clips, their blends and levels, at the same times, with what the track does to them.
func TestATrackIsDuplicatedWithItsClips(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976} {
		s := scenetest.Mixed(t, rate)
		tracks := 0
		for _, track := range s.Tracks {
			if track.Kind != scene.Sound || len(track.Clips) == 0 {
				continue
			}
			tracks++
			gain := -4.5
			s := scenetest.Must(t, s, &edit.SetTrack{Track: track.ID, GainDB: &gain})
			p, err := copying.Plan(s, copying.Request{Span: pcm.Span{To: s.Length()}, Track: track.ID})
			if err != nil {
				t.Fatalf("%v, %s: %v", rate, track.Name, err)
			}
			now := scenetest.Must(t, s, p.Edit)
			was, made := now.Track(track.ID), now.Tracks[len(now.Tracks)-1]
			if len(now.Tracks) != len(s.Tracks)+1 || made.GainDB != gain || made.Purpose != was.Purpose ||
				!strings.HasPrefix(made.Name, was.Name) || made.Name == was.Name {
				t.Fatalf("%v: made %+v of %s", rate, made, was.Name)
			}
			if len(made.Clips) != len(was.Clips) || len(made.Blends) != len(was.Blends) || len(p.Over) != 0 {
				t.Fatalf("%v: %d clips and %d blends of %d and %d", rate, len(made.Clips), len(made.Blends),
					len(was.Clips), len(was.Blends))
			}
			for i, c := range was.Clips {
				m := made.Clips[i]
				if m.Source != c.Source || m.Start != c.Start || m.Length != c.Length || m.In != c.In ||
					m.GainDB != c.GainDB || !slices.Equal(m.Level, c.Level) || len(m.Lulls) != len(c.Lulls) {
					t.Errorf("%v: clip %d is %+v, was %+v", rate, i, m, c)
				}
			}
		}
		if tracks == 0 {
			t.Fatal("no track has clips")
		}
	}
}

// A clip is copied onto another track at the same time; what it would lie over is named.
func TestWhatACopyWouldLieOverIsNamed(t *testing.T) {
	s := scene.New("two", timecode.F25, 48000)
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "Dialogue", Purpose: "dialogue"},
		&edit.AddTrack{Name: "Music", Purpose: "music"}, &edit.AddTrack{Name: "Picture", Purpose: "picture"},
		&edit.Bring{Source: scene.Source{ID: "s1", Name: "one", Samples: 480000, Channels: 1}},
		&edit.Add{Track: "t1", Source: "s1", Start: 48000, Length: 96000},
		&edit.Add{Track: "t2", Source: "s1", Start: 96000, Length: 96000, Name: "tune"})
	span := pcm.Span{From: 48000, To: 144000}
	p, err := copying.Plan(s, copying.Request{Span: span, Track: "t1", Onto: "t2", At: 48000})
	if err != nil || len(p.Over) != 1 || p.Over[0] != "tune" {
		t.Fatalf("%+v, %v", p, err)
	}
	now := scenetest.Must(t, s, p.Edit)
	music := now.Track("t2")
	if len(music.Clips) != 2 || music.Clips[0].Start != 48000 || music.Clips[0].Length != 96000 ||
		music.Clips[1].Start != 144000 || len(now.Track("t1").Clips) != 1 {
		t.Errorf("%+v", music.Clips)
	}
	p, err = copying.Plan(s, copying.Request{Span: span, Track: "t1", Onto: "t2", At: 240000})
	if err != nil || len(p.Over) != 0 {
		t.Errorf("where nothing lies: %+v, %v", p, err)
	}
	for _, a := range []copying.Request{
		{Span: span, Track: "t9"},
		{Span: span, Track: "t1", Onto: "t9"},
		{Span: pcm.Span{From: 300000, To: 310000}, Track: "t1", Onto: "t2"},
		{Span: span, Track: s.Tracks[0].ID, Onto: "t2"},
	} {
		if _, err := copying.Plan(s, a); err == nil {
			t.Errorf("%+v is planned", a)
		}
	}
}
