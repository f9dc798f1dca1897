package app

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"blendseam/durable"
	"blendseam/store"
	"blendseam/workspace"
)

// A JobRequest is a request for long work on a scene.
type JobRequest interface {
	// work is what has to be done to a scene as it is at st, with its kind and words; the error says why it cannot be.
	// when is when it was asked for.
	work(a *App, st *workspace.Scene, when time.Time) (kind, words string, do workspace.Work, err error)
}

// begin begins the job that a request asks for.
func (a *App) begin(ctx context.Context, sceneID string, q JobRequest) (store.Job, error) {
	st, err := a.Open(ctx, sceneID)
	if err != nil {
		return store.Job{}, err
	}
	kind, words, do, err := q.work(a, st, time.Now())
	if err != nil {
		return store.Job{}, err
	}
	request, err := json.Marshal(q)
	if err != nil {
		return store.Job{}, err
	}
	asked, err := json.Marshal(askedJob{st.Key.Node, st.Revision, request})
	if err != nil {
		return store.Job{}, err
	}
	return a.Jobs.Start(ctx, store.Job{Scene: st.Key.Scene, Kind: kind, Words: words, Asked: asked}, a.shared(do))
}

// shared is work whose outcome other processes have, too, where they share their recordings.
func (a *App) shared(do workspace.Work) workspace.Work {
	return func(ctx context.Context, id string, done func(float64)) (any, error) {
		result, err := do(ctx, id, done)
		dir := filepath.Join(a.Made, id)
		if _, none := os.Stat(dir); err == nil && none == nil {
			if err = durable.Sync(dir); err == nil {
				err = a.Library.ShareMade(ctx, id, dir)
			}
		}
		return result, err
	}
}

// TakeJobs begins the jobs of processes that ended before they were done, now and as long as this one goes on. What is
// half made of them goes.
func (a *App) TakeJobs() {
	begin := func(job store.Job) {
		a.Jobs.Run(job, func(ctx context.Context, id string, done func(float64)) (any, error) {
			ctx, err := a.Store.Asker(ctx, job)
			if err != nil {
				return nil, err
			}
			do, err := a.again(ctx, job)
			if err != nil {
				return nil, err
			}
			slog.Info("a job is begun again", "job", job.Words)
			return a.shared(do)(ctx, id, done)
		})
	}
	a.Jobs.Takes(begin, func(id string) {
		if err := os.RemoveAll(filepath.Join(a.Made, id)); err != nil {
			slog.Warn("what was half made could not be removed", "err", err)
		}
	})
}

// again is the work of a job that was left.
func (a *App) again(ctx context.Context, job store.Job) (workspace.Work, error) {
	if do := a.Workspace.Again(job); do != nil {
		return do, nil
	}
	var came arriving
	if job.Kind == sourceJob && json.Unmarshal(job.Asked, &came) == nil {
		return a.bringIn(job.Scene, came, nil), nil
	}
	var asked askedJob
	q, known := jobOf(job.Kind)
	if err := json.Unmarshal(job.Asked, &asked); err != nil || !known {
		return nil, fmt.Errorf("The program ended before it was done, and this one cannot begin it again.")
	}
	if err := json.Unmarshal(asked.Request, q); err != nil {
		return nil, err
	}
	st, err := a.Workspace.OpenAt(ctx, job.Scene, asked.Node)
	if err != nil {
		return nil, err
	}
	st.Revision = asked.Revision
	_, _, do, err := q.work(a, st, job.Made)
	return do, err
}
