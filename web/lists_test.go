package web

import (
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"

	"blendseam/core/audit"
)

// Lists on the wire are never null: a page reads them without asking whether they are there. What may be null is a
// single thing that there is none of.
func TestListsAreNeverNull(t *testing.T) {
	none := map[string]bool{"outgoing": true, "incoming": true, "handle_before": true, "handle_after": true,
		"edit": true}
	for _, m := range audit.Table {
		none[m.Key] = true
	}
	c := newClient(t)
	voices, state := c.twoVoices()
	empty, bare := c.newScene(), c.newScene()
	c.edit(bare, 0, map[string]any{"edit": "add_track", "name": "Bare", "purpose": "music"})
	source := ""
	for id := range state.Sources {
		source = id
	}
	seam := url.QueryEscape(string(c.settled(voices).Order[1]))
	paths := []string{"/commands", "/blends", "/tones"}
	for _, id := range []string{voices, empty, bare} {
		for _, p := range []string{"state", "seams", "history", "findings", "loud/list", "mixdowns"} {
			paths = append(paths, "/scenes/"+id+"/"+p)
		}
	}
	for _, p := range []string{
		"bench?bins=20&from=0&to=96000&seam=" + seam, "places?window=100&seam=" + seam, "proposal?seam=" + seam,
		"sources/" + source + "/state", "voices/list", "margins", "clips/" + string(state.Tracks[0].Clips[0].ID) + "/curve",
		"meters?from=0&n=9600", "reach?doing=slip&clip=" + string(state.Tracks[0].Clips[0].ID),
	} {
		paths = append(paths, "/scenes/"+voices+"/"+p)
	}
	for _, path := range paths {
		var got any
		c.json("GET", path, nil, 200, &got)
		for _, at := range nulls(got, "") {
			if key := at[strings.LastIndexByte(at, '/')+1:]; !none[key] {
				t.Errorf("%s: null at %s", path, at)
			}
		}
	}
	edit := json.RawMessage(`{"edit":"add_marker","at":5,"name":"here"}`)
	var done any
	c.json("POST", "/scenes/"+voices+"/edits", map[string]any{"revision": state.Revision, "edit": edit}, 200, &done)
	if list := nulls(done, ""); len(list) > 0 {
		t.Errorf("the answer to an edit: null at %v", list)
	}
}

// nulls are the places of nulls in what was read from JSON.
func nulls(v any, at string) (list []string) {
	switch x := v.(type) {
	case nil:
		if at != "" {
			list = append(list, at)
		}
	case []any:
		for i, y := range x {
			list = append(list, nulls(y, fmt.Sprintf("%s/%d", at, i))...)
		}
	case map[string]any:
		for k, y := range x {
			list = append(list, nulls(y, at+"/"+k)...)
		}
	}
	return list
}
