package store_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/go-sql-driver/mysql"

	"blendseam/internal/corpus"
	"blendseam/store"
)

// A cutter stands between a program and its database, and breaks all connections at the command number at: before it
// reaches the database, or once it is done there and before the answer reaches the program. So it is when the program
// is killed at that moment.
type cutter struct {
	to     string
	at     int64
	after  bool
	seen   atomic.Int64
	listen net.Listener
	group  sync.WaitGroup
	ended  context.Context
	end    context.CancelFunc
}

func (c *cutter) start(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	c.listen = l
	c.ended, c.end = context.WithCancel(ctx)
	c.group.Go(func() {
		for {
			from, err := l.Accept()
			if err != nil {
				return
			}
			c.group.Go(func() { c.serve(from) })
		}
	})
	return l.Addr().String()
}

func (c *cutter) stop() {
	c.listen.Close()
	c.end()
	c.group.Wait()
}

func (c *cutter) serve(from net.Conn) {
	defer from.Close()
	to, err := net.Dial("tcp", c.to)
	if err != nil {
		return
	}
	defer to.Close()
	defer context.AfterFunc(c.ended, func() { from.Close() })()
	var cut atomic.Bool
	c.group.Go(func() { // answers
		defer from.Close()
		buffer := make([]byte, 1<<16)
		for {
			n, err := to.Read(buffer)
			if cut.Load() || err != nil {
				return
			}
			if _, err := from.Write(buffer[:n]); err != nil {
				return
			}
		}
	})
	// A packet is 3 bytes of length, a number, and what it says; a command is the packet number 0 of its exchange
	// (MariaDB, "0 - Packet" of the client/server protocol).
	for {
		var head [4]byte
		if _, err := io.ReadFull(from, head[:]); err != nil {
			return
		}
		body := make([]byte, int(binary.LittleEndian.Uint32([]byte{head[0], head[1], head[2], 0})))
		if _, err := io.ReadFull(from, body); err != nil {
			return
		}
		if head[3] == 0 && c.seen.Add(1) >= c.at {
			if !c.after || c.seen.Load() > c.at {
				return
			}
			cut.Store(true)
		}
		if _, err := to.Write(append(head[:], body...)); err != nil || cut.Load() {
			if cut.Load() { // it is done there once the connection's end has been read
				to.(*net.TCPConn).CloseWrite()
				io.Copy(io.Discard, to)
			}
			return
		}
	}
}

var databases atomic.Int64

// database makes an empty database and gives its DSN.
func database(t *testing.T, name string) *mysql.Config {
	t.Helper()
	c, err := mysql.ParseDSN(private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	name = fmt.Sprintf("%s_%d", name, databases.Add(1))
	db, err := sql.Open("mysql", private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		db, err := sql.Open("mysql", private.DSN)
		if err == nil {
			db.Exec("SET STATEMENT foreign_key_checks=0 FOR DROP DATABASE " + name)
			db.Close()
		}
	})
	c.DBName = name
	return c
}

// tables is all that a database has: columns, keys, versions and the blends that it begins with.
func tables(t *testing.T, dsn string) string {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var all bytes.Buffer
	for _, q := range []string{
		"SELECT CONCAT_WS(' ', table_name, column_name, column_type, is_nullable) FROM information_schema.columns WHERE " +
			"table_schema = DATABASE() ORDER BY 1",
		"SELECT CONCAT_WS(' ', table_name, index_name, column_name) FROM information_schema.statistics WHERE " +
			"table_schema = DATABASE() ORDER BY 1",
		"SELECT CONCAT_WS(' ', version_id, MAX(is_applied)) FROM goose_db_version GROUP BY version_id ORDER BY version_id",
		"SELECT CONCAT_WS(' ', name, body, is_default) FROM blends ORDER BY name",
	} {
		rows, err := db.Query(q)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			var line string
			if err := rows.Scan(&line); err != nil {
				t.Fatal(err)
			}
			fmt.Fprintln(&all, line)
		}
		if err := rows.Err(); err != nil {
			t.Fatal(err)
		}
	}
	return all.String()
}

func migrated(t *testing.T, c *mysql.Config) (string, error) {
	t.Helper()
	s, err := store.Open(ctx, c.FormatDSN())
	if err != nil {
		return "", err
	}
	s.Close()
	return tables(t, c.FormatDSN()), nil
}

