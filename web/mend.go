package web

import (
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/core/limit"
	"blendseam/core/mend"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/interchange/report"
)

// A ProposalView is a proposal as the page shows it.
type ProposalView struct {
	Proposal mend.Proposal `json:"proposal"`
	Name     string        `json:"name"`
	TC       string        `json:"tc"`
}

func proposalViewOf(sc *scene.Scene, p mend.Proposal) ProposalView {
	row := report.RowOf(sc, p.Before)
	return ProposalView{p, row.Name(), row.AtTC}
}

// proposal answers with what would mend one seam.
func (s *Server) proposal(w http.ResponseWriter, r *http.Request) error {
	ctx := r.Context()
	sc, x, ok, err := s.seamAsked(r, audit.SeamID(r.URL.Query().Get("seam")))
	if err != nil {
		return err
	}
	if !ok {
		return s.answer(w, http.StatusOK, nil)
	}
	before, err := sc.Measured(ctx, x)
	if err != nil {
		return err
	}
	m, err := sc.Adviser(ctx)
	if err != nil {
		return err
	}
	p, err := m.Propose(ctx, before)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, proposalViewOf(sc.Scene, p))
}

// places answers with the best places for a cut.
func (s *Server) places(w http.ResponseWriter, r *http.Request) error {
	window, err := number(r, "window", 5, 2000)
	if err != nil {
		return err
	}
	sc, x, ok, err := s.seamAsked(r, audit.SeamID(r.URL.Query().Get("seam")))
	if err != nil {
		return err
	}
	if !ok {
		return s.answer(w, http.StatusOK, nil)
	}
	m, err := sc.Adviser(r.Context())
	if err != nil {
		return err
	}
	p, err := m.Places(r.Context(), x, float64(window))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, p)
}

// mend answers with what would mend the whole scene; nothing is changed. Progress is told to the scene's pages.
func (s *Server) mend(w http.ResponseWriter, r *http.Request) error {
	// Only once all of a request is read is it seen that whoever sent it has gone.
	if _, err := io.Copy(io.Discard, http.MaxBytesReader(w, r.Body, limit.RequestBytes)); err != nil {
		return refuse.Because(err)
	}
	sc, err := s.opened(r)
	if err != nil {
		return err
	}
	m, err := sc.Mend(r.Context(), mend.MendOptions{Progress: func(done, of int) {
		s.Hub.Tell(sc.Key.Scene, "mending", map[string]int{"done": done, "of": of})
	}})
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": sc.Revision,
		"changes": proposalViews(sc.Scene, m.Changes), "left": proposalViews(sc.Scene, m.Left)})
}

func proposalViews(sc *scene.Scene, list []mend.Proposal) []ProposalView {
	out := []ProposalView{}
	for _, p := range list {
		out = append(out, proposalViewOf(sc, p))
	}
	return out
}

// accept lets a seam be as it sounds, or no more.
func (s *Server) accept(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		editRequest
		Seam audit.SeamID `json:"seam"`
		Note string       `json:"note"`
		Off  bool         `json:"off"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	sc, x, ok, err := s.seamAsked(r, q.Seam)
	if err != nil {
		return err
	}
	if !ok {
		return s.answer(w, http.StatusOK, nil)
	}
	e := &edit.Accept{Left: x.Left, Right: x.Right, Note: q.Note}
	if !q.Off {
		e.Sound = audit.Sound(sc.Scene, x)
	}
	c, err := s.Store.Edit(r.Context(), chi.URLParam(r, "scene"), q.Revision, e)
	return s.edited(w, r, q.editRequest, c, err)
}
