package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/blending"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/store"
)

// settingsPage shows the blends by name.
func (s *Server) settingsPage(w http.ResponseWriter, r *http.Request) error {
	production, all, err := s.productionAsked(r)
	if err != nil {
		return err
	}
	list, err := s.Store.Blends(r.Context(), production)
	if err != nil {
		return err
	}
	return s.page(
		w, r,
		"settings",
		view{
			Title: "Settings",
			Data: map[string]any{"blends": list, "laws": lawViews(), "shapes": shapeViews(), "production": production,
				"productions": all},
			List: "Blend Seam " + s.Release,
		},
	)
}

// A ProductionView is one of those that somebody may choose from.
type ProductionView struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// productionAsked is the production that a request names, of those in which the caller listens, or the first of them,
// with all of them.
func (s *Server) productionAsked(r *http.Request) (id string, all []ProductionView, err error) {
	list, err := s.Store.Productions(r.Context())
	if err != nil {
		return "", nil, err
	}
	asked := r.URL.Query().Get("production")
	all = []ProductionView{}
	for _, p := range list {
		all = append(all, ProductionView{p.ID, p.Name})
		if p.ID == asked || id == "" && asked == "" {
			id = p.ID
		}
	}
	if c := store.CallerOf(r.Context()); c == nil && asked == "" {
		id = store.FirstProduction
	}
	if id == "" {
		err = store.ErrNotFound
	}
	return id, all, err
}

// productionEdited is the production that a request names, in which the caller has to be an editor.
func (s *Server) productionEdited(r *http.Request) (string, error) {
	id, _, err := s.productionAsked(r)
	if err != nil {
		return "", err
	}
	role, err := s.Store.RoleIn(r.Context(), "production", id)
	if err == nil && !role.Covers(store.Editor) {
		err = &store.Refused{Why: "You may not edit in that production; ask one of its owners."}
	}
	return id, err
}

func (s *Server) blendList(w http.ResponseWriter, r *http.Request) error {
	production, _, err := s.productionAsked(r)
	return s.blendsAnswer(w, r, production, err)
}

// sceneBlends answers with those of a scene's production.
func (s *Server) sceneBlends(w http.ResponseWriter, r *http.Request) error {
	production, err := s.Store.ProductionOf(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	list, err := s.Store.Blends(r.Context(), production)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// keepBlend keeps a blend under a new name in the production of a scene.
func (s *Server) keepBlend(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Blend scene.Style `json:"blend"`
	}
	production, err := s.Store.ProductionOf(r.Context(), chi.URLParam(r, "scene"))
	if err == nil {
		err = decode(w, r, &q)
	}
	var list []scene.Style
	if err == nil {
		list, err = s.Store.Blends(r.Context(), production)
	}
	if err == nil && slices.ContainsFunc(list, func(st scene.Style) bool { return st.Name == q.Blend.Name }) {
		err = &store.Refused{Why: fmt.Sprintf("There is a blend named %s already. Choose another name.", q.Blend.Name)}
	}
	if err == nil {
		err = s.keepStyle(r, production, "", q.Blend)
	}
	return s.blendsAnswer(w, r, production, err)
}

// keepStyle keeps a blend by name, in the place of the one that was called so before.
func (s *Server) keepStyle(r *http.Request, production, was string, st scene.Style) error {
	if err := st.Check(); err != nil {
		return refuse.Because(err)
	}
	return s.Store.SetBlend(r.Context(), production, was, st)
}

// setBlend keeps a blend by name.
func (s *Server) setBlend(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Was   string      `json:"was"`
		Blend scene.Style `json:"blend"`
	}
	err := decode(w, r, &q)
	production := ""
	if err == nil {
		production, err = s.productionEdited(r)
	}
	if err == nil {
		err = s.keepStyle(r, production, q.Was, q.Blend)
	}
	return s.blendsAnswer(w, r, production, err)
}

func (s *Server) dropBlend(w http.ResponseWriter, r *http.Request) error {
	name, err := url.PathUnescape(chi.URLParam(r, "blend"))
	production := ""
	if err == nil {
		production, err = s.productionEdited(r)
	}
	if err == nil {
		err = s.Store.DropBlend(r.Context(), production, name)
	}
	if errors.Is(err, store.ErrLastBlend) {
		err = refuse.Because(err)
	}
	return s.blendsAnswer(w, r, production, err)
}

func (s *Server) blendsAnswer(w http.ResponseWriter, r *http.Request, production string, err error) error {
	var list []scene.Style
	if err == nil {
		list, err = s.Store.Blends(r.Context(), production)
	}
	if err != nil {
		return err
	}
	err = s.answer(w, http.StatusOK, list)
	if r.Method != http.MethodGet {
		s.Hub.Tell("", "blends", map[string]bool{"changed": true}) // to what, each page asks
	}
	return err
}

// sceneAndBlends are the scene that is asked for, and the blends by name of its production, the default one first.
func (s *Server) sceneAndBlends(r *http.Request) (store.State, []scene.Style, error) {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return st, nil, err
	}
	production, err := s.Store.ProductionOf(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return st, nil, err
	}
	styles, err := s.Store.Blends(r.Context(), production)
	return st, styles, err
}

// plan says what applying a blend by name to all cuts of a range or of the scene would do, or to what is in hand.
func (s *Server) plan(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Blend  string              `json:"blend"`
		From   int64               `json:"from"`
		To     int64               `json:"to"`
		Tracks []scene.TrackID     `json:"tracks"`
		Which  string              `json:"which"`
		Hand   *blending.Selection `json:"hand"`
		Sound  bool                `json:"by_sound"` // lengths follow it
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, styles, err := s.sceneAndBlends(r)
	if err != nil {
		return err
	}
	style := styles[0]
	for _, x := range styles {
		if x.Name == q.Blend {
			style = x
		}
	}
	var list []blending.Planned
	if q.Hand != nil {
		of, err := s.purposes(r, q.Sound)
		if err != nil {
			return err
		}
		list = blending.BySound(st.Scene, style, *q.Hand, of)
	} else {
		list = blending.Plan(st.Scene, style, pcm.Span{From: q.From, To: q.To}, q.Tracks, q.Which)
	}
	if list == nil {
		list = []blending.Planned{}
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "blend": style, "cuts": list})
}

// purposes tells what recordings of the scene are, where blends follow that; one that cannot be read is as good as a
// voice. nil where they do not.
func (s *Server) purposes(r *http.Request, follow bool) (func(source string) scene.Purpose, error) {
	if !follow {
		return nil, nil
	}
	st, err := s.opened(r)
	if err != nil {
		return nil, err
	}
	return func(source string) scene.Purpose {
		p, err := st.PurposeOf(r.Context(), source)
		if err != nil {
			return scene.ForDialogue
		}
		return p
	}, nil
}

// across answers with the edit by which a clip goes over to another track in a range, and back.
func (s *Server) across(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Span pcm.Span      `json:"span"`
		From scene.TrackID `json:"from"`
		Over scene.TrackID `json:"over"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, styles, err := s.sceneAndBlends(r)
	if err != nil {
		return err
	}
	e, err := blending.Across(st.Scene, styles[0], q.Span, q.From, q.Over)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "edit": edit.Wire{Edit: e}})
}
