package edit

import (
	"encoding/json"
	"maps"
	"os"
	"testing"

	"blendseam/core/scene"
)

// The vectors are those of the page, which draws such edits before the answer to them comes.
func TestEditsLeaveWhatThePageExpectsOfThem(t *testing.T) {
	raw, err := os.ReadFile("testdata/expected.json")
	if err != nil {
		t.Fatal(err)
	}
	var vectors struct {
		Scene json.RawMessage
		Cases []struct {
			Edit     json.RawMessage
			Gains    map[scene.ClipID]float64
			Blends   map[string][3]any
			NoFadeIn scene.ClipID `json:"no_fade_in"`
		}
	}
	if err := json.Unmarshal(raw, &vectors); err != nil || len(vectors.Cases) < 10 {
		t.Fatal(err, len(vectors.Cases))
	}
	for _, c := range vectors.Cases {
		s := new(scene.Scene)
		if err := json.Unmarshal(vectors.Scene, s); err != nil {
			t.Fatal(err)
		}
		e, err := Parse(c.Edit)
		if err != nil {
			t.Fatalf("%s: %v", c.Edit, err)
		}
		now, err := Apply(s, e)
		if refused := c.Gains == nil && c.Blends == nil; refused != (err != nil) {
			t.Errorf("%s: refused %v, the page expects %v", c.Edit, err, refused)
			continue
		} else if refused {
			continue
		}
		for id, want := range c.Gains {
			if _, clip := now.Clip(id); clip.GainDB != want {
				t.Errorf("%s: %s has %g dB, the page expects %g", c.Edit, id, clip.GainDB, want)
			}
		}
		blends := map[string][3]any{}
		for _, b := range now.Tracks[0].Blends {
			blends[string(b.Left+" "+b.Right)] = [3]any{float64(b.Before), float64(b.After), string(b.Law)}
		}
		if c.Blends != nil && !maps.Equal(blends, c.Blends) {
			t.Errorf("%s: %v, the page expects %v", c.Edit, blends, c.Blends)
		}
		if c.NoFadeIn != "" {
			if _, clip := now.Clip(c.NoFadeIn); clip.FadeIn.Length != 0 {
				t.Errorf("%s: %s keeps its fade", c.Edit, c.NoFadeIn)
			}
		}
	}
}
