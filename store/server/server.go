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
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
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
// use the same folder meanwhile share it. When the owner ends, one of the others owns it, and starts it again at the same
// address.
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
			return nil, fmt.Errorf("another process%s has the database in %s and it does not answer; end that process and try again", s.named(), dir)
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
	if err := f.Truncate(0); err == nil {
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
	return ping(ctx, s.DSN)
}

func ping(ctx context.Context, dsn string) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	return db.PingContext(ctx)
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
	password := rand.Text()
	if had, err := mysql.ParseDSN(s.DSN); err == nil && s.DSN != "" { // inherited: it is to be found where it was
		password = had.Passwd
		if _, port, err := net.SplitHostPort(had.Addr); err == nil {
			s.port, _ = strconv.Atoi(port)
		}
	}
	same := s.port != 0
	start := fmt.Sprintf("CREATE DATABASE IF NOT EXISTS blendseam CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n"+
		"CREATE OR REPLACE USER 'blendseam'@'127.0.0.1' IDENTIFIED BY '%s';\n"+
		"GRANT ALL ON `blendseam%%`.* TO 'blendseam'@'127.0.0.1';\n", password)
	if err := os.WriteFile(filepath.Join(s.dir, "start.sql"), []byte(start), 0o600); err != nil {
		return err
	}
	for attempt := 0; ; attempt++ {
		if !same {
			if s.port, err = freePort(); err != nil {
				return err
			}
		}
		c := mysql.NewConfig()
		c.User, c.Passwd, c.Net, c.Addr, c.DBName = "blendseam", password, "tcp", fmt.Sprintf("127.0.0.1:%d", s.port), "blendseam"
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
	return os.WriteFile(filepath.Join(s.dir, "dsn"), []byte(s.DSN), 0o600)
}

