package otio_test

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/scenetest"
)

// Clips that run at another speed or backwards, of sound and of picture, and all treatments come back from a file as
// they were.
func TestSpeedsAndTreatmentsComeBack(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976} {
		s := scenetest.Mixed(t, rate)
		for id, src := range s.Sources {
			src.URL = id + ".wav"
			s.Sources[id] = src
		}
		voice := s.Tracks[1].Clips[1].ID
		rng := rand.New(rand.NewPCG(1, 1))
		chain := scenetest.Chain(rng)
		chain.Reverb.Room, chain.Reverb.Source = "", s.Tracks[1].Clips[0].Source
		s = scenetest.Must(t, s, &edit.Speed{Clip: voice, Times: 2, Ease: 4800})
		s = scenetest.Must(t, s, &edit.Speed{Clip: s.Tracks[1].Clips[0].ID, Times: 1.25, Reverse: true})
		s = scenetest.Must(t, s, &edit.SetTreatments{Clips: []scene.ClipID{voice}, Treatments: chain})
		s = scenetest.Must(t, s, &edit.SetTreatments{Tracks: []scene.TrackID{s.Tracks[1].ID}, Treatments: chain})
		raw, err := otio.Write(s)
		if err != nil {
			t.Fatal(err)
		}
		back, _, err := otio.Read(raw, nil)
		if err != nil {
			t.Fatal(err)
		}
		for k, was := range s.Tracks {
			for i, c := range was.Clips {
				o := back.Tracks[k].Clips[i]
				a, b := scene.FitOf(s, c.Source), scene.FitOf(back, o.Source)
				if c.In != o.In || c.Start != o.Start || c.Length != o.Length || !reflect.DeepEqual(a.Parts, b.Parts) ||
					a.Reversed != b.Reversed {
					t.Errorf("%s: %s on %s came back from %d, %d long, as %+v; was from %d, %d long, as %+v",
						rate, c.Name, was.Name, o.In, o.Length, b, c.In, c.Length, a)
				}
				if !reflect.DeepEqual(c.Treatments.With("x"), o.Treatments.With("x")) {
					t.Errorf("%s: the treatments of %s came back as %s", rate, c.Name, o.Treatments.Key())
				}
				if id := o.Treatments.Impulse(); id != "" && back.Sources[id].URL != s.Sources[c.Treatments.Impulse()].URL {
					t.Errorf("its impulse is %q", back.Sources[id].URL)
				}
			}
			if !reflect.DeepEqual(was.Treatments.With("x"), back.Tracks[k].Treatments.With("x")) {
				t.Errorf("%s: the treatments of track %s came back as %+v", rate, was.Name, back.Tracks[k].Treatments)
			}
		}
	}
}
