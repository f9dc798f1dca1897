package web

import (
	"math"
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/eq"
)

// A CurveAnswer is what is done to the colour of a clip.
type CurveAnswer struct {
	HZ       []float64 `json:"hz"`
	DB       []float64 `json:"db"`        // what is done at each
	ThirdsHZ []float64 `json:"thirds_hz"` // of what brings it near another voice
}

// curveOf answers with what is done to the colour of a clip, for drawing: by twelfths of octaves from 40 Hz to 16 kHz.
func (s *Server) curveOf(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	_, c := st.Scene.Clip(scene.ClipID(chi.URLParam(r, "clip")))
	if c == nil {
		return refuse.Errorf("There is no such clip in this scene.")
	}
	all := scene.CurveOf(st.Scene, *c)
	a := CurveAnswer{HZ: []float64{}, DB: []float64{}, ThirdsHZ: []float64{}}
	for hz := 40.0; hz < 16000; hz *= math.Exp2(1.0 / 12) {
		a.HZ = append(a.HZ, hz)
		a.DB = append(a.DB, math.Round(100*all.DB(hz, float64(st.Scene.SampleRate)))/100)
	}
	for n := range eq.Thirds {
		a.ThirdsHZ = append(a.ThirdsHZ, 1000*math.Pow(10, float64(n+eq.FirstThird)/10))
	}
	return s.answer(w, http.StatusOK, a)
}
