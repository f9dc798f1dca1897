package media

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm/wav"
	"blendseam/media/copies"
	"blendseam/media/objects"
	"blendseam/scratch"
)

// A Library is the folder of recordings: each lies under its id with what was made from it. What is being
// brought in lies in incoming/, in this process's own folder, and moves from there in one step.
type Library struct {
	dir    string
	work   *scratch.Place
	making chan struct{} // few recordings are prepared at once
	mu     sync.Mutex
	locks  map[string]*sync.Mutex // of what is being made
	shared *copies.Copies         // nil if the folder is all there is
	known  sync.Map               // contents of folders, by id
}

func exists(path string) bool { _, err := os.Stat(path); return err == nil }

// OpenLibrary opens the folder and clears what processes that have gone left half brought in.
func OpenLibrary(dir string) (*Library, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for recordings cannot be made: %w", err)
	}
	work, err := scratch.Open(filepath.Join(dir, objects.Incoming))
	if err != nil {
		return nil, err
	}
	l := &Library{
		dir:    dir,
		work:   work,
		making: make(chan struct{}, limit.Conversions),
		locks:  map[string]*sync.Mutex{},
	}
	l.forgetWaiting()
	return l, nil
}

// Preparing is how many recordings are being prepared.
func (l *Library) Preparing() int { return len(l.making) }

// Close throws away what is half brought in.
func (l *Library) Close() error { return l.work.Close() }

// turn waits until a recording may be prepared.
func (l *Library) turn(ctx context.Context) (done func(), err error) {
	select {
	case l.making <- struct{}{}:
		return func() { <-l.making }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// folder is where a recording lies; nothing lies where what is no id would lead.
func (l *Library) folder(id string) string {
	if !isID(id) {
		id = "none"
	}
	return filepath.Join(l.dir, id)
}

func isID(id string) bool { return len(id) == idLength && strings.Trim(id, "0123456789abcdef") == "" }

// Remove takes the files of a recording away, the one that was brought in among them.
func (l *Library) Remove(id string) error {
	dir := l.folder(id)
	defer l.lock(id)()
	if l.shares(id) {
		if err := l.shared.Remove(context.Background(), id+"/"); err != nil {
			return err
		}
		l.shared.Removed(id + "/")
	}
	l.known.Delete(id)
	away, err := l.work.Dir() // something may be made of it this moment
	if err == nil {
		if err = os.Rename(dir, filepath.Join(away, id)); errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
		err = errors.Join(err, os.RemoveAll(away))
	}
	if err != nil {
		return fmt.Errorf("the files of the recording could not be removed: %w", err)
	}
	return nil
}

// idLength is how many digits an id has.
const idLength = 16

// lock makes one caller at a time work on one thing.
func (l *Library) lock(what string) (unlock func()) {
	l.mu.Lock()
	m := l.locks[what]
	if m == nil {
		m = new(sync.Mutex)
		l.locks[what] = m
	}
	l.mu.Unlock()
	m.Lock()
	return m.Unlock
}

// originalName is what the name of the file that was brought in begins with, before its ending.
const originalName = "original"

// IsOriginal tells whether a file of a recording's folder is the one that was brought in.
func IsOriginal(name string) bool {
	return strings.HasPrefix(name, originalName) && !copies.IsList(name)
}

// Original is the file as it was brought in.
func (l *Library) Original(id string) (string, error) {
	entries, _ := os.ReadDir(l.folder(id))
	for _, e := range entries {
		if IsOriginal(e.Name()) {
			if !l.shares(id) && !l.whole(id, e.Name()) {
				return "", &MissingFile{ID: id, Damaged: true}
			}
			return filepath.Join(l.folder(id), e.Name()), nil
		}
	}
	if l.shares(id) {
		name, err := l.sharedOriginal(id)
		if err == nil && name != "" {
			if err = l.here(id, name); err == nil {
				return filepath.Join(l.folder(id), name), nil
			}
		}
		if err != nil {
			return "", err
		}
	}
	return "", &MissingFile{ID: id}
}

// A Gone says that a recording that was brought in is not there any more, or is damaged, which is as good as gone.
type MissingFile struct {
	ID      string
	Damaged bool
}

func (e *MissingFile) Error() string {
	if e.Damaged {
		return fmt.Sprintf("The recording %s is damaged in the media folder; bring it in again.", e.ID)
	}
	return fmt.Sprintf("The recording %s is no longer in the media folder; bring it in again.", e.ID)
}

// SoundFile opens the WAV file of a recording's sound at a rate it was prepared for; fs.ErrNotExist if it was not.
func (l *Library) SoundFile(id string, rate int64) (copies.File, error) {
	return l.open(id, soundFile("", rate))
}

// Sound opens a recording's sound at a rate it was prepared for; fs.ErrNotExist if it was not.
func (l *Library) Sound(id string, rate int64) (*wav.Reader, error) {
	f, err := l.SoundFile(id, rate)
	if err != nil {
		return nil, err
	}
	return wav.NewReadCloser(f, f.Size(), f)
}
