package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Ports are taken from below those that connections get by themselves, so that nothing takes one while the database is
// started again.
const (
	firstPort = 20000
	ports     = 10000
)

func freePort() (int, error) {
	for range 200 {
		if port := firstPort + rand.IntN(ports); isFree(port) {
			return port, nil
		}
	}
	return 0, fmt.Errorf("no free port for the database was found from %d to %d", firstPort, firstPort+ports-1)
}

func isFree(port int) bool {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return false
	}
	l.Close()
	return true
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
			return fmt.Errorf(
				"a database in %s, left over from before, does not end (process %s); end it and try again",
				s.dir,
				strings.Trim(fmt.Sprint(left), "[]"),
			)
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
	tmp := filepath.Join(s.dir, "tmp") // its own: as it starts it clears what lies there
	if err := os.MkdirAll(tmp, 0o700); err != nil {
		return err
	}
	cmd := exec.Command(program, "--no-defaults", "--datadir="+s.data(), "--user="+me.Username, "--bind-address=127.0.0.1",
		fmt.Sprintf("--port=%d", s.port), "--socket="+s.socket(), "--pid-file="+filepath.Join(s.dir, "pid"),
		"--log-error="+s.log(), "--init-file="+filepath.Join(s.dir, "start.sql"),
		"--skip-name-resolve", "--skip-log-bin", "--performance-schema=OFF", "--innodb-flush-log-at-trx-commit=1",
		"--innodb-buffer-pool-size=64M", "--max-allowed-packet=256M")
	if !strings.Contains(tmp, ":") { // which it would take for two folders
		cmd.Args = append(cmd.Args, "--tmpdir="+tmp)
	}
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
	for s.answers(ctx) != nil {
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
