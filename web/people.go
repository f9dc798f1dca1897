package web

import (
	"errors"
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/store"
	"blendseam/web/access"
)

// A PeoplePage is what the page of people begins with.
type PeoplePage struct {
	Productions []store.Production `json:"productions"`
	Account     string             `json:"account"`
	Roles       []store.Role       `json:"roles"`
	Password    bool               `json:"password"` // they have one here
}

func (s *Server) peoplePage(w http.ResponseWriter, r *http.Request) error {
	c := store.CallerOf(r.Context())
	if c == nil {
		return s.page(w, r, "people", view{Title: "People"})
	}
	list, err := s.Store.Productions(r.Context())
	if err != nil {
		return err
	}
	a, err := s.Store.Account(r.Context(), c.Account)
	if err != nil {
		return err
	}
	return s.page(w, r, "people", view{Title: "People", Data: PeoplePage{list, a.ID, store.Roles, a.Password != ""}})
}

func (s *Server) newProduction(w http.ResponseWriter, r *http.Request) error {
	var q struct{ Name string }
	c := store.CallerOf(r.Context())
	if c == nil {
		return &store.Refused{Why: nobodyHere}
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	id, err := s.Store.AddProduction(r.Context(), q.Name, c.Account)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusCreated, map[string]string{"id": id})
}

// nobodyHere is told where there are no accounts.
const nobodyHere = "Nobody has an account here, and whoever sits at this machine may do everything. The first " +
	"account is made " +
	"with blendseam user add NAME."

func (s *Server) nameProduction(w http.ResponseWriter, r *http.Request) error {
	var q struct{ Name string }
	err := decode(w, r, &q)
	if err == nil {
		err = s.Store.NameProduction(r.Context(), chi.URLParam(r, "production"), q.Name)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

// setMember gives the person of a name a role in a production, or takes theirs with none.
func (s *Server) setMember(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Name string     `json:"name"`
		Role store.Role `json:"role"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	if q.Role != "" && !q.Role.Covers(store.Listener) {
		return refuse.Errorf("There is no role %q; there are %v.", q.Role, store.Roles)
	}
	a, err := s.Store.AccountNamed(r.Context(), q.Name)
	if errors.Is(err, store.ErrNotFound) {
		return &store.Refused{Why: fmt.Sprintf("Nobody is named %q here. Names are as people sign in with them.", q.Name)}
	}
	if err == nil {
		err = s.Store.SetMember(r.Context(), chi.URLParam(r, "production"), a.ID, q.Role)
	}
	if err != nil {
		return err
	}
	p, err := s.Store.Production(r.Context(), chi.URLParam(r, "production"))
	if errors.Is(err, store.ErrNotFound) { // whoever left it sees it no more
		p, err = store.Production{People: []store.Member{}}, nil
	}
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, p)
}

// setPassword changes the password of whoever asks; all their sessions end but by signing in again.
func (s *Server) setPassword(w http.ResponseWriter, r *http.Request) error {
	var q struct{ Old, New string }
	c := store.CallerOf(r.Context())
	if c == nil {
		return &store.Refused{Why: nobodyHere}
	}
	if s.gate.Limited(w, r) {
		return nil
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	a, err := s.Store.Account(r.Context(), c.Account)
	if err != nil {
		return err
	}
	if !access.Matches(r.Context(), q.Old, a.Password) {
		return &store.Refused{Why: "That is not your password as it is now."}
	}
	if err := access.BadPassword(q.New); err != nil {
		return err
	}
	hash, err := access.Hash(q.New)
	if err == nil {
		err = s.Store.SetPassword(r.Context(), a.ID, hash)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}
