package server

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strings"

	"blendseam/durable"
)

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
	return "", fmt.Errorf(
		"%s is not installed: install it (apt-get install mariadb-server), or name a server in BLENDSEAM_DSN",
		name,
	)
}

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
	// What was being set up when its process was killed may still be written to: each has a folder of its own.
	left, err := os.ReadDir(s.dir)
	if err != nil {
		return err
	}
	for _, old := range left {
		if !strings.HasPrefix(old.Name(), filepath.Base(s.data())+".new") {
			continue
		}
		if err := os.RemoveAll(filepath.Join(s.dir, old.Name())); err != nil {
			slog.Warn("what was left of setting the database up could not be removed", "folder", old.Name(), "err", err)
		}
	}
	fresh, err := os.MkdirTemp(s.dir, "data.new")
	if err != nil {
		return err
	}
	// The script that sets it up takes no path with a blank in it.
	dir, err := os.MkdirTemp(plainTemp(), "blendseam-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	at := fresh
	if strings.ContainsFunc(fresh, unusual) {
		at = filepath.Join(dir, "data")
	}
	cmd := exec.CommandContext(ctx, program, "--no-defaults", "--datadir="+at, "--user="+me.Username, "--skip-test-db",
		"--auth-root-authentication-method=socket", "--auth-root-socket-user="+me.Username)
	cmd.Env = append(
		os.Environ(),
		"TMPDIR="+dir,
	) // a database that starts clears its folder for temporary tables, whosever they are
	out, err := cmd.CombinedOutput()
	if err != nil {
		return fmt.Errorf("the database could not be set up in %s: %w: %s", s.dir, err, tail(string(out)))
	}
	if at != fresh {
		if err := os.CopyFS(fresh, os.DirFS(at)); err != nil {
			return fmt.Errorf("the database could not be set up in %s: %w", s.dir, err)
		}
	}
	return durable.Rename(fresh, s.data())
}

// unusual tells whether a letter is one that shells and patterns may take for something else.
func unusual(r rune) bool {
	return !(r == '/' || r == '.' || r == '-' || r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' &&
		r <= 'Z')
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
