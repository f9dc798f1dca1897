package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"blendseam/app"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/ingest"
	"blendseam/media"
	"blendseam/store"
	"blendseam/workspace"
)

// crowd is a scene of 2,000 clips on eight tracks, a third of them blended.
func crowd(b *testing.B) *scene.Scene {
	b.Helper()
	s := scene.New("crowd", timecode.F25, 48000)
	do := func(e edit.Edit) {
		next, err := edit.Apply(s, e)
		if err != nil {
			b.Fatal(edit.Message(err))
		}
		s = next
	}
	do(&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 48000 * 3600, Channels: 1}})
	for t := range 8 {
		do(&edit.AddTrack{Name: fmt.Sprint(t), Purpose: "dialogue"})
		for k := range int64(250) {
			do(&edit.Add{Track: s.Tracks[t].ID, Source: "a", In: 480000 + k*1920, Start: k * 96000, Length: 96000})
			if clips := s.Tracks[t].Clips; k%3 == 1 {
				do(&edit.SetBlend{Left: clips[k-1].ID, Right: clips[k].ID, Before: 3840, After: 3840, Law: "constant_power"})
			}
		}
	}
	return s
}

// BenchmarkEditOf2000Clips measures what a page waits for: an edit applied, stored and answered over HTTP. The metric
// is the 99th percentile.
func BenchmarkEditOf2000Clips(b *testing.B) {
	st, err := store.Open(context.Background(), private.DSN)
	if err != nil {
		b.Fatal(err)
	}
	defer st.Close()
	l, err := media.OpenLibrary(filepath.Join(b.TempDir(), "media"))
	if err != nil {
		b.Fatal(err)
	}
	id, err := st.Create(context.Background(), crowd(b), store.FirstProduction)
	if err != nil {
		b.Fatal(err)
	}
	h := httptest.NewServer(
		New(Config{App: &app.App{Workspace: workspace.New(context.Background(), ingest.Ingester{Store: st, Library: l})}}),
	)
	defer h.Close()
	r := rand.New(rand.NewPCG(1, 1))
	var took []time.Duration
	revision := int64(0)
	for b.Loop() {
		state, err := st.Scene(context.Background(), id)
		if err != nil {
			b.Fatal(err)
		}
		clips := state.Scene.Tracks[r.IntN(8)].Clips
		c := clips[r.IntN(len(clips))]
		edit := []map[string]any{
			{"edit": "gain", "clips": []scene.ClipID{c.ID}, "db": -float64(r.IntN(9))},
			{"edit": "trim", "clip": c.ID, "edge": "tail", "to": c.End() - 1920},
			{"edit": "trim", "clip": c.ID, "edge": "tail", "to": c.End() - 1920, "close": true}, // moves all that follows
			{"edit": "fade", "clip": c.ID, "edge": "head", "length": 1920},
		}[r.IntN(4)]
		raw, _ := json.Marshal(map[string]any{"revision": state.Revision, "edit": edit})
		start := time.Now()
		a, err := http.Post(h.URL+"/scenes/"+id+"/edits", "application/json", bytes.NewReader(raw))
		if err != nil {
			b.Fatal(err)
		}
		var answer struct{ Revision int64 }
		json.NewDecoder(a.Body).Decode(&answer)
		a.Body.Close()
		if a.StatusCode == http.StatusOK {
			took = append(took, time.Since(start))
			revision = answer.Revision
		}
	}
	if revision == 0 {
		b.Fatal("no edit was done")
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "p99-ms")
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
}
