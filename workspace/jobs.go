package workspace

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"maps"
	"sync"
	"time"

	"blendseam/core/cache"
	"blendseam/core/parallel"
	"blendseam/core/scene/edit"
	"blendseam/media"
	"blendseam/store"
)

// Jobs run long work beside the requests; pages follow it by events and can stop it.
type Jobs struct {
	ctx   context.Context
	store *store.Store
	hub   *Hub
	mu    sync.Mutex
	stops map[string]context.CancelFunc
	at    map[string]float64 // progress of those under way, 0..1
	over  chan struct{}      // closed as the program ends
	lost  map[string]bool    // those under way that other processes have taken over
	ended bool               // the program ends: what begins now is stopped at once
	group sync.WaitGroup
}

func newJobs(ctx context.Context, st *store.Store, h *Hub) *Jobs {
	return &Jobs{
		ctx:   context.WithoutCancel(ctx),
		store: st,
		hub:   h,
		stops: map[string]context.CancelFunc{},
		at:    map[string]float64{},
		lost:  map[string]bool{},
		over:  make(chan struct{}),
	}
}

// Takes begins to take the jobs that other processes leave, by begin; clear is told of those that nobody can go
// on with.
// They are looked for until the workspace is closed.
func (j *Jobs) Takes(begin func(store.Job), clear func(id string)) {
	look := func() {
		most := threads() - j.Running()
		if most <= 0 { // there are others
			return
		}
		those, broken, err := j.store.ClaimAbandoned(j.ctx, most)
		if err != nil {
			slog.Debug("jobs that were left could not be looked for", "err", err)
		}
		for _, job := range those {
			clear(job.ID)
			begin(job)
		}
		for _, id := range broken {
			clear(id)
		}
	}
	look()
	j.group.Go(func() {
		for every := time.NewTicker(store.BeatEvery); ; {
			select {
			case <-j.over:
				every.Stop()
				return
			case <-every.C:
				j.beat()
				look()
			}
		}
	})
}

// beat says that this process goes on, and stops what it is asked to, or has lost.
func (j *Jobs) beat() {
	j.mu.Lock()
	at := maps.Clone(j.at)
	j.mu.Unlock()
	if len(at) == 0 {
		return
	}
	stopping, lost, err := j.store.Heartbeat(j.ctx, at)
	if err != nil {
		slog.Warn("the database could not be told how far jobs are", "err", err)
	}
	j.mu.Lock()
	for _, id := range lost {
		if j.stops[id] != nil { // or it is over meanwhile
			j.lost[id] = true
		}
	}
	j.mu.Unlock()
	for _, id := range append(stopping, lost...) {
		j.stopHere(id)
	}
}

// A Progress says how far a job is.
type Progress struct {
	store.Job
	Done float64 `json:"done"` // 0..1
}

// Work is what a job does: id is the job's, done is told how far it is (0..1). What it returns is the job's result.
type Work func(ctx context.Context, id string, done func(float64)) (any, error)

// Start runs work as a job of a scene, kind and words. One that says what it was asked for is left to the next process
// if this one ends.
func (j *Jobs) Start(ctx context.Context, job store.Job, work Work) (store.Job, error) {
	// Whoever asked may go at any moment: the job is there with its work, or not at all.
	job, err := j.store.AddJob(context.WithoutCancel(ctx), job)
	if err == nil {
		j.run(store.WithCaller(j.ctx, store.CallerOf(ctx)), job, work)
	}
	return job, err
}

// Run runs work as a job that was taken over.
func (j *Jobs) Run(job store.Job, work Work) { j.run(j.ctx, job, work) }

func (j *Jobs) run(ctx context.Context, job store.Job, work Work) {
	run, stop := context.WithCancel(ctx)
	j.mu.Lock()
	j.stops[job.ID], j.at[job.ID] = stop, 0
	if j.ended {
		stop()
	}
	j.mu.Unlock()
	j.group.Go(func() {
		defer stop()
		var told time.Time
		var result any
		err := cache.Caught(func() (err error) {
			result, err = work(run, job.ID, func(done float64) {
				j.mu.Lock()
				j.at[job.ID] = done
				j.mu.Unlock()
				if time.Since(told) > 100*time.Millisecond {
					told = time.Now()
					j.hub.Tell(job.Scene, "job", Progress{job, done})
				}
			})
			return err
		})
		j.end(job, result, err)
	})
}

func (j *Jobs) end(job store.Job, result any, err error) {
	j.mu.Lock()
	left := j.ended && job.Asked != nil && errors.Is(err, context.Canceled)
	lost := j.lost[job.ID]
	if lost {
		j.forget(job.ID)
	}
	j.mu.Unlock()
	if left || lost { // the next process begins it again, or does it now
		return
	}
	job.State = "done"
	switch {
	case errors.Is(err, context.Canceled):
		job.State, job.Error = "stopped", "Stopped before it was done; nothing was kept."
	case err != nil:
		job.State, job.Error = "failed", edit.Message(err)
	default:
		if job.Result, err = json.Marshal(result); err != nil {
			job.State, job.Error = "failed", err.Error()
		}
	}
	if err := j.store.EndJob(j.ctx, job); err != nil {
		slog.Error("what became of a job could not be kept", "job", job.Words, "err", err)
	}
	j.mu.Lock()
	j.forget(job.ID)
	j.mu.Unlock()
	j.hub.Tell(job.Scene, "job", Progress{job, 1})
}

