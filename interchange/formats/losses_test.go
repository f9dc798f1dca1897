package formats_test

import (
	"math/big"
	"slices"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	_ "blendseam/interchange/formats"
	"blendseam/internal/scenetest"
)

// What a format does not carry of a clip is said clip by clip, before it is written and in the file's own remarks,
// which are read without a complaint.
func TestLossesAreNamedClipByClip(t *testing.T) {
	s := scenetest.Must(t, scene.New("lossy", timecode.F25, 48000),
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", URL: "a.wav", Samples: 480000, Channels: 1}},
		&edit.AddTrack{Name: "Dialogue", Purpose: scene.ForDialogue},
		&edit.Add{Track: "t1", Source: "a", Length: 96000},
		&edit.Add{Track: "t1", Source: "a", Start: 96000, Length: 96000})
	clips := s.Tracks[0].Clips
	s = scenetest.Must(t, s, &edit.AddLull{Clip: clips[1].ID, From: 97000, To: 116000},
		&edit.SetFilters{Clips: []scene.ClipID{clips[1].ID}, Filters: &eq.Filters{LowCutHz: 80}})
	for _, f := range interchange.Formats() {
		lost := f.LostOf(s)
		if len(f.Lacks) == 0 {
			if len(lost) > 0 {
				t.Errorf("%s carries all and loses %v", f.Name, lost)
			}
			continue
		}
		i := slices.IndexFunc(lost, func(l interchange.Loss) bool { return l.At == 96000 })
		if i < 0 || len(lost[i].What) < 2 || lost[i].Track != "Dialogue" ||
			slices.ContainsFunc(lost, func(l interchange.Loss) bool { return l.At == 0 }) {
			t.Errorf("%s loses %+v", f.Name, lost)
			continue
		}
		raw, err := f.Write(s)
		if err != nil || !strings.Contains(string(raw), lost[i].Words(s)) {
			t.Errorf("%s does not say %q in its file, %v", f.Name, lost[i].Words(s), err)
		}
		length := func(string) (sound, picture *big.Rat) { return big.NewRat(10, 1), nil }
		if _, warnings, err := f.Read(raw, interchange.Hints{Length: length}); err != nil ||
			slices.ContainsFunc(warnings, func(w string) bool { return strings.Contains(w, "CARRIED") }) {
			t.Errorf("%s is read with %v, %v", f.Name, warnings, err)
		}
	}
}
