package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"iter"
	"log/slog"
	"maps"
	"os"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"blendseam/core/audit"
	"blendseam/core/cache"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/store"
)

const (
	// manySeams is from how many seams on it is worth to share the measuring with other processes.
	manySeams = 25

	// handful is how many seams are taken at once: half a second's work.
	handful = 8

	// lookAgain is how often it is looked what others measured, when there is nothing else to do.
	lookAgain = 250 * time.Millisecond

	forgetMeasures = time.Hour
)

// program tells programs apart that may measure otherwise: the hash of the file that runs.
var program = sync.OnceValue(func() string {
	h := sha256.New()
	path, err := os.Executable()
	if err == nil {
		var f *os.File
		if f, err = os.Open(path); err == nil {
			defer f.Close()
			_, err = io.Copy(h, f)
		}
	}
	if err != nil { // it shares nothing
		return uuid.NewString()[:8]
	}
	return hex.EncodeToString(h.Sum(nil)[:4])
})

// together measures those of the seams that have numbers, with whatever other processes measure them too: each is taken
// by one.
type together struct {
	s     *Scene
	list  *seamList
	all   []audit.Result
	taker string
	hands bool // others are asked
}

// measure measures them all.
func (x *together) measure(ctx context.Context, pending []int) error {
	st := x.s.w.Store
	x.taker = uuid.NewString()
	defer func() {
		after, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
		defer cancel()
		if err := st.GiveMeasures(after, x.taker); err != nil {
			slog.Warn("seams that were to be measured could not be given back", "err", err)
		}
	}()
	if x.hands {
		asking, stop := context.WithCancel(ctx)
		var asked sync.WaitGroup
		defer asked.Wait()
		defer stop()
		asked.Go(func() { x.ask(asking) })
	}
	for {
		open, away, err := x.recall(ctx, pending)
		if err != nil || len(open)+len(away) == 0 {
			return err
		}
		if len(open) > 0 {
			if err := x.work(ctx, open); err != nil {
				return err
			}
		} else {
			select {
			case <-time.After(lookAgain):
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		pending = append(open, away...)
	}
}

// ask asks other processes until ctx ends.
func (x *together) ask(ctx context.Context) {
	every := time.NewTicker(store.BeatEvery)
	defer every.Stop()
	for {
		err := x.s.w.Store.AskHands(ctx, store.Audit{Taker: x.taker, Scene: x.s.Key.Scene, Node: x.s.Key.Node})
		if err != nil && ctx.Err() == nil {
			slog.Debug("other processes are not asked to measure", "err", err)
		}
		select {
		case <-every.C:
		case <-ctx.Done():
			return
		}
	}
}

// key is that of a seam among what all processes know.
func (x *together) key(i int) string { return program() + x.list.keys[i] }

func (x *together) keys(of []int) []string {
	keys := make([]string, len(of))
	for k, i := range of {
		keys[k] = x.key(i)
	}
	return keys
}

// recall notes what is known of some seams, here or elsewhere, and gives those that nobody measures and those that
// others do.
func (x *together) recall(ctx context.Context, pending []int) (open, away []int, err error) {
	pending = slices.DeleteFunc(slices.Clone(pending), func(i int) bool { return x.known(i) })
	for part := range slices.Chunk(pending, 500) {
		known, err := x.s.w.Store.Measures(ctx, x.keys(part))
		if err != nil {
			return nil, nil, err
		}
		for _, i := range part {
			kept, there := known[x.key(i)]
			switch {
			case !there:
				open = append(open, i)
			case kept == nil:
				away = append(away, i)
			default:
				r, err := audit.Unmarshal(kept)
				if err != nil {
					return nil, nil, err
				}
				x.s.w.results.Put(x.list.keys[i], r)
				x.known(i)
			}
		}
	}
	return open, away, nil
}

// known takes what this process knows of a seam.
func (x *together) known(i int) bool {
	r, ok := x.s.w.known(x.list.keys[i])
	if ok {
		r.Seam = x.list.found[i]
		x.all[i] = r
	}
	return ok
}

// work measures those that this process can take, some at a time. Whoever helps begins elsewhere than whoever asked.
func (x *together) work(ctx context.Context, open []int) error {
	if !x.hands {
		first := int(uuid.MustParse(x.taker)[0]) * len(open) / 256
		open = append(slices.Clone(open[first:]), open[:first]...)
	}
	parts := slices.Collect(slices.Chunk(open, handful))
	return parallel.Each(ctx, len(parts), threads(), func(p int) error {
		part := parts[p]
		mine, err := x.s.w.Store.TakeMeasures(ctx, x.taker, x.keys(part))
		if err != nil {
			return err
		}
		kept, left := map[string][]byte{}, []string(nil)
		for _, i := range part {
			if !slices.Contains(mine, x.key(i)) {
				continue
			}
			if x.all[i], err = x.s.measured(ctx, x.list.found[i], x.list.keys[i]); err != nil {
				return err
			}
			if x.all[i].Verdict == "" { // as a recording is missing; others see that by themselves
				left = append(left, x.key(i))
			} else if kept[x.key(i)], err = audit.Marshal(x.all[i]); err != nil {
				return err
			}
		}
		return errors.Join(
			x.s.w.Store.KeepMeasures(ctx, x.taker, kept),
			x.s.w.Store.LeaveMeasures(ctx, x.taker, left),
		)
	})
}

// lend lets this process, while it has nothing to do, measure with others that ask for it, as long as the workspace is
// open.
func (w *Workspace) lend() {
	every, forget := time.NewTicker(store.BeatEvery), time.NewTicker(forgetMeasures)
	defer every.Stop()
	defer forget.Stop()
	for {
		select {
		case <-w.ctx.Done():
			return
		case <-forget.C:
			if err := w.Store.ForgetMeasures(w.ctx); err != nil {
				slog.Debug("old measures are kept", "err", err)
			}
		case <-every.C:
			if w.Busy() > 0 || w.Jobs.Running() > 0 {
				continue
			}
			asked, err := w.Store.Audits(w.ctx)
			if err != nil {
				continue // it is looked again in a moment
			}
			for _, a := range asked {
				if w.lendTo(a) {
					break
				}
			}
		}
	}
}

// lendTo measures with another process until all is measured, or it asks no more; false if it cannot.
func (w *Workspace) lendTo(a store.Audit) bool {
	sc, err := w.OpenAt(w.ctx, a.Scene, a.Node)
	if err != nil || !w.analysed(sc) {
		return false // who made it measures, or somebody analyses its recordings meanwhile
	}
	ctx, stop := context.WithCancel(w.ctx)
	defer stop()
	w.work.Go(func() { // until it asks no more
		every := time.NewTicker(store.BeatEvery)
		defer every.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-every.C:
			}
			if asked, err := w.Store.Audits(ctx); err == nil && !slices.Contains(asked, a) {
				stop()
			}
		}
	})
	err = cache.Caught(func() error { return sc.help(parallel.Beginning(ctx, modest)) })
	if err != nil && ctx.Err() == nil {
		slog.Warn("measuring with another process ended", "scene", sc.Scene.Name, "err", err)
	}
	return true
}

// help measures what is not measured yet of a scene that another process asks hands for.
func (s *Scene) help(ctx context.Context) error {
	list, err := s.seams(ctx)
	if err != nil {
		return err
	}
	x := &together{s: s, list: list, all: make([]audit.Result, len(list.found))}
	return x.measure(ctx, s.unknown(list))
}

// analysed tells whether all recordings of a scene that can be are analysed.
func (w *Workspace) analysed(s *Scene) bool {
	for range w.unanalysed(s) {
		return false
	}
	return true
}

// unanalysed are the recordings of a scene that can be analysed and are not yet, by their ids.
func (w *Workspace) unanalysed(s *Scene) iter.Seq2[string, scene.Source] {
	return func(yield func(string, scene.Source) bool) {
		for _, id := range slices.Sorted(maps.Keys(s.Scene.Sources)) {
			src := s.Scene.Sources[id]
			if src.Samples == 0 || src.Made() || scene.IsMissing(id) || w.Library.Analysed(id, s.Scene.SampleRate) {
				continue
			}
			if !yield(id, src) {
				return
			}
		}
	}
}
