package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"

	"blendseam/core/limit"
	"blendseam/core/sound/timecode"
	"blendseam/durable"
	"blendseam/media/objects"
)

// Receive streams a file to disk. The name is where its kind is taken from where the content does not say.
// Close the Arrival in any case; Keep makes it part of the library.
func (l *Library) Receive(name string) (*Arrival, error) {
	if err := Space(l.dir, limit.ReserveBytes); err != nil {
		return nil, err
	}
	dir, err := l.work.Dir()
	if err != nil {
		return nil, full(err)
	}
	ext := strings.ToLower(filepath.Ext(name))
	if len(ext) > 8 || strings.ContainsAny(ext, "/\\ ") {
		ext = ""
	}
	f, err := os.Create(filepath.Join(dir, originalName+ext))
	if err != nil {
		os.RemoveAll(dir)
		return nil, full(err)
	}
	short, _ := limit.Cut(filepath.Base(name), limit.Names)
	return &Arrival{library: l, name: short, dir: dir, file: f, hash: sha256.New()}, nil
}

// An Arrival is a file being brought in.
type Arrival struct {
	library *Library
	name    string
	dir     string
	file    *os.File
	hash    hash.Hash
	size    int64
	waits   string // the name under which it waits; "" if it does not
}

// A waiting is what is kept of a file that waits to be brought in.
type waiting struct {
	Name   string `json:"name"`
	File   string `json:"file"`
	SHA256 string `json:"sha256"`
	Bytes  int64  `json:"bytes"`
}

// waitingFile says of a folder in which a file waits what it is.
const waitingFile = "waiting.json"

// waitingDays is how long a file waits that no job asks for.
const waitingDays = 7

// Wait lets a file that came whole wait on the disk, and in the store that processes share, until Waiting asks for it
// by the name that Wait returns with its hash: in this process, or in one that goes on in its place. Close ends that.
func (a *Arrival) Wait(ctx context.Context) (name, sum string, err error) {
	if err := a.file.Close(); err != nil {
		return "", "", err
	}
	sum = hex.EncodeToString(a.hash.Sum(nil))
	w := waiting{a.name, filepath.Base(a.file.Name()), sum, a.size}
	raw, err := json.Marshal(w)
	if err == nil {
		err = durable.Write(filepath.Join(a.dir, waitingFile), raw)
	}
	if err != nil {
		return "", "", full(err)
	}
	name = uuid.NewString()
	to := filepath.Join(a.library.dir, objects.Waiting, name)
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return "", "", full(err)
	}
	if err := durable.Rename(a.dir, to); err != nil {
		return "", "", full(err)
	}
	a.dir, a.waits = to, name
	if a.library.shared == nil {
		return name, sum, nil
	}
	_, err = a.library.shared.SendAll(ctx, objects.Waiting+"/"+name, to, waitingFile)
	return name, sum, err
}

// Has is what was found in the recording of a hash, prepared for a scene's rates, if the library has it.
func (l *Library) Has(ctx context.Context, sum, name string, rate int64, frames timecode.Rate) (Info, bool, error) {
	if len(sum) != 2*sha256.Size {
		return Info{}, false, nil
	}
	info, ok := l.looked(sum[:idLength])
	if !ok || info.SHA256 != sum {
		return Info{}, false, nil
	}
	info.Name = name
	return info, true, l.Prepare(ctx, info, rate, frames)
}

// Waiting is a file that waits under a name; fs.ErrNotExist if none does. Close it, or it goes on waiting.
func (l *Library) Waiting(name string) (*Arrival, error) {
	if uuid.Validate(name) != nil {
		return nil, fs.ErrNotExist
	}
	dir := filepath.Join(l.dir, objects.Waiting, name)
	fetch := func(file string) error {
		if l.shared == nil {
			return nil
		}
		return l.shared.Fetch(objects.Waiting+"/"+name+"/"+file, filepath.Join(dir, file))
	}
	var w waiting
	if err := fetch(waitingFile); err != nil {
		return nil, err
	}
	raw, err := os.ReadFile(filepath.Join(dir, waitingFile))
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(raw, &w); err != nil || filepath.Base(w.File) != w.File {
		return nil, fmt.Errorf("what waited to be brought in is damaged; bring it in again")
	}
	if err := fetch(w.File); err != nil {
		return nil, err
	}
	f, err := os.Open(filepath.Join(dir, w.File))
	if err != nil {
		return nil, err
	}
	a := &Arrival{library: l, name: w.Name, dir: dir, file: f, hash: sha256.New(), waits: name}
	if a.size, err = io.Copy(a.hash, f); err != nil || hex.EncodeToString(a.hash.Sum(nil)) != w.SHA256 {
		f.Close()
		return nil, fmt.Errorf("%s waited to be brought in and is damaged; bring it in again", w.Name)
	}
	return a, nil
}

