package web

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"

	"blendseam/core/scene"
	"blendseam/store"
)

// A problem is what a page is told when something cannot be done.
type problem struct {
	Message      string              `json:"message"`
	Alternatives []scene.Alternative `json:"alternatives,omitempty"`
	Newer        []store.Entry       `json:"newer,omitempty"`
}

func (s *Server) answer(w http.ResponseWriter, status int, body any) {
	raw, err := json.Marshal(body)
	if err != nil {
		slog.Error("an answer could not be written", "err", err)
		http.Error(w, "The answer could not be written.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	w.Write(raw)
}

// errBadRequest marks what a page or a script asked in a way that makes no sense.
type errBadRequest struct{ error }

// fail answers with one line that says what was wrong.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	status, p := http.StatusInternalServerError, problem{Message: err.Error()}
	var refusal scene.Refusal
	var stale *store.Stale
	var bad errBadRequest
	switch {
	case errors.As(err, &refusal):
		status, p.Alternatives = http.StatusUnprocessableEntity, refusal.Alternatives()
	case errors.As(err, &stale):
		status, p.Newer = http.StatusConflict, stale.Newer
	case errors.As(err, &bad):
		status = http.StatusBadRequest
	case errors.Is(err, store.ErrNotFound):
		status, p.Message = http.StatusNotFound, "There is nothing at this address; it may have been removed."
	case errors.Is(err, store.ErrUnavailable):
		status = http.StatusServiceUnavailable
	default:
		if r.Context().Err() == nil {
			slog.Error("request failed", "path", r.URL.Path, "err", err)
		}
	}
	if strings.Contains(r.Header.Get("Accept"), "text/html") {
		w.WriteHeader(status)
		s.page(w, "problem", view{Title: "Not possible", Problem: p.Message})
		return
	}
	s.answer(w, status, p)
}
