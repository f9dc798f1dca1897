// Package web is the interface: pages from templates, views from JSON and sound. It asks core what is allowed and what
// it sounds like, and holds no rule of the job itself.
package web

import (
	"context"
	"embed"
	"io/fs"
	"log/slog"
	"net/http"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"blendseam/app"
	"blendseam/store"
	"blendseam/web/access"
)

//go:embed all:static
var static embed.FS

// A Config is what the interface works on.
type Config struct {
	*app.App
	Door    access.Door
	Gate    access.Config
	Demo    func(ctx context.Context, production string) (string, error) // loads the demo scene and gives its id
	Release string                                                       // which this is, in words

	LogRequests bool // that change something, fail or are slow
}

// A Server is the interface as an http.Handler. It keeps nothing: what is derived from scenes has its place in the
// workspace.
type Server struct {
	http.Handler
	Config
	gate    *access.Gate
	figures *figures
	ending  atomic.Bool // no more requests are to come
}

// New gives the interface.
func New(c Config) *Server {
	s := &Server{Config: c}
	s.figures = s.newFigures()
	s.gate = access.NewGate(c.Gate, c.Store, answers{s})
	s.Handler = s.routes()
	if _, err := fs.Stat(static, "static/styles.css"); err != nil { // built without npm
		s.Handler = http.HandlerFunc(notMade)
	}
	return s
}

// notMade says what is missing where the pages' styles and scripts were not made.
func notMade(w http.ResponseWriter, r *http.Request) {
	raw, err := static.ReadFile("static/not-made.txt")
	if err != nil {
		panic(err) // it is embedded above
	}
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.WriteHeader(http.StatusServiceUnavailable)
	w.Write(raw)
}

func (s *Server) routes() http.Handler {
	r := chi.NewRouter()
	r.Use(
		middleware.RequestID,
		s.measured,
		middleware.Recoverer,
		safe,
		patient,
		func(next http.Handler) http.Handler { return s.Door.Handler(next, answers{s}) },
		http.NewCrossOriginProtection().Handler,
		s.gate.Handler,
	)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, store.ErrNotFound) })
	s.gate.Mount(r, s.gate.Routes())
	s.gate.Mount(r, s.screens())
	s.gate.Mount(r, s.table())
	s.gate.Mount(r, s.scripts())

	files, err := fs.Sub(static, "static")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	r.Handle("/static/*", http.StripPrefix("/static/", cached(http.FileServerFS(files))))
	return r
}

// policy lets pages use nothing but what this server sends. Styles may be set on elements, which the panels do.
const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; img-src " +
	"'self' data:; media-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func safe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		if !utf8.ValidString(r.URL.Path) || !validQuery(r) {
			http.Error(w, "The address is no text that can be read.", http.StatusBadRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// validQuery tells whether all that a request asks by its address is text.
func validQuery(r *http.Request) bool {
	for name, values := range r.URL.Query() {
		for _, v := range append(values, name) {
			if !utf8.ValidString(v) {
				return false
			}
		}
	}
	return true
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=3600")
		next.ServeHTTP(w, r)
	})
}

// drainIn is how long requests under way may take when the program is to end.
const drainIn = 30 * time.Second

// Serve answers until the context ends, and then finishes what is under way.
func (s *Server) Serve(ctx context.Context, server *http.Server, listen func() error) error {
	server.Handler = s
	var group sync.WaitGroup
	group.Go(func() {
		<-ctx.Done()
		s.ending.Store(true)
		s.Workspace.Close()
		end, cancel := context.WithTimeout(context.Background(), drainIn)
		defer cancel()
		if err := server.Shutdown(end); err != nil {
			slog.Warn("some requests were cut off", "err", err)
			server.Close()
		}
	})
	err := listen()
	if err == http.ErrServerClosed {
		group.Wait()
		return nil
	}
	return err
}