// find looks for a program in the path and where Debian puts servers.
func find(name string) (string, error) {
	if path, err := exec.LookPath(name); err == nil {
		return path, nil
	}
	for _, dir := range []string{"/usr/sbin", "/usr/local/sbin", "/usr/local/bin"} {
		if path, err := exec.LookPath(filepath.Join(dir, name)); err == nil {
			return path, nil
		}
	}
	return "", fmt.Errorf("%s is not installed: install it (apt-get install mariadb-server), or name a server in BLENDSEAM_DSN", name)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// log is where the database says what is wrong; it takes no name without an ending.
func (s *Server) log() string { return filepath.Join(s.dir, "log.err") }

func (s *Server) data() string { return filepath.Join(s.dir, "data") }

// setUp makes the tables of an empty server, in a folder that gets its name only once it is whole.
func (s *Server) setUp(ctx context.Context) error {
	if _, err := os.Stat(s.data()); err == nil {
		return nil
	}
	program, err := find("mariadb-install-db")
	if err != nil {
		return err
	}
	me, err := user.Current()
	if err != nil {
		return err
	}
	fresh := s.data() + ".new"
	if err := os.RemoveAll(fresh); err != nil {
		return err
	}
	// The script that sets it up takes no path with a blank in it.
	at := fresh
	if strings.ContainsFunc(fresh, unusual) {
		dir, err := os.MkdirTemp(plainTemp(), "blendseam-")
		if err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		at = filepath.Join(dir, "data")
	}
	out, err := exec.CommandContext(ctx, program, "--no-defaults", "--datadir="+at, "--user="+me.Username, "--skip-test-db",
		"--auth-root-authentication-method=socket", "--auth-root-socket-user="+me.Username).CombinedOutput()
	if err != nil {
		return fmt.Errorf("the database could not be set up in %s: %w: %s", s.dir, err, tail(string(out)))
	}
	if at != fresh {
		if err := os.CopyFS(fresh, os.DirFS(at)); err != nil {
			return fmt.Errorf("the database could not be set up in %s: %w", s.dir, err)
		}
	}
	return os.Rename(fresh, s.data())
}

// unusual tells whether a letter is one that shells and patterns may take for something else.
func unusual(r rune) bool {
	return !(r == '/' || r == '.' || r == '-' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z')
}

// plainTemp is a folder for temporary files without unusual letters.
func plainTemp() string {
	if dir := os.TempDir(); !strings.ContainsFunc(dir, unusual) {
		return dir
	}
	return "/tmp"
}

func tail(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return strings.Join(lines[max(0, len(lines)-3):], " / ")
}

// socket is where the server listens beside its port; paths of sockets must be short.
func (s *Server) socket() string {
	if path := filepath.Join(s.dir, "sock"); len(path) < 100 {
		return path
	}
	return filepath.Join(os.TempDir(), fmt.Sprintf("blendseam-%d.sock", s.port))
}

// launch starts the process and waits until it answers.
func (s *Server) launch(ctx context.Context, program string, deadline time.Time) error {
	// The process holds this lock for as long as it lives, also when its owner is gone. A database that has only just been
	// started does not hear that it should end: one that is still there after a while is told once more, and then made to.
	var held *os.File
	begun, told := time.Now(), 0
	for {
		var err error
		if held, err = lock(filepath.Join(s.dir, "data.lock")); err == nil {
			break
		}
		if !errors.Is(err, syscall.EWOULDBLOCK) {
			return err
		}
		left := orphans(s.data())
		if time.Now().After(deadline) {
			return fmt.Errorf("a database in %s, left over from before, does not end (process %s); end it and try again", s.dir, strings.Trim(fmt.Sprint(left), "[]"))
		}
		if waited := time.Since(begun); told == 0 && waited > askAgain || told == 1 && waited > askNoMore {
			told++
			for _, id := range left {
				if told == 1 {
					syscall.Kill(id, syscall.SIGTERM)
				} else {
					syscall.Kill(id, syscall.SIGKILL)
				}
			}
		}
		if err := pause(ctx, 50*time.Millisecond); err != nil {
			return err
		}
	}
	defer held.Close()
	me, err := user.Current()
	if err != nil {
		return err
	}
	cmd := exec.Command(program, "--no-defaults", "--datadir="+s.data(), "--user="+me.Username, "--bind-address=127.0.0.1",
		fmt.Sprintf("--port=%d", s.port), "--socket="+s.socket(), "--pid-file="+filepath.Join(s.dir, "pid"),
		"--log-error="+s.log(), "--init-file="+filepath.Join(s.dir, "start.sql"),
		"--skip-name-resolve", "--skip-log-bin", "--performance-schema=OFF", "--innodb-flush-log-at-trx-commit=1",
		"--innodb-buffer-pool-size=64M", "--max-allowed-packet=256M")
	cmd.ExtraFiles = []*os.File{held}
	// It ends with us, but not at a Ctrl-C of its own: what is under way is finished first.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	ended := make(chan struct{})
	go func() {
		runtime.LockOSThread() // Pdeathsig is sent when this thread ends
		err := cmd.Start()
		started <- err
		if err == nil {
			cmd.Wait()
			close(ended)
		}
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("%s cannot be started: %w", program, err)
	}
	s.mu.Lock()
	s.process, s.ended = cmd.Process, ended
	s.mu.Unlock()
	for ping(ctx, s.DSN) != nil {
		select {
		case <-ended:
			log, _ := os.ReadFile(s.log())
			return fmt.Errorf("the database did not start; %s says: %s", s.log(), tail(string(log)))
		case <-ctx.Done():
			s.end()
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			s.end()
			return fmt.Errorf("the database did not answer within %s; see %s", startLimit, s.log())
		}
	}
	go s.watch(program, ended)
	return nil
}

// How long a database that is left over from before may take to end by itself, and when it is told to.
const (
	askAgain  = time.Second
	askNoMore = 6 * time.Second
)

// orphans are the processes of this user whose data lie in a folder.
func orphans(data string) (ids []int) {
	entries, err := os.ReadDir("/proc")
	if err != nil {
		return nil
	}
	for _, e := range entries {
		id, err := strconv.Atoi(e.Name())
		if err != nil || id == os.Getpid() {
			continue
		}
		line, err := os.ReadFile(filepath.Join("/proc", e.Name(), "cmdline"))
		if err == nil && slices.Contains(strings.Split(string(line), "\x00"), "--datadir="+data) {
			ids = append(ids, id)
		}
	}
	return ids
}

// watch starts the database again when it dies unasked.
func (s *Server) watch(program string, ended chan struct{}) {
	<-ended
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		s.mu.Lock()
		stop := s.stop
		s.mu.Unlock()
		if stop {
			return
		}
		slog.Warn("the database ended; starting it again")
		if err := s.launch(context.Background(), program, time.Now().Add(startLimit)); err == nil {
			return
		} else {
			slog.Error("the database cannot be started again", "err", err)
		}
		time.Sleep(wait)
	}
}

func (s *Server) end() {
	s.mu.Lock()
	process, ended := s.process, s.ended
	s.mu.Unlock()
	if process == nil {
		return
	}
	process.Signal(syscall.SIGTERM)
	select {
	case <-ended:
	case <-time.After(20 * time.Second):
		process.Kill()
		<-ended
	}
}

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
