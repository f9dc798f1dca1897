package web

import (
	"net/http"

	"blendseam/core/audit/overs"
	"blendseam/core/scene/edit"
)

// A LoudView is a place that is too loud, and the edit that turns it down.
type LoudView struct {
	overs.Place `tstype:",extends"`
	TC          string     `json:"tc"`
	Edit        *edit.Wire `json:"edit,omitempty"`
}

// LoudAnswer is all that is too loud in a state of a scene.
type LoudAnswer struct {
	Revision int64      `json:"revision"`
	Places   []LoudView `json:"places"`
}

// loudPage shows what is too loud in a scene; the list itself comes afterwards, when all of it is listened through.
func (s *Server) loudPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	id := st.Key.Scene
	return s.page(w, r, "loud", view{Title: "Too loud in " + st.Scene.Name, Scene: id, Name: st.Scene.Name,
		Data: map[string]any{"id": id, "band_db": overs.BandDB, "full_db": overs.FullDB}})
}

// loud answers with what is too loud.
func (s *Server) loud(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	list, err := st.Loud(r.Context())
	if err != nil {
		return err
	}
	a := LoudAnswer{Revision: st.Revision, Places: []LoudView{}}
	for _, p := range list {
		v := LoudView{Place: p, TC: st.Scene.Timecode(p.At)}
		if e := p.Turn(st.Scene); e != nil {
			v.Edit = &edit.Wire{Edit: e}
		}
		a.Places = append(a.Places, v)
	}
	return s.answer(w, http.StatusOK, a)
}
