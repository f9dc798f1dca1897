package main

import (
	"bufio"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	_ "github.com/go-sql-driver/mysql"
)

// A program is Blend Seam serving, with its data in a folder; it answers at one address however often it is started.
type program struct {
	dir, listen string
	mu          sync.Mutex
	cmd         *exec.Cmd
}

func newProgram() (*program, error) {
	dir, err := os.MkdirTemp("", "blendseam-soak-")
	if err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	defer l.Close()
	return &program{dir: dir, listen: l.Addr().String()}, nil
}

func (p *program) url() string { return "http://" + p.listen }

// startLimit is how long a start may take; after a kill the database repairs itself first.
const startLimit = 90 * time.Second

func (p *program) start() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	log, err := os.OpenFile(filepath.Join(p.dir, "soak.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer log.Close()
	c := exec.Command("bin/blendseam", "serve", "--listen", p.listen)
	tmp := filepath.Join(p.dir, "tmp")
	if err := os.MkdirAll(tmp, 0o755); err != nil {
		return err
	}
	c.Env = append(os.Environ(), "BLENDSEAM_VAR="+filepath.Join(p.dir, "var"), "TMPDIR="+tmp)
	c.Stderr = log
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return err
	}
	p.cmd = c
	said := make(chan bool, 1)
	go func() {
		for lines := bufio.NewScanner(out); lines.Scan(); {
			if strings.Contains(lines.Text(), "http://") {
				said <- true
			}
		}
		said <- false
	}()
	select {
	case ok := <-said:
		if ok {
			return nil
		}
	case <-time.After(startLimit):
	}
	return fmt.Errorf("it did not start; see %s", log.Name())
}

// kill ends the program at once, as a power cut does.
func (p *program) kill() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.cmd.Process.Kill()
	p.cmd.Wait()
}

// stop lets it end.
func (p *program) stop() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.cmd.Process.Signal(syscall.SIGTERM)
	p.cmd.Wait()
}

// killDatabase ends the database that the program started.
func (p *program) killDatabase() {
	p.mu.Lock()
	defer p.mu.Unlock()
	children, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", p.cmd.Process.Pid))
	for _, c := range children {
		raw, _ := os.ReadFile(c)
		for _, id := range strings.Fields(string(raw)) {
			name, _ := os.ReadFile("/proc/" + id + "/comm")
			if n, err := strconv.Atoi(id); err == nil && strings.HasPrefix(string(name), "mariadbd") {
				syscall.Kill(n, syscall.SIGKILL)
			}
		}
	}
}

// A use is what the program holds.
type use struct{ memory, files int }

func (p *program) use() (u use) {
	p.mu.Lock()
	defer p.mu.Unlock()
	proc := fmt.Sprintf("/proc/%d", p.cmd.Process.Pid)
	raw, _ := os.ReadFile(proc + "/status")
	if _, rest, ok := strings.Cut(string(raw), "VmRSS:"); ok {
		kb, _ := strconv.Atoi(strings.Fields(rest)[0])
		u.memory = kb << 10
	}
	list, _ := os.ReadDir(proc + "/fd")
	u.files = len(list)
	return u
}

// runningJobs returns how many jobs the database says to be under way, -1 if it cannot be asked. It waits as long as
// their number falls: a program that was killed often has a queue to work through.
func (p *program) runningJobs() (n int) {
	dsn, err := os.ReadFile(filepath.Join(p.dir, "var/database/dsn"))
	if err != nil {
		return -1
	}
	db, err := sql.Open("mysql", string(dsn))
	if err != nil {
		return -1
	}
	defer db.Close()
	fell, most := time.Now(), -1
	for ; ; time.Sleep(200 * time.Millisecond) {
		if err := db.QueryRow("SELECT COUNT(*) FROM jobs WHERE state = 'running'").Scan(&n); err != nil {
			return -1
		}
		if most < 0 {
			fmt.Printf("%d jobs were left to be done\n", n)
		}
		if most < 0 || n < most {
			fell, most = time.Now(), n
		}
		if n == 0 || time.Since(fell) > time.Minute {
			return n
		}
	}
}

// clears lets the program remove what it began to write as it was killed, as it does once a day with what is an hour
// old.
func (p *program) clears() error {
	library := filepath.Join(p.dir, "var/media")
	then := time.Now().Add(-2 * time.Hour)
	err := filepath.WalkDir(library, func(path string, d fs.DirEntry, err error) error {
		if err == nil && strings.Contains(d.Name(), ".part") {
			err = os.Chtimes(path, then, then)
		}
		return err
	})
	if err != nil {
		return err
	}
	out, err := exec.Command("bin/blendseam", "media", "verify", library).CombinedOutput()
	fmt.Print(string(out))
	return err
}

// leavesNothing ends the program and looks for what is half made.
func (p *program) leavesNothing() error {
	p.stop()
	if err := p.clears(); err != nil {
		return err
	}
	var errs []error
	err := filepath.WalkDir(p.dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		where, err := filepath.Rel(p.dir, path)
		if err != nil {
			return err
		}
		inScratch := strings.HasPrefix(where, "tmp/") || strings.HasPrefix(where, "var/work/") ||
			strings.HasPrefix(where, "var/media/incoming/")
		if name := d.Name(); strings.Contains(name, ".part") ||
			inScratch && name != "lock" &&
				!(strings.HasPrefix(where, "tmp/blendseam-") && d.IsDir() && strings.Count(where, "/") == 1) {
			errs = append(errs, fmt.Errorf("%s was left behind", where))
		}
		return nil
	})
	fmt.Printf("%d things left behind\n", len(errs))
	return errors.Join(err, errors.Join(errs[:min(len(errs), 10)]...))
}
