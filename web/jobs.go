package web

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"blendseam/core/scene"
	"blendseam/store"

	"github.com/go-chi/chi/v5"
)

// jobs runs long work beside the requests; pages follow it by news and can stop it.
type jobs struct {
	ctx   context.Context
	store *store.Store
	news  *news
	mu    sync.Mutex
	stops map[string]context.CancelFunc
	at    map[string]float64 // progress of those under way, 0..1
	group sync.WaitGroup
}

func newJobs(ctx context.Context, st *store.Store, n *news) *jobs {
	return &jobs{ctx: context.WithoutCancel(ctx), store: st, news: n, stops: map[string]context.CancelFunc{}, at: map[string]float64{}}
}

// A progress says how far a job is.
type progress struct {
	store.Job
	Done float64 `json:"done"` // 0..1
}

// start runs work as a job. What it returns is the job's result.
func (j *jobs) start(ctx context.Context, sceneID, kind, words string, work func(ctx context.Context, id string, done func(float64)) (any, error)) (store.Job, error) {
	job, err := j.store.AddJob(ctx, sceneID, kind, words)
	if err != nil {
		return job, err
	}
	run, stop := context.WithCancel(j.ctx)
	j.mu.Lock()
	j.stops[job.ID], j.at[job.ID] = stop, 0
	j.mu.Unlock()
	j.group.Go(func() {
		defer stop()
		var told time.Time
		result, err := work(run, job.ID, func(done float64) {
			j.mu.Lock()
			j.at[job.ID] = done
			j.mu.Unlock()
			if time.Since(told) > 100*time.Millisecond {
				told = time.Now()
				j.news.tell(sceneID, "job", progress{job, done})
			}
		})
		j.end(job, result, err)
	})
	return job, nil
}

func (j *jobs) end(job store.Job, result any, err error) {
	job.State = "done"
	switch {
	case errors.Is(err, context.Canceled):
		job.State, job.Error = "stopped", "Stopped before it was done; nothing was kept."
	case err != nil:
		job.State, job.Error = "failed", scene.Message(err)
	default:
		if job.Result, err = json.Marshal(result); err != nil {
			job.State, job.Error = "failed", err.Error()
		}
	}
	if err := j.store.EndJob(j.ctx, job); err != nil {
		slog.Error("what became of a job could not be kept", "job", job.Words, "err", err)
	}
	j.mu.Lock()
	delete(j.stops, job.ID)
	delete(j.at, job.ID)
	j.mu.Unlock()
	j.news.tell(job.Scene, "job", progress{job, 1})
}

func (j *jobs) progress(job store.Job) progress {
	j.mu.Lock()
	defer j.mu.Unlock()
	if job.State == "running" {
		return progress{job, j.at[job.ID]}
	}
	return progress{job, 1}
}

func (j *jobs) stop(id string) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	stop := j.stops[id]
	if stop != nil {
		stop()
	}
	return stop != nil
}

func (j *jobs) stopAll() {
	j.mu.Lock()
	for _, stop := range j.stops {
		stop()
	}
	j.mu.Unlock()
	j.group.Wait()
}

func (s *Server) stopJob(w http.ResponseWriter, r *http.Request) {
	if !s.jobs.stop(chi.URLParam(r, "job")) {
		s.answer(w, http.StatusGone, problem{Message: "This work has ended already."})
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
