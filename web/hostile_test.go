package web

import (
	"bytes"
	"compress/gzip"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/internal/seamtest"
	"blendseam/store"
)

// What a client says of recordings is not believed: over HTTP a source is one that the library has, as it is there.
func TestASourceOfAClientsMakingIsNotTaken(t *testing.T) {
	c := newClient(t)
	id := c.brought(studioOfTwo(t))
	state := c.state(id)
	known := state.Tracks[0].Clips[0].Source
	for what, e := range map[string]any{
		"brought": map[string]any{"edit": "bring",
			"source": map[string]any{"id": "ghost", "name": "ghost", "samples": 1 << 40, "channels": 2}},
		"of a path": map[string]any{"edit": "bring",
			"source": map[string]any{"id": "../../../etc", "name": "etc", "samples": 9, "channels": 2}},
		"a tone": map[string]any{"edit": "bring",
			"source": map[string]any{"id": known, "name": "t", "samples": 9,
				"tone": map[string]any{"seed": 1, "left": []any{map[string]any{"source": known, "from": 0, "to": int64(4e13)}}}}},
		"in a batch": map[string]any{"edit": "several",
			"edits": []any{map[string]any{"edit": "bring", "source": map[string]any{"id": "ghost", "samples": 9}}}},
		"pasted": piece(state, scene.Source{ID: "ghost", Name: "ghost", Samples: 1 << 20, Channels: 1}),
		"pasted as tone": piece(state,
			scene.Source{ID: "tone-1", Name: "t", Samples: 1 << 20,
				Tone: &recipe.Tone{Left: []recipe.Material{{Source: known, To: 40_000_000_000_000}}}}),
		"tone beyond it": map[string]any{"edit": "lay_tone", "name": "t", "from": 0, "to": 48000, "in": state.ToneMiddle(),
			"tone": map[string]any{"seed": 1, "left": []any{map[string]any{"source": known, "from": 0, "to": int64(4e12)}}}},
		"a batch in one": map[string]any{"edit": "several",
			"edits": []any{map[string]any{"edit": "several", "edits": []any{}}}},
		"no track at all": map[string]any{"edit": "paste",
			"piece": map[string]any{"rate": state.Rate, "sample_rate": 48000, "length": 9, "tracks": []any{nil},
				"sources": map[string]any{}}},
		"far away": map[string]any{"edit": "move", "clip": state.Tracks[0].Clips[0].ID, "to": int64(math.MaxInt64)},
	} {
		for _, path := range []string{"edits", "try"} {
			status, raw, _ := c.do("POST", "/scenes/"+id+"/"+path, map[string]any{"revision": state.Revision, "edit": e})
			if status != 400 && status != 422 || strings.Contains(string(raw), "goroutine") {
				t.Errorf("%s, %s: %d %s", what, path, status, raw)
			}
		}
	}
	// What is in the library may be brought, as it is there.
	var done EditAnswer
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{
			"revision": state.Revision,
			"edit": map[string]any{
				"edit":   "bring",
				"source": map[string]any{"id": known, "name": "mine", "samples": 1 << 30, "channels": 2},
			},
		},
		200,
		&done,
	)
	if src := c.state(id).Sources[known]; src.Samples != state.Sources[known].Samples ||
		src.Channels != state.Sources[known].Channels ||
		src.Name != "mine" {
		t.Errorf("the source is %+v, was %+v", src, state.Sources[known])
	}
}

// A batch a thousand deep is refused before anything is made of it.
func TestABatchOfBatchesIsRefusedSoon(t *testing.T) {
	raw := strings.Repeat(`{"edit":"several","edits":[`, 1000) + strings.Repeat("]}", 1000)
	allocs := testing.AllocsPerRun(1, func() {
		if _, err := edit.Parse([]byte(raw)); err == nil || !strings.Contains(err.Error(), "batch") {
			t.Errorf("%v", err)
		}
	})
	if allocs > 1000 {
		t.Errorf("%g allocations", allocs)
	}
	for deep, want := range map[int]bool{1: true, 8: true, 40: false} { // as an earlier release kept them
		raw := strings.Repeat(`{"edit":"several","edits":[`, deep) + strings.Repeat("]}", deep)
		if _, err := edit.ParseKept([]byte(raw)); (err == nil) != want {
			t.Errorf("%d deep: %v", deep, err)
		}
	}
}

