package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/core/mend/fill"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/media/peaks"
	"blendseam/store"
	"blendseam/workspace"
)

// A FillingView is a tone that could fill a hole.
type FillingView struct {
	fill.Filling `tstype:",extends"`
	Away         string `json:"away"` // where it lies, in words
}

// A FillAnswer has the tones for a hole, and the edit that lays the chosen one.
type FillAnswer struct {
	Revision int64         `json:"revision"`
	At       int64         `json:"at"` // the hole
	To       int64         `json:"to"`
	List     []FillingView `json:"list"`
	Choice   int           `json:"choice"`
	Did      string        `json:"did"`
	Edit     any           `json:"edit"`
}

// mostFillings is how many tones are shown for a hole.
const mostFillings = 12

// fill answers with what could fill the hole that is asked for: a lull or a gap by its seam, or what a range covers.
func (s *Server) fill(w http.ResponseWriter, r *http.Request) error {
	a, err := s.fillings(r)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, a)
}

func (s *Server) fillings(r *http.Request) (a FillAnswer, err error) {
	ctx := r.Context()
	st, err := s.opened(r)
	if err != nil {
		return a, err
	}
	hole, first, err := holeAsked(st.Scene, r)
	if err != nil {
		return a, err
	}
	with := st
	if first != nil {
		if with, err = st.Try(ctx, first); err != nil {
			return a, err
		}
	}
	sc := with.Scene
	m, err := with.Adviser(ctx)
	if err != nil {
		return a, err
	}
	var list []fill.Filling
	if r.URL.Query().Get("best") != "" { // the rest need not be looked for if the hole's own recording has something
		if list, err = m.Nearest(ctx, hole); err != nil {
			return a, err
		}
	}
	if len(list) == 0 {
		if list, err = with.Fillings(ctx, hole); err != nil {
			return a, err
		}
		list = slices.Clone(list) // choosing one makes its edit in the list
	}
	if len(list) == 0 {
		return a, refuse.Errorf(
			"No quiet stretch was found near this hole, and the tone library is empty. Bring a tone in on the Tone page.",
		)
	}
	choice := 0
	if r.URL.Query().Get("choice") != "" {
		n, err := number(r, "choice", 0, int64(len(list)-1))
		if err != nil {
			return a, err
		}
		choice = int(n)
	}
	f, err := m.Choose(ctx, hole, list, choice)
	if err != nil {
		return a, err
	}
	span, _ := sc.HoleSpan(hole)
	a = FillAnswer{Revision: st.Revision, At: span.From, To: span.To, Choice: choice, Did: f.Did}
	change := f.Edit
	if first != nil {
		a.Did = "lull and " + f.Did
		change = edit.NewBatch(a.Did, first, f.Edit)
	}
	if was := sc.Patch(hole); was != nil {
		change = edit.NewBatch(a.Did+", in place of the one before", &edit.Remove{Clips: []scene.ClipID{was.ID}}, change)
	}
	if a.Edit, err = marshalled(change); err != nil {
		return a, err
	}
	for _, f := range list[:min(len(list), mostFillings)] {
		v := FillingView{Filling: f, Away: "in the library"}
		switch {
		case f.From == fill.SameRecording:
			v.Away = fmt.Sprintf("%.1f s away in the same recording", f.AwayS)
		case f.From == fill.SameSetUp:
			v.Away = "in another recording of this set-up"
		}
		a.List = append(a.List, v)
	}
	return a, nil
}

func marshalled(e edit.Edit) (any, error) {
	raw, err := edit.Marshal(e)
	return json.RawMessage(raw), err
}

// holeAsked finds the hole that a request means, and the lull that has to be made first where a range lies on sound.
func holeAsked(sc *scene.Scene, r *http.Request) (h scene.Hole, first *edit.AddLull, err error) {
	q := r.URL.Query()
	if id := q.Get("seam"); id != "" {
		x, ok := audit.SeamAt(sc, audit.SeamID(id))
		if !ok {
			return h, nil, refuse.Because(workspace.ErrNoSeam)
		}
		h, err = fill.HoleAt(sc, x)
		return h, nil, err
	}
	var span pcm.Span
	if err := numbers(r, map[string]*int64{"from": &span.From, "to": &span.To}, 0, farthest); err != nil {
		return h, nil, err
	}
	h, first, err = fill.HoleIn(sc, scene.TrackID(q.Get("track")), span)
	return h, first, err
}

