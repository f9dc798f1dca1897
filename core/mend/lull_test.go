package mend_test

import (
	"context"
	"math"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/seamtest"
)

// A lull of music is an editor's wish: its slopes are no clicks, no tone is offered for it, and no room is behind it.
func TestALullOfMusicIsNoClickAndGetsNoTone(t *testing.T) {
	s := seamtest.New(t)
	s.Do(&edit.AddTrack{Name: "Music", Purpose: scene.ForMusic})
	music := s.Scene.Tracks[len(s.Scene.Tracks)-1].ID
	tune := pcm.NewBlock(1, 8*seamtest.Rate) // chords that change every half second
	for i := range tune[0] {
		at := float64(i) / seamtest.Rate
		for _, f := range []float64{220, 277.2, 329.6, 1318.5} {
			tune[0][i] += 0.1 * math.Sin(2*math.Pi*f*math.Pow(2, math.Floor(2*at)/12)*at)
		}
	}
	s.Sound["tune"] = tune
	s.Do(&edit.Bring{Source: scene.Source{ID: "tune", Name: "tune", Samples: tune.Len(), Channels: 1}})
	s.Do(&edit.Add{Track: music, Source: "tune", Length: tune.Len()})
	s.Lay("room", seamtest.Bed(7, 12, -62), 0) // so that a lull is no dead silence
	clip := s.Scene.Track(music).Clips[0].ID
	fade := int64(seamtest.Rate / 25)
	for _, depth := range []float64{0, 12} {
		before := s.Scene
		s.Do(&edit.AddLull{Clip: clip, From: 3 * seamtest.Rate, To: 5 * seamtest.Rate, DepthDB: depth, FadeIn: &fade,
			FadeOut: &fade})
		r := seamtest.Of(t, s.Measure(), audit.Lull)
		if r.Verdict != audit.Clean || r.Measures.ClickDB == nil || *r.Measures.ClickDB > 1 {
			t.Errorf("by %v dB: %s, %s", depth, r.Verdict, r.Why)
		}
		m := mend.New(s.Meter())
		if p, err := m.Propose(context.Background(), r); err != nil || p.Edit != nil {
			t.Errorf("by %v dB: %q is offered, %v", depth, p.Did, err)
		}
		s.Scene = before
	}
	// Cut off hard it does click.
	none := int64(0)
	s.Do(&edit.AddLull{Clip: clip, From: 3*seamtest.Rate + 11, To: 5*seamtest.Rate + 7, FadeIn: &none, FadeOut: &none})
	if r := seamtest.Of(t, s.Measure(), audit.Lull); r.Cause != audit.Click {
		t.Errorf("without slopes: %s, %s", r.Verdict, r.Why)
	}
}
