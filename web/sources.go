package web

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"maps"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"github.com/go-chi/chi/v5"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/ingest"
	"blendseam/interchange"
	"blendseam/media"
	"blendseam/store"
)

// A SourceView is a recording on the page of sources.
type SourceView struct {
	media.Info
	Shown   string `json:"shown"`   // its name in the scene
	Samples int64  `json:"samples"` // at the scene's rate
	Used    int    `json:"used"`    // clips of it in the scene
	Here    bool   `json:"here"`    // the scene knows it
	Parts   int    `json:"parts"`   // joined recordings of the scene that have it in them
}

func (s *Server) sourceViews(ctx context.Context, sc *scene.Scene) ([]SourceView, error) {
	all, err := s.Store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	used := map[string]int{}
	for _, t := range sc.Tracks {
		for _, c := range t.Clips {
			if t.Kind == scene.Sound || sc.Sources[c.Source].Samples == 0 {
				used[c.Source]++
			}
		}
	}
	parts := map[string]int{}
	for _, src := range sc.Sources {
		for _, id := range scene.PartsOf(sc, src) {
			parts[id]++
		}
	}
	tones, err := s.Store.Tones(ctx)
	if err != nil {
		return nil, err
	}
	madeUp := map[string]bool{}
	for _, t := range tones {
		madeUp[t.Source] = t.MadeUp != ""
	}
	list := make([]SourceView, 0, len(all))
	for _, src := range all {
		if _, here := sc.Sources[src.ID]; madeUp[src.ID] && !here {
			continue // they are on the page of tones
		}
		var v SourceView
		if err := json.Unmarshal(src.Info, &v.Info); err != nil {
			return nil, err
		}
		v.Name = src.Name
		known, here := sc.Sources[src.ID]
		v.Shown, v.Samples, v.Here, v.Used = v.Name, known.Samples, here, used[src.ID]
		v.Parts = parts[src.ID]
		if here {
			v.Shown = known.Name
		}
		list = append(list, v)
	}
	return list, nil
}

func (s *Server) sourcesPage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		return err
	}
	list, err := s.sourceViews(r.Context(), st.Scene)
	if err != nil {
		return err
	}
	return s.page(w, r, "sources", view{Title: "Sources of " + st.Scene.Name, Scene: id, Name: st.Scene.Name,
		Data: map[string]any{"id": id, "rate": st.Scene.SampleRate, "sources": list, "missing": missingOf(st.Scene),
			"media": sheets}})
}

// A MissingView is a recording of a scene that is missing.
type MissingView struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	URL   string `json:"url"`
	Clips int    `json:"clips"`
}

func missingOf(sc *scene.Scene) []MissingView {
	list := []MissingView{}
	for _, id := range slices.Sorted(maps.Keys(sc.Sources)) {
		if !scene.IsMissing(id) {
			continue
		}
		v := MissingView{ID: id, Name: sc.Sources[id].Name, URL: sc.Sources[id].URL}
		for _, t := range sc.Tracks {
			for _, c := range t.Clips {
				if c.Source == id {
					v.Clips++
				}
			}
		}
		list = append(list, v)
	}
	return list
}

