package workspace

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"slices"
	"sync"
	"time"

	"blendseam/core/audit"
	"blendseam/core/audit/keys"
	"blendseam/core/cache"
	"blendseam/core/parallel"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/store"
)

// A seamList is what follows from a state of a scene for its seams, before anything is measured.
type seamList struct {
	found    []audit.Seam
	keys     []string
	leads    map[scene.Edge]int64
	offsets  map[scene.ClipID]int64           // of clips out of sync
	accepted map[audit.SeamID]*scene.Accepted // by seam
	ducks    map[scene.TrackID][]scene.LevelPoint
}

func (s *Scene) seams(ctx context.Context) (*seamList, error) {
	return s.w.lists.Get(ctx, s.Key, func(context.Context) (*seamList, error) {
		sc := s.Scene
		x := &seamList{
			found:    audit.Find(sc),
			leads:    sc.Leads(),
			offsets:  sc.Offsets(),
			ducks:    duckLines(sc),
			accepted: map[audit.SeamID]*scene.Accepted{},
		}
		known := keys.New(sc)
		for _, f := range x.found {
			x.keys = append(x.keys, known.Of(f))
			if a := audit.Acceptance(sc, f); a != nil {
				x.accepted[f.ID] = a
			}
		}
		return x, nil
	})
}

// Seam gives a seam of the scene by its id; ok is false if it is not there, or not any more.
func (s *Scene) Seam(ctx context.Context, id audit.SeamID) (x audit.Seam, ok bool, err error) {
	list, err := s.seams(ctx)
	if err != nil {
		return x, false, err
	}
	i := slices.IndexFunc(list.found, func(x audit.Seam) bool { return x.ID == id })
	if i < 0 {
		return x, false, nil
	}
	return list.found[i], true, nil
}

// known gives what was measured under a key.
func (w *Workspace) known(key string) (audit.Result, bool) {
	if r, ok := w.results.Known(key); ok {
		return r, true
	}
	return w.gaps.Known(key)
}

// Measured gives the measures of a seam. One that cannot be measured, as a recording is missing, has no verdict and
// says so.
func (s *Scene) Measured(ctx context.Context, x audit.Seam) (audit.Result, error) {
	list, err := s.seams(ctx)
	if err != nil {
		return audit.Result{}, err
	}
	key := ""
	for i, f := range list.found {
		if f.ID == x.ID {
			key = list.keys[i]
		}
	}
	return s.measured(ctx, x, key)
}

func (s *Scene) measured(ctx context.Context, x audit.Seam, key string) (audit.Result, error) {
	r, ok := s.w.known(key)
	if !ok {
		s.w.measures.Add(1)
		m, err := s.Adviser(ctx)
		if err != nil {
			return r, err
		}
		err = cache.Caught(func() (err error) {
			r, err = audit.JudgeAvailable(ctx, m.Meter, x)
			return err
		})
		if ctx.Err() != nil {
			return r, ctx.Err()
		} else if err != nil { // the others are measured all the same
			r = audit.Result{Seam: x, Cause: audit.None, Why: "cannot be measured: " + err.Error()}
		}
		if r.Verdict == "" {
			s.w.gaps.Put(key, r)
		} else {
			s.w.results.Put(key, r)
		}
	}
	r.Seam = x
	return r, nil
}

// All gives the measures of all seams, in order of time.
func (s *Scene) All(ctx context.Context) ([]audit.Result, error) {
	list, err := s.seams(ctx)
	if err != nil {
		return nil, err
	}
	all := make([]audit.Result, len(list.found))
	// A seam waits for the analyses of its own recordings alone; those of all are made meanwhile, several at once.
	var ahead sync.WaitGroup
	defer ahead.Wait()
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ahead.Go(func() { _ = cache.Caught(func() error { return s.Sources().Prepare(ctx, s.Scene, threads()) }) })
	if s.w.Library.Shared() {
		if pending := s.unknown(list); len(pending) >= manySeams {
			x := &together{s: s, list: list, all: all, hands: s.Key.Edit == ""}
			if err := x.measure(ctx, pending); err != nil && ctx.Err() == nil {
				slog.Warn("seams are measured without other processes", "scene", s.Scene.Name, "err", err)
			}
		}
	}
	err = parallel.Each(ctx, len(all), threads(), func(i int) (err error) {
		all[i], err = s.measured(ctx, list.found[i], list.keys[i])
		return err
	})
	return all, err
}

// unknown are the numbers of the seams that are not measured yet.
func (s *Scene) unknown(list *seamList) (pending []int) {
	for i, key := range list.keys {
		if _, ok := s.w.known(key); !ok {
			pending = append(pending, i)
		}
	}
	return pending
}

// settle is how long a scene must be left alone before it is measured: an edit does not wait for the measures of
// the one before. Where edits follow one another within inSuccession, as of one who nudges an edge until it is right,
// it is settleLonger: what is measured between two of them would be given up, and hold the next one up.
const (
	settle       = 250 * time.Millisecond
	settleLonger = 600 * time.Millisecond
	inSuccession = time.Second
)

