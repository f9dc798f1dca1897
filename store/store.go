// Package store keeps scenes, their edits, sources and jobs in MariaDB. An edit is acknowledged once its
// transaction is on disk. Any number of processes can share one database: the newest revision wins, and who
// edits at an older one is told what came between. No rule of editing lives here.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
)

// ErrNotFound says that there is no such scene, source or job.
var ErrNotFound = errors.New("not found")

// ErrUnavailable says that the database does not answer.
var ErrUnavailable = errors.New("the database does not answer; try again in a moment")

// ErrNotKept says that the database did not answer while an edit was being kept, and that it was not.
var ErrNotKept = errors.New("the database did not answer, and nothing was kept; try again")

// ErrUncertain says that the database does not answer while an edit is being kept.
var ErrUncertain = errors.New(
	"the database does not answer; whether this was kept is seen when it does: look again in a moment before you do " +
		"it again",
)

// A Store is an open database.
type Store struct {
	Process string       // the name of this process, for the jobs that it does; see LeftJobs
	Room    func() error // says why there is no room for another edit; nil if that is known to others

	db      *sql.DB
	several bool // servers that share what they are told
	mu      sync.Mutex
	scenes  map[string]*history
	later   sync.WaitGroup // snapshots being written

	anyAccount atomic.Bool  // there are accounts
	looked     atomic.Int64 // when there were none, in nanoseconds since 1970
}

// Open connects to a database, by its DSN in the form of go-sql-driver/mysql, and brings its tables up to date. Several
// servers of one database are named as tcp(HOST:PORT,HOST:PORT,...): whichever is part of it is used.
func Open(ctx context.Context, dsn string) (*Store, error) {
	connector, addr, several, err := connectorOf(ctx, dsn)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(16)
	db.SetMaxIdleConns(mostIdle)
	s := &Store{db: db, several: several, scenes: map[string]*history{}}
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("the database at %s cannot be used: %w", addr, plain(err))
	}
	return s, nil
}

// mostIdle is how many connections stay open that nobody uses.
const mostIdle = 8

// Close waits for what is being written, and closes the connections.
func (s *Store) Close() error {
	s.later.Wait()
	return s.db.Close()
}

// DB is the pool of connections, for figures of it.
func (s *Store) DB() *sql.DB { return s.db }

// Ping asks whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return plain(s.db.PingContext(ctx)) }

// plain turns errors of the driver into ones that a user can read.
func plain(err error) error {
	var refused *mysql.MySQLError
	switch {
	case errors.As(err, new(*Refused)):
		return err
	case err == nil, errors.Is(err, context.Canceled), errors.Is(err, ErrNotFound), errors.Is(err, ErrUnavailable):
		return err
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &refused) && refused.Number != apart && refused.Number != lockedOut:
		return err
	}
	return fmt.Errorf("%w (%s)", ErrUnavailable, err)
}

// Of several processes that change the same at once one may be told to do it again: by a deadlock, or, where the
// database is several servers, because the others had taken another change first. Nothing was done then.
const (
	mostTries = 12
	firstWait = 2 * time.Millisecond
)

// Numbers of MariaDB's errors: a deadlock or a lost certification, a lock that was waited for too long, a server
// that is
// not part of the database now.
const (
	deadlock  = 1213
	lockedOut = 1205
	apart     = 1047
)

// again does something until it is not told to do it again.
func (s *Store) again(ctx context.Context, do func() error) error {
	for n, wait := 1, firstWait; ; n, wait = n+1, wait*2 {
		err := do()
		var refused *mysql.MySQLError
		if !errors.As(err, &refused) || n == mostTries {
			return err
		}
		switch refused.Number {
		case deadlock, lockedOut:
		case apart: // so are all connections to it
			s.db.SetMaxIdleConns(0)
			s.db.SetMaxIdleConns(mostIdle)
			wait = max(wait, 20*time.Millisecond)
		default:
			return err
		}
		select {
		case <-time.After(wait/2 + rand.N(wait)):
		case <-ctx.Done():
			return err
		}
	}
}

// exec does a statement that stands for itself.
func (s *Store) exec(ctx context.Context, statement string, args ...any) (r sql.Result, err error) {
	err = s.again(ctx, func() error {
		r, err = s.db.ExecContext(ctx, statement, args...)
		return err
	})
	return r, err
}

// column reads the one column of an answer.
func column[T any](rows *sql.Rows, err error) (list []T, _ error) {
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var v T
		if err := rows.Scan(&v); err != nil {
			return nil, plain(err)
		}
		list = append(list, v)
	}
	return list, plain(rows.Err())
}

// inTransaction runs fn in a transaction, more than once if it has to be.
func (s *Store) inTransaction(ctx context.Context, fn func(tx *sql.Tx) error) error {
	return s.again(ctx, func() error { return s.once(ctx, fn) })
}

func (s *Store) once(ctx context.Context, fn func(tx *sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := fn(tx); err != nil {
		return err
	}
	return tx.Commit()
}
