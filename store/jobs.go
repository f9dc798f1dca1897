package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"blendseam/core/limit"
)

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
	Done  float64         `json:"-"` // how far it was when its process was last heard of, 0..1
	begun int
	by    string // the process that does it

	Account string `json:"-"` // of whoever asked for it; "" where there are no accounts
	Who     string `json:"-"`
}

// AddJob keeps a job that begins, with its scene, kind, words, and what it was asked for; it gives it an id.
func (s *Store) AddJob(ctx context.Context, j Job) (Job, error) {
	j.ID, j.Words, j.State, j.Made = uuid.NewString(), limit.Told(j.Words), "running", time.Now().UTC()
	account, name := who(ctx)
	_, err := s.exec(
		ctx,
		"INSERT INTO jobs (id, scene, kind, words, state, process, asked, account, who, beat) "+
			"VALUES (?, ?, ?, ?, 'running', ?, ?, ?, ?, UTC_TIMESTAMP(3))",
		j.ID,
		sql.NullString{String: j.Scene, Valid: j.Scene != ""},
		j.Kind,
		j.Words,
		s.Process,
		sql.NullString{String: string(j.Asked), Valid: j.Asked != nil},
		account,
		name,
	)
	return j, plain(err)
}

// ErrMayNoMore says that whoever asked for a job may not have it done any more.
var ErrMayNoMore = &Refused{"Whoever asked for it may not edit here any more."}

// Asker is a context in which a job is done for whoever asked for it, with their roles as they are now. The error is
// ErrMayNoMore if they have gone, or hear nothing of its scene any more.
func (s *Store) Asker(ctx context.Context, j Job) (context.Context, error) {
	if j.Account == "" {
		if any, err := s.AnyAccount(ctx); err != nil || any && j.Who != "" {
			return ctx, errors.Join(err, ErrMayNoMore)
		}
		return ctx, nil
	}
	if _, err := s.Account(ctx, j.Account); errors.Is(err, ErrNotFound) {
		return ctx, ErrMayNoMore
	} else if err != nil {
		return ctx, err
	}
	roles, err := s.RolesOf(ctx, j.Account)
	if err != nil {
		return ctx, err
	}
	ctx = WithCaller(ctx, &Caller{Account: j.Account, Name: j.Who, Roles: roles})
	if j.Scene == "" {
		return ctx, nil
	}
	role, err := s.RoleIn(ctx, "scene", j.Scene)
	if err == nil && !role.Covers(Editor) {
		err = ErrMayNoMore
	}
	return ctx, err
}

// OfferJob keeps a job that any process may take.
func (s *Store) OfferJob(ctx context.Context, j Job) (Job, error) {
	j, err := s.AddJob(ctx, j)
	if err == nil {
		_, err = s.exec(ctx, "UPDATE jobs SET process = '', begun = 0, beat = '2000-01-01' WHERE id = ?", j.ID)
	}
	return j, plain(err)
}

// EndJob keeps what became of a job, if it is still this process's.
func (s *Store) EndJob(ctx context.Context, j Job) error {
	_, err := s.exec(
		ctx,
		"UPDATE jobs SET state = ?, result = ?, error = ? WHERE id = ? AND process = ? AND state = 'running'",
		j.State,
		sql.NullString{String: string(j.Result), Valid: len(j.Result) > 0},
		sql.NullString{String: limit.Told(j.Error), Valid: j.Error != ""},
		j.ID,
		s.Process,
	)
	if err == nil && j.Scene != "" {
		err = s.Signal(ctx, j.Scene)
	}
	return plain(err)
}

// A process that does jobs says every BeatEvery that it goes on; one of which nothing was heard for longer than
// leaseTime
// has gone, and others take its jobs. Whoever has a job is what its row says, changed by one statement that names
// who had
// it before: servers of one database need no locks in common for that.
const (
	BeatEvery = time.Second
	leaseTime = 10 * time.Second
)

// mostBegun is how often a job is begun: one that ends its process time and again is given up.
const mostBegun = 3

// Heartbeat says that this process goes on, and how far its jobs are. stopping are those that somebody wants to end;
// lost those, of the ones that it names, that others have taken.
func (s *Store) Heartbeat(ctx context.Context, at map[string]float64) (stopping, lost []string, err error) {
	if _, err := s.exec(ctx, "UPDATE jobs SET beat = UTC_TIMESTAMP(3) WHERE process = ? AND state = 'running'",
		s.Process); err != nil {
		return nil, nil, plain(err)
	}
	rows, err := s.db.QueryContext(ctx,
		"SELECT id, COALESCE(scene, ''), progress, stopping FROM jobs WHERE process = ? AND state = 'running'", s.Process)
	if err != nil {
		return nil, nil, plain(err)
	}
	defer rows.Close()
	type moved struct{ id, scene string }
	var on []moved
	held := map[string]bool{}
	for rows.Next() {
		var m moved
		var was float64
		var stop bool
		if err := rows.Scan(&m.id, &m.scene, &was, &stop); err != nil {
			return nil, nil, plain(err)
		}
		held[m.id] = true
		if stop {
			stopping = append(stopping, m.id)
		}
		if done, ours := at[m.id]; ours && done != was {
			on = append(on, m)
		}
	}
	if err := rows.Err(); err != nil {
		return nil, nil, plain(err)
	}
	for id := range at {
		if !held[id] {
			lost = append(lost, id)
		}
	}
	for _, m := range on {
		if _, err := s.exec(ctx, "UPDATE jobs SET progress = ? WHERE id = ? AND process = ?", at[m.id], m.id,
			s.Process); err != nil {
			return stopping, lost, plain(err)
		}
		if m.scene != "" {
			if err := s.Signal(ctx, m.scene); err != nil {
				return stopping, lost, err
			}
		}
	}
	return stopping, lost, nil
}

