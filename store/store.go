// Package store keeps scenes, their edits, sources and jobs in MariaDB. An edit is acknowledged once its
// transaction is on disk. Any number of processes can share one database: the newest revision wins, and who
// edits at an older one is told what came between. No rule of editing lives here.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is no such scene, source or job.
var ErrNotFound = errors.New("not found")

// ErrUnavailable says that the database does not answer; what was asked has not been kept.
var ErrUnavailable = errors.New("the database does not answer; nothing was kept, try again in a moment")

// A Store is an open database.
type Store struct {
	db     *sql.DB
	mu     sync.Mutex
	scenes map[string]*history
	later  sync.WaitGroup // snapshots being written
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
	c.Params["time_zone"] = "'+00:00'"
	c.Params["sql_mode"] = "'STRICT_ALL_TABLES'"
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(16)
	db.SetMaxIdleConns(8)
	s := &Store{db: db, scenes: map[string]*history{}}
	if err := s.migrate(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("the database at %s cannot be used: %w", c.Addr, err)
	}
	return s, nil
}

// Close waits for what is being written, and closes the connections.
func (s *Store) Close() error {
	s.later.Wait()
	return s.db.Close()
}

// migrate brings the tables up to date, one process at a time.
func (s *Store) migrate(ctx context.Context) error {
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
	defer conn.ExecContext(context.WithoutCancel(ctx), "SELECT RELEASE_LOCK(CONCAT(DATABASE(), '.migrate'))")
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

// plain turns errors of the driver into ones that a user can read.
func plain(err error) error {
	var refused *mysql.MySQLError
	switch {
	case err == nil, errors.Is(err, context.Canceled), errors.Is(err, ErrNotFound), errors.Is(err, ErrUnavailable):
		return err
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &refused):
		return err
	}
	return fmt.Errorf("%w (%s)", ErrUnavailable, err)
}

// inTransaction runs fn in a transaction.
func (s *Store) inTransaction(ctx context.Context, fn func(tx *sql.Tx) error) error {
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
