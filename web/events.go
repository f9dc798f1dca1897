package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/store"
)

// events sends what happens to a scene, or to all of them, as server-sent events for as long as the page is open.
func (s *Server) events(w http.ResponseWriter, r *http.Request) error {
	id := r.URL.Query().Get("scene")
	if may, err := s.mayHear(r, id); err != nil || !may && id != "" {
		return cmp.Or(err, store.ErrNotFound)
	}
	events, leave := s.Hub.Listen(id)
	defer leave()
	if page := r.URL.Query().Get("page"); page != "" && id != "" {
		defer func() {
			if err := s.Store.Left(context.WithoutCancel(r.Context()), id, page); err != nil {
				slog.Debug("a page that was closed is still seen for a while", "err", err)
			}
		}()
	}
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w).Flush
	fmt.Fprint(w, "retry: 1000\n\n")
	flush()
	alive := time.NewTicker(20 * time.Second)
	defer alive.Stop()
	again := time.NewTicker(rolesAgain)
	defer again.Stop()
	var asked <-chan time.Time // when a person has to say anew who they are; their page does so by itself
	if store.CallerOf(r.Context()) != nil {
		asked = time.After(askedAnew)
	}
	for {
		select {
		case e := <-events:
			if id == "" && e.Scene != "" {
				if may, err := s.mayHear(r, e.Scene); err != nil || !may {
					continue
				}
			}
			fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.Kind, e.Body)
		case <-alive.C:
			fmt.Fprint(w, ": still here\n\n")
		case <-again.C:
			if may, err := s.hearsStill(r, id); err == nil && !may {
				return nil
			}
			continue
		case <-s.Hub.Ended():
			return nil
		case <-asked:
			return nil
		case <-r.Context().Done():
			return nil
		}
		if flush() != nil {
			return nil
		}
	}
}

// rolesAgain is how often it is asked whether whoever listens still may.
const rolesAgain = 5 * time.Second

// hearsStill asks the database whether whoever listens to a scene, or to all with "", is still somebody who may.
func (s *Server) hearsStill(r *http.Request, scene string) (bool, error) {
	c := store.CallerOf(r.Context())
	if c == nil {
		return true, nil
	}
	if _, err := s.Store.Account(r.Context(), c.Account); errors.Is(err, store.ErrNotFound) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	roles, err := s.Store.RolesOf(r.Context(), c.Account)
	if err != nil {
		return false, err
	}
	if !maps.Equal(roles, c.Roles) { // the page asks anew, with the roles that they have now
		return false, nil
	}
	return true, nil
}

// askedAnew is how long a person hears what happens without being looked for again.
const askedAnew = 5 * time.Minute

// mayHear tells whether the person who asks may know of a scene.
func (s *Server) mayHear(r *http.Request, scene string) (bool, error) {
	role, err := s.Store.RoleIn(r.Context(), "scene", scene)
	return role.Covers(store.Listener), err
}

func (s *Server) stopJob(w http.ResponseWriter, r *http.Request) error {
	if is, err := s.Jobs.Stop(r.Context(), chi.URLParam(r, "job")); err != nil {
		return err
	} else if !is {
		return s.answer(w, http.StatusGone, problem{Message: "This work has ended already."})
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}
