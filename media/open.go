package media

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"blendseam/core/sound/pcm/wav"
	"blendseam/scratch"
)

// Open opens the sound of any file at rate samples a second, its own rate if rate is 0. WAV at that rate is read
// where it lies; all else is first turned into a temporary WAV file.
func Open(ctx context.Context, path string, rate int) (*wav.Reader, error) {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s cannot be opened: %s", path, Reason(err))
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder, not a recording", path)
	case !info.Mode().IsRegular():
		return nil, fmt.Errorf("%s is no file but a device or a pipe; name a recording", path)
	case info.Size() == 0:
		return nil, fmt.Errorf("%s is empty: 0 bytes", path)
	}
	w, err := wav.Open(path)
	if err == nil && (rate == 0 || w.Format().Rate == rate) && w.Format().Channels <= 2 {
		return w, nil
	}
	if err == nil {
		w.Close()
	} else if !errors.Is(err, wav.ErrNotWAV) {
		return nil, err
	}
	temporary, err := scratch.Dir()
	if err != nil {
		return nil, err
	}
	copied := filepath.Join(temporary, "sound.wav")
	if err := Conform(ctx, path, copied, rate); err != nil {
		os.RemoveAll(temporary)
		return nil, err
	}
	if w, err = wav.Open(copied); err != nil {
		os.RemoveAll(temporary)
		return nil, err
	}
	os.RemoveAll(temporary) // the open file lives on until it is closed
	return w, nil
}

// Reason is why the system could not do what it was asked, without the path, which whoever says it has said.
func Reason(err error) string {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}
