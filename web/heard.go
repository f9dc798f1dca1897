package web

import (
	"errors"
	"math"
	"net/http"

	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// A HeardPart is a stretch of a recording and what is heard there, in samples of the recording.
type HeardPart struct {
	From      int64       `json:"from"`
	To        int64       `json:"to"`
	Kind      speech.Kind `json:"kind"`
	Sure      float64     `json:"sure"`
	Corrected bool        `json:"corrected,omitempty"` // somebody said so
}

// HeardView is what is heard in a recording. The parts cover it.
type HeardView struct {
	Parts        []HeardPart `json:"parts"`
	BackgroundDB float64     `json:"background_db"`
	SureDB       float64     `json:"background_sure_db"`
	Sure         bool        `json:"background_is_sure"`
}

// heard answers with what is heard in a recording: words, breaths, pauses, other sounds, and its background.
func (s *Server) heard(w http.ResponseWriter, r *http.Request) error {
	st, src, err := s.sourceAsked(r)
	if err != nil {
		return err
	}
	view := HeardView{Parts: []HeardPart{}}
	if src.Samples == 0 || src.Tone != nil {
		return s.answer(w, http.StatusOK, view)
	}
	says, err := st.Sources().Analysis(r.Context(), st.Scene, src)
	if missing := (*meter.MissingRecording)(nil); errors.As(err, &missing) {
		return refuse.Because(err)
	} else if err != nil {
		return err
	}
	parts, err := says.Heard()
	if err != nil {
		return err
	}
	for _, p := range parts {
		view.Parts = append(view.Parts, HeardPart{
			p.Span.From, p.Span.To, p.Kind, p.Sure, corrected(src.Corrections, p),
		})
	}
	view.BackgroundDB, view.SureDB = math.Round(10*says.Floor.DB)/10, math.Round(10*says.Floor.SureDB)/10
	view.Sure = says.Floor.Sure()
	return s.answer(w, http.StatusOK, view)
}

// corrected tells whether somebody said what a part is.
func corrected(list []scene.Correction, p speech.Part) bool {
	middle := (p.Span.From + p.Span.To) / 2
	for _, c := range list {
		if string(c.Kind) == string(p.Kind) && c.Span.Overlaps(pcm.Span{From: middle, To: middle + 1}) {
			return true
		}
	}
	return false
}
