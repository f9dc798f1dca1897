package web

import (
	"context"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm/wav"
	"blendseam/export"
	"blendseam/media"
	"blendseam/workspace"
)

func (s *Server) handOverPage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		return err
	}
	list, err := s.madeList(r.Context(), id)
	if err != nil {
		return err
	}
	sc := st.Scene
	tracks := []StemTrack{}
	for _, t := range sc.Tracks {
		if t.Kind == scene.Sound {
			tracks = append(tracks, StemTrack{t.ID, t.Name})
		}
	}
	ranges := []string{}
	for _, m := range sc.Markers {
		if m.Length > 0 {
			ranges = append(ranges, m.Name)
		}
	}
	return s.page(
		w, r,
		"hand-over",
		view{Title: "Hand over " + sc.Name, Scene: id, Name: sc.Name, Data: map[string]any{
			"id":       id,
			"from":     sc.Timecode(0),
			"to":       sc.Timecode(sc.Length()),
			"empty":    sc.Length() == 0,
			"length_s": float64(sc.Length()) / float64(sc.SampleRate),
			"rate":     sc.SampleRate,
			"channels": sc.Channels,
			"kinds":    kinds(),
			"tracks":   tracks,
			"ranges":   ranges,
			"pattern":  export.DefaultPattern,
			"formats":  formats(sc),
			"made":     list,
		}},
	)
}

// A StemTrack is a track that a stem may hold.
type StemTrack struct {
	ID   scene.TrackID `json:"id"`
	Name string        `json:"name"`
}

// A KindView is a kind of sound file that can be made.
type KindView struct {
	Ending string   `json:"ending"`
	Name   string   `json:"name"`
	Depths []string `json:"depths"`
	Rates  []int    `json:"rates"` // none: any
	KBits  []int    `json:"kbits"`
}

func kinds() (list []KindView) {
	for _, k := range media.Kinds {
		list = append(list, KindView{k.Ending, k.Name, append([]string{}, k.Depths...), append([]int{}, k.Rates...),
			append([]int{}, k.KBits...)})
	}
	return list
}

// handedOver are the kinds of job whose results the page lists.
var handedOver = []string{"mixdown", "look", "package", "pieces", "list"}

func (s *Server) madeList(ctx context.Context, id string) ([]workspace.Progress, error) {
	list := []workspace.Progress{}
	for _, kind := range handedOver {
		jobs, err := s.Store.Jobs(ctx, id, kind)
		if err != nil {
			return nil, err
		}
		for _, j := range jobs {
			list = append(list, s.Jobs.Progress(j))
		}
	}
	slices.SortStableFunc(list, func(a, b workspace.Progress) int { return b.Made.Compare(a.Made) })
	return list, nil
}

