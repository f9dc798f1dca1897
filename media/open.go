package media

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"blendseam/core/pcm"
	"blendseam/core/pcm/flac"
	"blendseam/core/pcm/wav"
)

// Open opens the sound of any file at rate samples a second, its own rate if rate is 0. WAV at that rate is read
// where it lies; all else is first turned into a temporary WAV file.
func Open(ctx context.Context, path string, rate int) (*wav.Reader, error) {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil, fmt.Errorf("%s cannot be opened: %s", path, reason(err))
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder, not a recording", path)
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
	temporary, err := os.MkdirTemp("", "blendseam-")
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

func reason(err error) string {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	return err.Error()
}

// Conform writes the sound of a file as WAV at rate samples a second, its own if rate is 0, in one or
// two channels. FLAC that needs no other rate keeps every bit; all else goes through ffmpeg as 32-bit floats.
func Conform(ctx context.Context, from, to string, rate int) error {
	if err := conformFLAC(ctx, from, to, rate); !errors.Is(err, flac.ErrNotFLAC) && !errors.Is(err, errOtherRate) {
		return err
	}
	p, err := ProbeFile(ctx, from)
	if errors.Is(err, ErrNoFFmpeg) {
		return fmt.Errorf("%s: %w", filepath.Base(from), err)
	} else if err != nil {
		return fmt.Errorf("%s is not a recording that can be read (%s)", filepath.Base(from), err)
	}
	if p.Rate == 0 {
		return fmt.Errorf("%s holds no sound", filepath.Base(from))
	}
	args := []string{"-v", "error", "-xerror", "-y", "-i", "file:" + from, "-map", "0:a:0", "-vn"}
	if p.Channels > 2 {
		args = append(args, "-ac", "2")
	}
	filter := ""
	if p.SoundStart > 0 { // sound that starts after the picture begins with silence
		filter = fmt.Sprintf("adelay=%d:all=1", int64(p.SoundStart*1000+0.5))
	}
	if rate != 0 && rate != p.Rate {
		if filter != "" {
			filter += ","
		}
		filter += "aresample=resampler=soxr:precision=28:osr=" + strconv.Itoa(rate)
	}
	if filter != "" {
		args = append(args, "-af", filter)
	}
	args = append(args, "-c:a", "pcm_f32le", "-rf64", "auto", "-f", "wav", "file:"+to)
	if _, err := run(ctx, "ffmpeg", args...); err != nil {
		return fmt.Errorf("%s is damaged or cannot be decoded (%w)", filepath.Base(from), err)
	}
	return nil
}

var errOtherRate = errors.New("needs another rate")

func conformFLAC(ctx context.Context, from, to string, rate int) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	d, err := flac.NewDecoder(in)
	if err != nil {
		return err
	}
	f := d.Format()
	if rate != 0 && f.Rate != rate || f.Channels > 2 {
		return errOtherRate
	}
	depth := 24
	switch {
	case f.Bits <= 16:
		depth = 16
	case f.Bits > 24:
		depth = 32
	}
	out, err := CreateWAV(to, pcm.Encoder{Format: pcm.Format{Rate: f.Rate, Channels: f.Channels, Bits: depth}})
	if err != nil {
		return err
	}
	defer out.Discard()
	var buf []byte
	for at := int64(0); ; {
		b, err := d.Next()
		if err == io.EOF {
			return out.Close()
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(from), err)
		}
		if n := out.Encoder.Size(b.Len()); int64(cap(buf)) < n {
			buf = make([]byte, n)
		}
		buf = buf[:out.Encoder.Size(b.Len())]
		out.Encoder.Encode(buf, b, at)
		if _, err := out.Write(buf); err != nil {
			return err
		}
		at += b.Len()
	}
}
