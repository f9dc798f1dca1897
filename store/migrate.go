package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/google/uuid"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

const migrateLimit = 10 * time.Minute

// migrate brings the tables up to date, one process at a time. Each migration is one statement that may be done again,
// as a database that knows no transactions of tables may have done it without its being noted. It goes on when ctx
// ends, so that Ctrl-C leaves nothing half done.
func (s *Store) migrate(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), migrateLimit)
	defer cancel()
	free, err := s.alone(ctx)
	if err != nil {
		return err
	}
	defer free()
	if err := s.beginVersions(ctx); err != nil {
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
	if err := s.notNewer(ctx, p); err != nil {
		return err
	}
	return s.again(ctx, func() error {
		_, err := p.Up(ctx)
		return err
	})
}

// notNewer refuses tables that a newer release has changed in ways that this one does not know.
func (s *Store) notNewer(ctx context.Context, p *goose.Provider) error {
	list := p.ListSources()
	known := list[len(list)-1].Version
	there, err := p.GetDBVersion(ctx)
	if err != nil || there <= known {
		return err
	}
	return fmt.Errorf("the database was used by a newer release of Blend Seam: its tables are at step %d, and this one "+
		"knows %d; start the newer release", there, known)
}

// How long a process may change tables without saying that it goes on, how often it says so, and how long another waits
// before it looks again.
const (
	migratingTime = 15 * time.Second
	migratingBeat = 3 * time.Second
	migratingWait = 100 * time.Millisecond
)

// alone waits until no other process changes tables.
func (s *Store) alone(ctx context.Context) (free func(), err error) {
	if s.several {
		return s.row(ctx)
	}
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return nil, err
	}
	var got sql.NullInt64
	err = conn.QueryRowContext(ctx, "SELECT GET_LOCK(CONCAT(DATABASE(), '.migrate'), 60)").Scan(&got)
	if err == nil && got.Int64 != 1 {
		err = errMigrating
	}
	if err != nil {
		conn.Close()
		return nil, err
	}
	return func() {
		conn.ExecContext(context.Background(), "SELECT RELEASE_LOCK(CONCAT(DATABASE(), '.migrate'))")
		conn.Close()
	}, nil
}

var errMigrating = errors.New("another process has been changing its tables for a minute")

// row waits likewise where the database is several servers, which do not share locks: whoever changes tables has a row,
// and says that it goes on.
func (s *Store) row(ctx context.Context) (free func(), err error) {
	if _, err := s.exec(ctx, "CREATE TABLE IF NOT EXISTS migrating (id TINYINT NOT NULL PRIMARY KEY, holder "+
		"CHAR(36) NOT NULL, "+
		"until DATETIME(3) NOT NULL)"); err != nil {
		return nil, err
	}
	holder, seconds := uuid.NewString(), int(migratingTime/time.Second)
	for waited := time.Duration(0); ; waited += migratingWait {
		if _, err := s.exec(ctx, "INSERT INTO migrating VALUES (1, ?, UTC_TIMESTAMP(3) + INTERVAL ? SECOND) ON "+
			"DUPLICATE KEY "+
			"UPDATE holder = IF(until < UTC_TIMESTAMP(3), VALUES(holder), holder), "+
			"until = IF(holder = VALUES(holder), VALUES(until), until)", holder, seconds); err != nil {
			return nil, err
		}
		var now string
		switch err := s.db.QueryRowContext(ctx, "SELECT holder FROM migrating WHERE id = 1").Scan(&now); {
		case err != nil && !errors.Is(err, sql.ErrNoRows): // it may have gone in between
			return nil, err
		case now == holder:
			return s.goingOn(holder, seconds), nil
		case waited > 4*migratingTime:
			return nil, errMigrating
		}
		select {
		case <-time.After(migratingWait):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// goingOn says that tables are being changed, until free is called.
func (s *Store) goingOn(holder string, seconds int) (free func()) {
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for every := time.NewTicker(migratingBeat); ; {
			select {
			case <-every.C:
				s.exec(ctx, "UPDATE migrating SET until = UTC_TIMESTAMP(3) + INTERVAL ? SECOND WHERE holder = ?", seconds, holder)
			case <-ctx.Done():
				every.Stop()
				return
			}
		}
	}()
	return func() {
		cancel()
		<-ended
		s.exec(context.Background(), "DELETE FROM migrating WHERE holder = ?", holder)
	}
}

// beginVersions gives the table of migrations its first row where whoever made it was interrupted before; goose makes
// both, one after the other, and takes a table without a row for damaged.
func (s *Store) beginVersions(ctx context.Context) error {
	var there, rows int
	err := s.db.QueryRowContext(
		ctx,
		"SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'goose_db_version'",
	).
		Scan(&there)
	if err != nil || there == 0 {
		return err
	}
	if err := s.db.QueryRowContext(ctx, "SELECT COUNT(*) FROM goose_db_version").Scan(&rows); err != nil || rows > 0 {
		return err
	}
	_, err = s.exec(ctx, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (0, 1)")
	return err
}
