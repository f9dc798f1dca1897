package web

import (
	"net/http"
	"strconv"

	"blendseam/core/evening"
	"blendseam/core/scene"
)

// A TakeView is a take as evening would leave it, with the edit that does that to it.
type TakeView struct {
	evening.Take `tstype:",extends"`
	At           int64  `json:"at"`
	TC           string `json:"tc"`
	Edit         any    `json:"edit"` // null: it is left as it is
}

// evening answers with what would bring the takes of a range, or of the scene, to one room.
func (s *Server) evening(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	wish := evening.Wish{Target: r.URL.Query().Get("target"), HushDB: evening.AsNeeded}
	if wish.Span, err = spanAsked(r, st.Scene); err != nil {
		return err
	}
	if text := r.URL.Query().Get("hush"); text != "" {
		if wish.HushDB, err = strconv.ParseFloat(text, 64); err != nil {
			return cannot("%q is no number of decibels that a background could be hushed by.", text)
		}
	}
	p, err := st.Evening(r.Context(), wish)
	if err != nil {
		if r.Context().Err() == nil {
			err = cannot("%s", scene.Message(err))
		}
		return err
	}
	takes := []TakeView{}
	for i, t := range p.Takes {
		_, c := st.Scene.Clip(t.Clips[0])
		v := TakeView{Take: t, At: c.Start, TC: st.Scene.Timecode(c.Start)}
		if e := p.EditOf(i); e != nil {
			if v.Edit, err = marshalled(e); err != nil {
				return err
			}
		}
		takes = append(takes, v)
	}
	var rest any
	if e := p.Rest(); e != nil {
		if rest, err = marshalled(e); err != nil {
			return err
		}
	}
	return s.answer(
		w,
		http.StatusOK,
		map[string]any{"revision": st.Revision, "plan": p, "takes": takes, "rest": rest},
	)
}
