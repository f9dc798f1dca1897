package store

import (
	"blendseam/core/limit"
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

// Source gives a source by its id, if a production in which the caller edits has it.
func (s *Store) Source(ctx context.Context, id string) (Source, error) {
	in, args := readable(ctx, "id", Editor)
	return scanSource(s.db.QueryRowContext(ctx, sourceColumns+" WHERE id = ? AND "+in, append([]any{id}, args...)...))
}

// Sources lists all sources of productions in which the caller edits, the newest first.
func (s *Store) Sources(ctx context.Context) ([]Source, error) {
	in, args := readable(ctx, "id", Editor)
	rows, err := s.db.QueryContext(ctx, sourceColumns+" WHERE "+in+" ORDER BY made DESC, name", args...)
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

// DropSource takes a source out of the productions in which the caller edits, and forgets it if no other has it: gone
// tells which. ErrNotFound if there is none.
func (s *Store) DropSource(ctx context.Context, id string) (gone bool, err error) {
	in, args := within(ctx, "production", Editor)
	err = s.inTransaction(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM production_sources WHERE source = ? AND "+in,
			append([]any{id}, args...)...); err != nil {
			return err
		}
		var others bool
		err := tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM production_sources WHERE source = ?)", id).Scan(&others)
		if err != nil || others {
			return err
		}
		done, err := tx.ExecContext(ctx, "DELETE FROM sources WHERE id = ?", id)
		if err != nil {
			return err
		}
		n, err := done.RowsAffected()
		if gone = n > 0; err == nil && !gone {
			return ErrNotFound
		}
		return err
	})
	return gone, plain(err)
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
	// Asked is what another process can begin it again by, if the one that does it goes; nil if none can.
	Asked json.RawMessage `json:"-"`
}

// AddJob keeps a job that begins, with its scene, kind, words, and what it was asked for; it gives it an id.
func (s *Store) AddJob(ctx context.Context, j Job) (Job, error) {
	j.ID, j.Words, j.State, j.Made = uuid.NewString(), limit.Told(j.Words), "running", time.Now().UTC()
	_, err := s.db.ExecContext(
		ctx,
		"INSERT INTO jobs (id, scene, kind, words, state, process, asked) VALUES (?, ?, ?, ?, 'running', ?, ?)",
		j.ID,
		sql.NullString{String: j.Scene, Valid: j.Scene != ""},
		j.Kind,
		j.Words,
		s.Process,
		sql.NullString{String: string(j.Asked), Valid: j.Asked != nil},
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

// mostBegun is how often a job is begun: one that ends its process time and again is given up.
const mostBegun = 3

// LeftJobs takes over the jobs whose process has ended before they were done; alive tells whether a process goes on.
// those are to be begun again by this process; broken are the ids of those that cannot be, which are marked as stopped.
func (s *Store) LeftJobs(
	ctx context.Context, alive func(process string) bool,
) (those []Job, broken []string, err error) {
	rows, err := s.db.QueryContext(ctx,
		"SELECT id, process, begun, COALESCE(asked, ''), COALESCE(scene, ''), kind, words, made FROM jobs "+
			"WHERE state = 'running' ORDER BY made")
	if err != nil {
		return nil, nil, plain(err)
	}
	defer rows.Close()
	type left struct {
		Job
		process string
		begun   int
	}
	var list []left
	for rows.Next() {
		x, asked := left{Job: Job{State: "running"}}, ""
		if err := rows.Scan(&x.ID, &x.process, &x.begun, &asked, &x.Scene, &x.Kind, &x.Words, &x.Made); err != nil {
			return nil, nil, plain(err)
		}
		if asked != "" {
			x.Asked = json.RawMessage(asked)
		}
		if !alive(x.process) {
			list = append(list, x)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, nil, plain(err)
	}
	for _, x := range list {
		again := x.Asked != nil && x.begun < mostBegun
		change := "process = ?, begun = begun + 1"
		values := []any{s.Process, x.ID, x.process}
		if !again {
			change, values = "state = 'stopped', error = 'The program ended before it was done.'", values[1:]
		}
		// Of several processes that see it left, one has it.
		done, err := s.db.ExecContext(ctx,
			"UPDATE jobs SET "+change+" WHERE id = ? AND process = ? AND state = 'running'", values...)
		if err != nil {
			return nil, nil, plain(err)
		}
		switch n, err := done.RowsAffected(); {
		case err != nil:
			return nil, nil, plain(err)
		case n == 0:
		case again:
			those = append(those, x.Job)
		default:
			broken = append(broken, x.ID)
		}
	}
	return those, broken, nil
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