// measuring is which states are being measured beside the requests, by scene.
type measuring struct {
	mu    sync.Mutex
	busy  map[string]run
	asked map[string]time.Time // when a state was asked for last, of scenes that were edited of late
}

// wait is how long a scene is to be left alone now.
func (m *measuring) wait(scene string, now time.Time) time.Duration {
	maps.DeleteFunc(m.asked, func(_ string, at time.Time) bool { return now.Sub(at) > inSuccession })
	_, soon := m.asked[scene]
	if m.asked == nil {
		m.asked = map[string]time.Time{}
	}
	m.asked[scene] = now
	if soon {
		return settleLonger
	}
	return settle
}

type run struct {
	node int64
	stop context.CancelFunc
}

// Measure measures what is not known of the scene's seams yet, beside the requests, unless that is being done. What
// goes on for an older state of the scene ends.
func (s *Scene) Measure() {
	m := &s.w.measuring
	m.mu.Lock()
	defer m.mu.Unlock()
	was, busy := m.busy[s.Key.Scene]
	if busy && was.node == s.Key.Node || s.w.ctx.Err() != nil {
		return
	}
	if busy {
		was.stop()
	}
	if m.busy == nil {
		m.busy = map[string]run{}
	}
	ctx, stop := context.WithCancel(s.w.ctx)
	m.busy[s.Key.Scene] = run{s.Key.Node, stop}
	wait := m.wait(s.Key.Scene, time.Now())
	s.w.beside("measuring "+s.Scene.Name, func() error {
		defer func() {
			stop()
			m.mu.Lock()
			defer m.mu.Unlock()
			if m.busy[s.Key.Scene].node == s.Key.Node {
				delete(m.busy, s.Key.Scene)
			}
		}()
		err := cache.Caught(func() error { return s.measureAll(parallel.Beginning(ctx, modest), wait) })
		if err == nil || ctx.Err() != nil {
			return nil
		}
		s.w.Hub.Tell(s.Key.Scene, "seams", map[string]bool{"measured": false})
		return errors.Join(err, s.w.Store.SetProblem(ctx, s.Key.Scene, s.Scene, "The seams cannot be measured: "+err.Error()))
	})
}

// left is which scenes MeasureLeft has opened, by id, at which revision.
type left struct {
	mu     sync.Mutex
	opened map[string]int64
}

// MeasureLeft opens and measures those of a list of scenes whose seams nobody has measured, beside the requests. A
// process opens a state of a scene once: what could not be measured then is not tried again at every look at the list.
func (w *Workspace) MeasureLeft(ctx context.Context, list []store.Row) {
	var ids []string
	w.left.mu.Lock()
	for _, row := range list {
		if revision, opened := w.left.opened[row.ID]; row.Summary.Seams || opened && revision == row.Revision {
			continue
		}
		if w.left.opened == nil {
			w.left.opened = map[string]int64{}
		}
		w.left.opened[row.ID] = row.Revision
		ids = append(ids, row.ID)
	}
	w.left.mu.Unlock()
	if len(ids) == 0 || w.ctx.Err() != nil {
		return
	}
	as := store.WithCaller(w.ctx, store.CallerOf(ctx))
	w.beside("measuring what is left", func() error {
		for _, id := range ids {
			if s, err := w.Open(as, id); err == nil {
				s.Measure()
			} else if as.Err() != nil {
				return as.Err()
			}
		}
		return nil
	})
}

func (s *Scene) measureAll(ctx context.Context, wait time.Duration) error {
	select {
	case <-time.After(wait):
	case <-ctx.Done():
		return ctx.Err()
	}
	done := make(chan struct{})
	go s.tellProgress(done)
	all, err := s.All(ctx)
	close(done)
	if err != nil {
		return err
	}
	count, why := map[audit.Verdict]int{}, ""
	for _, r := range all {
		if count[r.Verdict]++; r.Verdict == "" && why == "" {
			why = r.Why
		}
	}
	if n := count[""]; n == 0 {
		err = s.w.Store.SetVerdicts(ctx, s.Key.Scene, s.Scene, store.Verdicts{
			Clean: count[audit.Clean], Audible: count[audit.Audible],
			Rough: count[audit.Rough], Unknown: count[audit.Unknown],
		})
	} else {
		err = s.w.Store.SetProblem(ctx, s.Key.Scene, s.Scene, fmt.Sprintf("%d of %d seams %s", n, len(all), why))
	}
	if err != nil {
		return err
	}
	s.w.Hub.Tell(s.Key.Scene, "seams", map[string]bool{"measured": true})
	return nil
}

// tellProgress says to the scene's pages, some times a second until all is done, that more of its seams are measured.
func (s *Scene) tellProgress(done <-chan struct{}) {
	every := settle
	if list, err := s.seams(s.w.ctx); err == nil && len(list.found) > 300 { // of which a page has more to do
		every *= 3
	}
	often := time.NewTicker(every)
	defer often.Stop()
	for {
		select {
		case <-often.C:
			s.w.Hub.Tell(s.Key.Scene, "seams", map[string]bool{"measured": true})
		case <-done:
			return
		}
	}
}

