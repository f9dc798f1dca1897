package web

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"blendseam/core/limit"
	"blendseam/core/scene/edit"
	"blendseam/store"
	"blendseam/web/access"
)

// readyIn is how long the database may take to answer.
const readyIn = 3 * time.Second

// health answers whether the process goes on.
func health(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Write([]byte("ok\n"))
}

// ready answers whether requests can be served: not before the database answers, nor once the program is to end.
func (s *Server) ready(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	ctx, cancel := context.WithTimeout(r.Context(), readyIn)
	defer cancel()
	switch err := s.Store.Ping(ctx); {
	case s.ending.Load():
		http.Error(w, "ending", http.StatusServiceUnavailable)
	case err != nil:
		http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
	default:
		w.Write([]byte("ready\n"))
	}
}

// figures are what the program says of itself, in the form that Prometheus reads.
type figures struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	edits    *prometheus.CounterVec
}

// slow is how long a request that only reads may take without being logged, and listening the route of pages that wait
// for events all along.
const (
	slow      = time.Second
	listening = "/events"
)

// slowestS are the edges of the histogram of requests, in seconds.
var slowestS = []float64{.002, .005, .01, .02, .05, .1, .25, .5, 1, 2.5, 10}

func (s *Server) newFigures() *figures {
	f := &figures{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "blendseam_request_seconds",
			Help: "Time to answer, by route, method and status.", Buckets: slowestS}, []string{"route", "method", "status"}),
		edits: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "blendseam_edits_total",
			Help: "Edits that pages asked for, by what became of them."}, []string{"outcome"}),
	}
	gauge := func(name, help string, of func() int) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 { return float64(of()) })
	}
	f.registry.MustRegister(f.requests, f.edits,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		collectors.NewDBStatsCollector(s.Store.DB(), "blendseam"),
		gauge("blendseam_jobs_running", "Jobs under way in this process.", s.Jobs.Running),
		gauge("blendseam_scenes_mending", "Scenes that are being mended.", s.Mending),
		gauge("blendseam_work_beside", "Work that goes on beside the requests, jobs apart.", s.Busy),
		gauge("blendseam_mending_waiting", "Who waits for a scene to be mended.", s.Waiting),
		prometheus.NewCounterFunc(prometheus.CounterOpts{Name: "blendseam_seams_measured_total",
			Help: "Seams that this process measured."}, func() float64 { return float64(s.SeamsMeasured()) }),
		gauge("blendseam_conversions", "Recordings that are being prepared.", s.Library.Preparing),
		gauge("blendseam_media_copies_bytes", "Copies of the store of recordings, when they were looked through last.",
			s.Library.Copies),
		gauge("blendseam_pages", "Pages that listen for events.", s.Hub.Listening))
	return f
}

// outcome is what became of an edit, in one word.
func outcome(err error) string {
	var stale *store.Stale
	var refusal edit.Refusal
	switch {
	case err == nil:
		return "done"
	case errors.As(err, &stale):
		return "touched"
	case errors.As(err, &refusal):
		return "refused"
	}
	return "failed"
}

// methods are those that requests have; whatever else one says is "other", so that nobody makes figures grow.
var methods = []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch,
	http.MethodDelete, http.MethodOptions}

func knownMethod(method string) string {
	if slices.Contains(methods, method) {
		return method
	}
	return "other"
}

// short is a path as the log has it.
func short(path string) string {
	cut, _ := limit.Cut(path, limit.Names)
	return cut
}

// Figures answers at /metrics with the figures, to anybody, and with nothing else: for an address of its own.
func (s *Server) Figures() http.Handler {
	m := http.NewServeMux()
	m.Handle("GET "+access.Metrics, s.metrics())
	return m
}

// metrics answers with the figures.
func (s *Server) metrics() http.Handler {
	return promhttp.HandlerFor(s.figures.registry, promhttp.HandlerOpts{})
}

// measured notes how long a request took, and logs those that changed something, failed or were slow, if that is asked
// for. Each has an id, which is its own or what a proxy gave it, and which the answer names.
func (s *Server) measured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		id, _ := limit.Cut(middleware.GetReqID(r.Context()), limit.Names)
		w.Header().Set(middleware.RequestIDHeader, id)
		answer := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		who := ""
		r = r.WithContext(access.Noting(r.Context(), &who))
		next.ServeHTTP(answer, r)
		took, status := time.Since(begun), max(answer.Status(), http.StatusOK)
		route := chi.RouteContext(r.Context()).RoutePattern()
		s.figures.requests.WithLabelValues(route, knownMethod(r.Method), strconv.Itoa(status)).Observe(took.Seconds())
		reads := r.Method == http.MethodGet || r.Method == http.MethodHead
		if !s.LogRequests || reads && status < 400 && (took < slow || route == listening) {
			return
		}
		slog.LogAttrs(r.Context(), slog.LevelInfo, "request", slog.String("id", id), slog.String("user", who),
			slog.String("method", knownMethod(r.Method)),
			slog.String("path", short(r.URL.Path)), slog.Int("status", status), slog.Int("bytes", answer.BytesWritten()),
			slog.Float64("ms", float64(took.Microseconds())/1000))
	})
}
