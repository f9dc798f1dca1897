package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/media"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
)

// cannot is what a page is told in one line.
func cannot(format string, args ...any) error { return errBadRequest{fmt.Errorf(format, args...)} }

// recordings opens the recordings of a scene and the tones that are built from them.
func (s *Server) recordings(sc *scene.Scene) mix.Open { return mix.WithTones(sc, s.sound.open(sc)) }

// A fillingView is a tone that could fill a hole.
type fillingView struct {
	seam.Filling
	Away string `json:"away"` // where it lies, in words
}

// A fillAnswer has the tones for a hole, and the edit that lays the chosen one.
type fillAnswer struct {
	Revision int64         `json:"revision"`
	At       int64         `json:"at"` // the hole
	To       int64         `json:"to"`
	List     []fillingView `json:"list"`
	Choice   int           `json:"choice"`
	Did      string        `json:"did"`
	Edit     any           `json:"edit"`
}

// A holeOf is a hole of a state of a scene.
type holeOf struct {
	scene *scene.Scene
	hole  scene.Hole
}

// strays are what was found in a scene.
type strays struct {
	list []seam.Finding
	hums []seam.Hum
}

func (s *Server) straysOf(sc *scene.Scene, m *seam.Meter) (strays, error) {
	return s.strays.of(sc, func() (x strays, err error) {
		x.list, x.hums, err = seam.Findings(sc, m, 0)
		return x, err
	})
}

// mostFillings is how many tones are shown for a hole.
const mostFillings = 12

// fill answers with what could fill the hole that is asked for: a lull or a gap by its seam, or what a range covers.
func (s *Server) fill(w http.ResponseWriter, r *http.Request) {
	a, err := s.fillings(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.answer(w, http.StatusOK, a)
}

func (s *Server) fillings(r *http.Request) (a fillAnswer, err error) {
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return a, err
	}
	hole, first, err := holeAsked(st.Scene, r)
	if err != nil {
		return a, err
	}
	sc := st.Scene
	if first != nil {
		if sc, err = scene.Apply(sc, first); err != nil {
			return a, err
		}
	}
	m, err := seam.NewMeter(sc, s.sound.open(sc))
	if err != nil {
		return a, err
	}
	var list []seam.Filling
	if r.URL.Query().Get("best") != "" { // the rest need not be looked for if the hole's own recording has something
		if list, err = m.Near(hole); err != nil {
			return a, err
		}
	}
	if len(list) == 0 {
		if list, err = s.fills.of(holeOf{st.Scene, hole}, func() ([]seam.Filling, error) {
			library, err := s.library(r.Context(), sc)
			if err != nil {
				return nil, err
			}
			return m.Fillings(hole, library)
		}); err != nil {
			return a, err
		}
		list = slices.Clone(list) // choosing one makes its edit in the list
	}
	if len(list) == 0 {
		return a, cannot("No quiet stretch was found near this hole, and the tone library is empty. Bring a tone in on the Tone page.")
	}
	choice := 0
	if r.URL.Query().Get("choice") != "" {
		n, err := number(r, "choice", 0, int64(len(list)-1))
		if err != nil {
			return a, err
		}
		choice = int(n)
	}
	f, err := m.Choose(hole, list, choice)
	if err != nil {
		return a, err
	}
	span, _ := sc.HoleSpan(hole)
	a = fillAnswer{Revision: st.Revision, At: span.From, To: span.To, Choice: choice, Did: f.Did}
	edit := f.Edit
	if first != nil {
		a.Did = "lull and " + f.Did
		edit = scene.InOrder(a.Did, first, f.Edit)
	}
	if was := sc.Patch(hole); was != nil {
		edit = scene.InOrder(a.Did+", in place of the one before", &scene.Remove{Clips: []string{was.ID}}, edit)
	}
	if a.Edit, err = marshalled(edit); err != nil {
		return a, err
	}
	for _, f := range list[:min(len(list), mostFillings)] {
		v := fillingView{Filling: f, Away: "in the library"}
		switch {
		case f.From == seam.SameRecording:
			v.Away = fmt.Sprintf("%.1f s away in the same recording", f.AwayS)
		case f.From == seam.SameSetUp:
			v.Away = "in another recording of this set-up"
		}
		a.List = append(a.List, v)
	}
	return a, nil
}

func marshalled(e scene.Edit) (any, error) {
	raw, err := scene.Marshal(e)
	return json.RawMessage(raw), err
}

// holeAsked finds the hole that a request means, and the lull that has to be made first where a range lies on sound.
func holeAsked(sc *scene.Scene, r *http.Request) (h scene.Hole, first *scene.AddLull, err error) {
	q := r.URL.Query()
	if id := q.Get("seam"); id != "" {
		all := seam.Find(sc)
		i := slices.IndexFunc(all, func(x seam.Seam) bool { return x.ID == id })
		if i < 0 {
			return h, nil, cannot("This seam is not there any more.")
		}
		x := all[i]
		if x.Kind == seam.Lull {
			return scene.Hole{Clip: x.Left, Lull: x.Lull}, nil, nil
		}
		if h, ok := gapBeside(sc, x); ok {
			return h, nil, nil
		}
		return h, nil, cannot("There is no hole at this seam. Choose a lull or a gap, or make a range over what is to be filled.")
	}
	var span pcm.Span
	if err := numbers(r, map[string]*int64{"from": &span.From, "to": &span.To}, 0, farthest); err != nil {
		return h, nil, err
	}
	t := sc.Track(q.Get("track"))
	if t == nil || t.Kind != scene.Sound {
		return h, nil, cannot("Choose a track of sound for the tone to fill: make the range over its cloth.")
	}
	for i := range t.Clips {
		c := &t.Clips[i]
		if i+1 < len(t.Clips) {
			gap := pcm.Span{From: c.End(), To: t.Clips[i+1].Start}
			if over := gap.Intersect(span); !over.Empty() && over.Len()*2 >= min(gap.Len(), span.Len()) {
				return scene.Hole{Clip: c.ID, Next: t.Clips[i+1].ID}, nil, nil
			}
		}
		on := c.Span().Intersect(span)
		if on.Empty() || on.Len()*2 < span.Len() {
			continue
		}
		for _, l := range c.Lulls {
			if c.LullSpan(l).Overlaps(on) {
				return scene.Hole{Clip: c.ID, Lull: l.ID}, nil, nil
			}
		}
		first := &scene.AddLull{Clip: c.ID, Lull: fmt.Sprintf("u%s.%d", c.ID, on.From), From: on.From, To: on.To}
		return scene.Hole{Clip: c.ID, Lull: first.Lull}, first, nil
	}
	return h, nil, cannot("The range covers no gap between two clips and no clip of this track. Lay a bed under it instead.")
}

