package web

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"blendseam/durable"
	"blendseam/store"
	"blendseam/workspace"
)

// A jobRequest is a request for long work on a scene.
type jobRequest interface {
	// work is what has to be done to a scene as it is at st, with its kind and words; the error says why it cannot be.
	// when is when it was asked for.
	work(s *Server, st *workspace.Scene, when time.Time) (kind, words string, do workspace.Work, err error)
}

// jobKinds are the requests by the kinds of their jobs.
var jobKinds = map[string]func() jobRequest{
	"mixdown": func() jobRequest { return new(mixdownRequest) },
	"look":    func() jobRequest { return new(mixdownRequest) },
	"package": func() jobRequest { return new(packRequest) },
	"list":    func() jobRequest { return new(listRequest) },
	"pieces":  func() jobRequest { return new(piecesRequest) },
	"join":    func() jobRequest { return new(joinRequest) },
}

// askedJob is what a job is begun again by, if the process that does it ends.
type askedJob struct {
	Node     int64           `json:"node"` // the state of the scene
	Revision int64           `json:"revision"`
	Request  json.RawMessage `json:"request"`
}

// begin begins the job that a request asks for.
func (s *Server) begin(w http.ResponseWriter, r *http.Request, q jobRequest) error {
	if err := decode(w, r, q); err != nil {
		return err
	}
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	kind, words, do, err := q.work(s, st, time.Now())
	if err != nil {
		return err
	}
	request, err := json.Marshal(q)
	if err != nil {
		return err
	}
	asked, err := json.Marshal(askedJob{st.Key.Node, st.Revision, request})
	if err != nil {
		return err
	}
	job, err := s.Jobs.Start(
		r.Context(),
		store.Job{Scene: st.Key.Scene, Kind: kind, Words: words, Asked: asked},
		s.shared(do),
	)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusAccepted, job)
}

// shared is work whose outcome other processes have, too, where they share their recordings.
func (s *Server) shared(do workspace.Work) workspace.Work {
	return func(ctx context.Context, id string, done func(float64)) (any, error) {
		result, err := do(ctx, id, done)
		dir := filepath.Join(s.Made, id)
		if _, none := os.Stat(dir); err == nil && none == nil {
			if err = durable.Sync(dir); err == nil {
				err = s.Library.ShareMade(ctx, id, dir)
			}
		}
		return result, err
	}
}

// TakeJobs begins the jobs of processes that ended before they were done, now and as long as this one goes on. What is
// half made of them goes.
func (s *Server) TakeJobs() {
	begin := func(job store.Job) {
		s.Jobs.Run(job, func(ctx context.Context, id string, done func(float64)) (any, error) {
			ctx, err := s.Store.Asker(ctx, job)
			if err != nil {
				return nil, err
			}
			do, err := s.again(ctx, job)
			if err != nil {
				return nil, err
			}
			slog.Info("a job is begun again", "job", job.Words)
			return s.shared(do)(ctx, id, done)
		})
	}
	s.Jobs.Takes(begin, func(id string) {
		if err := os.RemoveAll(filepath.Join(s.Made, id)); err != nil {
			slog.Warn("what was half made could not be removed", "err", err)
		}
	})
}

// again is the work of a job that was left.
func (s *Server) again(ctx context.Context, job store.Job) (workspace.Work, error) {
	if do := s.Workspace.Again(job); do != nil {
		return do, nil
	}
	var came arriving
	if job.Kind == sourceJob && json.Unmarshal(job.Asked, &came) == nil {
		return s.bringIn(job.Scene, came, nil), nil
	}
	var asked askedJob
	make, known := jobKinds[job.Kind]
	if err := json.Unmarshal(job.Asked, &asked); err != nil || !known {
		return nil, fmt.Errorf("The program ended before it was done, and this one cannot begin it again.")
	}
	q := make()
	if err := json.Unmarshal(asked.Request, q); err != nil {
		return nil, err
	}
	st, err := s.Workspace.OpenAt(ctx, job.Scene, asked.Node)
	if err != nil {
		return nil, err
	}
	st.Revision = asked.Revision
	_, _, do, err := q.work(s, st, job.Made)
	return do, err
}
