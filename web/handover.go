package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode"

	"blendseam/core/limit"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/media"
	"blendseam/store"
	"blendseam/workspace"

	"github.com/go-chi/chi/v5"
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
	return s.page(
		w,
		"hand-over",
		view{Title: "Hand over " + sc.Name, Scene: id, Name: sc.Name, Data: map[string]any{
			"id":       id,
			"from":     sc.Timecode(0),
			"to":       sc.Timecode(sc.Length()),
			"empty":    sc.Length() == 0,
			"length_s": float64(sc.Length()) / float64(sc.SampleRate),
			"rate":     sc.SampleRate,
			"channels": sc.Channels,
			"made":     list,
		}},
	)
}

func (s *Server) madeList(ctx context.Context, id string) ([]workspace.Progress, error) {
	jobs, err := s.Store.Jobs(ctx, id, "mixdown")
	if err != nil {
		return nil, err
	}
	list := make([]workspace.Progress, len(jobs))
	for i, j := range jobs {
		list[i] = s.Jobs.Progress(j)
	}
	return list, nil
}

func (s *Server) mixdowns(w http.ResponseWriter, r *http.Request) error {
	list, err := s.madeList(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// A mixdownRequest says what to make.
type mixdownRequest struct {
	Kind     string `json:"kind"`  // one of media.Kinds
	Depth    string `json:"depth"` // one of media.Depths
	From     string `json:"from"`  // timecodes; "" is the scene's start or end
	To       string `json:"to"`
	NoDither bool   `json:"no_dither"`
}

// A mixdownResult says what was made.
type mixdownResult struct {
	File    string  `json:"file"`
	Bytes   int64   `json:"bytes"`
	LengthS float64 `json:"length_s"`
	Format  string  `json:"format"`
	Clipped int64   `json:"clipped"`
	measure.Loudness
}

func (s *Server) mixdown(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	var q mixdownRequest
	if err := decode(w, r, &q); err != nil {
		return err
	}
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	span, err := st.Scene.Stretch(q.From, q.To)
	switch {
	case err != nil:
	case !slices.Contains(media.Kinds, q.Kind):
		err = fmt.Errorf("the kind %q is not one of %s", q.Kind, strings.Join(media.Kinds, ", "))
	case q.Kind == "flac" && q.Depth == "32f":
		err = errors.New("FLAC holds integers; choose 16 or 24 bits, or WAV for 32 bits float")
	}
	if err != nil {
		return errBadRequest{err}
	}
	words := fmt.Sprintf("%s, %s to %s", strings.ToUpper(q.Kind), st.Scene.Timecode(span.From), st.Scene.Timecode(span.To))
	job, err := s.Jobs.Start(
		r.Context(),
		id,
		"mixdown",
		words,
		func(ctx context.Context, jobID string, done func(float64)) (any, error) {
			return s.makeMixdown(ctx, jobID, st, q, span, done)
		},
	)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusAccepted, job)
}

func (s *Server) makeMixdown(
	ctx context.Context,
	jobID string,
	st *workspace.Scene,
	q mixdownRequest,
	span pcm.Span,
	done func(float64),
) (any, error) {
	sc := st.Scene
	m, err := st.Mixer(ctx, mix.Options{})
	if err != nil {
		return nil, err
	}
	dir := filepath.Join(s.Made, jobID)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if err := media.Space(dir, limit.ReserveBytes); err != nil {
		os.Remove(dir)
		return nil, err
	}
	name := fileName(sc.Name)
	if q.From != "" || q.To != "" { // a part: two parts have two names
		name += " " + fileName(sc.Timecode(span.From)+" to "+sc.Timecode(span.To))
	}
	file := filepath.Join(dir, name+"."+q.Kind)
	kept := false
	defer func() {
		if !kept {
			os.RemoveAll(dir)
		}
	}()
	out, err := media.Create(file, int(sc.SampleRate), sc.Channels, q.Depth, q.NoDither)
	if err != nil {
		return nil, err
	}
	defer out.Discard()
	clipped, err := m.Export(ctx, span, out.Encoder, out, func(n int64) { done(0.9 * float64(n) / float64(span.Len())) })
	if err != nil {
		return nil, err
	}
	if err := out.Close(); err != nil {
		return nil, err
	}
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	loudness, err := media.Loudness(ctx, file) // of what was written, not of what should have been
	if err != nil {
		return nil, err
	}
	kept = true
	format := out.Encoder.Format.String()
	if q.Kind == "mp3" { // it has no bits a sample
		format = fmt.Sprintf("%d Hz, %d channels", sc.SampleRate, sc.Channels)
	}
	return mixdownResult{
		File:     filepath.Base(file),
		Bytes:    info.Size(),
		LengthS:  float64(span.Len()) / float64(sc.SampleRate),
		Format:   format,
		Clipped:  clipped,
		Loudness: loudness,
	}, nil
}

// fileName makes a scene's name fit for a file.
func fileName(name string) string {
	clean := strings.Map(func(r rune) rune {
		switch {
		case unicode.IsLetter(r), unicode.IsDigit(r), strings.ContainsRune("-_., ", r):
			return r
		}
		return '-'
	}, strings.TrimLeft(name, "."))
	if clean = strings.TrimSpace(clean); clean == "" {
		return "scene"
	}
	if len(clean) > 80 {
		clean = strings.ToValidUTF8(clean[:80], "")
	}
	return clean
}

// made sends a file that was made whole.
func (s *Server) made(w http.ResponseWriter, r *http.Request) error {
	job, err := s.Store.Job(r.Context(), chi.URLParam(r, "job"))
	if err != nil {
		return err
	}
	var result mixdownResult
	if job.State != "done" || json.Unmarshal(job.Result, &result) != nil || result.File == "" {
		return store.ErrNotFound
	}
	file := filepath.Join(s.Made, job.ID, filepath.Base(result.File))
	if _, err := os.Stat(file); err != nil {
		return store.ErrNotFound
	}
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", filepath.Base(result.File)))
	http.ServeFile(w, r, file)
	return nil
}
