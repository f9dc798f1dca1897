package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// A ReachAnswer is how far a hand may go with what it holds, at a revision; there is none if it can hold nothing there.
type ReachAnswer struct {
	Revision int64       `json:"revision"`
	Reach    *edit.Reach `json:"reach,omitempty"`
}

// reach answers with the limits of a clip or of an edge of it, and with what goes along.
func (s *Server) reach(w http.ResponseWriter, r *http.Request) error {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	a, q := ReachAnswer{Revision: st.Revision}, r.URL.Query()
	clip, edge := scene.ClipID(q.Get("clip")), scene.Side(q.Get("edge"))
	if reach, ok := edit.ReachOf(st.Scene, clip, edge, edit.Gesture(q.Get("doing"))); ok {
		a.Reach = &reach
	}
	return s.answer(w, http.StatusOK, a)
}
