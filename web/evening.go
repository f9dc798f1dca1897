package web

import (
	"math"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/mend/roommatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/ambience"
	"blendseam/workspace"
)

// A TakeView is a take as evening would leave it, with the edit that does that to it.
type TakeView struct {
	roommatch.Take `tstype:",extends"`
	At             int64  `json:"at"`
	TC             string `json:"tc"`
	Edit           any    `json:"edit"` // null: it is left as it is
}

// EveningAnswer is what would bring the takes of a range, or of the scene, to one room.
type EveningAnswer struct {
	Revision int64           `json:"revision"`
	Plan     *roommatch.Plan `json:"plan" tstype:",required"`
	Takes    []TakeView      `json:"takes"`
	Rest     any             `json:"rest"` // the edit of what lies between the takes; null: nothing is to be done
}

// roomsPage shows the rooms of a scene's takes; what they are comes afterwards, when all are listened to.
func (s *Server) roomsPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	id := st.Key.Scene
	data := map[string]any{
		"id": id, "sample_rate": st.Scene.SampleRate, "most_hush_db": roommatch.MostHushDB,
		"low_hz": thirdHz(ambience.ThirdLow),
	}
	return s.page(w, r, "rooms", view{Title: "Rooms of " + st.Scene.Name, Scene: id, Name: st.Scene.Name, Data: data})
}

// thirdHz is the middle of a third-octave.
func thirdHz(n int) float64 {
	low, high := ambience.Third(n)
	return math.Sqrt(low * high)
}

// wish is what evening is asked for, by the names of its parameters.
func wish(r *http.Request, sc *scene.Scene, target, from, to string) (roommatch.Options, error) {
	q := r.URL.Query()
	span, err := spanAsked(r, sc, from, to)
	w := roommatch.Options{Target: q.Get(target), HushDB: roommatch.AsNeeded, Span: span, Voices: q.Get("voices") != ""}
	if text := q.Get("hush"); text != "" && err == nil {
		if w.HushDB, err = strconv.ParseFloat(text, 64); err != nil {
			return w, refuse.Errorf("%q is no number of decibels that a background could be hushed by.", text)
		}
	}
	return w, err
}

// planned is what a wish comes to.
func planned(r *http.Request, st *workspace.Scene, wish roommatch.Options) (*roommatch.Plan, error) {
	p, err := st.MatchRooms(r.Context(), wish)
	return p, err
}

// evened is a scene as an evening would leave it.
func evened(r *http.Request, st *workspace.Scene) (*workspace.Scene, error) {
	asked, err := wish(r, st.Scene, "evening", "even_from", "even_to")
	if err != nil {
		return nil, err
	}
	p, err := planned(r, st, asked)
	if err != nil || p.Edit == nil {
		return st, err
	}
	return st.Try(r.Context(), p.Edit)
}

// evening answers with what would bring the takes of a range, or of the scene, to one room.
func (s *Server) evening(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	asked, err := wish(r, st.Scene, "target", "from", "to")
	if err != nil {
		return err
	}
	p, err := planned(r, st, asked)
	if err != nil {
		return err
	}
	a := EveningAnswer{Revision: st.Revision, Plan: p, Takes: []TakeView{}}
	for i, t := range p.Takes {
		_, c := st.Scene.Clip(t.Clips[0])
		v := TakeView{Take: t, At: c.Start, TC: st.Scene.Timecode(c.Start)}
		if e := p.EditOf(i); e != nil {
			if v.Edit, err = marshalled(e); err != nil {
				return err
			}
		}
		a.Takes = append(a.Takes, v)
	}
	if e := p.Rest(); e != nil {
		if a.Rest, err = marshalled(e); err != nil {
			return err
		}
	}
	return s.answer(w, http.StatusOK, a)
}

// clipRoom answers with what is known of the room of a clip.
func (s *Server) clipRoom(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	known, err := st.RoomOf(r.Context(), scene.ClipID(chi.URLParam(r, "clip")))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, known)
}
