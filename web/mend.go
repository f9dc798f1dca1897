package web

import (
	"context"
	"net/http"
	"slices"
	"sync"

	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/interchange/report"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
)

// seamAsked gives the state of the scene, its meter and the seam that a request names; ok is false once it has answered.
func (s *Server) seamAsked(w http.ResponseWriter, r *http.Request, id string) (st store.State, m *seam.Meter, x seam.Seam, ok bool) {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	found := s.seams.state(st.Scene).found
	i := slices.IndexFunc(found, func(x seam.Seam) bool { return x.ID == id })
	if i < 0 { // an edit took it away while the page was asking
		s.answer(w, http.StatusOK, nil)
		return
	}
	if m, err = s.sound.meter(st.Scene); err != nil {
		s.fail(w, r, err)
		return
	}
	return st, m, found[i], true
}

// measured gives the measures of a seam, which may be known under its key.
func (s *Server) measured(m *seam.Meter, x seam.Seam, key string) (seam.Result, error) {
	if r, ok := s.seams.get(key); ok {
		r.Seam = x
		return r, nil
	}
	r, err := m.Seam(x)
	if err == nil {
		s.seams.keep(key, r)
	}
	return r, err
}

// A proposalView is a proposal as the page shows it.
type proposalView struct {
	Proposal seam.Proposal `json:"proposal"`
	Name     string        `json:"name"`
	TC       string        `json:"tc"`
}

func proposalViewOf(sc *scene.Scene, p seam.Proposal) proposalView {
	row := report.RowOf(sc, p.Before)
	return proposalView{p, row.Name(), row.AtTC}
}

// proposal answers with what would mend one seam.
func (s *Server) proposal(w http.ResponseWriter, r *http.Request) {
	st, m, x, ok := s.seamAsked(w, r, r.URL.Query().Get("seam"))
	if !ok {
		return
	}
	before, err := s.measured(m, x, s.seams.key(st.Scene, x))
	var p seam.Proposal
	if err == nil {
		p, err = m.Propose(before)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.answer(w, http.StatusOK, proposalViewOf(st.Scene, p))
}

// places answers with the best places for a cut.
func (s *Server) places(w http.ResponseWriter, r *http.Request) {
	window, err := number(r, "window", 5, 2000)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	_, m, x, ok := s.seamAsked(w, r, r.URL.Query().Get("seam"))
	if !ok {
		return
	}
	p, err := m.Places(x, float64(window))
	if err != nil {
		s.fail(w, r, errBadRequest{err})
		return
	}
	s.answer(w, http.StatusOK, p)
}

// latest keeps what was found for what was asked for last. One search goes on at a time: it takes all processors.
type latest[K comparable, V any] struct {
	mu    sync.Mutex
	known bool
	key   K
	value V
}

func (l *latest[K, V]) of(key K, find func() (V, error)) (V, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.known && l.key == key {
		return l.value, nil
	}
	value, err := find()
	if err == nil {
		l.known, l.key, l.value = true, key, value
	}
	return value, err
}

// mend answers with what would mend the whole scene; nothing is changed. Progress is told to the scene's pages.
func (s *Server) mend(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	all, err := s.allMeasured(r.Context(), st.Scene)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	m, err := s.mendings.of(st.Scene, func() (*seam.Mending, error) {
		return seam.Mend(st.Scene, s.sound.open(st.Scene), all, 0, func(done, of int) {
			s.news.tell(id, "mending", map[string]int{"done": done, "of": of})
		})
	})
	if err != nil {
		s.fail(w, r, err)
		return
	}
	views := func(list []seam.Proposal) []proposalView {
		out := []proposalView{}
		for _, p := range list {
			out = append(out, proposalViewOf(st.Scene, p))
		}
		return out
	}
	s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "changes": views(m.Changes), "left": views(m.Left)})
}

// allMeasured gives the measures of all seams of a scene, known or not.
func (s *Server) allMeasured(ctx context.Context, sc *scene.Scene) ([]seam.Result, error) {
	m, err := s.sound.meter(sc)
	if err != nil {
		return nil, err
	}
	var all []seam.Result
	state := s.seams.state(sc)
	for i, x := range state.found {
		r, err := s.measured(m, x, state.keys[i])
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return nil, err
		}
		all = append(all, r)
	}
	return all, nil
}

// accept lets a seam be as it sounds, or no more.
func (s *Server) accept(w http.ResponseWriter, r *http.Request) {
	var q struct {
		editRequest
		Seam string `json:"seam"`
		Note string `json:"note"`
		Off  bool   `json:"off"`
	}
	if err := decode(w, r, &q); err != nil {
		s.fail(w, r, err)
		return
	}
	st, _, x, ok := s.seamAsked(w, r, q.Seam)
	if !ok {
		return
	}
	e := &scene.Accept{Left: x.Left, Right: x.Right, Note: q.Note}
	if !q.Off {
		e.Sound = seam.Sound(st.Scene, x)
	}
	c, err := s.Store.Edit(r.Context(), chi.URLParam(r, "scene"), q.Revision, e)
	s.edited(w, r, q.editRequest, c, err)
}
