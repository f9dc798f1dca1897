package web

import (
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
)

// events sends what happens to a scene, or to all of them, as server-sent events for as long as the page is open.
func (s *Server) events(w http.ResponseWriter, r *http.Request) error {
	events, leave := s.Hub.Listen(r.URL.Query().Get("scene"))
	defer leave()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w).Flush
	fmt.Fprint(w, "retry: 1000\n\n")
	flush()
	alive := time.NewTicker(20 * time.Second)
	defer alive.Stop()
	for {
		select {
		case e := <-events:
			fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.Kind, e.Body)
		case <-alive.C:
			fmt.Fprint(w, ": still here\n\n")
		case <-s.Hub.Ended():
			return nil
		case <-r.Context().Done():
			return nil
		}
		if flush() != nil {
			return nil
		}
	}
}

func (s *Server) stopJob(w http.ResponseWriter, r *http.Request) error {
	if !s.Jobs.Stop(chi.URLParam(r, "job")) {
		return s.answer(w, http.StatusGone, problem{Message: "This work has ended already."})
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}
