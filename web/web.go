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
	"time"

	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/intake"
	"blendseam/media"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
)

//go:embed all:static
var static embed.FS

// A Config is what the interface works on.
type Config struct {
	Store   *store.Store
	Library *media.Library
	Made    string                                // folder of what was handed over
	Demo    func(context.Context) (string, error) // loads the demo scene and gives its id
}

// A Server is the interface as an http.Handler.
type Server struct {
	http.Handler
	Config
	intake intake.Intake
	news   *news
	jobs   *jobs
	sound  *sound
	seams  *seams

	mendings latest[*scene.Scene, *seam.Mending]
	fills    latest[holeOf, []seam.Filling]
	strays   latest[*scene.Scene, strays]

	roomsMade  sync.Mutex // the made-up rooms are made once
	roomsThere bool
}

// New gives the interface.
func New(ctx context.Context, c Config) *Server {
	s := &Server{Config: c, intake: intake.Intake{Store: c.Store, Library: c.Library}, news: newNews()}
	s.jobs = newJobs(ctx, c.Store, s.news)
	s.sound = newSound(c.Library)
	s.seams = newSeams()
	s.Handler = s.routes()
	return s
}

func (s *Server) routes() http.Handler {
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, safe, http.NewCrossOriginProtection().Handler)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, store.ErrNotFound) })

	r.Get("/", s.scenesPage)
	r.Post("/scenes", s.newScene)
	r.Post("/scenes/demo", s.loadDemo)
	r.Post("/scenes/file", s.bringSceneFile)
	r.Get("/events", s.events)

	r.Get("/keys", s.keysPage)
	r.Post("/keys", s.setKeys)
	r.Delete("/keys", s.resetKeys)
	r.Get("/keys.json", s.keyFile)
	r.Get("/commands", s.commandList)

	r.Get("/tones", s.toneList)
	r.Post("/tones", s.bringTone)
	r.Post("/tones/{tone}", s.setTone)
	r.Delete("/tones/{tone}", s.dropTone)
	r.Get("/tones/{tone}/sound.wav", s.toneSound)

	r.Get("/settings", s.settingsPage)
	r.Get("/blends", s.blendList)
	r.Post("/blends", s.setBlend)
	r.Delete("/blends/{blend}", s.dropBlend)

	r.Route("/scenes/{scene}", func(r chi.Router) {
		r.Get("/", s.scenePage)
		r.Delete("/", s.deleteScene)
		r.Get("/state", s.state)
		r.Post("/edits", s.edit)
		r.Post("/try", s.try)
		r.Post("/piece", s.piece)
		r.Post("/undo", s.undo)
		r.Post("/redo", s.redo)
		r.Get("/scene.otio", s.sceneFile)

		r.Get("/history", s.history)
		r.Post("/go", s.goTo)
		r.Post("/versions", s.keepVersion)
		r.Delete("/versions/{version}", s.dropVersion)
		r.Get("/versions/compare", s.compareVersions)

		r.Get("/seams", s.seamList)
		r.Get("/bench", s.bench)
		r.Get("/pcm", s.pcm)
		r.Get("/proposal", s.proposal)
		r.Get("/places", s.places)
		r.Post("/mend", s.mend)
		r.Post("/accept", s.accept)
		r.Post("/blends/plan", s.plan)
		r.Get("/fill", s.fill)
		r.Get("/findings", s.findings)
		r.Get("/finding", s.finding)
		r.Get("/bed", s.bed)
		r.Get("/tones/{source}/peaks/{step}/{tile}", s.tonePeaks)
		r.Get("/tone", s.tonePage)
		r.Post("/tone", s.keepTone)
		r.Get("/report", s.reportPage)
		r.Get("/report.csv", s.reportCSV)

		r.Get("/sources", s.sourcesPage)
		r.Post("/sources", s.upload)
		r.Post("/sources/{source}/lay", s.layOut)
		r.Get("/sources/{source}/", s.sourcePage)
		r.Get("/sources/{source}/state", s.sourceState)
		r.Post("/sources/{source}/take", s.takeOut)
		r.Get("/sources/{source}/stretch.wav", s.stretchFile)

		r.Get("/hand-over", s.handOverPage)
		r.Post("/mixdowns", s.mixdown)
		r.Get("/mixdowns", s.mixdowns)
	})
	r.Post("/jobs/{job}/stop", s.stopJob)
	r.Get("/made/{job}", s.made)
	r.Get("/media/{source}/peaks/{rate}/{step}/{tile}", s.peaks)
	r.Get("/media/{source}/sound/{rate}", s.sourceSound)
	r.Get("/media/{source}/pictures/{num}/{den}/{sheet}", s.pictures)

	files, err := fs.Sub(static, "static")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	r.Handle("/static/*", http.StripPrefix("/static/", cached(http.FileServerFS(files))))
	return r
}

// policy lets pages use nothing but what this server sends. Styles may be set on elements, which the panels do.
const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; img-src 'self' data:; media-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func safe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		next.ServeHTTP(w, r)
	})
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=3600")
		next.ServeHTTP(w, r)
	})
}

// Serve answers until the context ends, and then finishes what is under way.
func (s *Server) Serve(ctx context.Context, server *http.Server, listen func() error) error {
	server.Handler = s
	var group sync.WaitGroup
	group.Go(func() {
		<-ctx.Done()
		s.news.close()
		s.jobs.stopAll()
		end, cancel := context.WithTimeout(context.Background(), 10*time.Second)
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
