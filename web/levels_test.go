package web

import (
	"testing"

	"blendseam/core/scene"
)

// A track that is to make way for words is told where they are with the same edit, and one undo takes both back; so is
// a range whose slopes are to lie in pauses.
func TestEditsThatNeedWordsAreToldWhereTheyAre(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	voices := state.Tracks[0].ID
	do := func(e any) StateView {
		t.Helper()
		c.edit(id, c.state(id).Revision, e)
		return c.state(id)
	}
	state = do(map[string]any{"edit": "add_track", "name": "Tune", "purpose": "music"})
	tune := state.Tracks[len(state.Tracks)-1].ID
	heard := func(s StateView) (n int) {
		for _, src := range s.Sources {
			if src.Speech != nil && len(src.Speech.Words) > 0 {
				n++
			}
		}
		return n
	}
	duck := scene.NewDuck(state.Scene, []scene.TrackID{voices}, 6)
	after := do(map[string]any{"edit": "set_ducks", "track": tune, "ducks": []scene.Duck{duck}})
	if heard(after) != len(after.Sources) || len(scene.DuckLine(after.Scene, after.Track(tune))) == 0 {
		t.Errorf("of %d recordings the words of %d are known", len(after.Sources), heard(after))
	}
	var answer EditAnswer
	c.json("POST", "/scenes/"+id+"/undo", map[string]any{"revision": after.Revision}, 200, &answer)
	undone := c.state(id)
	if heard(undone) != 0 || len(undone.Track(tune).Ducks) != 0 {
		t.Errorf("taken back, %d words are known, the track has %+v", heard(undone), undone.Track(tune).Ducks)
	}
	raised := do(map[string]any{
		"edit": "raise", "from": 24000, "to": 48000, "db": -3, "in": 3840, "out": 3840, "pauses": true,
	})
	if heard(raised) == 0 {
		t.Error("a range with its slopes in pauses is not told where the words are")
	}
}
