package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/workspace"
)

// opened gives the scene that a request is about.
func (s *Server) opened(r *http.Request) (*workspace.Scene, error) {
	return s.Open(r.Context(), chi.URLParam(r, "scene"))
}

// seamAsked gives the scene and the seam that a request names. There is none if an edit took it away while the page was
// asking.
func (s *Server) seamAsked(r *http.Request, id audit.SeamID) (sc *workspace.Scene, x audit.Seam, ok bool, err error) {
	if sc, err = s.opened(r); err != nil {
		return nil, x, false, err
	}
	x, ok, err = sc.Seam(r.Context(), id)
	return sc, x, ok, err
}

// seamList answers with the seams of the scene, and how many are still to be measured.
func (s *Server) seamList(w http.ResponseWriter, r *http.Request) error {
	since, err := number(r, "since", 0, farthest)
	if r.URL.Query().Get("since") != "" && err != nil {
		return err
	}
	sc, err := s.opened(r)
	if err != nil {
		return err
	}
	a, err := sc.Seams(r.Context(), since)
	if err != nil {
		return err
	}
	if a.Pending > 0 {
		sc.Measure()
	}
	return s.answer(w, http.StatusOK, a)
}