// linkSource puts a recording of the library in the place of one that is missing.
func (s *Server) linkSource(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		To string `json:"to"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	missing := chi.URLParam(r, "source")
	return s.editNewest(w, r, func(sc *scene.Scene) (edit.Edit, error) {
		info, err := s.Ingester.Known(r.Context(), q.To)
		if err != nil {
			return nil, err
		}
		if err := s.Library.Prepare(r.Context(), info, sc.SampleRate, sc.Rate); err != nil {
			return nil, err
		}
		to, err := s.Ingester.Source(info, sc)
		if err == nil {
			err = s.Store.Grant(r.Context(), chi.URLParam(r, "scene"), info.ID)
		}
		return &edit.LinkSource{Source: missing, To: to}, err
	})
}

// upload takes one recording as the body of the request, its name in the header Blendseam-Name. Once all of it is here,
// the rest is a job.
func (s *Server) upload(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	if _, err := s.Store.Scene(r.Context(), id); err != nil {
		return err
	}
	if err := s.Room(r.Context(), id, max(0, r.ContentLength)); err != nil {
		return err
	}
	a, name, err := s.receive(r)
	if err != nil {
		return err
	}
	job, err := s.BringIn(r.Context(), id, a, name)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusAccepted, job)
}

// receive takes the body of a request as a file of the name that its header says. Close what it gives.
func (s *Server) receive(r *http.Request) (*media.Arrival, string, error) {
	name, err := nameAsked(r)
	if err != nil {
		return nil, "", err
	}
	a, err := s.Library.Receive(name)
	if err != nil {
		return nil, "", err
	}
	_, err = io.Copy(a, inPieces(r))
	if err == nil {
		return a, name, nil
	}
	a.Close()
	if none := (*media.DiskFull)(nil); errors.As(err, &none) {
		return nil, "", err
	}
	return nil, "", refuse.Errorf("%s did not arrive whole, and nothing of it was kept", name)
}

// nameAsked is the name of the file in a request's body, as far as a file can have it.
func nameAsked(r *http.Request) (string, error) {
	text, err := url.PathUnescape(r.Header.Get("Blendseam-Name"))
	name := filepath.Base(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(text, "\uFFFD")))
	if err != nil || text == "" || name == "." || name == "/" || name == ".." {
		return "", refuse.Errorf("the header Blendseam-Name with the file's name is missing")
	}
	return name, nil
}

// layOut puts a whole recording at the end of the first dialogue track, its picture with it; tracks that are
// missing are made.
func (s *Server) layOut(w http.ResponseWriter, r *http.Request) error {
	source, chosen := chi.URLParam(r, "source"), scene.Purpose(r.URL.Query().Get("purpose"))
	purpose, err := s.Bring(r.Context(), chi.URLParam(r, "scene"), source, chosen)
	if err != nil {
		return err
	}
	return s.editNewest(w, r, func(sc *scene.Scene) (edit.Edit, error) { return edit.LayOut(sc, source, purpose) })
}

// removeSource takes a recording out of the library, if nothing uses it.
func (s *Server) removeSource(w http.ResponseWriter, r *http.Request) error {
	if err := s.Remove(r.Context(), chi.URLParam(r, "source")); err != nil {
		return err
	}
	s.Returned()
	w.WriteHeader(http.StatusNoContent)
	return nil
}

// editNewest does an edit on the scene as it is when its turn comes.
func (s *Server) editNewest(w http.ResponseWriter, r *http.Request, edit func(*scene.Scene) (edit.Edit, error)) error {
	ctx, id := r.Context(), chi.URLParam(r, "scene")
	for {
		st, err := s.Store.Scene(ctx, id)
		if err != nil {
			return err
		}
		e, err := edit(st.Scene)
		if err != nil {
			return err
		}
		c, err := s.Store.Edit(ctx, id, st.Revision, e)
		if stale := (*store.Stale)(nil); errors.As(err, &stale) {
			continue
		}
		return s.edited(w, r, editRequest{}, c, err)
	}
}

// bringSceneFile makes a scene of a scene file whose recordings are here.
func (s *Server) bringSceneFile(w http.ResponseWriter, r *http.Request) error {
	name, err := nameAsked(r)
	if err != nil || !interchange.IsSceneFile(name) {
		return refuse.Errorf("%q is not a scene file; those end in %s", name, interchange.Endings(" or "))
	}
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit.SceneFileBytes))
	if tooLarge := (*http.MaxBytesError)(nil); errors.As(err, &tooLarge) {
		return refuse.Errorf(
			"%s is larger than %s, the most that a scene file may have",
			name,
			limit.Bytes(limit.SceneFileBytes),
		)
	} else if err != nil {
		return refuse.Errorf("%s did not arrive whole, and nothing of it was kept", name)
	}
	chosen := map[string]string{}
	if text, err := url.PathUnescape(
		r.Header.Get("Blendseam-Choices"),
	); err != nil ||
		text != "" && json.Unmarshal([]byte(text), &chosen) != nil {
		return refuse.Errorf("the header Blendseam-Choices is no JSON object of ids by media URL")
	}
	home, err := store.Home(r.Context(), r.URL.Query().Get("production"))
	if err != nil {
		return err
	}
	id, warnings, err := s.Uploaded(r.Context(), raw, name, chosen, home)
	var choices *ingest.Choices
	var full *media.DiskFull
	switch {
	case errors.As(err, &choices):
		return s.answer(w, http.StatusConflict, problem{Message: err.Error(), Choices: choices.List})
	case errors.Is(err, store.ErrUnavailable), errors.As(err, &full):
		return err
	case err != nil:
		return refuse.Because(err)
	}
	if err := s.AnalyseScene(r.Context(), id); err != nil {
		return err
	}
	return s.answer(w, http.StatusCreated, map[string]any{"id": id, "warnings": warnings})
}
