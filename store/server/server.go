// Package server runs a private MariaDB on loopback, with its data in a folder of the project's own. It never
// touches a database that belongs to the machine.
package server

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// startLimit is how long a database may take to answer; after a crash it repairs itself first.
const startLimit = 60 * time.Second

// A Server is a running database. One process owns it, starts it again if it dies, and ends it; others that
// use the same folder meanwhile share it. When the owner ends, one of the others owns it, and starts it again at the
// same address.
type Server struct {
	DSN string

	dir     string
	port    int
	mu      sync.Mutex
	owner   *os.File // locked while the owner lives; nil for a guest
	process *os.Process
	ended   chan struct{} // closed when the present process is gone
	stop    bool
	guest   context.Context // of waiting to own it
	leave   context.CancelFunc
	waits   sync.WaitGroup
}

// Start gives the database whose data lies in dir: it starts it, or joins the one that another process has
// started there. A dir without data is set up.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("the folder for the database cannot be made: %w", err)
	}
	s := &Server{dir: dir}
	deadline := time.Now().Add(startLimit)
	for {
		s.owner, err = lock(filepath.Join(dir, "owner.lock"))
		if err == nil {
			break
		}
		if !errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, err
		}
		if s.join(ctx) == nil {
			s.guest, s.leave = context.WithCancel(context.WithoutCancel(ctx))
			s.waits.Go(s.inherit)
			return s, nil
		}
		if time.Now().After(deadline) {
			return nil, fmt.Errorf(
				"another process%s has the database in %s and it does not answer; end that process and try again",
				s.named(),
				dir,
			)
		}
		if err := pause(ctx, 100*time.Millisecond); err != nil {
			return nil, err
		}
	}
	if err := s.begin(ctx); err != nil {
		s.owner.Close()
		return nil, err
	}
	return s, nil
}

// inherit waits for the owner to end, and owns the database then.
func (s *Server) inherit() {
	for wait := inheritPause; ; {
		if pause(s.guest, wait) != nil {
			return
		}
		owner, err := lock(filepath.Join(s.dir, "owner.lock"))
		if err != nil {
			continue
		}
		slog.Info("the process that had the database has ended; starting the database again")
		if err := s.begin(s.guest); err != nil {
			slog.Error("the database cannot be started again", "err", err)
			owner.Close()
			wait = time.Second
			continue
		}
		s.mu.Lock()
		s.owner = owner
		s.mu.Unlock()
		return
	}
}

// inheritPause is how often a guest looks whether the owner has ended.
const inheritPause = 100 * time.Millisecond

// named is " (process 7)" for the owner that wrote its id beside its lock, or "".
func (s *Server) named() string {
	raw, err := os.ReadFile(filepath.Join(s.dir, "owner.lock"))
	if id := strings.TrimSpace(string(raw)); err == nil && id != "" {
		return " (process " + id + ")"
	}
	return ""
}

func pause(ctx context.Context, d time.Duration) error {
	select {
	case <-time.After(d):
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// lock locks a file and writes there whose it is.
func lock(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, err
	}
	if err = f.Truncate(0); err == nil {
		_, err = fmt.Fprintln(f, os.Getpid())
	}
	return f, err
}

// join uses the database of another process, if it answers.
func (s *Server) join(ctx context.Context) error {
	raw, err := os.ReadFile(filepath.Join(s.dir, "dsn"))
	if err != nil {
		return err
	}
	s.DSN = string(raw)
	return s.answers(ctx)
}

// answers asks the database whether it is there, and whether it is the one that lies in this folder: at the port that a
// copied folder remembers, with the password that it remembers, there may be that of the folder it was copied from.
func (s *Server) answers(ctx context.Context) error {
	db, err := sql.Open("mysql", s.DSN)
	if err != nil {
		return err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	var data string
	if err := db.QueryRowContext(ctx, "SELECT @@datadir").Scan(&data); err != nil {
		return err
	}
	there, err := os.Stat(data)
	if err != nil {
		return err
	}
	own, err := os.Stat(s.data())
	if err != nil {
		return err
	}
	if !os.SameFile(there, own) {
		return fmt.Errorf("the database that answers lies in %s, not in %s", data, s.data())
	}
	return nil
}

// begin starts the database as its owner.
func (s *Server) begin(ctx context.Context) error {
	program, err := find("mariadbd")
	if err != nil {
		return err
	}
	if err := s.setUp(ctx); err != nil {
		return err
	}
	deadline := time.Now().Add(startLimit) // setting it up takes a slow disk long enough
	// It is to be found where it was, by those who share it.
	password := rand.Text()
	if had, err := mysql.ParseDSN(s.before()); err == nil && had.Passwd != "" {
		password = had.Passwd
		if _, port, err := net.SplitHostPort(had.Addr); err == nil {
			s.port, _ = strconv.Atoi(port)
		}
	}
	start := fmt.Sprintf("CREATE DATABASE IF NOT EXISTS blendseam CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n"+
		"CREATE OR REPLACE USER 'blendseam'@'127.0.0.1' IDENTIFIED BY '%s';\n"+
		"GRANT ALL ON `blendseam%%`.* TO 'blendseam'@'127.0.0.1';\n", password)
	if err := os.WriteFile(filepath.Join(s.dir, "start.sql"), []byte(start), 0o600); err != nil {
		return err
	}
	for attempt := 0; ; attempt++ {
		if s.guest == nil && (s.port == 0 || attempt > 0 || !isFree(s.port)) {
			if s.port, err = freePort(); err != nil {
				return err
			}
		}
		c := mysql.NewConfig()
		c.User, c.Passwd, c.DBName = "blendseam", password, "blendseam"
		c.Net, c.Addr = "tcp", fmt.Sprintf("127.0.0.1:%d", s.port)
		c.Logger = &mysql.NopLogger{}
		s.DSN = c.FormatDSN()
		err = s.launch(ctx, program, deadline)
		if err == nil || attempt == 3 || ctx.Err() != nil || time.Now().After(deadline) {
			break
		}
	}
	if err != nil {
		return err
	}
	for _, name := range []string{"address", "dsn"} {
		if err := os.WriteFile(filepath.Join(s.dir, name), []byte(s.DSN), 0o600); err != nil {
			return err
		}
	}
	return nil
}

// before is the DSN that the database had last, "" if there was none.
func (s *Server) before() string {
	if s.DSN != "" {
		return s.DSN
	}
	raw, err := os.ReadFile(filepath.Join(s.dir, "address"))
	if err != nil {
		return ""
	}
	return string(raw)
}

// log is where the database says what is wrong; it takes no name without an ending.
func (s *Server) log() string { return filepath.Join(s.dir, "log.err") }

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

// Pid is the database's process, 0 if another process owns it.
func (s *Server) Pid() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.process == nil {
		return 0
	}
	return s.process.Pid
}

// Stop ends the database if this process owns it, and waits until it has ended.
func (s *Server) Stop() {
	if s.leave != nil {
		s.leave()
		s.waits.Wait()
	}
	s.mu.Lock()
	s.stop = true
	owner := s.owner
	s.mu.Unlock()
	if owner == nil {
		return
	}
	os.Remove(filepath.Join(s.dir, "dsn")) // whoever starts now waits until this one has ended
	s.end()
	owner.Close()
}
