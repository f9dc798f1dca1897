package otio_test

import (
	"math/rand/v2"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/scenetest"
)

// What edits make can be read from the scene's own file: the estimate by which they are refused is never under what is
// written, and tiny gains come back as none.
func TestWhatEditsMakeCanBeRead(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	s := scenetest.Mixed(t, timecode.F25)
	for i := range 800 {
		e := scenetest.Random(s, rng)
		if i%16 == 0 {
			e = scenetest.Treating(s, rng)
		}
		next, err := edit.Apply(s, e)
		if err != nil {
			continue
		}
		s = next
		raw, err := otio.Write(s)
		if err != nil {
			t.Fatal(err)
		}
		if most := scene.FileBytes(s); int64(len(raw)) > most {
			t.Fatalf("the file has %d bytes, and %d are estimated", len(raw), most)
		}
	}
	s = scene.New("tiny", timecode.F25, 48000)
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", URL: "a.wav", Samples: 48000, Channels: 1}},
		&edit.Add{Track: "t1", Source: "a", Length: 48000})
	s = scenetest.Must(t, s, &edit.SetLevel{Clip: s.Tracks[0].Clips[0].ID,
		Points: []scene.LevelPoint{{At: 0, DB: 1e-300}, {At: 10, DB: -6}}})
	raw, err := otio.Write(s)
	if err == nil {
		_, _, err = otio.Read(raw, nil)
	}
	if err != nil {
		t.Errorf("a level of 1e-300 dB: %v", err)
	}
}
