package media

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"blendseam/media/objects"
)

// shared is what a library knows of the store that it shares with other processes. The files of its folder are then
// copies of what lies there: those used longest ago go when they are more than bytes.
type shared struct {
	objects.Store
	bytes int64

	mu      sync.Mutex
	there   map[string]bool      // files that the store has, by their names in it
	used    map[string]time.Time // when files were used last, by their paths
	trimmed time.Time
	sum     int64 // bytes of copies when they were looked through last
}

// Copies is how many bytes of copies there were when they were looked through last.
func (l *Library) Copies() int {
	if l.shared == nil {
		return 0
	}
	l.shared.mu.Lock()
	defer l.shared.mu.Unlock()
	return int(l.shared.sum)
}

// How long it is waited for one file of the store, and how often it is looked how large the folder has become.
const (
	fetchLimit = 30 * time.Minute
	trimEvery  = 20 * time.Second
)

// Share lets other processes have what is brought in or made here, by a store; the library's folder keeps copies of at
// most so many bytes.
func (l *Library) Share(store objects.Store, bytes int64) {
	l.shared = &shared{Store: store, bytes: bytes, there: map[string]bool{}, used: map[string]time.Time{}}
}

// Shared tells whether other processes have what this one has.
func (l *Library) Shared() bool { return l.shared != nil }

// shares tells whether what is an id may lie in a store.
func (l *Library) shares(id string) bool { return l.shared != nil && isID(id) }

// here sees to it that a file of a recording, which may be in a folder of its own, lies here if the store has it.
func (l *Library) here(id, name string) error {
	if !l.shares(id) {
		return nil
	}
	return l.fetched(id+"/"+filepath.ToSlash(name), filepath.Join(l.folder(id), name))
}

// fetched sees to it that a file lies at a path if the store has it under a name.
func (l *Library) fetched(name, path string) error {
	s := l.shared
	if s == nil {
		return nil
	}
	s.mu.Lock()
	s.used[path] = time.Now()
	s.mu.Unlock()
	if exists(path) {
		return nil
	}
	defer l.lock("fetch " + name)()
	if exists(path) {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), fetchLimit)
	defer cancel()
	err := s.Get(ctx, name, path)
	if errors.Is(err, objects.ErrNone) {
		return nil // whoever wants it sees that it is not here
	}
	if err == nil {
		s.has(name)
		l.trim()
	}
	return err
}

func (s *shared) has(name string) {
	s.mu.Lock()
	s.there[name] = true
	s.mu.Unlock()
}

func (s *shared) knows(name string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.there[name]
}

// send sends what lies here of a recording and not yet in the store. What says that all of it is there goes last.
func (l *Library) send(ctx context.Context, id string) error {
	if l.shared == nil {
		return nil
	}
	return l.sendAll(ctx, id, l.folder(id))
}

// sendAll sends a folder under a name.
func (l *Library) sendAll(ctx context.Context, under, dir string) error {
	list, err := objects.Folder(dir).List(ctx, "")
	if err != nil {
		return err
	}
	var names []string
	for _, o := range list {
		if !strings.Contains(o.Name, ".part-") {
			names = append(names, o.Name)
		}
	}
	slices.Sort(names)
	slices.Reverse(names) // the first of several sheets after the others
	if i := slices.Index(names, infoFile); i >= 0 {
		names = append(slices.Delete(names, i, i+1), infoFile)
	}
	for _, name := range names {
		if err := l.sendFile(ctx, under+"/"+name, filepath.Join(dir, filepath.FromSlash(name))); err != nil {
			return err
		}
	}
	l.trim()
	return nil
}

func (l *Library) sendFile(ctx context.Context, name, path string) error {
	s := l.shared
	if s == nil || s.knows(name) {
		return nil
	}
	_, err := s.Stat(ctx, name)
	if errors.Is(err, objects.ErrNone) {
		err = s.Put(ctx, name, path)
	}
	if err == nil {
		s.has(name)
	}
	return err
}

// sharedOriginal is the name of the file that was brought in as a recording, which the store has; "" if it has none.
func (l *Library) sharedOriginal(id string) (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	list, err := l.shared.List(ctx, id+"/original")
	if err != nil || len(list) == 0 {
		return "", err
	}
	return strings.TrimPrefix(list[0].Name, id+"/"), nil
}

// trim removes copies that were not used for longest, where there are too many.
func (l *Library) trim() {
	s := l.shared
	s.mu.Lock()
	if s.bytes == 0 || time.Since(s.trimmed) < trimEvery {
		s.mu.Unlock()
		return
	}
	s.trimmed = time.Now()
	s.mu.Unlock()
	type copied struct {
		name, path string
		bytes      int64
		used       time.Time
	}
	var all []copied
	var sum int64
	list, err := objects.Folder(l.dir).List(context.Background(), "")
	if err != nil {
		slog.Warn("copies of recordings could not be looked through", "err", err)
		return
	}
	for _, o := range list {
		path := filepath.Join(l.dir, filepath.FromSlash(o.Name))
		s.mu.Lock()
		used, known := s.used[path]
		s.mu.Unlock()
		if info, err := os.Stat(path); !known && err == nil {
			used = info.ModTime()
		}
		all = append(all, copied{o.Name, path, o.Bytes, used})
		sum += o.Bytes
	}
	slices.SortFunc(all, func(a, b copied) int { return a.used.Compare(b.used) })
	defer func() {
		s.mu.Lock()
		s.sum = sum
		s.mu.Unlock()
	}()
	for _, c := range all {
		if sum <= s.bytes {
			return
		}
		if !s.knows(c.name) { // made by an earlier process; it stays if the store does not have it
			if _, err := s.Stat(context.Background(), c.name); err != nil {
				continue
			}
		}
		if err := os.Remove(c.path); err == nil || errors.Is(err, fs.ErrNotExist) {
			sum -= c.bytes
		}
	}
}

// madePrefix is where the store has what jobs made.
const madePrefix = "made/"

// ShareMade lets other processes have what a job made in a folder.
func (l *Library) ShareMade(ctx context.Context, job, dir string) error {
	if l.shared == nil {
		return nil
	}
	return l.sendAll(ctx, madePrefix+job, dir)
}

// Made sees to it that a file that a job made lies in a folder, if it was shared.
func (l *Library) Made(job, dir, name string) error {
	if l.shared == nil {
		return nil
	}
	if strings.ContainsAny(job+name, "/\\") || strings.HasPrefix(job, ".") {
		return fmt.Errorf("%s is no file of a job", name)
	}
	return l.fetched(madePrefix+job+"/"+name, filepath.Join(dir, name))
}
