package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/workspace"
)

// TakesAnswer is where recordings say what a clip says.
type TakesAnswer struct {
	Revision int64                 `json:"revision"`
	List     []workspace.TakeFound `json:"list"`
	Unheard  []string              `json:"unheard"` // names of recordings that cannot be listened to
}

// takes answers with where recordings of the scene, or the one that is named, say what a clip says.
func (s *Server) takes(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	list, unheard, err := st.Takes(r.Context(), scene.ClipID(chi.URLParam(r, "clip")), r.URL.Query().Get("source"))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, TakesAnswer{st.Revision, list, unheard})
}

// TakeAnswer is what lets another take sound.
type TakeAnswer struct {
	Revision int64 `json:"revision"`
	Edit     any   `json:"edit" tstype:"unknown"`
}

// take answers with what lets another take sound in the place of a clip, or of the part of it in a stretch of the
// scene.
func (s *Server) take(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	number, err := number(r, "number", 1, farthest)
	if err != nil {
		return err
	}
	e := edit.UseTake{Clip: scene.ClipID(chi.URLParam(r, "clip")), Number: int(number)}
	if r.URL.Query().Has("to") {
		span, err := spanAsked(r, st.Scene, "from", "to")
		if err != nil {
			return err
		}
		e.From, e.To = span.From, span.To
	}
	edit, err := st.UseTake(r.Context(), e)
	if err != nil {
		return err
	}
	a := TakeAnswer{Revision: st.Revision}
	if a.Edit, err = marshalled(edit); err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, a)
}
