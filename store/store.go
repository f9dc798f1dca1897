// Package store keeps scenes, their edits, sources and jobs in MariaDB. An edit is acknowledged once its
// transaction is on disk. Any number of processes can share one database: the newest revision wins, and who
// edits at an older one is told what came between. No rule of editing lives here.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

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

	db     *sql.DB
	mu     sync.Mutex
	scenes map[string]*history
	later  sync.WaitGroup // snapshots being written

	anyAccount atomic.Bool  // there are accounts
	looked     atomic.Int64 // when there were none, in nanoseconds since 1970
}

// Open connects to a database, by its DSN in the form of go-sql-driver/mysql, and brings its tables up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	c, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the DSN of the database cannot be read: %w", err)
	}
	if c.DBName == "" {
		return nil, errors.New("the DSN names no database; it should end in /NAME")
	}
	c.ParseTime, c.Loc, c.InterpolateParams, c.Logger = true, time.UTC, true, &mysql.NopLogger{}
	c.Collation = "utf8mb4_bin"
	if c.Params == nil {
		c.Params = map[string]string{}
	}
	// A database that has gone without a word is not waited for for ever.
	c.Timeout = cmp.Or(c.Timeout, dialLimit)
	c.ReadTimeout, c.WriteTimeout = cmp.Or(c.ReadTimeout, answerLimit), cmp.Or(c.WriteTimeout, answerLimit)
	c.Params["time_zone"] = "'+00:00'"
	c.Params["sql_mode"] = "'STRICT_ALL_TABLES'"
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(16)
	db.SetMaxIdleConns(mostIdle)
	s := &Store{db: db, scenes: map[string]*history{}}
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("the database at %s cannot be used: %w", c.Addr, plain(err))
	}
	return s, nil
}

// mostIdle is how many connections stay open that nobody uses.
const mostIdle = 8

// How long a connection to the database may take, and any answer of it.
const (
	dialLimit    = 5 * time.Second
	answerLimit  = 60 * time.Second
	migrateLimit = 10 * time.Minute
)

// Close waits for what is being written, and closes the connections.
func (s *Store) Close() error {
	s.later.Wait()
	return s.db.Close()
}

// DB is the pool of connections, for figures of it.
func (s *Store) DB() *sql.DB { return s.db }

// Ping asks whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return plain(s.db.PingContext(ctx)) }

// migrate brings the tables up to date, one process at a time. Each migration is one statement that may be done again,
// as a database that knows no transactions of tables may have done it without its being noted. It goes on when ctx
// ends, so that Ctrl-C leaves nothing half done.
func (s *Store) migrate(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), migrateLimit)
	defer cancel()
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	var got sql.NullInt64
	if err := conn.QueryRowContext(ctx, "SELECT GET_LOCK(CONCAT(DATABASE(), '.migrate'), 60)").Scan(&got); err != nil {
		return err
	}
	if got.Int64 != 1 {
		return errors.New("another process has been changing its tables for a minute")
	}
	defer conn.ExecContext(ctx, "SELECT RELEASE_LOCK(CONCAT(DATABASE(), '.migrate'))")
	if err := beginVersions(ctx, conn); err != nil {
		return err
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.db, files)
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// beginVersions gives the table of migrations its first row where whoever made it was interrupted before; goose makes
// both, one after the other, and takes a table without a row for damaged.
func beginVersions(ctx context.Context, conn *sql.Conn) error {
	var there, rows int
	err := conn.QueryRowContext(ctx,
		"SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'goose_db_version'").
		Scan(&there)
	if err != nil || there == 0 {
		return err
	}
	if err := conn.QueryRowContext(ctx, "SELECT COUNT(*) FROM goose_db_version").Scan(&rows); err != nil || rows > 0 {
		return err
	}
	_, err = conn.ExecContext(ctx, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (0, 1)")
	return err
}

// plain turns errors of the driver into ones that a user can read.
func plain(err error) error {
	var refused *mysql.MySQLError
	switch {
	case err == nil, errors.Is(err, context.Canceled), errors.Is(err, ErrNotFound), errors.Is(err, ErrUnavailable):
		return err
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &refused) && refused.Number != apart:
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

// Numbers of MariaDB's errors: a deadlock or a lost certification, a lock that was waited for too long, a server that is
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
