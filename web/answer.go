package web

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene/edit"
	"blendseam/ingest"
	"blendseam/media"
	"blendseam/store"
)

// A problem is what a page is told when something cannot be done.
type problem struct {
	Message      string             `json:"message"`
	Alternatives []edit.Alternative `json:"alternatives,omitempty"`
	Newer        []store.Entry      `json:"newer,omitempty"`
	Choices      []ingest.Choice    `json:"choices,omitempty"` // recordings of which somebody has to choose one each
}

// A handler answers a request, or says why it cannot.
type handler func(http.ResponseWriter, *http.Request) error

// handle answers the errors of a handler.
func (s *Server) handle(h handler) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if err := h(w, r); err != nil {
			s.fail(w, r, err)
		}
	}
}

func (s *Server) answer(w http.ResponseWriter, status int, body any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return fmt.Errorf("the answer could not be written: %w", err)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, err = w.Write(raw)
	if err != nil { // whoever asked has gone
		slog.Debug("an answer did not arrive", "err", err)
	}
	return nil
}

// fail answers with one line that says what was wrong.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	status, p := http.StatusInternalServerError, problem{Message: err.Error()}
	var refusal edit.Refusal
	var stale *store.Stale
	var missing *meter.MissingRecording
	var notHere *ingest.NotHere
	var inUse *ingest.InUse
	var full *media.DiskFull
	var readOnly *media.ReadOnly
	var quota *ingest.OverQuota
	var gone *media.MissingFile
	var noQuiet *fill.NoQuiet
	var bad *refuse.Error
	var refused *store.Refused
	var entangled *store.Entangled
	var none *store.NoneOfMine
	switch {
	case errors.As(err, &refusal):
		status, p.Alternatives = http.StatusUnprocessableEntity, refusal.Alternatives()
	case errors.As(err, &missing), errors.As(err, &notHere), errors.As(err, &gone), errors.As(err, &inUse):
		status = http.StatusUnprocessableEntity
	case errors.As(err, &refused), errors.As(err, &none), errors.As(err, &noQuiet):
		status = http.StatusUnprocessableEntity
	case errors.As(err, &entangled):
		status, p.Newer = http.StatusUnprocessableEntity, entangled.Since
	case errors.As(err, &stale):
		status, p.Newer = http.StatusConflict, stale.Newer
	case errors.As(err, &bad):
		status, p.Message = http.StatusBadRequest, bad.Sentence()
	case errors.Is(err, store.ErrNotFound):
		status, p.Message = http.StatusNotFound, "There is nothing at this address; it may have been removed."
	case errors.Is(err, store.ErrUnavailable), errors.Is(err, store.ErrNotKept), errors.Is(err, store.ErrUncertain):
		status = http.StatusServiceUnavailable
	case errors.Is(err, store.ErrTooOld):
		status = http.StatusUnprocessableEntity
	case errors.As(err, &full), errors.As(err, &readOnly), errors.As(err, &quota):
		status = http.StatusInsufficientStorage
	default:
		// What went wrong may say where things lie here, which is nobody's business.
		number := rand.Text()[:8]
		p.Message = fmt.Sprintf(
			"Something went wrong here that should not. The program's log says what, under %s. What was kept before is kept.",
			number,
		)
		if r.Context().Err() == nil {
			slog.Error("request failed", "number", number, "path", short(r.URL.Path), "err", err)
		}
	}
	s.problem(w, r, status, p)
}

// problem answers with a problem, as a page where one is asked for.
func (s *Server) problem(w http.ResponseWriter, r *http.Request, status int, p problem) {
	if strings.Contains(r.Header.Get("Accept"), "text/html") {
		if err := s.pageAs(w, r, status, "problem", view{Title: "Not possible", Problem: p.Message}); err != nil {
			slog.Error("a problem could not be told", "err", err)
		}
		return
	}
	if err := s.answer(w, status, p); err != nil {
		slog.Error("a problem could not be told", "err", err)
	}
}

// answers are how access answers with the pages of the interface.
type answers struct{ s *Server }

func (a answers) Say(w http.ResponseWriter, r *http.Request, status int, message string) {
	a.s.problem(w, r, status, problem{Message: message})
}

func (a answers) Show(w http.ResponseWriter, r *http.Request, status int, page, title, said string, data any) {
	if err := a.s.pageAs(w, r, status, page, view{Title: title, Problem: said, Data: data}); err != nil {
		a.s.fail(w, r, err)
	}
}

func (a answers) Fail(w http.ResponseWriter, r *http.Request, err error) { a.s.fail(w, r, err) }
