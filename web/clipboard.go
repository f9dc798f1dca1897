package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/copying"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// try says in words what an edit would do, or why it cannot be done; nothing is changed.
func (s *Server) try(w http.ResponseWriter, r *http.Request) error {
	_, e, err := s.editAsked(w, r, s.Look)
	if err != nil {
		return err
	}
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	after, err := edit.Apply(st.Scene, e)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "words": edit.Describe(st.Scene, after, e)})
}

// copied answers with a range of the scene on its own, as a paste takes it.
func (s *Server) copied(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		From   int64           `json:"from"`
		To     int64           `json:"to"`
		Tracks []scene.TrackID `json:"tracks"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	p, dropped, err := edit.Copy(st.Scene, pcm.Span{From: q.From, To: q.To}, q.Tracks)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"piece": p, "words": p.Describe(dropped)})
}

// copyPlan answers with the edit that copies what lies on a track onto another, and what it would lie over.
func (s *Server) copyPlan(w http.ResponseWriter, r *http.Request) error {
	var q copying.Request
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	p, err := copying.Plan(st.Scene, q)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "edit": edit.Wire{Edit: p.Edit},
		"over": p.Over})
}

// pasteInPauses answers with the edit that a paste becomes where it is to be heard only while nobody speaks.
func (s *Server) pasteInPauses(w http.ResponseWriter, r *http.Request) error {
	_, e, err := s.editAsked(w, r, s.Look)
	if err != nil {
		return err
	}
	paste, ok := e.(*edit.Paste)
	if !ok {
		return refuse.Errorf("Only a paste can keep to pauses.")
	}
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	words, err := st.SpokenIn(r.Context(), pcm.Span{From: paste.At, To: paste.At + paste.Clipboard.Length})
	if err != nil {
		return err
	}
	laid, err := copying.InPauses(st.Scene, paste, words)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "edit": edit.Wire{Edit: laid}})
}
