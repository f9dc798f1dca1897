package otio_test

import (
	"reflect"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/scenetest"
)

// filed is scenetest's mixed scene with files for its recordings, whose first moments files give a time.
func filed(t *testing.T, rate timecode.Rate, offset int64) *scene.Scene {
	s := scenetest.Mixed(t, rate)
	for id, src := range s.Sources {
		src.URL, src.Offset = id+".wav", offset
		s = scenetest.Must(t, s, &edit.Bring{Source: src})
	}
	return s
}

// How tracks make way for words, where the words are, balance, filters and what brings a clip near another come back
// from a file as they were, whatever the ids are then.
func TestDucksAndTreatmentsComeBack(t *testing.T) {
	s := filed(t, timecode.F25, 0)
	clips := s.Tracks[1].Clips
	duck := scene.Duck{
		Under: []scene.TrackID{"t2"}, Clips: []scene.ClipID{clips[1].ID, clips[2].ID}, DB: 7.5, Down: 1000, Up: 2001,
		Before: 30, After: 40, Hold: 5000, Except: []pcm.Span{{From: 100, To: 9000}},
	}
	balance := -0.25
	like := &eq.Like{ThirdsDB: make([]float64, eq.Thirds), GainDB: 8.5, Strength: 60, As: "Oda"}
	like.ThirdsDB[3] = -4.25
	filters := &eq.Filters{
		LowCutHz: 80, HighShelf: &eq.Shelf{Hz: 4000, DB: 3}, Bells: []eq.Bell{{Hz: 900, DB: -3, Q: 1.5}}, Off: true,
	}
	s = scenetest.Must(t, s,
		&edit.SetDucks{Track: "t3", Ducks: []scene.Duck{duck, scene.NewDuck(s, []scene.TrackID{"t2"}, 3)}},
		&edit.SetSpeech{Words: map[string][]pcm.Span{"s1": {{From: 20000, To: 40000}}, "s2": {}}},
		&edit.SetTrack{Track: "t3", Balance: &balance},
		&edit.SetFilters{Tracks: []scene.TrackID{"t3"}, Filters: filters},
		&edit.SetFilters{Clips: []scene.ClipID{clips[0].ID}, Filters: filters},
		&edit.SetLike{Clips: []scene.ClipID{clips[0].ID}, Like: like},
	)
	raw, err := otio.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	back, warnings, err := otio.Read(raw, nil)
	if err != nil || len(warnings) > 0 {
		t.Fatal(err, warnings)
	}
	track := back.Tracks[2]
	if !reflect.DeepEqual(scene.DuckLine(back, track), scene.DuckLine(s, s.Track("t3"))) || len(track.Ducks) != 2 {
		t.Errorf("ducks came back as %+v", track.Ducks)
	}
	if got := track.Ducks[0]; got.Under[0] != back.Tracks[1].ID || got.Clips[1] != back.Tracks[1].Clips[2].ID ||
		!reflect.DeepEqual(got.Except, duck.Except) || got.Hold != duck.Hold {
		t.Errorf("the first came back as %+v", got)
	}
	if c := back.Tracks[1].Clips[0]; track.Balance != balance || !reflect.DeepEqual(track.Filters, filters) ||
		!reflect.DeepEqual(c.Filters, filters) || !reflect.DeepEqual(c.Like, like) {
		t.Errorf("balance %g, filters %+v and %+v, like %+v", track.Balance, track.Filters, c.Filters, c.Like)
	}
	for _, src := range back.Sources {
		if src.Speech == nil {
			t.Errorf("the words of %s are not known any more", src.Name)
		}
	}
	for was, want := range map[string]string{
		`"db": 7.5`:        `"db": -7.5`,
		`"balance": -0.25`: `"balance": 4`,
		`"q": 1.5`:         `"q": 99`,
		`"under": [`:       `"under": "all", "x": [`,
		`"words": [`:       `"words": "none", "x": [`,
	} {
		if _, _, err := otio.Read([]byte(strings.Replace(string(raw), was, want, 1)), nil); err == nil {
			t.Errorf("%s in place of %s is read", want, was)
		}
	}
}
