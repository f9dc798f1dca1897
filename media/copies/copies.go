// Package copies keeps copies of what lies in a store that several processes share: short files whole, of long ones
// the pieces that were read. What was used longest ago goes when there is too much.
package copies

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"blendseam/core/cache"
	"blendseam/media/objects"
)

// How long it is waited for one file of the store, and for one piece; and how often it is looked how large the folder
// has become.
const (
	fileLimit  = 30 * time.Minute
	pieceLimit = time.Minute
	trimEvery  = 20 * time.Second
)

// Copies are the copies of a store that lie in a folder: a file that the store has under a name lies under the same
// name in it, if it is there whole. The methods may be called in parallel.
type Copies struct {
	objects.Store
	dir   string
	bytes int64 // the most that are kept; 0 for all

	lists   *cache.Cache[string, *list]
	fetches *cache.Cache[string, struct{}]

	mu      sync.Mutex
	there   map[string]bool      // files that the store has, by their names in it
	used    map[string]time.Time // when files were used last, by their paths
	trimmed time.Time
	sum     int64 // bytes of copies when they were looked through last
}

// New keeps at most so many bytes of copies of a store in a folder, all of them if it is 0.
func New(store objects.Store, dir string, bytes int64) *Copies {
	return &Copies{
		Store:   store,
		dir:     dir,
		bytes:   bytes,
		lists:   cache.New[string, *list](512),
		fetches: cache.New[string, struct{}](0),
		there:   map[string]bool{},
		used:    map[string]time.Time{},
	}
}

// Bytes is how many bytes of copies there were when they were looked through last.
func (c *Copies) Bytes() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return int(c.sum)
}

// A File is a file that is read, here or in the store.
type File interface {
	io.ReaderAt
	io.Closer
	Size() int64
}

// Local opens a file that lies here.
func Local(path string) (File, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, err
	}
	return local{f, info.Size()}, nil
}

type local struct {
	*os.File
	size int64
}

func (l local) Size() int64 { return l.size }

// Open opens the file that lies at a path, or in the store under a name: one that is long enough is read piece by
// piece, as it is wanted. fs.ErrNotExist where there is none.
func (c *Copies) Open(name, path string) (File, error) {
	if exists(path) {
		c.use(path)
		return Local(path)
	}
	list, err := c.list(name)
	if err == nil {
		return pieces{c, list}, nil
	} else if !errors.Is(err, objects.ErrNone) {
		return nil, err
	}
	if err := c.Fetch(name, path); err != nil {
		return nil, err
	}
	return Local(path)
}

// Fetch sees to it that a file lies whole at a path if the store has it under a name.
func (c *Copies) Fetch(name, path string) error {
	c.use(path)
	if exists(path) {
		return nil
	}
	_, err := c.fetches.Get(context.Background(), path, func(ctx context.Context) (none struct{}, err error) {
		if exists(path) {
			return none, nil
		}
		ctx, cancel := context.WithTimeout(ctx, fileLimit)
		defer cancel()
		err = c.Get(ctx, name, path)
		if !errors.Is(err, objects.ErrNone) {
			return none, err
		}
		list, err := c.list(name) // it may lie there under another name
		if err != nil {
			return none, err
		}
		return none, c.Get(ctx, list.Of, path)
	})
	if errors.Is(err, objects.ErrNone) {
		return nil // whoever wants it sees that it is not here
	}
	if err == nil {
		c.has(name)
		c.trim()
	}
	return err
}

// Has tells whether a file lies at a path, or in the store under a name.
func (c *Copies) Has(ctx context.Context, name, path string) (bool, error) {
	if exists(path) {
		return true, nil
	}
	return c.inStore(ctx, name, true)
}

// inStore tells whether the store has a file; one that is long may lie there as a list of its pieces alone.
func (c *Copies) inStore(ctx context.Context, name string, long bool) (bool, error) {
	if c.knows(name) {
		return true, nil
	}
	_, err := c.Stat(ctx, name)
	if long && errors.Is(err, objects.ErrNone) {
		_, err = c.Stat(ctx, name+listed)
	}
	if errors.Is(err, objects.ErrNone) {
		return false, nil
	} else if err == nil {
		c.has(name)
	}
	return err == nil, err
}

