package media

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"blendseam/core/sound/pcm"
	"blendseam/durable"
	"blendseam/media/peaks"
)

func peaksFile(dir string, rate int64) string {
	return filepath.Join(dir, fmt.Sprintf("peaks-%d", rate))
}

func (l *Library) writePeaks(ctx context.Context, r pcm.ReaderAt, to string) error {
	dir, err := l.work.Dir()
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	f, err := os.Create(filepath.Join(dir, "peaks"))
	if err != nil {
		return err
	}
	defer f.Close()
	if err := peaks.Write(ctx, f, r); err != nil {
		return err
	}
	return durable.Rename(f.Name(), to)
}

// Peaks gives one tile of a recording's waveform; see peaks.Tile. step is one of peaks.Steps.
func (l *Library) Peaks(id string, rate, step, tile int64) ([]byte, error) {
	if err := peaks.Check(step, tile); err != nil {
		return nil, err
	}
	w, err := l.Sound(id, rate)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	if step == 1 {
		return peaks.Finest(w, tile)
	}
	f, err := l.open(id, peaksFile("", rate))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return peaks.Tile(f, w.Len(), step, tile)
}
