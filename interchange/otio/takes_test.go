package otio_test

import (
	"reflect"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/scenetest"
)

// The takes under a clip come back from a file with their places, their work and their blends.
func TestTakesComeBack(t *testing.T) {
	s := filed(t, timecode.F25, 4800)
	clips := s.Tracks[1].Clips
	id := clips[1].ID
	s = scenetest.Must(t, s,
		&edit.AddTake{Clip: id, Source: "s2", Shift: -30000, Name: "farther"},
		&edit.AddTake{Clip: id, Source: "s1", Shift: 70000},
		&edit.UseTake{Clip: id, Number: 2},
		&edit.SetBlend{Left: clips[0].ID, Right: id, Before: 700, After: 800, Law: blend.Matched},
		&edit.AddLull{Clip: id, From: clips[1].Start + 2000, To: clips[1].Start + 9000, DepthDB: 6},
		&edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: 100000, DB: -3}, {At: 120000, DB: 1}}},
		&edit.SetFilters{Clips: []scene.ClipID{id}, Filters: &eq.Filters{LowCutHz: 90}},
		&edit.UseTake{Clip: id, Number: 3},
	)
	raw, err := otio.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	back, warnings, err := otio.Read(raw, nil)
	if err != nil || len(warnings) > 0 {
		t.Fatal(err, warnings)
	}
	was, is := s.Tracks[1].Clips[1].Takes, back.Tracks[1].Clips[1].Takes
	if is == nil || len(is.Others) != 2 || is.Number != 3 {
		t.Fatalf("takes came back as %+v", is)
	}
	names := map[string]string{} // of sources, by what the file calls them
	for id, src := range back.Sources {
		names[id] = strings.TrimSuffix(src.URL, ".wav")
	}
	for k := range is.Others {
		got, want := is.Others[k], was.Others[k]
		if got.Source = names[got.Source]; len(got.Lulls) > 0 && len(want.Lulls) > 0 {
			got.Lulls[0].ID = want.Lulls[0].ID
		}
		if !reflect.DeepEqual(got, want) {
			t.Errorf("take %d came back as\n%+v, was\n%+v", want.Number, got, want)
		}
	}
	for was, want := range map[string]string{
		`"takes": [`:   `"takes": "all", "x": [`,
		`"number": 1`:  `"number": 9000000`,
		`"shift": {`:   `"x": {`,
		`"in_offset":`: `"in_offset": "long", "x":`,
	} {
		if _, _, err := otio.Read([]byte(strings.Replace(string(raw), was, want, 1)), nil); err == nil {
			t.Errorf("%s in place of %s is read", want, was)
		}
	}
}
