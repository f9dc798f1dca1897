package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/timecode"
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

// Close throws away what was not kept.
func (a *Arrival) Close() error {
	a.file.Close()
	return os.RemoveAll(a.dir)
}

// Keep looks at the whole file, makes what the program needs of it at a sample rate and a frame rate (zero:
// its own), and takes it into the library. A file that is there already is not made again.
func (a *Arrival) Keep(ctx context.Context, rate int64, frames timecode.Rate) (Info, error) {
	if err := a.file.Close(); err != nil {
		return Info{}, err
	}
	if a.size == 0 {
		return Info{}, fmt.Errorf("%s is empty: 0 bytes. Choose a file that holds a recording.", a.name)
	}
	sum := hex.EncodeToString(a.hash.Sum(nil))
	if err := a.library.recall(ctx, sum[:idLength]); err != nil {
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
	info, err := look(ctx, a.file.Name(), a.name)
	if err != nil {
		return Info{}, err
	}
	info.SHA256, info.ID, info.Bytes = sum, sum[:idLength], a.size
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, a.library.prepareKept(ctx, info, rate, frames)
	}
	damaged, err := a.library.prepare(ctx, a.dir, a.file.Name(), info, rate, frames)
	if err != nil {
		return Info{}, full(err)
	}
	info.Damaged = max(info.Damaged, damaged)
	if err := keepInfo(a.dir, info); err != nil {
		return Info{}, full(err)
	}
	unlock := a.library.lock(info.ID)
	defer unlock()
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, nil
	}
	if err := os.Chmod(a.dir, 0o755); err != nil {
		return info, err
	}
	if err := os.Rename(a.dir, a.library.folder(info.ID)); err != nil {
		return info, err
	}
	if err := a.library.send(ctx, info.ID); err != nil {
		return info, errors.Join(err, os.RemoveAll(a.library.folder(info.ID)))
	}
	return info, nil
}
