package web

import (
	"errors"
	"net/http"
	"net/url"

	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
)

// settingsPage shows the blends by name.
func (s *Server) settingsPage(w http.ResponseWriter, r *http.Request) error {
	list, err := s.Store.Blends(r.Context())
	if err != nil {
		return err
	}
	return s.page(
		w, r,
		"settings",
		view{
			Title: "Settings",
			Data:  map[string]any{"blends": list, "laws": lawViews(), "shapes": shapeViews()},
			List:  "Blend Seam " + s.Release,
		},
	)
}

func (s *Server) blendList(w http.ResponseWriter, r *http.Request) error {
	return s.blendsAnswer(w, r, nil)
}

// setBlend keeps a blend by name.
func (s *Server) setBlend(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Was   string      `json:"was"`
		Blend scene.Style `json:"blend"`
	}
	err := decode(w, r, &q)
	if err == nil {
		if err = q.Blend.Check(); err != nil {
			err = errBadRequest{err}
		}
	}
	if err == nil {
		err = s.Store.SetBlend(r.Context(), q.Was, q.Blend)
	}
	return s.blendsAnswer(w, r, err)
}

func (s *Server) dropBlend(w http.ResponseWriter, r *http.Request) error {
	name, err := url.PathUnescape(chi.URLParam(r, "blend"))
	if err == nil {
		err = s.Store.DropBlend(r.Context(), name)
	}
	if errors.Is(err, store.ErrLastBlend) {
		err = errBadRequest{err}
	}
	return s.blendsAnswer(w, r, err)
}

func (s *Server) blendsAnswer(w http.ResponseWriter, r *http.Request, err error) error {
	var list []scene.Style
	if err == nil {
		list, err = s.Store.Blends(r.Context())
	}
	if err != nil {
		return err
	}
	err = s.answer(w, http.StatusOK, list)
	if r.Method != http.MethodGet {
		s.Hub.Tell("", "blends", list)
	}
	return err
}

// plan says what applying a blend by name to all cuts of a range or of the scene would do.
func (s *Server) plan(w http.ResponseWriter, r *http.Request) error {
	var q struct {
		Blend  string          `json:"blend"`
		From   int64           `json:"from"`
		To     int64           `json:"to"`
		Tracks []scene.TrackID `json:"tracks"`
		Which  string          `json:"which"`
	}
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	styles, err := s.Store.Blends(r.Context())
	if err != nil {
		return err
	}
	style := styles[0]
	for _, x := range styles {
		if x.Name == q.Blend {
			style = x
		}
	}
	list := scene.Plan(st.Scene, style, pcm.Span{From: q.From, To: q.To}, q.Tracks, q.Which)
	if list == nil {
		list = []scene.Planned{}
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "blend": style, "cuts": list})
}
