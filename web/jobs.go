package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/app"
)

// job is a handler that begins the job of an operation.
func (s *Server) job(name string) handler {
	o := app.Must(name)
	return func(w http.ResponseWriter, r *http.Request) error {
		q := o.NewRequest()
		if err := decode(w, r, q); err != nil {
			return err
		}
		job, err := o.Begin(r.Context(), s.App, chi.URLParam(r, "scene"), q)
		if err != nil {
			return err
		}
		return s.answer(w, http.StatusAccepted, job)
	}
}
