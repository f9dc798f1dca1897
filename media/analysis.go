package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/pcm"
	"blendseam/durable"
	"blendseam/media/copies"
)

// Analysis gives what a recording says by itself, at a rate it was prepared for. It is made if it is not there, once,
// also where several processes ask for it at once; progress, if not nil, is told how much is done, from 0 to 1. An
// older one serves until whoever has a progress makes it anew.
func (l *Library) Analysis(
	ctx context.Context,
	id string,
	rate int64,
	progress func(done float64),
) (*analysis.Recording, error) {
	w, err := l.Sound(id, rate)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	name := analysisName(rate)
	open := func(name string) (*analysis.Recording, error) {
		return openAnalysis(func() (copies.File, error) { return l.open(id, name) })
	}
	if l.shares(id) || l.has(id, name) { // another process may have made it
		a, err := open(name)
		if err == nil || !unmade(err) {
			return a, err
		}
	}
	older, err := open(olderName(rate))
	if err == nil && progress == nil {
		return older, nil
	}
	file := filepath.Join(l.folder(id), name)
	if !l.shares(id) && exists(file) && !l.whole(id, name) {
		if err := l.drop(id, []string{name}); err != nil {
			return nil, err
		}
	}
	a, err := keptAnalysis(ctx, file, making{l.work.Dir, w, older, progress})
	switch {
	case err != nil:
	case l.shares(id):
		err = l.shared.Send(ctx, id+"/"+name, file)
	default:
		err = l.settled(ctx, id)
	}
	return a, err
}

// Analysed tells whether the analysis of a recording is there.
func (l *Library) Analysed(id string, rate int64) bool {
	return l.has(id, analysisName(rate))
}

// AnalysedBefore tells whether only an older analysis of a recording is there, by which it is heard otherwise.
func (l *Library) AnalysedBefore(id string, rate int64) bool {
	return l.has(id, olderName(rate)) && !l.Analysed(id, rate)
}

func analysisName(rate int64) string {
	return fmt.Sprintf("analysis-%d.%d-%d", analysis.Version, analysis.HeardVersion, rate)
}

// olderName is that of an analysis with the same frames, in which other words were found.
func olderName(rate int64) string { return fmt.Sprintf("analysis-%d-%d", analysis.Version, rate) }

// A making says how an analysis is made.
type making struct {
	work     func() (string, error) // gives a new folder for it; nil: it is made beside its file
	sound    pcm.ReaderAt
	older    *analysis.Recording // whose frames are taken over, nil if there is none
	progress func(float64)
}

// keptAnalysis reads an analysis from a file, and makes the file if it is not there or is not whole.
func keptAnalysis(ctx context.Context, file string, m making) (*analysis.Recording, error) {
	read := func() (*analysis.Recording, error) {
		return openAnalysis(func() (copies.File, error) { return copies.Local(file) })
	}
	a, err := read()
	if err == nil || !unmade(err) {
		return a, err
	}
	unlock, err := lockFile(ctx, file+".lock")
	if err != nil {
		return nil, err
	}
	defer unlock()
	if a, err := read(); err == nil { // another process has made it
		return a, nil
	}
	dir := filepath.Dir(file)
	if m.work != nil {
		if dir, err = m.work(); err != nil {
			return nil, full(err)
		}
		defer os.RemoveAll(dir)
	}
	part, err := os.CreateTemp(dir, filepath.Base(file)+".part-*")
	if err != nil {
		return nil, err
	}
	defer os.Remove(part.Name())
	defer part.Close()
	if err := analysis.Renew(ctx, part, m.sound, m.older, m.progress); err != nil {
		return nil, err
	}
	if err := part.Close(); err != nil {
		return nil, err
	}
	if err := durable.Rename(part.Name(), file); err != nil {
		return nil, err
	}
	return read()
}

// unmade tells whether an analysis could not be read since there is none, or one of another version.
func unmade(err error) bool {
	return errors.Is(err, fs.ErrNotExist) || errors.Is(err, analysis.ErrOther)
}

// openAnalysis reads what was kept. The file stays open for as long as the analysis is used.
func openAnalysis(open func() (copies.File, error)) (*analysis.Recording, error) {
	f, err := open()
	if err != nil {
		return nil, err
	}
	a, err := analysis.Read(f, f.Size())
	if err != nil {
		f.Close()
	}
	return a, err
}

// lockFile waits until no other process holds a file, or ctx ends.
func lockFile(ctx context.Context, path string) (unlock func(), err error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	again := time.NewTicker(20 * time.Millisecond)
	defer again.Stop()
	for {
		err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
		if err == nil {
			return func() { f.Close() }, nil
		}
		if !errors.Is(err, syscall.EWOULDBLOCK) && !errors.Is(err, syscall.EINTR) {
			f.Close()
			return nil, err
		}
		select {
		case <-again.C:
		case <-ctx.Done():
			f.Close()
			return nil, ctx.Err()
		}
	}
}

// keptDays is how long an analysis lies in the user's cache without being used.
const keptDays = 60

// AnalysisOf gives what the sound of a file, read at some rate, says by itself. It is kept in the user's cache folder,
// under the file's name, size and time; where there is no such folder it is made in memory.
func AnalysisOf(ctx context.Context, path string, r pcm.ReaderAt) (*analysis.Recording, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	whole, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	cache, err := os.UserCacheDir()
	if err == nil {
		cache = filepath.Join(cache, "blendseam", "analyses")
		err = os.MkdirAll(cache, 0o755)
	}
	if err != nil {
		return analysis.Analyze(ctx, r)
	}
	sum := sha256.Sum256(
		fmt.Appendf(nil, "%s\n%d\n%d\n%d", whole, info.Size(), info.ModTime().UnixNano(), r.Format().Rate),
	)
	file := filepath.Join(cache, hex.EncodeToString(sum[:16])+"-"+analysisName(int64(r.Format().Rate)))
	if _, err := os.Stat(file); err == nil {
		now := time.Now()
		os.Chtimes(file, now, now)
	} else {
		forgetOld(cache)
	}
	a, err := keptAnalysis(ctx, file, making{sound: r})
	if err != nil && ctx.Err() == nil { // a full disk, say: what was asked for is the figures
		return analysis.Analyze(ctx, r)
	}
	return a, err
}

// forgetOld removes what has not been used for long.
func forgetOld(cache string) {
	list, err := os.ReadDir(cache)
	if err != nil {
		return
	}
	for _, e := range list {
		if info, err := e.Info(); err == nil && time.Since(info.ModTime()) > keptDays*24*time.Hour {
			os.Remove(filepath.Join(cache, e.Name()))
		}
	}
}
