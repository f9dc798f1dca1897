package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/limit"
	"blendseam/core/mix"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/export"
	"blendseam/interchange"
	"blendseam/workspace"
)

func (s *Server) comeBackPage(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	picture := false
	for _, t := range st.Scene.Tracks {
		picture = picture || t.Kind == scene.Picture && len(t.Clips) > 0
	}
	return s.page(w, r, "come-back", view{
		Title: "Come back to " + st.Scene.Name, Scene: st.Key.Scene, Name: st.Scene.Name,
		Data: map[string]any{"id": st.Key.Scene, "endings": interchange.Endings(","),
			"usual": interchange.DefaultFormat().Extensions[0], "picture": picture},
	})
}

// A RecutRow is a change of a new picture cut.
type RecutRow struct {
	What   string `json:"what"`
	TC     string `json:"tc"` // where it is in the new cut
	At     int64  `json:"at"`
	Length int64  `json:"length"`
	Words  string `json:"words"`
	Sound  string `json:"sound"`

	Clips []scene.Fate `json:"clips"` // of sound, that it moves, cuts or keeps aside
	Fixed bool         `json:"fixed"` // it follows from all others, and cannot be left out
}

// A ShotView is a shot of a strip, in samples.
type ShotView struct {
	From int64  `json:"from"`
	To   int64  `json:"to"`
	Name string `json:"name"`
}

// A Ribbon joins a stretch of the old cut with where it is in the new one, in samples.
type Ribbon struct {
	OldFrom int64 `json:"old_from"`
	OldTo   int64 `json:"old_to"`
	NewFrom int64 `json:"new_from"`
	NewTo   int64 `json:"new_to"`
	Moved   bool  `json:"moved"`
}

// A NewSeam is one that is there through a new cut.
type NewSeam struct {
	Track string `json:"track"`
	TC    string `json:"tc"`
	At    int64  `json:"at"`
}

// A RecutAnswer is what a new picture cut would do to a scene, and the edit that does it.
type RecutAnswer struct {
	Revision int64      `json:"revision"`
	Rows     []RecutRow `json:"rows"`
	Old      []ShotView `json:"old"`
	New      []ShotView `json:"new"`
	Ribbons  []Ribbon   `json:"ribbons"`
	Kept     int        `json:"kept"`
	Seams    []NewSeam  `json:"seams"`
	Lost     []string   `json:"lost"`
	Warnings []string   `json:"warnings"`
	Edit     edit.Wire  `json:"edit"`
}

// planned reads a new cut from the body of a request, and finds what it does.
func (s *Server) planned(w http.ResponseWriter, r *http.Request) (*workspace.Scene, *export.Recut, []string, error) {
	st, err := s.opened(r)
	if err != nil {
		return nil, nil, nil, err
	}
	name, err := nameAsked(r)
	if err != nil || !interchange.IsSceneFile(name) {
		return nil, nil, nil, refuse.Errorf("%q is no cut that can be read; those end in %s", name,
			interchange.Endings(" or "))
	}
	format, err := interchange.FormatOf(name)
	if err != nil {
		return nil, nil, nil, refuse.Because(err)
	}
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit.SceneFileBytes))
	if err != nil {
		return nil, nil, nil, refuse.Errorf("%s did not arrive whole, or is larger than %s", name,
			limit.Bytes(limit.SceneFileBytes))
	}
	cut, warnings, err := format.Read(raw, interchange.Hints{Rate: st.Scene.Rate})
	if err != nil {
		return nil, nil, nil, refuse.Errorf("%s: %w", name, err)
	}
	skip, err := skipped(r.URL.Query().Get("skip"))
	if err != nil {
		return nil, nil, nil, refuse.Because(err)
	}
	more, err := s.brought(r.Context(), st.Scene, cut)
	if err != nil {
		return nil, nil, nil, err
	}
	asked := r.URL.Query()
	plan, err := export.PlanRecut(st.Scene, cut, export.RecutOptions{Skip: skip, CutBeds: asked.Get("cut_beds") != "",
		Trim: asked.Get("trim") != "", Extend: asked.Get("extend") != ""})
	if err != nil {
		return nil, nil, nil, err
	}
	return st, plan, append(warnings, more...), nil
}

// skipped reads "1,2,3".
func skipped(text string) (list []int, err error) {
	for _, word := range strings.Split(text, ",") {
		if word == "" {
			continue
		}
		n, err := strconv.Atoi(word)
		if err != nil || len(list) > limit.Batch {
			return nil, errors.New("skip must be a list of changes, by their places")
		}
		list = append(list, n)
	}
	return list, nil
}

// brought puts into a cut, in the place of what the scene does not know, the recordings that the library has; of what
// it has not either nothing is seen.
func (s *Server) brought(ctx context.Context, sc, cut *scene.Scene) (warnings []string, err error) {
	_, unknown := edit.NewRecut(sc, cut)
	for _, src := range unknown {
		id := src.ID
		for own, x := range cut.Sources {
			if x.URL == src.URL && x.Name == src.Name {
				id = own
			}
		}
		list, err := s.Ingester.Named(ctx, src.URL)
		if err != nil {
			return nil, err
		}
		if len(list) == 1 && list[0].Width > 0 {
			if err := s.Library.Prepare(ctx, list[0], sc.SampleRate, sc.Rate); err != nil {
				return nil, err
			}
			now, err := s.Ingester.Source(list[0], sc)
			if err != nil {
				return nil, err
			}
			delete(cut.Sources, id)
			cut.Sources[now.ID] = now
			renamed(cut, id, now.ID)
			continue
		}
		warnings = append(warnings, fmt.Sprintf("%s is not here; where the new cut shows it, nothing is seen. Bring it in, "+
			"and the new cut again.", src.Name))
		dropped(cut, id)
	}
	return warnings, nil
}

