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

	"blendseam/store"
	"blendseam/workspace"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
)

//go:embed all:static
var static embed.FS

// A Config is what the interface works on.
type Config struct {
	*workspace.Workspace
	Door    Door
	Made    string                                // folder of what was handed over
	Demo    func(context.Context) (string, error) // loads the demo scene and gives its id
	Release string                                // which this is, in words

	LogRequests bool // that change something, fail or are slow
}

// A Server is the interface as an http.Handler. It keeps nothing: what is derived from scenes has its place in the
// workspace.
type Server struct {
	http.Handler
	Config
	figures *figures
	ending  atomic.Bool // no more requests are to come
}

// New gives the interface.
func New(c Config) *Server {
	s := &Server{Config: c}
	s.figures = s.newFigures()
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
		func(next http.Handler) http.Handler { return s.Door.handler(next, s) },
		http.NewCrossOriginProtection().Handler,
	)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, store.ErrNotFound) })

	r.Get(healthy, health)
	r.Get(ready, s.ready)
	r.Method(http.MethodGet, "/metrics", s.metrics())

	s.screens(r, "")
	r.Post("/scenes", s.handle(s.newScene))
	r.Post("/scenes/demo", s.handle(s.loadDemo))
	r.Post("/scenes/file", s.handle(s.bringSceneFile))
	r.Get("/events", s.handle(s.events))

	r.Post("/keys", s.handle(s.setKeys))
	r.Delete("/keys", s.handle(s.resetKeys))
	r.Get("/keys.json", s.handle(s.keyFile))
	r.Get("/commands", s.handle(s.commandList))

	r.Get("/tones", s.handle(s.toneList))
	r.Post("/tones", s.handle(s.bringTone))
	r.Post("/tones/{tone}", s.handle(s.setTone))
	r.Delete("/tones/{tone}", s.handle(s.dropTone))
	r.Get("/tones/{tone}/sound.wav", s.handle(s.toneSound))

	r.Get("/blends", s.handle(s.blendList))
	r.Post("/blends", s.handle(s.setBlend))
	r.Delete("/blends/{blend}", s.handle(s.dropBlend))

	r.Route(ofScene, func(r chi.Router) {
		s.screens(r, ofScene)
		r.Delete("/", s.handle(s.deleteScene))
		r.Post("/copy", s.handle(s.copyScene))
		r.Get("/state", s.handle(s.state))
		r.Post("/edits", s.handle(s.edit))
		r.Post("/try", s.handle(s.try))
		r.Get("/reach", s.handle(s.reach))
		r.Post("/piece", s.handle(s.copied))
		r.Post("/undo", s.handle(s.undo))
		r.Post("/redo", s.handle(s.redo))
		r.Get("/scene.{format}", s.handle(s.sceneFile))

		r.Get("/history", s.handle(s.history))
		r.Post("/go", s.handle(s.goTo))
		r.Post("/versions", s.handle(s.keepVersion))
		r.Delete("/versions/{version}", s.handle(s.dropVersion))
		r.Get("/versions/compare", s.handle(s.compareVersions))

		r.Get("/seams", s.handle(s.seamList))
		r.Get("/bench", s.handle(s.bench))
		r.Get("/pcm", s.handle(s.pcm))
		r.Get("/proposal", s.handle(s.proposal))
		r.Get("/places", s.handle(s.places))
		r.Post("/mend", s.handle(s.mend))
		r.Post("/accept", s.handle(s.accept))
		r.Post("/blends/plan", s.handle(s.plan))
		r.Get("/fill", s.handle(s.fill))
		r.Get("/loud/list", s.handle(s.loud))
		r.Get("/findings", s.handle(s.findings))
		r.Get("/finding", s.handle(s.finding))
		r.Get("/bed", s.handle(s.bed))
		r.Get("/evening", s.handle(s.evening))
		r.Get("/voices/list", s.handle(s.voices))
		r.Get("/margins", s.handle(s.margins))
		r.Get("/meters", s.handle(s.meters))
		r.Get("/loudness", s.handle(s.loudness))
		r.Get("/clips/{clip}/room", s.handle(s.clipRoom))
		r.Get("/clips/{clip}/voice", s.handle(s.clipVoice))
		r.Get("/clips/{clip}/likeness", s.handle(s.likeness))
		r.Get("/clips/{clip}/fit", s.handle(s.fit))
		r.Get("/clips/{clip}/takes", s.handle(s.takes))
		r.Get("/clips/{clip}/take", s.handle(s.take))
		r.Get("/clips/{clip}/curve", s.handle(s.curveOf))
		r.Get("/tones/{source}/peaks/{step}/{tile}", s.handle(s.madePeaks))
		r.Post("/tone", s.handle(s.keepTone))
		r.Get("/report.csv", s.handle(s.reportCSV))

		r.Post("/sources", s.handle(s.upload))
		r.Post("/sources/{source}/lay", s.handle(s.layOut))
		r.Post("/sources/{source}/link", s.handle(s.linkSource))
		r.Get("/sources/{source}/state", s.handle(s.sourceState))
		r.Post("/sources/{source}/take", s.handle(s.takeOut))
		r.Get("/sources/{source}/stretch.wav", s.handle(s.stretchFile))

		r.Post("/recut", s.handle(s.recut))
		r.Post("/recut/sound.wav", s.handle(s.recutSound))
		r.Post("/recut/mend", s.handle(s.recutMend))
		r.Post("/merge", s.handle(s.compare))
		r.Post("/merge/sound.wav", s.handle(s.mergedSound))
		r.Post("/merge/take", s.handle(s.takeMerged))
		r.Post("/package", s.handle(s.pack))
		r.Post("/joins", s.handle(s.join))
		r.Post("/mixdowns", s.handle(s.mixdown))
		r.Get("/mixdowns", s.handle(s.mixdowns))
		r.Get("/off", s.handle(s.off))
	})
	r.Delete("/sources/{source}", s.handle(s.removeSource))
	r.Post("/jobs/{job}/stop", s.handle(s.stopJob))
	r.Get("/made/{job}", s.handle(s.made))
	r.Get("/made/{job}/all.zip", s.handle(s.madeAll))
	r.Get("/made/{job}/{n}", s.handle(s.made))
	r.Get("/media/{source}/peaks/{rate}/{step}/{tile}", s.handle(s.peaks))
	r.Get("/media/{source}/sound/{rate}", s.handle(s.sourceSound))
	r.Get("/media/{source}/pictures/{num}/{den}/{sheet}", s.handle(s.pictures))

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
