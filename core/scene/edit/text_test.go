package edit_test

import (
	"math"
	"strings"
	"testing"
	"unicode/utf8"

	"blendseam/core/limit"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/scenetest"
)

// Names and notes that are too long are cut, and it is said; what was short enough is not.
func TestLongNamesAreCutAndItIsSaid(t *testing.T) {
	s := scenetest.Mixed(t, timecode.F25)
	long, fits := strings.Repeat("é", limit.Names+1), strings.Repeat("é", limit.Names)
	clip := s.Tracks[1].Clips[0].ID
	note := strings.Repeat("n", limit.Notes+50)
	for what, e := range map[string]edit.Edit{
		"scene": &edit.Rename{Name: long}, "track": &edit.SetTrack{Track: "t2", Name: &long},
		"new track": &edit.AddTrack{Name: long, Purpose: "music"}, "clip": &edit.SetClip{Clip: clip, Name: &long},
		"marker": &edit.AddMarker{Name: long}, "stretch": &edit.SetStretch{Source: "s1", Name: long, To: 9},
		"note":       &edit.SetClip{Clip: clip, Note: &note},
		"in a batch": edit.NewBatch("", &edit.Rename{Name: "x"}, &edit.Rename{Name: long}),
	} {
		next := scenetest.Must(t, s, e)
		words := edit.Describe(s, next, e)
		if !strings.Contains(words, "cut to") || utf8.RuneCountInString(words) > limit.Words+300 {
			t.Errorf("%s: told as %q", what, words)
		}
		if name := next.Name + next.Tracks[1].Name + next.Tracks[1].Clips[0].Name; utf8.RuneCountInString(
			name,
		) > limit.Names+40 ||
			!utf8.ValidString(name) {
			t.Errorf("%s: a name has %d letters", what, utf8.RuneCountInString(name))
		}
		if n := len(next.Tracks[1].Clips[0].Note); n > limit.Notes {
			t.Errorf("%s: a note has %d letters", what, n)
		}
	}
	e := &edit.Rename{Name: fits}
	if next := scenetest.Must(t, s, e); next.Name != fits || strings.Contains(edit.Describe(s, next, e), "cut") {
		t.Error("a name that fits was cut")
	}
}

// A scene whose newest number is the last there is still gives ids that nothing else has.
func TestIdsDoNotRunOut(t *testing.T) {
	for _, last := range []int64{math.MaxInt64, limit.Ids, -5} {
		s := scenetest.Mixed(t, timecode.F25)
		s.LastID = last
		seen := map[string]bool{}
		for range 3 {
			s = scenetest.Must(t, s, &edit.AddMarker{Name: "m"})
		}
		s = scenetest.Must(t, s, &edit.AddTrack{Name: "more", Purpose: "music"})
		for _, tr := range s.Tracks {
			ids := []string{string(tr.ID)}
			for _, c := range tr.Clips {
				ids = append(ids, string(c.ID))
			}
			for _, id := range ids {
				if seen[id] || strings.Contains(id, "-") {
					t.Errorf("after %d the id %s is there twice, or odd", last, id)
				}
				seen[id] = true
			}
		}
	}
}
