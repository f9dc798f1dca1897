package web

import (
	"context"
	"log/slog"
	"net/http"
	"runtime"
	"sync"

	"blendseam/core/scene"
	"blendseam/core/seam"

	"github.com/go-chi/chi/v5"
)

// seams measures the seams of scenes beside the requests, and keeps what it measured for as long as nothing
// around a seam changes.
type seams struct {
	mu    sync.Mutex
	known map[string]seam.Result  // by seam.Key
	order []string                // of known
	busy  map[string]*scene.Scene // the state of a scene that is being measured
}

// keptSeams bounds the memory of what was measured.
const keptSeams = 20000

func newSeams() *seams {
	return &seams{known: map[string]seam.Result{}, busy: map[string]*scene.Scene{}}
}

// A seamView is a seam in the list; its verdict is "" until it is measured.
type seamView struct {
	seam.Result
	TC   string `json:"tc"`
	Lead *int64 `json:"lead,omitempty"` // samples by which sound is cut earlier than its picture; none without picture
}

// seamList answers with all seams of the scene, and how many are still to be measured.
func (s *Server) seamList(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	list, pending := s.seams.list(st.Scene)
	if pending > 0 {
		s.measureSeams(id, st.Scene)
	}
	s.answer(w, http.StatusOK, map[string]any{"revision": st.Revision, "pending": pending, "seams": list, "offsets": st.Scene.Offsets()})
}

func (q *seams) list(sc *scene.Scene) (list []seamView, pending int) {
	found := seam.Find(sc)
	leads := sc.Leads()
	list = make([]seamView, len(found))
	for i, x := range found {
		key := seam.Key(sc, x)
		q.mu.Lock()
		r, ok := q.known[key]
		q.mu.Unlock()
		if !ok {
			pending++
		}
		r.Seam = x
		list[i] = seamView{Result: r, TC: sc.Timecode(x.At)}
		if lead, ok := leads[scene.Edge{Left: x.Left, Right: x.Right}]; ok {
			list[i].Lead = &lead
		}
	}
	return list, pending
}

// measureSeams measures what is not known of a state yet, unless that is being done.
func (s *Server) measureSeams(id string, sc *scene.Scene) {
	q := s.seams
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.busy[id] == sc {
		return
	}
	q.busy[id] = sc // a measurement of an older state ends at its next seam
	go s.measureAll(id, sc)
}

func (s *Server) measureAll(id string, sc *scene.Scene) {
	q := s.seams
	defer func() {
		q.mu.Lock()
		if q.busy[id] == sc {
			delete(q.busy, id)
		}
		q.mu.Unlock()
	}()
	meter, err := seam.NewMeter(sc, s.sound.open(sc))
	if err != nil {
		slog.Error("the seams cannot be measured", "scene", sc.Name, "err", err)
		return
	}
	todo := make(chan seam.Seam)
	var group sync.WaitGroup
	for range max(1, runtime.GOMAXPROCS(0)-1) {
		group.Go(func() {
			for x := range todo {
				r, err := meter.Seam(x)
				if err != nil {
					slog.Error("a seam cannot be measured", "scene", sc.Name, "err", err)
					continue
				}
				q.keep(seam.Key(sc, x), r)
			}
		})
	}
	for _, x := range seam.Find(sc) {
		q.mu.Lock()
		_, known := q.known[seam.Key(sc, x)]
		current := q.busy[id] == sc
		q.mu.Unlock()
		if !current {
			break
		}
		if !known {
			todo <- x
		}
	}
	close(todo)
	group.Wait()
	s.keepVerdicts(id, sc)
	s.news.tell(id, "seams", map[string]bool{"measured": true})
}

func (q *seams) keep(key string, r seam.Result) {
	q.mu.Lock()
	defer q.mu.Unlock()
	if _, ok := q.known[key]; !ok {
		q.order = append(q.order, key)
	}
	q.known[key] = r
	if len(q.order) > keptSeams {
		delete(q.known, q.order[0])
		q.order = q.order[1:]
	}
}

// keepVerdicts counts the verdicts of a state for the list of scenes.
func (s *Server) keepVerdicts(id string, sc *scene.Scene) {
	list, pending := s.seams.list(sc)
	if pending > 0 {
		return
	}
	count := map[seam.Verdict]int{}
	for _, x := range list {
		count[x.Verdict]++
	}
	ctx := context.Background()
	if err := s.Store.SetVerdicts(ctx, id, sc, count[seam.Clean], count[seam.Audible], count[seam.Rough]); err != nil {
		slog.Warn("the verdicts could not be kept", "err", err)
	}
}