// A scene that was kept with a tone that cannot be, as an earlier release did, says so in the list and on its page, and
// stops nothing else.
func TestASceneThatCannotBeMeasuredSaysWhy(t *testing.T) {
	c := newClient(t)
	id := c.brought(studioOfTwo(t))
	state := c.state(id)
	sc := *state.Scene
	sc.Sources = map[string]scene.Source{}
	for k, src := range state.Sources {
		sc.Sources[k] = src
	}
	bad, err := sc.ToneSource(
		recipe.Tone{Left: []recipe.Material{{Source: state.Tracks[0].Clips[0].Source, To: 40_000_000_000_000}}},
		"room",
	)
	if err != nil {
		t.Fatal(err)
	}
	sc.Sources[bad.ID] = bad
	sc.Tracks = append(
		sc.Tracks,
		&scene.Track{
			ID:      "t9",
			Kind:    scene.Sound,
			Purpose: "tone",
			Name:    "Tone",
			Clips:   []scene.Clip{{ID: "c99", Source: bad.ID, Name: "room", In: sc.ToneMiddle(), Start: 0, Length: 48000}},
		},
	)
	if _, err := c.server.Store.Create(t.Context(), &sc, store.FirstProduction); err == nil {
		t.Fatal("a tone beyond its recording was kept")
	}
	hurt := c.keepUnchecked(&sc)
	c.settled(hurt)
	for c.server.Busy() > 0 {
	}
	_, raw, _ := c.do("GET", "/", nil, "Accept", "text/html")
	if !strings.Contains(string(raw), "cannot be measured") {
		t.Error("the list of scenes does not say that it cannot be measured")
	}
	for c.server.Busy() > 0 {
	}
	if c.do("GET", "/", nil); c.server.Busy() > 0 {
		t.Error("what cannot be measured is tried again at every look at the list")
	}
	if a := c.settled(hurt); !strings.Contains(fmt.Sprint(a.Set), "cannot be measured") {
		t.Errorf("the seams are %+v", a.Set)
	}
	if status, raw, _ := c.do("GET", "/scenes/"+id+"/", nil); status != http.StatusOK {
		t.Errorf("the other scene: %d %s", status, raw)
	}
}

// piece pastes a clip of a source of the client's making.
func piece(st StateView, src scene.Source) any {
	return &struct {
		Edit      string         `json:"edit"`
		Clipboard edit.Clipboard `json:"piece"`
		At        int64          `json:"at"`
	}{
		"paste",
		edit.Clipboard{
			Rate:       timecode.F25,
			SampleRate: 48000,
			Length:     48000,
			Sources:    map[string]scene.Source{src.ID: src},
			Tracks: []*scene.Track{
				{
					ID:      st.Tracks[0].ID,
					Kind:    scene.Sound,
					Purpose: "dialogue",
					Name:    "d",
					Clips:   []scene.Clip{{ID: "c1", Source: src.ID, Name: "x", Length: 48000}},
				},
			},
		},
		0,
	}
}

func studioOfTwo(t *testing.T) *seamtest.Studio {
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 3, -50), 0)
	s.Lay("b", seamtest.Bed(2, 3, -50), 2)
	return s
}

func (c *client) state(id string) (st StateView) {
	c.t.Helper()
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &st)
	return st
}

// keepUnchecked keeps a scene as an earlier release would have.
func (c *client) keepUnchecked(sc *scene.Scene) (id string) {
	c.t.Helper()
	db, err := sql.Open("mysql", private.DSN)
	if err != nil {
		c.t.Fatal(err)
	}
	defer db.Close()
	id, err = c.server.Store.Create(c.t.Context(), scene.New(sc.Name, sc.Rate, sc.SampleRate), store.FirstProduction)
	if err != nil {
		c.t.Fatal(err)
	}
	var blob bytes.Buffer
	z := gzip.NewWriter(&blob)
	if err := errors.Join(json.NewEncoder(z).Encode(sc), z.Close()); err != nil {
		c.t.Fatal(err)
	}
	if _, err := db.Exec("UPDATE snapshots SET state = ? WHERE scene = ?", blob.Bytes(), id); err != nil {
		c.t.Fatal(err)
	}
	return id
}