func renamed(cut *scene.Scene, from, to string) {
	for _, t := range cut.Tracks {
		for i := range t.Clips {
			if t.Clips[i].Source == from {
				t.Clips[i].Source = to
			}
		}
	}
}

// dropped takes all clips of a source out of a cut.
func dropped(cut *scene.Scene, source string) {
	for _, t := range cut.Tracks {
		kept := t.Clips[:0:0]
		for _, c := range t.Clips {
			if c.Source != source {
				kept = append(kept, c)
			}
		}
		t.Clips = kept
	}
}

// recut tells what a new picture cut would do.
func (s *Server) recut(w http.ResponseWriter, r *http.Request) error {
	st, plan, warnings, err := s.planned(w, r)
	if err != nil {
		return err
	}
	sc := st.Scene
	a := RecutAnswer{
		Revision: st.Revision, Rows: []RecutRow{}, Kept: plan.Kept, Seams: []NewSeam{}, Lost: plan.Lost,
		Warnings: append([]string{}, warnings...), Edit: edit.Wire{Edit: plan.Edit}, Ribbons: []Ribbon{},
		Old: strip(sc), New: strip(plan.After),
	}
	for _, x := range plan.Rows {
		fixed := x.What == export.NoPicture || x.What == export.Overlap
		a.Rows = append(a.Rows, RecutRow{string(x.What), sc.Timecode(x.At), x.At, x.Length, x.Words, x.Sound, x.Clips, fixed})
	}
	at := func(frame int64) int64 { return sc.Rate.SampleOf(frame, sc.SampleRate) }
	for _, p := range plan.Pieces {
		a.Ribbons = append(a.Ribbons, Ribbon{at(p.Old.From), at(p.Old.To), at(p.New.From), at(p.New.To), p.Moved})
	}
	for _, x := range plan.New {
		a.Seams = append(a.Seams, NewSeam{x.TrackName, sc.Timecode(x.At), x.At})
	}
	return s.answer(w, http.StatusOK, a)
}

// strip is the picture of a scene.
func strip(sc *scene.Scene) []ShotView {
	list := []ShotView{}
	for _, t := range sc.Tracks {
		if t.Kind != scene.Picture {
			continue
		}
		for _, c := range t.Clips {
			span := scene.ClipTime(sc, t, c)
			list = append(list, ShotView{span.From, span.To, c.Name})
		}
		break
	}
	return list
}

// A RecutMending is what would mend the seams that are new through a new cut, and the edit that follows the cut and
// mends them.
type RecutMending struct {
	Changes []ProposalView `json:"changes"`
	Left    []ProposalView `json:"left"`
	Edit    edit.Wire      `json:"edit"`
}

// mended is what would mend the seams that are new through a new picture cut, and the scene with that cut.
func mended(ctx context.Context, st *workspace.Scene, plan *export.Recut) (a RecutMending, err error) {
	after, err := st.Try(ctx, plan.Edit)
	if err != nil {
		return a, err
	}
	only := map[audit.SeamID]bool{}
	for _, x := range plan.New {
		only[x.ID] = true
	}
	m, err := after.MendSeams(ctx, only)
	if err != nil {
		return a, err
	}
	edits := []edit.Edit{plan.Edit}
	for _, p := range m.Changes {
		edits = append(edits, p.Edit)
	}
	words := fmt.Sprintf("the sound follows a new cut of the picture, %d new seams mended", len(m.Changes))
	return RecutMending{proposalViews(after.Scene, m.Changes), proposalViews(after.Scene, m.Left),
		edit.Wire{Edit: edit.NewBatch(words, edits...)}}, nil
}

// recutMend proposes for the seams that are new through a new picture cut.
func (s *Server) recutMend(w http.ResponseWriter, r *http.Request) error {
	st, plan, _, err := s.planned(w, r)
	if err != nil {
		return err
	}
	a, err := mended(r.Context(), st, plan)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, a)
}

// recutSound sends what the scene would sound like around a moment with a new picture cut; with mend, with its new
// seams mended.
func (s *Server) recutSound(w http.ResponseWriter, r *http.Request) error {
	st, plan, _, err := s.planned(w, r)
	if err != nil {
		return err
	}
	e := edit.Edit(plan.Edit)
	if r.URL.Query().Get("mend") != "" {
		a, err := mended(r.Context(), st, plan)
		if err != nil {
			return err
		}
		e = a.Edit.Edit
	}
	return sendAround(w, r, st, e, "new cut")
}

// sendAround sends what a scene would sound like after an edit, around a moment that is asked for.
func sendAround(w http.ResponseWriter, r *http.Request, st *workspace.Scene, e edit.Edit, name string) error {
	after, err := st.Try(r.Context(), e)
	if err != nil {
		return err
	}
	sc := after.Scene
	at, err := strconv.ParseInt(r.URL.Query().Get("at"), 10, 64)
	if err != nil || at < 0 || at > sc.Length() {
		return refuse.Errorf("at must be a sample of the scene")
	}
	m, err := after.Mixer(r.Context(), mix.Options{})
	if err != nil {
		return err
	}
	rate := sc.SampleRate
	span := pcm.Span{From: max(0, at-3*rate), To: at + 3*rate}
	return sendSound(w, mix.Recording{Mixer: m, Rate: int(rate)}, span, int(rate), "inline", name)
}
