package workspace

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"blendseam/core/cache"
)

// How soon after it began, and how often then, a process compares the files of its library with their hashes.
const (
	checkAfter = 10 * time.Minute
	checkEvery = 24 * time.Hour
)

// checkFiles compares the files of all recordings with their hashes, again and again as long as the workspace is open.
// A store that processes share keeps the hashes itself, and compares what it reads.
func (w *Workspace) checkFiles() {
	modest()
	next := time.NewTimer(checkAfter)
	defer next.Stop()
	for {
		select {
		case <-next.C:
		case <-w.ctx.Done():
			return
		}
		if err := cache.Caught(func() error { return w.CheckFiles(w.ctx) }); err != nil && !errors.Is(err, context.Canceled) {
			slog.Warn("recordings could not be compared with their hashes", "err", err)
		}
		next.Reset(checkEvery)
	}
}

// CheckFiles compares the files of all recordings with their hashes once. What is damaged counts as missing from then
// on, and what was made from a recording is made anew.
func (w *Workspace) CheckFiles(ctx context.Context) error {
	ids, err := w.Library.IDs()
	if err != nil {
		return err
	}
	for _, id := range ids {
		found, err := w.Library.Check(ctx, id)
		if err != nil {
			return err
		}
		if len(found.Damaged) == 0 {
			continue
		}
		left, err := w.Library.Repair(ctx, id, found.Damaged)
		slog.Warn("files of a recording are damaged", "recording", id, "files", found.Damaged, "left", left, "err", err)
		w.sources.Drop(func(int64) bool { return true }) // what is read of it is opened anew
		w.Returned()
	}
	return nil
}
