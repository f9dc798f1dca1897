package media

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"syscall"
	"time"

	"blendseam/core/limit"
)

// A DiskFull says that there is no room for what was to be written.
type DiskFull struct{ Free, Kept int64 } // bytes

func (e *DiskFull) Error() string {
	if e.Kept == 0 {
		return "The disk is full. Free some space, then do it again."
	}
	return fmt.Sprintf(
		"The disk is full: %s are free, and %s are kept so that no edit is lost. Free some space, then do it again.",
		limit.Bytes(e.Free),
		limit.Bytes(e.Kept),
	)
}

// free is how many bytes a user may still write where a folder lies; tests put another in its place.
var free = func(dir string) (int64, error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return 0, fmt.Errorf("how much of the disk is free cannot be told: %w", err)
	}
	return int64(s.Bavail) * s.Bsize, nil
}

// Space is a *DiskFull if less than so many bytes are free where a folder lies.
func Space(dir string, kept int64) error {
	n, err := free(dir)
	if err == nil && n < kept {
		err = &DiskFull{n, kept}
	}
	return err
}

// full says that the disk is full, or cannot be written to, where that is why something could not be written.
func full(err error) error {
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return &DiskFull{}
	}
	if errors.Is(err, syscall.EROFS) || errors.Is(err, fs.ErrPermission) {
		return &ReadOnly{}
	}
	return err
}

// A ReadOnly says that nothing can be written where recordings lie.
type ReadOnly struct{}

func (*ReadOnly) Error() string {
	return "The folder for recordings cannot be written to. Whoever keeps the program running has to let it, then do it " +
		"again."
}

// roomPause is how often the disk is looked at while something is converted.
const roomPause = 500 * time.Millisecond

// whileRoom does work whose context ends when there is no room any more where a folder lies.
func whileRoom(ctx context.Context, dir string, work func(context.Context) error) error {
	ctx, stop := context.WithCancelCause(ctx)
	done := make(chan struct{})
	go func() {
		defer close(done)
		tick := time.NewTicker(roomPause)
		defer tick.Stop()
		for {
			if err := Space(dir, limit.ReserveBytes); err != nil {
				stop(err)
				return
			}
			select {
			case <-tick.C:
			case <-ctx.Done():
				return
			}
		}
	}()
	err := work(ctx)
	var none *DiskFull
	if cause := context.Cause(ctx); err != nil && errors.As(cause, &none) {
		err = cause
	}
	stop(nil)
	<-done
	return full(err)
}

// A Grown says that far more would come out of a file than can be in it.
type Grown struct {
	Name     string
	Is, Most int64 // bytes
}

func (e *Grown) Error() string {
	return fmt.Sprintf(
		"%s would grow from %s to more than %s, far more than a recording of its size holds. If it is right, bring it in "+
			"as WAV.",
		e.Name,
		limit.Bytes(e.Is),
		limit.Bytes(e.Most),
	)
}

// grown is how many bytes of sound may come out of a file of a size.
func grown(path string, size int64) *Grown {
	return &Grown{filepath.Base(path), size, max(limit.GrowthFreeBytes, limit.Growth*size)}
}
