package web

import (
	"context"
	"log/slog"
	"math"
	"net/http"
	"runtime"
	"slices"
	"sync"
	"time"

	"blendseam/core/scene"
	"blendseam/core/seam"

	"github.com/go-chi/chi/v5"
)

// seams measures the seams of scenes beside the requests, and keeps what it measured for as long as nothing
// around a seam changes.
type seams struct {
	mu    sync.Mutex
	known map[string]seam.Result  // by seam.Keys
	order []string                // of known
	busy  map[string]*scene.Scene // the state of a scene that is being measured

	states []*seamState // looked at last, the newest last
	sent   []sentSeams  // told to pages last, the newest last
	tokens int64
}

const (
	keptSeams  = 20000 // bounds the memory of what was measured
	keptStates = 8
	keptSent   = 24
)

// settle is how long a scene must be left alone before it is measured: an edit does not wait for the measures of
// the one before.
const settle = 250 * time.Millisecond

func newSeams() *seams {
	return &seams{known: map[string]seam.Result{}, busy: map[string]*scene.Scene{}}
}

// A seamState is what follows from a state of a scene for its seams, before anything is measured.
type seamState struct {
	scene *scene.Scene
	found []seam.Seam
	keys  []string
	leads map[scene.Edge]int64

	offsets map[string]int64 // of clips out of sync

	accepted map[string]*scene.Accepted // by seam
}

// state gives the seams of a state of a scene with their keys.
func (q *seams) state(sc *scene.Scene) *seamState {
	q.mu.Lock()
	defer q.mu.Unlock()
	for _, x := range q.states {
		if x.scene == sc {
			return x
		}
	}
	x := &seamState{scene: sc, found: seam.Find(sc), leads: sc.Leads(), offsets: sc.Offsets(), accepted: map[string]*scene.Accepted{}}
	keys := seam.NewKeys(sc)
	for _, f := range x.found {
		x.keys = append(x.keys, keys.Of(f))
		if a := seam.Acceptance(sc, f); a != nil {
			x.accepted[f.ID] = a
		}
	}
	if q.states = append(q.states, x); len(q.states) > keptStates {
		q.states = q.states[1:]
	}
	return x
}

// A seamView is a seam in the list; its verdict is "" until it is measured.
type seamView struct {
	seam.Result
	TC   string `json:"tc"`
	Lead *int64 `json:"lead,omitempty"` // samples by which sound is cut earlier than its picture; none without picture

	Accepted *string `json:"accepted,omitempty"` // the note of an editor who lets it be so
}

// sentSeams is what a page was told last.
type sentSeams struct {
	token int64
	order []string
	of    map[string]signature
}

// A signature differs for a seam of which a page must be told.
type signature struct {
	key, track, left, right string
	known                   bool
	lead, at                int64
	accepted                string
}

// A seamAnswer is the list of seams, or what has changed in it since the token that the page names.
type seamAnswer struct {
	Revision int64            `json:"revision"`
	Pending  int              `json:"pending"` // still to be measured
	Token    int64            `json:"token"`
	Order    []string         `json:"order,omitempty"` // ids; none if it is as it was
	Set      []seamView       `json:"set,omitempty"`   // new or changed
	Moved    moved            `json:"moved,omitempty"` // changed in nothing but their place, in samples
	Offsets  map[string]int64 `json:"offsets"`
}

// seamList answers with the seams of the scene, and how many are still to be measured.
func (s *Server) seamList(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "scene")
	since, err := number(r, "since", 0, farthest)
	if r.URL.Query().Get("since") != "" && err != nil {
		s.fail(w, r, err)
		return
	}
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	a := s.seams.answer(st.Scene, since)
	a.Revision = st.Revision
	if a.Pending > 0 {
		s.measureSeams(id, st.Scene)
	}
	s.answer(w, http.StatusOK, a)
}

