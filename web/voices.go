package web

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit/overs"
	"blendseam/core/mend/eqmatch"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/workspace"
)

// A VoiceView is the voice of a clip, with the edit that turns it.
type VoiceView struct {
	levelmatch.Voice `tstype:",extends"`
	TC               string `json:"tc"`
	Edit             any    `json:"edit"`
}

// VoicesAnswer is what would bring all voices to one loudness.
type VoicesAnswer struct {
	Revision   int64       `json:"revision"`
	TargetLUFS float64     `json:"target_lufs"`
	Voices     []VoiceView `json:"voices"`
	Short      []string    `json:"short"`
}

// A PhraseView is a phrase that is looked at for what covers it.
type PhraseView struct {
	intelligibility.Phrase `tstype:",extends"`
	TC                     string `json:"tc"`
}

// MarginsAnswer is how far words stand out of all else, and what would make way for them.
type MarginsAnswer struct {
	Revision int64                      `json:"revision"`
	Phrases  []PhraseView               `json:"phrases"`
	Ducks    []intelligibility.Proposal `json:"ducks"`
	Edit     any                        `json:"edit"` // null: nothing is to be done
}

// LikenessAnswer is what brings a clip near another's voice.
type LikenessAnswer struct {
	eqmatch.Plan `tstype:",extends"`
	Revision     int64 `json:"revision"`
	Edit         any   `json:"edit"`
}

// voicesPage shows the words of each clip against the band, and which are drowned; both come afterwards.
func (s *Server) voicesPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	id := st.Key.Scene
	data := map[string]any{
		"id":          id,
		"sample_rate": st.Scene.SampleRate,
		"low_db":      overs.BandLowDB,
		"high_db":     overs.BandDB,
	}
	return s.page(w, r, "voices", view{Title: "Voices of " + st.Scene.Name, Scene: id, Name: st.Scene.Name, Data: data})
}

// voices answers with what would bring all voices to one loudness.
func (s *Server) voices(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	q := r.URL.Query()
	wish := levelmatch.Options{As: scene.ClipID(q.Get("as")), ByTrack: q.Get("by_track") != ""}
	if wish.Span, err = spanAsked(r, st.Scene, "from", "to"); err != nil {
		return err
	}
	if text := q.Get("lufs"); text != "" {
		v, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return refuse.Errorf("%q is no loudness in LUFS.", text)
		}
		wish.LUFS = &v
	}
	p, err := st.MatchLevels(r.Context(), wish)
	if err != nil {
		return err
	}
	a := VoicesAnswer{Revision: st.Revision, TargetLUFS: p.TargetLUFS, Voices: []VoiceView{}, Short: p.Short}
	for _, v := range p.Voices {
		x := VoiceView{Voice: v, TC: st.Scene.Timecode(v.At)}
		if x.Edit, err = marshalled(v.Edit(st.Scene)); err != nil {
			return err
		}
		a.Voices = append(a.Voices, x)
	}
	return s.answer(w, http.StatusOK, a)
}

// clipVoice answers with the words' loudness and peaks of a clip.
func (s *Server) clipVoice(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	v, err := st.Voice(r.Context(), scene.ClipID(chi.URLParam(r, "clip")))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, v)
}

// marginWish is what ducking is asked for.
func marginWish(r *http.Request, sc *scene.Scene) (w intelligibility.Options, err error) {
	if w.Span, err = spanAsked(r, sc, "from", "to"); err != nil {
		return w, err
	}
	if text := r.URL.Query().Get("margin"); text != "" {
		if w.MarginLU, err = strconv.ParseFloat(text, 64); err != nil || !(w.MarginLU >= 0 && w.MarginLU <= 40) {
			return w, refuse.Errorf("Words can have 0 to 40 LU over all else, not %q.", text)
		}
	}
	return w, nil
}

// margins answers with the words that are drowned, and what would make way.
func (s *Server) margins(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	wish, err := marginWish(r, st.Scene)
	if err != nil {
		return err
	}
	p, err := st.Intelligibility(r.Context(), wish)
	if err != nil {
		return err
	}
	a := MarginsAnswer{Revision: st.Revision, Phrases: []PhraseView{}, Ducks: p.Ducks}
	for _, x := range p.Phrases {
		a.Phrases = append(a.Phrases, PhraseView{x, st.Scene.Timecode(x.From)})
	}
	if p.Edit != nil {
		if a.Edit, err = marshalled(p.Edit); err != nil {
			return err
		}
	}
	return s.answer(w, http.StatusOK, a)
}

// ducked is a scene in which all makes way that is proposed to.
func ducked(r *http.Request, st *workspace.Scene) (*workspace.Scene, error) {
	wish := intelligibility.Options{}
	if text := r.URL.Query().Get("margin"); text != "" {
		wish.MarginLU, _ = strconv.ParseFloat(text, 64)
	}
	p, err := st.Intelligibility(r.Context(), wish)
	if err != nil || p.Edit == nil {
		return st, err
	}
	return st.Try(r.Context(), p.Edit)
}

// likeness answers with what brings a clip near another's voice.
func (s *Server) likeness(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	strength := 100.0
	if text := r.URL.Query().Get("strength"); text != "" {
		if strength, err = strconv.ParseFloat(text, 64); err != nil {
			return refuse.Errorf("%q is no strength in per cent.", text)
		}
	}
	clip := scene.ClipID(chi.URLParam(r, "clip"))
	p, err := st.Likeness(r.Context(), clip, scene.ClipID(r.URL.Query().Get("as")), strength)
	if err != nil {
		return err
	}
	a := LikenessAnswer{Plan: *p, Revision: st.Revision}
	if a.Edit, err = marshalled(p.Edit()); err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, a)
}
