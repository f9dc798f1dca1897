package web

import (
	"encoding/json"
	"errors"
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/store"
)

// history answers with every edit of the scene, in words and with time, and its named versions.
func (s *Server) history(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	list, now, err := s.Store.History(r.Context(), id)
	if err != nil {
		return err
	}
	versions, err := s.Store.Versions(r.Context(), id)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"now": now, "edits": list, "versions": versions})
}

// goTo brings the scene to a state of its past: that after an edit, or a named version.
func (s *Server) goTo(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		editRequest
		Node    int64  `json:"node"`
		Version string `json:"version"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	id, words := chi.URLParam(r, "scene"), ""
	if q.Version != "" {
		v, err := s.version(r, id, q.Version)
		if err != nil {
			return err
		}
		q.Node, words = v.Node, "version "+v.Name+" brought back"
	}
	c, err := s.Store.Go(r.Context(), id, q.Revision, q.Node, words)
	return s.edited(w, r, q.editRequest, c, err)
}

func (s *Server) version(r *http.Request, id, name string) (store.Version, error) {
	list, err := s.Store.Versions(r.Context(), id)
	if err != nil {
		return store.Version{}, err
	}
	for _, v := range list {
		if v.Name == name {
			return v, nil
		}
	}
	return store.Version{}, refuse.Errorf("There is no version named %s.", name)
}

func (s *Server) keepVersion(w http.ResponseWriter, r *http.Request) error {
	var q struct{ Name string }
	err := decode(w, r, &q)
	if err == nil {
		err = s.Store.KeepVersion(r.Context(), chi.URLParam(r, "scene"), q.Name)
	}
	if errors.Is(err, store.ErrBadName) {
		err = refuse.Because(err)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (s *Server) dropVersion(w http.ResponseWriter, r *http.Request) error {
	name, err := url.PathUnescape(chi.URLParam(r, "version"))
	if err == nil {
		err = s.Store.DropVersion(r.Context(), chi.URLParam(r, "scene"), name)
	}
	if err != nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

// compareVersions says in words what differs from one version to another; "" is the scene as it is now.
func (s *Server) compareVersions(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	var states [2]*scene.Scene
	for i, name := range []string{r.URL.Query().Get("from"), r.URL.Query().Get("to")} {
		var err error
		if name == "" {
			var st store.State
			st, err = s.Store.Scene(r.Context(), id)
			states[i] = st.Scene
		} else {
			var v store.Version
			if v, err = s.version(r, id, name); err == nil {
				states[i], err = s.Store.At(r.Context(), id, v.Node)
			}
		}
		if err != nil {
			return err
		}
	}
	list := scene.Differences(states[0], states[1])
	if list == nil {
		list = []string{}
	}
	return s.answer(w, http.StatusOK, map[string]any{"differences": list})
}

// decode reads a request's JSON.
func decode(w http.ResponseWriter, r *http.Request, to any) error {
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, limit.RequestBytes)).Decode(to); err != nil {
		return refuse.Errorf("the request cannot be read: %w", err)
	}
	return nil
}