// answer gives what differs from the list that was sent with a token, all of it if that is not known any more.
func (q *seams) answer(sc *scene.Scene, since int64) (a seamAnswer) {
	x := q.state(sc)
	list, pending := q.list(x)
	a.Pending, a.Offsets = pending, x.offsets
	q.mu.Lock()
	defer q.mu.Unlock()
	var was sentSeams
	for _, old := range q.sent {
		if old.token == since {
			was = old
		}
	}
	now := sentSeams{of: make(map[string]signature, len(list)), order: make([]string, len(list))}
	for i, v := range list {
		sig := signature{x.keys[i], v.TrackName, v.LeftName, v.RightName, v.Verdict != "", math.MinInt64, v.At, ""}
		if v.Accepted != nil {
			sig.accepted = "accepted " + *v.Accepted
		}
		if v.Lead != nil {
			sig.lead = *v.Lead
		}
		now.order[i], now.of[v.ID] = v.ID, sig
		old, ok := was.of[v.ID]
		by := sig.at - old.at
		old.at = sig.at
		switch {
		case !ok || old != sig:
			a.Set = append(a.Set, v)
		case by != 0:
			a.Moved.add(by, v.ID)
		}
	}
	if !slices.Equal(now.order, was.order) {
		a.Order = now.order
	}
	q.tokens++
	now.token, a.Token = q.tokens, q.tokens
	if q.sent = append(q.sent, now); len(q.sent) > keptSent {
		q.sent = q.sent[1:]
	}
	return a
}

func (q *seams) list(x *seamState) (list []seamView, pending int) {
	list = make([]seamView, len(x.found))
	q.mu.Lock()
	defer q.mu.Unlock()
	for i, f := range x.found {
		r, ok := q.known[x.keys[i]]
		if !ok {
			pending++
		}
		r.Seam = f
		list[i] = seamView{Result: r, TC: x.scene.Timecode(f.At)}
		if a := x.accepted[f.ID]; a != nil {
			list[i].Accepted = &a.Note
		}
		if lead, ok := x.leads[scene.Edge{Left: f.Left, Right: f.Right}]; ok {
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
	time.Sleep(settle)
	if !q.current(id, sc) {
		return
	}
	x := q.state(sc)
	meter, err := seam.NewMeter(sc, s.sound.open(sc))
	if err != nil {
		slog.Error("the seams cannot be measured", "scene", sc.Name, "err", err)
		return
	}
	todo := make(chan int) // index of the seam
	var group sync.WaitGroup
	for range max(1, runtime.GOMAXPROCS(0)-1) {
		group.Go(func() {
			modest(func() {
				for i := range todo {
					r, err := meter.Seam(x.found[i])
					if err != nil {
						slog.Error("a seam cannot be measured", "scene", sc.Name, "err", err)
						continue
					}
					q.keep(x.keys[i], r)
				}
			})
		})
	}
	for i, key := range x.keys {
		if !q.current(id, sc) {
			break
		}
		if !q.knows(key) {
			todo <- i
		}
	}
	close(todo)
	group.Wait()
	s.keepVerdicts(id, sc)
	s.news.tell(id, "seams", map[string]bool{"measured": true})
}

// current tells whether a state of a scene is the one to measure.
func (q *seams) current(id string, sc *scene.Scene) bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	return q.busy[id] == sc
}

func (q *seams) knows(key string) bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	_, ok := q.known[key]
	return ok
}

// get gives what was measured under a key.
func (q *seams) get(key string) (seam.Result, bool) {
	q.mu.Lock()
	defer q.mu.Unlock()
	r, ok := q.known[key]
	return r, ok
}

// key is that of a seam in a state of a scene.
func (q *seams) key(sc *scene.Scene, s seam.Seam) string {
	x := q.state(sc)
	for i, f := range x.found {
		if f.ID == s.ID {
			return x.keys[i]
		}
	}
	return ""
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
	list, pending := s.seams.list(s.seams.state(sc))
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