// forget forgets a job that is over here; the lock is held.
func (j *Jobs) forget(id string) {
	delete(j.stops, id)
	delete(j.at, id)
	delete(j.lost, id)
}

// Progress says how far a job is.
func (j *Jobs) Progress(job store.Job) Progress {
	j.mu.Lock()
	defer j.mu.Unlock()
	if job.State == "running" {
		if at, here := j.at[job.ID]; here {
			return Progress{job, at}
		}
		return Progress{job, job.Done}
	}
	return Progress{job, 1}
}

// Ending tells whether the program ends, so that what is left is for the next one.
func (j *Jobs) Ending() bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.ended
}

// Running is how many jobs are under way in this process.
func (j *Jobs) Running() int {
	j.mu.Lock()
	defer j.mu.Unlock()
	return len(j.stops)
}

// Stop stops a job, whichever process does it; false if none does.
func (j *Jobs) Stop(ctx context.Context, id string) (bool, error) {
	if j.stopHere(id) {
		return true, nil
	}
	err := j.store.AskToStop(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

func (j *Jobs) stopHere(id string) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	stop := j.stops[id]
	if stop != nil {
		stop()
	}
	return stop != nil
}

func (j *Jobs) close() {
	j.mu.Lock()
	if j.ended {
		j.mu.Unlock()
		return
	}
	j.ended = true
	for _, stop := range j.stops {
		stop()
	}
	j.mu.Unlock()
	close(j.over)
	j.group.Wait()
	if err := j.store.GiveBack(j.ctx); err != nil {
		slog.Warn("jobs could not be given back at once", "err", err)
	}
}

// AnalysisJob is the kind of the jobs that analyse recordings.
const AnalysisJob = "analysis"

// Analyse begins a job, of a scene that a recording was brought into, that finds what the recording says by itself, if
// that is not known.
func (w *Workspace) Analyse(ctx context.Context, sceneID string, info media.Info, rate int64) error {
	if info.Rate == 0 || w.Library.Analysed(info.ID, rate) {
		return nil
	}
	if w.Library.Shared() {
		return w.offerAnalysis(ctx, sceneID, info.Name, analysing{info.ID, rate})
	}
	_, err := w.Jobs.Start(
		ctx,
		store.Job{Scene: sceneID, Kind: AnalysisJob, Words: info.Name},
		func(ctx context.Context, _ string, done func(float64)) (any, error) {
			modest()
			return info.ID, w.analyse(ctx, analysing{info.ID, rate}, done)
		},
	)
	return err
}

// analysing is what a job that analyses a recording was asked for.
type analysing struct {
	Source string `json:"source"`
	Rate   int64  `json:"rate"`
}

// offerAnalysis lets whichever process has time analyse a recording.
func (w *Workspace) offerAnalysis(ctx context.Context, sceneID, name string, a analysing) error {
	asked, err := json.Marshal(a)
	if err != nil {
		return err
	}
	_, err = w.Store.OfferJob(context.WithoutCancel(ctx),
		store.Job{Scene: sceneID, Kind: AnalysisJob, Words: name, Asked: asked})
	return err
}

// Again is the work of a job that was offered, or left by another process, if the workspace itself knows it; else nil.
func (w *Workspace) Again(job store.Job) Work {
	var a analysing
	if job.Kind != AnalysisJob || json.Unmarshal(job.Asked, &a) != nil {
		return nil
	}
	return func(ctx context.Context, _ string, done func(float64)) (any, error) {
		modest()
		return a.Source, w.analyse(ctx, a, done)
	}
}

// AnalyseScene begins one job that does so for all recordings of a scene.
func (w *Workspace) AnalyseScene(ctx context.Context, sceneID string) error {
	sc, err := w.Open(ctx, sceneID)
	if err != nil {
		return err
	}
	if w.Library.Shared() {
		for id, src := range w.unanalysed(sc) {
			if err := w.offerAnalysis(ctx, sceneID, src.Name, analysing{id, sc.Scene.SampleRate}); err != nil {
				return err
			}
		}
		return nil
	}
	_, err = w.Jobs.Start(
		ctx,
		store.Job{Scene: sceneID, Kind: AnalysisJob, Words: sc.Scene.Name},
		func(ctx context.Context, _ string, _ func(float64)) (any, error) {
			return nil, sc.Sources().Prepare(parallel.Beginning(ctx, modest), sc.Scene, threads())
		},
	)
	return err
}