// forgetWaiting removes what waits for longer than anything goes on.
func (l *Library) forgetWaiting() {
	dir := filepath.Join(l.dir, objects.Waiting)
	entries, _ := os.ReadDir(dir)
	for _, e := range entries {
		if info, err := e.Info(); err == nil && time.Since(info.ModTime()) > waitingDays*24*time.Hour {
			os.RemoveAll(filepath.Join(dir, e.Name()))
		}
	}
}

// The disk is looked at each time so many bytes have been written.
const roomBytes = 16 << 20

// Write adds to the file. The error is a *DiskFull if there is no room for it.
func (a *Arrival) Write(p []byte) (int, error) {
	if a.size/roomBytes != (a.size+int64(len(p)))/roomBytes {
		if err := Space(a.dir, limit.ReserveBytes); err != nil {
			return 0, err
		}
	}
	n, err := a.file.Write(p)
	a.hash.Write(p[:n])
	a.size += int64(n)
	if err = full(err); err == nil {
		return n, nil
	} else if none := (*DiskFull)(nil); errors.As(err, &none) {
		return n, err
	}
	return n, fmt.Errorf("%s cannot be kept: %s", a.name, Reason(err))
}

// path is where the file lies.
func (a *Arrival) path() string { return filepath.Join(a.dir, filepath.Base(a.file.Name())) }

// Close throws away what was not kept.
func (a *Arrival) Close() error {
	a.file.Close()
	err := os.RemoveAll(a.dir)
	if a.waits != "" && a.library.shared != nil {
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		err = errors.Join(err, a.library.shared.Remove(ctx, objects.Waiting+"/"+a.waits+"/"))
	}
	return err
}

// Keep looks at the whole file, makes what the program needs of it at a sample rate and a frame rate (zero:
// its own), and takes it into the library. A file that is there already is not made again.
func (a *Arrival) Keep(ctx context.Context, rate int64, frames timecode.Rate) (Info, error) {
	if err := a.file.Close(); err != nil && !errors.Is(err, os.ErrClosed) {
		return Info{}, err
	}
	if a.size == 0 {
		return Info{}, fmt.Errorf("%s is empty: 0 bytes. Choose a file that holds a recording.", a.name)
	}
	sum := hex.EncodeToString(a.hash.Sum(nil))
	if err := a.library.recall(ctx, sum[:idLength]); err != nil {
		return Info{}, err
	}
	if err := a.library.sameAs(sum); err != nil {
		return Info{}, err
	}
	if info, ok := a.library.looked(sum[:idLength]); ok {
		info.Name = a.name
		return info, a.library.Prepare(ctx, info, rate, frames)
	}
	done, err := a.library.turn(ctx)
	if err != nil {
		return Info{}, err
	}
	defer done()
	info, err := look(ctx, a.path(), a.name)
	if err != nil {
		return Info{}, err
	}
	info.SHA256, info.ID, info.Bytes = sum, sum[:idLength], a.size
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, a.library.prepareKept(ctx, info, rate, frames)
	}
	damaged, err := a.library.prepare(ctx, a.dir, a.path(), info, rate, frames)
	if err != nil {
		return Info{}, full(err)
	}
	info.Damaged = max(info.Damaged, damaged)
	if err := keepInfo(a.dir, info); err != nil {
		return Info{}, full(err)
	}
	if a.library.shared == nil { // a store keeps the hashes of what lies there itself
		if err := settle(ctx, a.dir, map[string]string{filepath.Base(a.path()): sum}); err != nil {
			return Info{}, full(err)
		}
	}
	unlock := a.library.lock(info.ID)
	defer unlock()
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, nil
	}
	if err := os.Chmod(a.dir, 0o755); err != nil {
		return info, err
	}
	if err := durable.Rename(a.dir, a.library.folder(info.ID)); err != nil {
		return info, err
	}
	// Not before it has its place: a loss of power may come between.
	if err := os.Remove(filepath.Join(a.library.folder(info.ID), waitingFile)); err != nil &&
		!errors.Is(err, fs.ErrNotExist) {
		return info, err
	}
	if err := a.library.send(ctx, info.ID); err != nil {
		return info, errors.Join(err, os.RemoveAll(a.library.folder(info.ID)))
	}
	return info, nil
}

// An Other says that another recording has the id of one that is brought in.
type Other struct{ Name string }

func (e *Other) Error() string {
	return fmt.Sprintf("The library has another recording under the id of %s, so that it cannot be kept.", e.Name)
}

// sameAs sees to it that the recording whose id a hash begins with, if it is in the folder, is the one of that hash and
// not damaged: a damaged one is removed, so that it is brought in anew; another one is an *Other.
func (l *Library) sameAs(sum string) error {
	id := sum[:idLength]
	dir := l.folder(id)
	info, ok := l.looked(id)
	if ok && info.SHA256 != "" && info.SHA256 != sum {
		return &Other{info.Name}
	}
	if l.shares(id) || !exists(dir) { // a store compares what it reads with its hash
		return nil
	}
	original, err := l.Original(id)
	if ok && err == nil {
		if is, err := objects.Sum(original); err == nil && is == sum {
			return nil
		}
	}
	defer l.lock(id)()
	l.known.Delete(id)
	return os.RemoveAll(dir)
}