// GiveBack lets other processes take the jobs of this one at once, as it ends.
func (s *Store) GiveBack(ctx context.Context) error {
	_, err := s.exec(ctx, "UPDATE jobs SET beat = '2000-01-01' WHERE process = ? AND state = 'running'", s.Process)
	return plain(err)
}

// AskToStop asks whichever process does a job to end it; ErrNotFound if none does.
func (s *Store) AskToStop(ctx context.Context, id string) error {
	return s.changed(s.exec(ctx, "UPDATE jobs SET stopping = TRUE WHERE id = ? AND state = 'running'", id))
}

// ClaimAbandoned takes over at most so many jobs that are offered, or whose process has gone before they were done.
// those are to be begun again by this process;
// broken are the ids of those that cannot be, which are marked as stopped.
func (s *Store) ClaimAbandoned(ctx context.Context, most int) (those []Job, broken []string, err error) {
	list, err := s.jobs(ctx, "state = 'running' AND beat < UTC_TIMESTAMP(3) - INTERVAL ? SECOND ORDER BY made LIMIT ?",
		int(leaseTime/time.Second), most)
	if err != nil {
		return nil, nil, err
	}
	for _, x := range list {
		again := x.Asked != nil && x.begun < mostBegun
		change := "process = ?, begun = begun + 1, beat = UTC_TIMESTAMP(3)"
		values := []any{s.Process, x.ID, x.by, x.begun}
		if !again {
			change, values = "state = 'stopped', error = 'The program ended before it was done.'", values[1:]
		}
		// Of several processes that see it left, one has it.
		done, err := s.exec(
			ctx,
			"UPDATE jobs SET "+change+" WHERE id = ? AND process = ? AND begun = ? AND state = 'running' "+
				"AND beat < UTC_TIMESTAMP(3) - INTERVAL 1 SECOND",
			values...)
		if err != nil {
			return nil, nil, plain(err)
		}
		switch n, err := done.RowsAffected(); {
		case err != nil:
			return nil, nil, plain(err)
		case n == 0:
			continue
		case again:
			those = append(those, x)
		default:
			broken = append(broken, x.ID)
		}
		if x.Scene != "" {
			if err := s.Signal(ctx, x.Scene); err != nil {
				return those, broken, err
			}
		}
	}
	return those, broken, nil
}

// Job gives a job by its id.
func (s *Store) Job(ctx context.Context, id string) (Job, error) {
	return scanJob(s.db.QueryRowContext(ctx, jobColumns+" WHERE id = ?", id))
}

const jobColumns = "SELECT id, COALESCE(scene, ''), kind, words, state, COALESCE(result, 'null'), COALESCE(error, " +
	"''), made, progress, COALESCE(asked, ''), begun, process, account, who FROM jobs"

func scanJob(row interface{ Scan(...any) error }) (j Job, err error) {
	var asked string
	err = row.Scan(
		&j.ID,
		&j.Scene,
		&j.Kind,
		&j.Words,
		&j.State,
		&j.Result,
		&j.Error,
		&j.Made,
		&j.Done,
		&asked,
		&j.begun,
		&j.by,
		&j.Account,
		&j.Who,
	)
	if asked != "" {
		j.Asked = json.RawMessage(asked)
	}
	return j, plain(err)
}

// ForgetJob removes a job that is over; ErrNotFound if there is none.
func (s *Store) ForgetJob(ctx context.Context, id string) error {
	return s.changed(s.exec(ctx, "DELETE FROM jobs WHERE id = ? AND state <> 'running'", id))
}

// Jobs lists the jobs of one kind for a scene, newest first.
func (s *Store) Jobs(ctx context.Context, scene, kind string) ([]Job, error) {
	return s.jobs(ctx, "scene = ? AND kind = ? ORDER BY made DESC LIMIT 100", scene, kind)
}

// jobs lists those of which a condition holds.
func (s *Store) jobs(ctx context.Context, condition string, args ...any) (list []Job, err error) {
	rows, err := s.db.QueryContext(ctx, jobColumns+" WHERE "+condition, args...)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		j, err := scanJob(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, j)
	}
	return list, plain(rows.Err())
}

// Elsewhere are the jobs of a scene that go on in other processes, or that ended in the last seconds.
func (s *Store) Elsewhere(ctx context.Context, scene string) ([]Job, error) {
	return s.jobs(ctx, "scene = ? AND process <> ? AND beat > UTC_TIMESTAMP(3) - INTERVAL 30 SECOND ORDER BY made",
		scene, s.Process)
}
