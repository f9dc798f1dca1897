// Package scratch has folders that last as long as the process that made them: what is being brought in, converted or
// written. A process holds a lock on its own; whoever comes later clears those whose process has gone, killed or not,
// and leaves alone what others are working on.
package scratch

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"syscall"
)

// A Place is the folder of one process within a root that processes share.
type Place struct {
	root, dir string
	lock      *os.File
}

const (
	rootLock = "lock"  // of a root, held while folders are made or cleared
	ownLock  = "owner" // of a process's folder, held while it lives
)

// Open makes a folder for this process in root, and clears what processes that have gone left there.
func Open(root string) (*Place, error) {
	if err := os.MkdirAll(root, 0o700); err != nil {
		return nil, fmt.Errorf("the folder for work under way cannot be made: %w", err)
	}
	all, err := hold(filepath.Join(root, rootLock), syscall.LOCK_EX)
	if err != nil {
		return nil, fmt.Errorf("the folder for work under way cannot be used: %w", err)
	}
	defer all.Close()
	if err := clear(root); err != nil {
		return nil, err
	}
	p := &Place{root: root}
	if p.dir, err = os.MkdirTemp(root, "process-"); err != nil {
		return nil, err
	}
	if p.lock, err = hold(filepath.Join(p.dir, ownLock), syscall.LOCK_EX); err != nil {
		os.RemoveAll(p.dir)
		return nil, err
	}
	return p, nil
}

// hold opens a file and locks it.
func hold(path string, how int) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR|syscall.O_NOFOLLOW, 0o600)
	if err != nil {
		return nil, err
	}
	for {
		err := syscall.Flock(int(f.Fd()), how)
		if err == nil {
			return f, nil
		}
		if !errors.Is(err, syscall.EINTR) {
			f.Close()
			return nil, err
		}
	}
}

// clear removes the folders of processes that have gone; the root's lock is held.
func clear(root string) error {
	entries, err := os.ReadDir(root)
	if err != nil {
		return err
	}
	for _, e := range entries {
		if e.IsDir() && !alive(filepath.Join(root, e.Name())) {
			if err := os.RemoveAll(filepath.Join(root, e.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// alive tells whether the process of a folder goes on.
func alive(dir string) bool {
	f, err := os.OpenFile(filepath.Join(dir, ownLock), os.O_RDWR|syscall.O_NOFOLLOW, 0)
	if err != nil {
		return false
	}
	defer f.Close()
	return errors.Is(syscall.Flock(int(f.Fd()), syscall.LOCK_SH|syscall.LOCK_NB), syscall.EWOULDBLOCK)
}

// Name names this process among those of the root.
func (p *Place) Name() string { return filepath.Base(p.dir) }

// Dir makes a new folder in the place.
func (p *Place) Dir() (string, error) { return os.MkdirTemp(p.dir, "") }

// Close removes the place with all that is in it.
func (p *Place) Close() error {
	err := os.RemoveAll(p.dir)
	return errors.Join(err, p.lock.Close())
}

var own struct {
	sync.Mutex
	place *Place
}

// Dir makes a new folder for this process in the machine's folder for temporary files.
func Dir() (string, error) {
	own.Lock()
	defer own.Unlock()
	if own.place == nil {
		root := filepath.Join(os.TempDir(), fmt.Sprintf("blendseam-%d", os.Getuid()))
		if err := os.Mkdir(root, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
			return "", fmt.Errorf("temporary files cannot be made: %w", err)
		}
		// Anybody may have made a folder of that name.
		if info, err := os.Lstat(root); err != nil {
			return "", err
		} else if s, ok := info.Sys().(*syscall.Stat_t); !info.IsDir() || ok && int(s.Uid) != os.Getuid() {
			return "", fmt.Errorf("%s belongs to somebody else; set TMPDIR to another folder", root)
		}
		var err error
		if own.place, err = Open(root); err != nil {
			return "", err
		}
	}
	return own.place.Dir()
}

// End removes what Dir made.
func End() error {
	own.Lock()
	defer own.Unlock()
	if own.place == nil {
		return nil
	}
	err := own.place.Close()
	own.place = nil
	return err
}
