package store

import (
	"blendseam/core/limit"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// A Source is a recording that was brought in. Info is what media knows of it.
type Source struct {
	ID, SHA256, Name string
	Info             json.RawMessage
	Made             time.Time
}

// AddSource keeps a source; one with the same content stays as it is.
func (s *Store) AddSource(ctx context.Context, src Source) error {
	_, err := s.db.ExecContext(ctx, "INSERT IGNORE INTO sources (id, sha256, name, info) VALUES (?, ?, ?, ?)",
		src.ID, src.SHA256, cut(src.Name, 255), string(src.Info))
	return plain(err)
}

const sourceColumns = "SELECT id, sha256, name, info, made FROM sources"

func scanSource(row interface{ Scan(...any) error }) (Source, error) {
	var src Source
	err := row.Scan(&src.ID, &src.SHA256, &src.Name, &src.Info, &src.Made)
	return src, plain(err)
}

// Source gives a source by its id.
func (s *Store) Source(ctx context.Context, id string) (Source, error) {
	return scanSource(s.db.QueryRowContext(ctx, sourceColumns+" WHERE id = ?", id))
}

// Sources lists all sources, the newest first.
func (s *Store) Sources(ctx context.Context) ([]Source, error) {
	rows, err := s.db.QueryContext(ctx, sourceColumns+" ORDER BY made DESC, name")
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	var list []Source
	for rows.Next() {
		src, err := scanSource(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, src)
	}
	return list, plain(rows.Err())
}

// DropSource forgets a source; ErrNotFound if there is none.
func (s *Store) DropSource(ctx context.Context, id string) error {
	done, err := s.db.ExecContext(ctx, "DELETE FROM sources WHERE id = ?", id)
	if err != nil {
		return plain(err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return cmp.Or(err, ErrNotFound)
	}
	return nil
}

// A Job is long work: under way, or what became of it.
type Job struct {
	ID     string          `json:"id"`
	Scene  string          `json:"scene,omitempty"`
	Kind   string          `json:"kind"`
	Words  string          `json:"words"`
	State  string          `json:"state"` // running, done, failed, stopped
	Result json.RawMessage `json:"result,omitempty"`
	Error  string          `json:"error,omitempty"`
	Made   time.Time       `json:"made"`
}

// AddJob keeps a job that begins, and gives it an id.
func (s *Store) AddJob(ctx context.Context, scene, kind, words string) (Job, error) {
	j := Job{
		ID:    uuid.NewString(),
		Scene: scene,
		Kind:  kind,
		Words: limit.Told(words),
		State: "running",
		Made:  time.Now().UTC(),
	}
	_, err := s.db.ExecContext(
		ctx,
		"INSERT INTO jobs (id, scene, kind, words, state, process) VALUES (?, ?, ?, ?, 'running', ?)",
		j.ID,
		sql.NullString{String: scene, Valid: scene != ""},
		kind,
		j.Words,
		s.Process,
	)
	return j, plain(err)
}

// EndJob keeps what became of a job.
func (s *Store) EndJob(ctx context.Context, j Job) error {
	_, err := s.db.ExecContext(
		ctx,
		"UPDATE jobs SET state = ?, result = ?, error = ? WHERE id = ?",
		j.State,
		sql.NullString{String: string(j.Result), Valid: len(j.Result) > 0},
		sql.NullString{String: limit.Told(j.Error), Valid: j.Error != ""},
		j.ID,
	)
	return plain(err)
}

// BreakJobs marks the jobs that were under way when their process ended, and gives their ids; alive tells whether a
// process goes on.
func (s *Store) BreakJobs(ctx context.Context, alive func(process string) bool) (broken []string, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, process FROM jobs WHERE state = 'running'")
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var id, process string
		if err := rows.Scan(&id, &process); err != nil {
			return nil, plain(err)
		}
		if !alive(process) {
			broken = append(broken, id)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, plain(err)
	}
	for _, id := range broken {
		if _, err := s.db.ExecContext(
			ctx,
			"UPDATE jobs SET state = 'stopped', error = 'The program ended before it was done.' WHERE id = ? AND state = "+
				"'running'",
			id,
		); err != nil {
			return nil, plain(err)
		}
	}
	return broken, nil
}

// Job gives a job by its id.
func (s *Store) Job(ctx context.Context, id string) (Job, error) {
	return scanJob(s.db.QueryRowContext(ctx, jobColumns+" WHERE id = ?", id))
}

const jobColumns = "SELECT id, COALESCE(scene, ''), kind, words, state, COALESCE(result, 'null'), COALESCE(error, " +
	"''), made FROM jobs"

func scanJob(row interface{ Scan(...any) error }) (j Job, err error) {
	err = row.Scan(&j.ID, &j.Scene, &j.Kind, &j.Words, &j.State, &j.Result, &j.Error, &j.Made)
	return j, plain(err)
}

// Jobs lists the jobs of one kind for a scene, newest first.
func (s *Store) Jobs(ctx context.Context, scene, kind string) ([]Job, error) {
	rows, err := s.db.QueryContext(
		ctx,
		jobColumns+" WHERE scene = ? AND kind = ? ORDER BY made DESC LIMIT 100",
		scene,
		kind,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	var list []Job
	for rows.Next() {
		j, err := scanJob(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, j)
	}
	return list, plain(rows.Err())
}