func gapBeside(sc *scene.Scene, x seam.Seam) (h scene.Hole, ok bool) {
	t := sc.Track(x.Track)
	for i := 0; i+1 < len(t.Clips); i++ {
		left, right := t.Clips[i], t.Clips[i+1]
		if left.End() < right.Start && (x.Right == "" && left.ID == x.Left || x.Left == "" && right.ID == x.Right) {
			return scene.Hole{Clip: left.ID, Next: right.ID}, true
		}
	}
	return h, false
}

// A findingView is something that should not be heard, as the page lists it.
type findingView struct {
	seam.Finding
	TC string `json:"tc"`
}

// findings answers with what should not be in the pauses of a scene, or of a range of it, and with the hum that is there.
func (s *Server) findings(w http.ResponseWriter, r *http.Request) {
	st, m, err := s.meterAsked(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	span, err := spanAsked(r, st.Scene)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	found, err := s.straysOf(st.Scene, m)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	views := []findingView{}
	for _, f := range found.list {
		if f.Span.Overlaps(span) {
			views = append(views, findingView{f, st.Scene.Timecode(f.Span.From)})
		}
	}
	s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "findings": views, "hums": found.hums})
}

// finding answers with what would take one finding out.
func (s *Server) finding(w http.ResponseWriter, r *http.Request) {
	st, m, err := s.meterAsked(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	found, err := s.straysOf(st.Scene, m)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	i := slices.IndexFunc(found.list, func(f seam.Finding) bool { return f.ID == r.URL.Query().Get("id") })
	if i < 0 {
		s.answer(w, http.StatusOK, nil)
		return
	}
	p, err := m.Stray(found.list[i])
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.answer(w, http.StatusOK, proposalViewOf(st.Scene, p))
}

func (s *Server) meterAsked(r *http.Request) (st store.State, m *seam.Meter, err error) {
	if st, err = s.Store.Scene(r.Context(), chi.URLParam(r, "scene")); err != nil {
		return st, nil, err
	}
	m, err = s.sound.meter(st.Scene)
	return st, m, err
}

// spanAsked is the stretch that a request names, the whole scene if none.
func spanAsked(r *http.Request, sc *scene.Scene) (pcm.Span, error) {
	span := pcm.Span{To: sc.Length()}
	if r.URL.Query().Get("to") == "" {
		return span, nil
	}
	err := numbers(r, map[string]*int64{"from": &span.From, "to": &span.To}, 0, farthest)
	span.To = min(span.To, sc.Length())
	return span, err
}

// bed answers with a bed for a range or the scene, and with what keeping the words would leave of its clips.
func (s *Server) bed(w http.ResponseWriter, r *http.Request) {
	st, m, err := s.meterAsked(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	span, err := spanAsked(r, st.Scene)
	if err == nil && span.Len() < st.Scene.SampleRate/10 {
		err = cannot("A bed needs a stretch of the scene to lie under; this one is shorter than 0.1 s.")
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	chosen, err := s.toneAsked(r, st.Scene)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	b, err := m.Bed(span, chosen)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if b == nil {
		s.fail(w, r, cannot("No dialogue clip there has a pause to take the room from. Choose a tone of the library, or a range with a pause in it."))
		return
	}
	kept, err := m.KeepWords(span)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	edit, err := marshalled(b.Edit)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	type keptView struct {
		seam.Kept
		TC   string `json:"tc"`
		Edit any    `json:"edit"`
	}
	keep := []keptView{}
	for _, k := range kept {
		v := keptView{Kept: k, TC: st.Scene.Timecode(k.At)}
		if v.Edit, err = marshalled(k.Edit); err != nil {
			s.fail(w, r, err)
			return
		}
		keep = append(keep, v)
	}
	s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "tc": st.Scene.Timecode(span.From), "bed": b, "edit": edit, "keep": keep})
}

// tonePeaks sends one tile of a built tone's waveform, as peaks does of recordings. Of steps longer than toneLook, that many samples are
// looked at: it is the same noise all along.
func (s *Server) tonePeaks(w http.ResponseWriter, r *http.Request) {
	const toneLook = 512
	st, err := s.Store.Scene(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	src, ok := st.Scene.Sources[chi.URLParam(r, "source")]
	var step, tile int64
	if err := numbers(r, map[string]*int64{"step": &step, "tile": &tile}, 0, farthest); err != nil || !ok || src.Tone == nil || step < 1 {
		s.fail(w, r, store.ErrNotFound)
		return
	}
	reader, err := s.recordings(st.Scene)(src)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	raw, err := media.PeaksOf(reader, step, tile, toneLook)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
	w.Write(raw)
}
