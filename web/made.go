package web

import (
	"archive/zip"
	"fmt"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"blendseam/core/refuse"
	"blendseam/export"
	"blendseam/store"
)

// made sends a file that was made whole: the first, or the one of a number.
func (s *Server) made(w http.ResponseWriter, r *http.Request) error {
	id, list, err := s.MadeFiles(r.Context(), chi.URLParam(r, "job"))
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
	file, err := s.FileOf(id, list[n])
	if err != nil {
		return err
	}
	name := filepath.Base(file)
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name))
	http.ServeFile(w, r, file)
	return nil
}

// madeAll sends all files of a job in one ZIP file, as they are.
func (s *Server) madeAll(w http.ResponseWriter, r *http.Request) error {
	id, list, err := s.MadeFiles(r.Context(), chi.URLParam(r, "job"))
	if err != nil {
		return err
	}
	for _, f := range list {
		if _, err := s.FileOf(id, f); err != nil {
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
		return refuse.Errorf("it is being made still; stop it first")
	}
	if err := s.ForgetMade(r.Context(), job.ID); err != nil {
		return err
	}
	s.Hub.Tell(job.Scene, "job", s.Jobs.Progress(job))
	w.WriteHeader(http.StatusNoContent)
	return nil
}
