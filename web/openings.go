package web

import (
	"fmt"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/listen/openings"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// An OpeningView is a stretch of the scene in which words could lie over music or effects.
type OpeningView struct {
	From  int64  `json:"from"` // samples of the scene
	To    int64  `json:"to"`
	Words string `json:"words"` // why
}

// openings answers with where words could lie over a clip of music or effects.
func (s *Server) openings(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	t, c := st.Scene.Clip(scene.ClipID(chi.URLParam(r, "clip")))
	switch {
	case c == nil:
		return refuse.Errorf("There is no such clip in this scene; it may have been removed.")
	case t.Kind != scene.Sound || t.Purpose.HasRoom():
		return refuse.Errorf("%s lies on a track of %s. Take a clip of music or effects in hand.", c.Name,
			t.Purpose)
	}
	says, err := meter.NewMeter(st.Scene, st.Sources()).Says(r.Context(), c)
	if err != nil {
		return err
	}
	found, err := openings.Find(says, pcm.Span{From: c.In, To: c.In + c.Length})
	if err != nil {
		return err
	}
	list := []OpeningView{}
	for _, o := range found {
		seconds := float64(o.Len()) / float64(st.Scene.SampleRate)
		words := fmt.Sprintf("%.1f dB softer than the rest of %s for %.1f s", o.DB, c.Name, seconds)
		switch o.Kind {
		case openings.NoVoice:
			words = fmt.Sprintf("no voice in %s for %.1f s", c.Name, seconds)
		case openings.Rise:
			words = fmt.Sprintf("%s rises by %.1f dB over %.1f s", c.Name, o.DB, seconds)
		}
		on := o.Span.Add(c.Shift())
		list = append(list, OpeningView{on.From, on.To, words})
	}
	return s.answer(w, http.StatusOK, list)
}