// A FindingView is something that should not be heard, as the page lists it.
type FindingView struct {
	fill.Finding `tstype:",extends"`
	TC           string `json:"tc"`
}

// findings answers with what should not be in the pauses of a scene, or of a range of it, and with the hum that is
// there.
func (s *Server) findings(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	span, err := spanAsked(r, st.Scene, "from", "to")
	if err != nil {
		return err
	}
	found, err := st.Findings(r.Context())
	if err != nil {
		return err
	}
	views := []FindingView{}
	for _, f := range found.List {
		if f.Span.Overlaps(span) {
			views = append(views, FindingView{f, st.Scene.Timecode(f.Span.From)})
		}
	}
	return s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "findings": views, "hums": found.Hums})
}

// finding answers with what would take one finding out.
func (s *Server) finding(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	found, err := st.Findings(r.Context())
	if err != nil {
		return err
	}
	i := slices.IndexFunc(found.List, func(f fill.Finding) bool { return f.ID == r.URL.Query().Get("id") })
	if i < 0 {
		return s.answer(w, http.StatusOK, nil)
	}
	m, err := st.Adviser(r.Context())
	if err != nil {
		return err
	}
	p, err := m.Stray(r.Context(), found.List[i])
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, proposalViewOf(st.Scene, p))
}

// spanAsked is the stretch that a request names by two of its parameters, the whole scene if none.
func spanAsked(r *http.Request, sc *scene.Scene, from, to string) (pcm.Span, error) {
	span := pcm.Span{To: sc.Length()}
	if r.URL.Query().Get(to) == "" {
		return span, nil
	}
	err := numbers(r, map[string]*int64{from: &span.From, to: &span.To}, 0, farthest)
	span.To = min(span.To, sc.Length())
	return span, err
}

// bed answers with a bed for a range or the scene, and with what keeping the words would leave of its clips.
func (s *Server) bed(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	m, err := st.Adviser(r.Context())
	if err != nil {
		return err
	}
	span, err := spanAsked(r, st.Scene, "from", "to")
	if err == nil && span.Len() < st.Scene.SampleRate/10 {
		err = refuse.Errorf("A bed needs a stretch of the scene to lie under; this one is shorter than 0.1 s.")
	}
	if err != nil {
		return err
	}
	chosen, err := s.toneAsked(r, st)
	if err != nil {
		return err
	}
	b, err := m.Bed(r.Context(), span, chosen)
	if err != nil {
		return err
	}
	if b == nil {
		return refuse.Errorf(
			"No dialogue clip there has a pause to take the room from. Choose a tone of the library, or a range with a " +
				"pause in it.",
		)
	}
	kept, err := m.KeepWords(r.Context(), span)
	if err != nil {
		return err
	}
	edit, err := marshalled(b.Edit)
	if err != nil {
		return err
	}
	type KeptView struct {
		fill.Kept `tstype:",extends"`
		TC        string `json:"tc"`
		Edit      any    `json:"edit"`
	}
	keep := []KeptView{}
	for _, k := range kept {
		v := KeptView{Kept: k, TC: st.Scene.Timecode(k.At)}
		if v.Edit, err = marshalled(k.Edit); err != nil {
			return err
		}
		keep = append(keep, v)
	}
	return s.answer(
		w,
		http.StatusOK,
		map[string]any{"revision": st.Revision, "tc": st.Scene.Timecode(span.From), "bed": b, "edit": edit, "keep": keep},
	)
}

// madePeaks sends one tile of the waveform of a built tone or of a fitted recording, as peaks does of recordings. Of
// steps of a tone longer than toneLook, that many samples are looked at: it is the same noise all along.
func (s *Server) madePeaks(w http.ResponseWriter, r *http.Request) error {
	const toneLook = 512
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	src, ok := st.Scene.Sources[chi.URLParam(r, "source")]
	var step, tile int64
	if err := numbers(
		r,
		map[string]*int64{"step": &step, "tile": &tile},
		0,
		farthest,
	); err != nil || !ok || !src.Made() || peaks.Check(step, tile) != nil {
		return store.ErrNotFound
	}
	look := int64(toneLook)
	if src.Fit != nil {
		look = step
	}
	reader, err := st.Sound(src)
	if err != nil {
		return err
	}
	raw, err := peaks.Read(reader, step, tile, look)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	w.Write(raw)
	return nil
}