// SendAll sends what lies in a folder and not yet in the store under a name; what is named last goes after all else.
// It gives the files that were sent.
func (c *Copies) SendAll(ctx context.Context, under, dir, last string) (sent []objects.Object, err error) {
	files, err := objects.Folder(dir).List(ctx, "")
	if err != nil {
		return nil, err
	}
	files = slices.DeleteFunc(files, func(o objects.Object) bool { return strings.Contains(o.Name, ".part-") })
	slices.SortFunc(files, func(a, b objects.Object) int {
		if a.Name == last || b.Name == last {
			return boolean(a.Name == last) - boolean(b.Name == last)
		}
		return strings.Compare(b.Name, a.Name) // the first of several sheets after the others
	})
	for _, o := range files {
		path, of := filepath.Join(dir, filepath.FromSlash(o.Name)), ""
		for _, other := range files {
			if other.Name < o.Name && other.Bytes == o.Bytes && same(path, filepath.Join(dir, filepath.FromSlash(other.Name))) {
				of = under + "/" + other.Name // one file under two names lies there once
			}
		}
		is, err := c.send(ctx, under+"/"+o.Name, path, of)
		if err != nil {
			return sent, err
		}
		if is {
			sent = append(sent, o)
		}
	}
	c.trim()
	return sent, nil
}

// Send sends one file, if the store does not have it.
func (c *Copies) Send(ctx context.Context, name, path string) error {
	_, err := c.send(ctx, name, path, "")
	return err
}

// send sends a file and the list of its pieces; of is the name under which the store has the same.
func (c *Copies) send(ctx context.Context, name, path, of string) (sent bool, err error) {
	info, err := os.Stat(path)
	if err != nil {
		return false, err
	}
	long := info.Size() > pieceBytes
	if there, err := c.inStore(ctx, name, long); there || err != nil {
		return false, err
	}
	if of == "" || !long {
		of = name
	}
	if long {
		err = c.putList(ctx, name, path, of)
	}
	if err == nil && of == name {
		err = c.Put(ctx, name, path)
	}
	if err == nil {
		c.has(name)
	}
	return err == nil, err
}

func (c *Copies) has(name string) {
	c.mu.Lock()
	c.there[name] = true
	c.mu.Unlock()
}

func (c *Copies) knows(name string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.there[name]
}

func (c *Copies) use(path string) (first bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	first = c.used[path].IsZero()
	c.used[path] = time.Now()
	return first
}

// Removed forgets what the store had under names that begin so.
func (c *Copies) Removed(prefix string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for name := range c.there {
		if strings.HasPrefix(name, prefix) {
			delete(c.there, name)
		}
	}
}

// trim removes copies that were not used for longest, where there are too many.
func (c *Copies) trim() {
	c.mu.Lock()
	if c.bytes == 0 || time.Since(c.trimmed) < trimEvery {
		c.mu.Unlock()
		return
	}
	c.trimmed = time.Now()
	c.mu.Unlock()
	all, sum := c.kept()
	slices.SortFunc(all, func(a, b copied) int { return a.used.Compare(b.used) })
	for _, o := range all {
		if sum <= c.bytes {
			break
		}
		if !o.piece { // made by an earlier process; it stays if the store does not have it
			if there, err := c.inStore(context.Background(), o.name, true); err != nil || !there {
				continue
			}
		}
		if err := os.Remove(o.path); err == nil || errors.Is(err, fs.ErrNotExist) {
			sum -= o.bytes
			c.mu.Lock()
			delete(c.used, o.path)
			c.mu.Unlock()
		}
	}
	c.mu.Lock()
	c.sum = sum
	c.mu.Unlock()
}

// copied is a copy, of a whole file or of a piece of one.
type copied struct {
	name, path string
	bytes      int64
	used       time.Time
	piece      bool
}

// kept are all copies.
func (c *Copies) kept() (all []copied, sum int64) {
	for _, under := range []string{c.dir, filepath.Join(c.dir, objects.Pieces)} {
		files, err := objects.Folder(under).List(context.Background(), "")
		if err != nil {
			slog.Warn("copies of recordings could not be looked through", "err", err)
			return nil, 0
		}
		for _, o := range files {
			path := filepath.Join(under, filepath.FromSlash(o.Name))
			c.mu.Lock()
			used, known := c.used[path]
			c.mu.Unlock()
			if info, err := os.Stat(path); !known && err == nil {
				used = info.ModTime()
			}
			all = append(all, copied{o.Name, path, o.Bytes, used, under != c.dir})
			sum += o.Bytes
		}
	}
	return all, sum
}

func exists(path string) bool { _, err := os.Stat(path); return path != "" && err == nil }

// same tells whether two names are of one file.
func same(a, b string) bool {
	x, err := os.Stat(a)
	if err != nil {
		return false
	}
	y, err := os.Stat(b)
	return err == nil && os.SameFile(x, y)
}

func boolean(b bool) int {
	if b {
		return 1
	}
	return 0
}