func (s *Server) mixdowns(w http.ResponseWriter, r *http.Request) error {
	list, err := s.madeList(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// A mixdownResult says what was made.
type mixdownResult struct {
	Files   []madeFile  `json:"files"`
	GainDB  float64     `json:"gain_db"`
	Passes  []passPlace `json:"passes"` // where it passes the ceiling
	Limited bool        `json:"limited"`
	LUFS    *float64    `json:"lufs,omitempty"` // of what was looked at
	measure.Loudness
	madeFile // the first
}

type madeFile struct {
	File    string  `json:"file"`
	Stem    string  `json:"stem,omitempty"`
	Bytes   int64   `json:"bytes"`
	LengthS float64 `json:"length_s"`
	Format  string  `json:"format"`
	Clipped int64   `json:"clipped"`
}

// A passPlace is where a mix passes its ceiling.
type passPlace struct {
	TC     string  `json:"tc"`
	OverDB float64 `json:"over_db"`
}

func (s *Server) mixdown(w http.ResponseWriter, r *http.Request) error {
	return s.begin(w, r, new(mixdownRequest))
}

func (q *mixdownRequest) work(
	s *Server, st *workspace.Scene, when time.Time,
) (kind, words string, do workspace.Work, err error) {
	list, err := q.orders(st, when)
	if err != nil {
		return "", "", nil, errBadRequest{err}
	}
	kind = "mixdown"
	if q.Look {
		kind = "look"
	}
	return kind, q.words(st.Scene, list), func(ctx context.Context, id string, done func(float64)) (any, error) {
		if q.Look {
			return s.look(ctx, st, list, done)
		}
		return s.inMade(id, func(dir string) (any, error) { return s.makeMixdown(ctx, dir, st, *q, list, done) })
	}, nil
}

// look tells what orders would make.
func (s *Server) look(ctx context.Context, st *workspace.Scene, list []mixdownOrder, done func(float64)) (any, error) {
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return nil, err
	}
	result := mixdownResult{Files: []madeFile{}, Passes: []passPlace{}}
	for i, o := range list {
		made, err := export.Preview(ctx, st.Scene, m, o.Order, shared(done, i, len(list)))
		if err != nil {
			return nil, err
		}
		result.GainDB, result.LUFS = made.GainDB, made.LUFS
		result.add(st.Scene, made)
	}
	return result, nil
}

// shared is the progress of one part of several.
func shared(done func(float64), i, of int) func(float64) {
	return func(x float64) { done((float64(i) + x) / float64(of)) }
}

// add takes what was found or made for one range.
func (x *mixdownResult) add(sc *scene.Scene, made *export.Made) {
	x.Limited = x.Limited || made.Limited
	for _, p := range made.Passes {
		x.Passes = append(x.Passes, passPlace{sc.Timecode(p.At), p.ReducedDB})
	}
	x.took(made.Files)
}

// took takes files that were made.
func (x *mixdownResult) took(files []export.File) {
	for _, f := range files {
		x.Files = append(x.Files, madeFile{filepath.Base(f.Path), f.Name, f.Bytes, f.LengthS, f.Format, f.Clipped})
	}
	if len(x.Files) > 0 {
		x.madeFile = x.Files[0]
	}
}

func (s *Server) makeMixdown(
	ctx context.Context,
	dir string,
	st *workspace.Scene,
	q mixdownRequest,
	list []mixdownOrder,
	done func(float64),
) (any, error) {
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return nil, err
	}
	if err := q.name(dir, list); err != nil {
		return nil, err
	}
	all := mixdownResult{Files: []madeFile{}, Passes: []passPlace{}}
	for i, o := range list {
		made, err := export.Make(ctx, st.Scene, m, o.Order, shared(func(x float64) { done(0.9 * x) }, i, len(list)))
		if err != nil {
			return nil, err
		}
		all.GainDB = made.GainDB
		all.add(st.Scene, made)
	}
	onlyKeep(dir, all.Files)
	if len(list) > 1 || q.NoMix {
		return all, nil
	}
	if all.Loudness, err = media.Loudness(ctx, list[0].Mix); err != nil { // of what was written, not of what should be
		return nil, err
	}
	return all, describe(list[0].Mix, all.Loudness)
}

// onlyKeep removes from the folder of a job what it did not make: what a program that has ended left may go on writing.
func onlyKeep(dir string, files []madeFile) {
	there, _ := os.ReadDir(dir)
	for _, e := range there {
		if !slices.ContainsFunc(files, func(f madeFile) bool { return f.File == e.Name() }) {
			os.RemoveAll(filepath.Join(dir, e.Name()))
		}
	}
}

// describe writes into a broadcast WAV file how loud it is.
func describe(file string, l measure.Loudness) error {
	if filepath.Ext(file) != ".wav" {
		return nil
	}
	r, err := wav.Open(file)
	if err != nil {
		return err
	}
	x := *r.Bext
	r.Close()
	x.Loudness = &wav.BextLoudness{
		IntegratedLUFS: l.IntegratedLUFS, RangeLU: l.RangeLU, TruePeakDBTP: l.TruePeakDBTP,
		MomentaryMaxLUFS: l.MomentaryMaxLUFS, ShortTermMaxLUFS: l.ShortTermMaxLUFS,
	}
	return wav.Describe(file, &x)
}

// fileName makes a scene's name fit for a file.
func fileName(name string) string { return export.FileName(name) }
