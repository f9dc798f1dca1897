package web

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/listen/syllables"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/workspace"
)

// FitAnswer is how a clip gets another length.
type FitAnswer struct {
	Revision int64   `json:"revision"`
	Clip     string  `json:"clip"`     // its name
	Was      int64   `json:"was"`      // samples that it takes
	Length   int64   `json:"length"`   // and is to take
	Pauses   int     `json:"pauses"`   // that give something
	PausesS  float64 `json:"pauses_s"` // seconds that they give; below 0 if they take some
	Speed    float64 `json:"speed"`    // of the words
	Heard    bool    `json:"heard"`    // the words start to sound changed
	Words    string  `json:"words"`
	Reading  string  `json:"reading"` // how fast it is read, "" if nobody speaks
	Slow     bool    `json:"slow"`    // in its words
	Edit     any     `json:"edit" tstype:"unknown"`
}

// fit answers with what brings a clip, or the part of it in a stretch of the scene, to a length.
func (s *Server) fit(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	q := r.URL.Query()
	wish := workspace.FitOptions{
		Clip: scene.ClipID(chi.URLParam(r, "clip")), Pauses: 1, Kind: timing.Kind(q.Get("kind")),
	}
	if wish.Span, err = spanAsked(r, st.Scene, "from", "to"); err != nil {
		return err
	}
	if wish.Length, err = number(r, "length", 1, farthest); err != nil {
		return err
	}
	if text := q.Get("pauses"); text != "" {
		if wish.Pauses, err = strconv.ParseFloat(text, 64); err != nil || !(wish.Pauses >= 0 && wish.Pauses <= 1) {
			return refuse.Errorf("Pauses can give a share of 0 to 1, not %q.", text)
		}
	}
	if q.Has("ease") {
		if wish.Ease, err = number(r, "ease", 0, farthest); err != nil {
			return err
		}
	}
	if k := wish.Kind; k != "" && k != timing.Words && k != timing.Music {
		return refuse.Errorf("%q is no kind of sound to be fitted; words and music are.", q.Get("kind"))
	}
	p, err := st.Fitting(r.Context(), wish)
	var refused *workspace.FitRefused
	if errors.As(err, &refused) {
		return refuse.Errorf("%s", refused)
	} else if err != nil {
		return err
	}
	_, c := st.Scene.Clip(wish.Clip)
	a := FitAnswer{
		Revision: st.Revision, Clip: c.Name, Was: p.Was, Length: wish.Length, Pauses: p.Pauses,
		PausesS: float64(p.Given) / float64(st.Scene.SampleRate), Speed: p.Speed,
		Heard: p.Speed > 1+timestretch.HeardOver || p.Speed < 1-timestretch.HeardOver, Words: p.Words(st.Scene.SampleRate),
	}
	per := p.Rate.PerS()
	a.Reading, a.Slow = reading(p.Rate), per > 0 && per < syllables.SlowPerS
	if a.Edit, err = marshalled(p.Edit); err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, a)
}

// reading says how fast somebody speaks, and what to take a slow reading's length from.
func reading(r syllables.Rate) string {
	switch per := r.PerS(); {
	case per == 0:
		return ""
	case per < syllables.SlowPerS:
		return fmt.Sprintf("Its words are slow: %.1f syllables a second, where 4 to 6 are usual.", per)
	case per > syllables.FastPerS:
		return fmt.Sprintf("Its words are fast: %.1f syllables a second, where 4 to 6 are usual.", per)
	default:
		return fmt.Sprintf("Its words are read at %.1f syllables a second, as usual.", per)
	}
}