// Returned says that recordings were brought in: what could not be heard or measured without them is looked at again.
func (w *Workspace) Returned() {
	w.gaps.Drop(func(string) bool { return true })
	w.mixers.Drop(func(mixerOf) bool { return true })
	w.advisers.Drop(func(Key) bool { return true })
	w.mendings.Drop(func(Key) bool { return true })
	w.findings.Drop(func(Key) bool { return true })
	w.loud.Drop(func(Key) bool { return true })
	w.fillings.Drop(func(fillingsOf) bool { return true })
}

// A SeamView is a seam in the list; its verdict is "" until it is measured.
type SeamView struct {
	audit.Result `tstype:",extends"`
	TC           string `json:"tc"`
	// samples by which sound is cut earlier than its picture; none without picture
	Lead *int64 `json:"lead,omitempty"`

	Accepted *string `json:"accepted,omitempty"` // the note of an editor who lets it be so
}

// A SeamAnswer is the list of seams, or what has changed in it since the token that a page names.
type SeamAnswer struct {
	Revision int64                                `json:"revision"`
	Pending  int                                  `json:"pending"` // still to be measured
	Token    int64                                `json:"token"`
	Order    []audit.SeamID                       `json:"order"` // ids, if it is not as it was
	Ordered  bool                                 `json:"ordered"`
	Set      []SeamView                           `json:"set"`   // new or changed
	Moved    Moved                                `json:"moved"` // changed in nothing but their place, in samples
	Offsets  map[scene.ClipID]int64               `json:"offsets"`
	Ducks    map[scene.TrackID][]scene.LevelPoint `json:"ducks"` // how tracks make way for words, over the scene's time
}

// Moved is what changed in nothing but its place, by how much later it lies.
type Moved []struct {
	By  int64    `json:"by"`
	IDs []string `json:"ids"`
}

// Add adds one.
func (m *Moved) Add(by int64, id string) {
	for i := range *m {
		if (*m)[i].By == by {
			(*m)[i].IDs = append((*m)[i].IDs, id)
			return
		}
	}
	*m = append(*m, struct {
		By  int64    `json:"by"`
		IDs []string `json:"ids"`
	}{by, []string{id}})
}

// told is what pages were told last of seams, the newest last.
type told struct {
	mu     sync.Mutex
	lists  []toldList
	tokens int64
}

const keptTold = 24

type toldList struct {
	token int64
	order []audit.SeamID
	of    map[audit.SeamID]signature
}

// duckLines are those of all tracks that make way for words.
func duckLines(s *scene.Scene) map[scene.TrackID][]scene.LevelPoint {
	lines := map[scene.TrackID][]scene.LevelPoint{}
	for _, t := range s.Tracks {
		if line := scene.DuckLine(s, t); len(line) > 0 {
			lines[t.ID] = line
		}
	}
	return lines
}

// A signature differs for a seam of which a page must be told.
type signature struct {
	key, track, left, right string
	known                   bool
	lead, at                int64
	accepted                string
}

// Seams gives what differs from the list that was told with a token, all of it if that is not known any more.
func (s *Scene) Seams(ctx context.Context, since int64) (a SeamAnswer, err error) {
	x, err := s.seams(ctx)
	if err != nil {
		return a, err
	}
	list, pending := s.views(x)
	a = SeamAnswer{Revision: s.Revision, Pending: pending, Offsets: x.offsets, Ducks: x.ducks,
		Order: []audit.SeamID{}, Set: []SeamView{}, Moved: Moved{}}
	t := &s.w.told
	t.mu.Lock()
	defer t.mu.Unlock()
	var was toldList
	for _, old := range t.lists {
		if old.token == since {
			was = old
		}
	}
	now := toldList{of: make(map[audit.SeamID]signature, len(list)), order: make([]audit.SeamID, len(list))}
	for i, v := range list {
		sig := signature{x.keys[i], v.TrackName, v.LeftName, v.RightName, v.Why != "", math.MinInt64, v.At, ""}
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
			a.Moved.Add(by, string(v.ID))
		}
	}
	if a.Ordered = was.of == nil || !slices.Equal(now.order, was.order); a.Ordered {
		a.Order = now.order
	}
	t.tokens++
	now.token, a.Token = t.tokens, t.tokens
	if t.lists = append(t.lists, now); len(t.lists) > keptTold {
		t.lists = t.lists[1:]
	}
	return a, nil
}

func (s *Scene) views(x *seamList) (list []SeamView, pending int) {
	list = make([]SeamView, len(x.found))
	for i, f := range x.found {
		r, ok := s.w.known(x.keys[i])
		if !ok {
			pending++
		}
		r.Seam = f
		list[i] = SeamView{Result: r, TC: s.Scene.Timecode(f.At)}
		if a := x.accepted[f.ID]; a != nil {
			list[i].Accepted = &a.Note
		}
		if lead, ok := x.leads[scene.Edge{Left: f.Left, Right: f.Right}]; ok {
			list[i].Lead = &lead
		}
	}
	return list, pending
}

// ErrNoSeam says that a seam is not there any more.
var ErrNoSeam = refuse.Errorf("This seam is not there any more.")