// A migration may break off at any command that it sends, before or after the database has done it: the next start
// finds its way. Some commands are tried with -short, otherwise all.
func TestAMigrationThatIsInterruptedGoesOnAtTheNextStart(t *testing.T) {
	whole := database(t, "blendseam_whole")
	want, err := migrated(t, whole)
	if err != nil {
		t.Fatal(err)
	}
	if again, err := migrated(t, whole); err != nil || again != want {
		t.Errorf("opened again: %v", err)
	}
	every := int64(8)
	if !testing.Short() {
		every = 1
	}
	tried := 0
	for at, over := int64(1), false; !over; at += every {
		for _, after := range []bool{false, true} {
			c := database(t, "blendseam_hurt")
			cut := &cutter{to: c.Addr, at: at, after: after}
			through := *c
			through.Addr = cut.start(t)
			_, err := store.Open(ctx, through.FormatDSN())
			cut.stop()
			if over = err == nil; over {
				break
			}
			tried++
			if got, err := migrated(t, c); err != nil || got != want {
				t.Errorf("broken off at command %d (done: %v): %v\n%s", at, after, err, got)
			}
		}
	}
	if tried < 8 {
		t.Errorf("only %d moments were tried", tried)
	}
	t.Logf("%d moments", tried)
}

// A program is killed at any moment of its first start: a hundred times without -short.
func TestAProgramKilledAsItMigratesStartsAgain(t *testing.T) {
	whole := database(t, "blendseam_whole")
	want, err := migrated(t, whole)
	if err != nil {
		t.Fatal(err)
	}
	kills := corpus.Cases(8, 100)
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	hurt := 0
	for i := range kills {
		c := database(t, "blendseam_killed")
		child := exec.Command(self)
		child.Env = append(os.Environ(), "BLENDSEAM_OPEN="+c.FormatDSN())
		if err := child.Start(); err != nil {
			t.Fatal(err)
		}
		db, err := sql.Open("mysql", c.FormatDSN())
		if err != nil {
			t.Fatal(err)
		}
		// At the i-th of its tables, or a little later.
		for n := 0; n <= i%10; {
			if err := db.QueryRow("SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()").
				Scan(&n); err != nil {
				t.Fatal(err)
			}
		}
		child.Process.Kill()
		child.Wait()
		db.Close()
		if before := versions(t, c); before < 13 {
			hurt++
		}
		if got, err := migrated(t, c); err != nil || got != want {
			t.Errorf("kill %d: %v\n%s", i, err, got)
		}
	}
	t.Logf("%d of %d kills came before all was done", hurt, kills)
}

// versions is how many migrations a database says to have.
func versions(t *testing.T, c *mysql.Config) (n int) {
	t.Helper()
	db, err := sql.Open("mysql", c.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if db.QueryRow("SELECT MAX(version_id) FROM goose_db_version").Scan(&n) != nil {
		return 0
	}
	return n
}

// Ctrl-C in the middle of the first start ends the program, not the migration.
func TestAMigrationGoesOnWhenItsProgramIsToEnd(t *testing.T) {
	c := database(t, "blendseam_stopped")
	ended, stop := context.WithCancel(ctx)
	stop()
	s, err := store.Open(ended, c.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	s.Close()
}

// A database of an earlier release, which had all tables in four migrations, is taken as it is, whether the last of
// them was noted or not.
func TestADatabaseOfAnEarlierReleaseIsTaken(t *testing.T) {
	c := database(t, "blendseam_whole")
	want, err := migrated(t, c)
	if err != nil {
		t.Fatal(err)
	}
	for noted := range 5 {
		c := database(t, "blendseam_earlier")
		if _, err := migrated(t, c); err != nil {
			t.Fatal(err)
		}
		db, err := sql.Open("mysql", c.FormatDSN())
		if err != nil {
			t.Fatal(err)
		}
		for _, q := range []string{fmt.Sprintf("DELETE FROM goose_db_version WHERE version_id > %d", noted),
			"ALTER TABLE jobs DROP COLUMN process", "ALTER TABLE edits DROP COLUMN version",
			"DELETE FROM blends WHERE name = 'Music'"} {
			if _, err := db.Exec(q); err != nil {
				t.Fatal(err)
			}
		}
		db.Close()
		got, err := migrated(t, c)
		if left := strings.Replace(
			want,
			"Music {\"law\":\"constant_power\",\"ms\":3000,\"lean\":0}\n",
			"",
			1,
		); err != nil ||
			got != left {
			t.Errorf("with %d migrations noted: %v\n%s", noted, err, got)
		}
	}
}

// Tables that a newer release has changed are not used by this one, which says so.
func TestNewerTablesAreNotUsed(t *testing.T) {
	s := open(t)
	const version = 9999
	if _, err := s.DB().Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (?, 1)", version); err != nil {
		t.Fatal(err)
	}
	defer s.DB().Exec("DELETE FROM goose_db_version WHERE version_id = ?", version)
	later, err := store.Open(ctx, private.DSN)
	if err == nil {
		later.Close()
	}
	if err == nil || !strings.Contains(err.Error(), "newer release") {
		t.Errorf("tables of step %d: %v", version, err)
	}
}
