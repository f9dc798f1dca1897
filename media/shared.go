package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"blendseam/media/copies"
	"blendseam/media/objects"
)

// Share lets other processes have what is brought in or made here, by a store; the library's folder keeps copies of at
// most so many bytes.
func (l *Library) Share(store objects.Store, bytes int64) { l.shared = copies.New(store, l.dir, bytes) }

// Shared tells whether other processes have what this one has.
func (l *Library) Shared() bool { return l.shared != nil }

// Copies is how many bytes of copies there were when they were looked through last.
func (l *Library) Copies() int {
	if l.shared == nil {
		return 0
	}
	return l.shared.Bytes()
}

// shares tells whether what is an id may lie in a store.
func (l *Library) shares(id string) bool { return l.shared != nil && isID(id) }

// inStore is the name under which a store has a file of a recording, which may be in a folder of its own.
func inStore(id, name string) string { return id + "/" + filepath.ToSlash(name) }

// here sees to it that a file of a recording lies here whole if the store has it.
func (l *Library) here(id, name string) error {
	if !l.shares(id) {
		return nil
	}
	return l.shared.Fetch(inStore(id, name), filepath.Join(l.folder(id), name))
}

// open opens a file of a recording, here or in the store; fs.ErrNotExist if there is none.
func (l *Library) open(id, name string) (copies.File, error) {
	path := filepath.Join(l.folder(id), name)
	if !l.shares(id) {
		if exists(path) && !l.whole(id, name) {
			return nil, &MissingFile{ID: id, Damaged: true}
		}
		return copies.Local(path)
	}
	return l.shared.Open(inStore(id, name), path)
}

// has tells whether there is a file of a recording, here or in the store.
func (l *Library) has(id, name string) bool {
	path := filepath.Join(l.folder(id), name)
	if !l.shares(id) {
		return l.whole(id, name)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	is, err := l.shared.Has(ctx, inStore(id, name), path)
	return is && err == nil
}

// send sends what lies here of a recording and not yet in the store. What says that all of it is there goes last.
func (l *Library) send(ctx context.Context, id string) error {
	if l.shared == nil {
		return nil
	}
	_, err := l.shared.SendAll(ctx, id, l.folder(id), InfoFile)
	return err
}

// recall forgets a recording that another process has removed from the store, so that it is brought in anew.
func (l *Library) recall(ctx context.Context, id string) error {
	if !l.shares(id) {
		return nil
	}
	defer l.lock(id)() // it may be on its way there
	_, err := l.shared.Stat(ctx, inStore(id, InfoFile))
	if !errors.Is(err, objects.ErrNone) {
		return err
	}
	l.shared.Removed(id + "/")
	return os.RemoveAll(l.folder(id))
}

// sharedOriginal is the name of the file that was brought in as a recording, which the store has; "" if it has none.
func (l *Library) sharedOriginal(id string) (string, error) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	list, err := l.shared.List(ctx, id+"/"+originalName)
	for _, o := range list {
		if name := strings.TrimPrefix(o.Name, id+"/"); IsOriginal(name) {
			return name, nil
		}
	}
	return "", err
}

// madePrefix is where the store has what jobs made.
const madePrefix = "made/"

// ShareMade lets other processes have what a job made in a folder.
func (l *Library) ShareMade(ctx context.Context, job, dir string) error {
	if l.shared == nil {
		return nil
	}
	_, err := l.shared.SendAll(ctx, madePrefix+job, dir, "")
	return err
}

// DropMade removes from the store what a job made.
func (l *Library) DropMade(ctx context.Context, job string) error {
	if l.shared == nil || strings.ContainsAny(job, "/\\.") || job == "" {
		return nil
	}
	l.shared.Removed(madePrefix + job + "/")
	return l.shared.Remove(ctx, madePrefix+job+"/")
}

// Made sees to it that a file that a job made lies in a folder, if it was shared.
func (l *Library) Made(job, dir, name string) error {
	if l.shared == nil {
		return nil
	}
	if strings.ContainsAny(job+name, "/\\") || strings.HasPrefix(job, ".") {
		return fmt.Errorf("%s is no file of a job", name)
	}
	return l.shared.Fetch(madePrefix+job+"/"+name, filepath.Join(dir, name))
}
