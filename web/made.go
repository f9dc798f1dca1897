package web

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/limit"
	"blendseam/export"
	"blendseam/media"
	"blendseam/store"
)

// inMade lets a job make something in a folder of its own, which goes again if that fails.
func (s *Server) inMade(jobID string, make func(dir string) (any, error)) (any, error) {
	dir := filepath.Join(s.Made, jobID)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if err := media.Space(dir, limit.ReserveBytes); err != nil {
		os.Remove(dir)
		return nil, err
	}
	result, err := make(dir)
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	return result, nil
}

// made sends a file that was made whole: the first, or the one of a number.
func (s *Server) made(w http.ResponseWriter, r *http.Request) error {
	id, list, err := s.madeFiles(r)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(chi.URLParam(r, "n"))
	if chi.URLParam(r, "n") == "" {
		n, err = 0, nil
	}
	if err != nil || n < 0 || n >= len(list) {
		return store.ErrNotFound
	}
	file, err := s.madeFile(id, list[n])
	if err != nil {
		return err
	}
	name := filepath.Base(file)
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	http.ServeFile(w, r, file)
	return nil
}

// madeFiles are the files of a job that is done.
func (s *Server) madeFiles(r *http.Request) (id string, list []madeFile, err error) {
	job, err := s.Store.Job(r.Context(), chi.URLParam(r, "job"))
	if err != nil {
		return "", nil, err
	}
	var result mixdownResult
	if job.State != "done" || json.Unmarshal(job.Result, &result) != nil {
		return "", nil, store.ErrNotFound
	}
	if list = result.Files; len(list) == 0 && result.File != "" { // as it was kept once
		list = []madeFile{result.madeFile}
	}
	if len(list) == 0 {
		return "", nil, store.ErrNotFound
	}
	return job.ID, list, nil
}

// errMadeDamaged says that a file is not what was made.
var errMadeDamaged = errors.New("This file is damaged: it is not as long as it was made. Make it again.")

// madeFile is where a file lies that a job made, here or in another process. Whoever fetches it keeps it from going.
func (s *Server) madeFile(id string, f madeFile) (string, error) {
	dir, name := filepath.Join(s.Made, id), filepath.Base(f.File)
	if err := s.Library.Made(id, dir, name); err != nil {
		return "", err
	}
	file := filepath.Join(dir, name)
	info, err := os.Stat(file)
	if err != nil {
		return "", store.ErrNotFound
	}
	if f.Bytes > 0 && info.Size() != f.Bytes {
		return "", errBadRequest{errMadeDamaged}
	}
	now := time.Now()
	os.Chtimes(dir, now, now)
	return file, nil
}

// madeAll sends all files of a job in one ZIP file, as they are.
func (s *Server) madeAll(w http.ResponseWriter, r *http.Request) error {
	id, list, err := s.madeFiles(r)
	if err != nil {
		return err
	}
	for _, f := range list {
		if _, err := s.madeFile(id, f); err != nil {
			return err
		}
	}
	w.Header().Set("Content-Type", "application/zip")
	first := filepath.Base(list[0].File)
	w.Header().Set("Content-Disposition",
		fmt.Sprintf("attachment; filename=%q", strings.TrimSuffix(first, filepath.Ext(first))+".zip"))
	z := zip.NewWriter(w)
	for _, f := range list {
		if err := export.ZipFile(z, filepath.Join(s.Made, id, filepath.Base(f.File)), filepath.Base(f.File)); err != nil {
			return err
		}
	}
	return z.Close()
}

// dropMade removes what a job made.
func (s *Server) dropMade(w http.ResponseWriter, r *http.Request) error {
	job, err := s.Store.Job(r.Context(), chi.URLParam(r, "job"))
	if err != nil {
		return err
	}
	if job.State == "running" {
		return errBadRequest{errors.New("it is being made still; stop it first")}
	}
	if err := s.forgetMade(r.Context(), job.ID); err != nil {
		return err
	}
	s.Hub.Tell(job.Scene, "job", s.Jobs.Progress(job))
	w.WriteHeader(http.StatusNoContent)
	return nil
}

// forgetMade removes a job that is over, with what it made.
func (s *Server) forgetMade(ctx context.Context, id string) error {
	if err := s.Store.ForgetJob(ctx, id); err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return errors.Join(os.RemoveAll(filepath.Join(s.Made, id)), s.Library.DropMade(ctx, id))
}

// forgetAllMade removes what was made of a scene that is removed.
func (s *Server) forgetAllMade(ctx context.Context, scene string) error {
	list, err := s.madeList(ctx, scene)
	if err != nil {
		return err
	}
	for _, p := range list {
		s.Jobs.Stop(ctx, p.ID)
		if err := s.forgetMade(ctx, p.ID); err != nil {
			return err
		}
	}
	return nil
}

// How often it is looked for what was made and is old, and how long a folder stays that no job knows.
const (
	sweepEvery = time.Hour
	strangeFor = 24 * time.Hour
)

// SweepMade removes, now and each hour until ctx ends, what was made or fetched last longer ago than keep, and what no
// job knows.
func (s *Server) SweepMade(ctx context.Context, keep time.Duration) {
	for every := time.NewTicker(sweepEvery); ; {
		if err := s.sweep(ctx, keep); err != nil && ctx.Err() == nil {
			slog.Warn("what was made long ago could not be removed", "err", err)
		}
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
	}
}

func (s *Server) sweep(ctx context.Context, keep time.Duration) error {
	entries, err := os.ReadDir(s.Made)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	for _, e := range entries {
		info, err := e.Info()
		if err != nil || !e.IsDir() {
			continue
		}
		job, err := s.Store.Job(ctx, e.Name())
		age := time.Since(info.ModTime())
		switch {
		case errors.Is(err, store.ErrNotFound) && age > strangeFor:
		case err != nil:
			continue
		case job.State == "running" || keep <= 0 || age <= keep:
			continue
		}
		if err := s.forgetMade(ctx, e.Name()); err != nil {
			return err
		}
	}
	return nil
}
