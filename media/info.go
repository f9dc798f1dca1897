package media

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"math/big"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/flac"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/durable"
)

// An Info says what a recording is.
type Info struct {
	ID        string        `json:"id"` // the first 16 digits of SHA256
	SHA256    string        `json:"sha256"`
	Name      string        `json:"name"` // of the file, as it was brought in
	Bytes     int64         `json:"bytes"`
	Format    string        `json:"format"`
	Seconds   float64       `json:"seconds"`
	Rate      int           `json:"rate,omitempty"` // samples a second, 0 without sound
	Channels  int           `json:"channels,omitempty"`
	Bits      int           `json:"bits,omitempty"`
	FrameRate timecode.Rate `json:"frame_rate,omitzero"`
	Width     int           `json:"width,omitempty"` // 0 without picture
	Height    int           `json:"height,omitempty"`
	Damaged   int64         `json:"damaged,omitempty"`  // samples that are none, and read as silence
	Start     int64         `json:"start,omitempty"`    // samples since midnight of its first one, by a BWF time reference
	Joined    []string      `json:"joined,omitempty"`   // names of what it was joined from, if it was
	Timecode  string        `json:"timecode,omitempty"` // of the first frame, as a picture file says it
}

// StartS is the source timecode of a recording's first moment, in seconds; nil if it has none.
func (i Info) StartS() *big.Rat {
	if i.Start > 0 && i.Rate > 0 && i.Start/int64(i.Rate) < limit.SceneHours*3600 {
		return big.NewRat(i.Start, int64(i.Rate))
	}
	return timecodeS(i.Timecode, i.FrameRate)
}

// InfoFile is where a recording's folder keeps what was found in it; in a store it is there once all else is.
const InfoFile = "info.json"

// looked gives what was found in a recording when it was brought in, if it is there.
func (l *Library) looked(id string) (info Info, ok bool) {
	if err := l.here(id, InfoFile); err != nil {
		return info, false
	}
	raw, err := os.ReadFile(filepath.Join(l.folder(id), InfoFile))
	return info, err == nil && json.Unmarshal(raw, &info) == nil && info.ID == id
}

func keepInfo(dir string, info Info) error {
	raw, err := json.Marshal(info)
	if err != nil {
		return err
	}
	return durable.Write(filepath.Join(dir, InfoFile), raw)
}

// look finds out what a file holds; the error says in one line why it cannot be used.
func look(ctx context.Context, path, name string) (Info, error) {
	info := Info{Name: name}
	w, err := wav.Open(path)
	if err == nil {
		defer w.Close()
		f := w.Format()
		info.Format, info.Rate, info.Channels, info.Bits, info.Seconds = "WAV", f.Rate, f.Channels, f.Bits, float64(
			w.Len(),
		)/float64(
			f.Rate,
		)
		if b := w.Bext; b != nil {
			info.Format, info.Start = "BWF", int64(b.TimeReference)
		}
		if info.Seconds > limit.RecordingHours*3600 {
			return info, tooLong(name)
		}
		if f.Float {
			info.Damaged, err = damaged(ctx, w)
		}
		return info, err
	} else if !errors.Is(err, wav.ErrNotWAV) {
		return info, fmt.Errorf("%s", strings.ReplaceAll(err.Error(), path, name))
	}
	p, err := ProbeFile(ctx, path)
	if errors.Is(err, ErrNoFFmpeg) {
		return lookFLAC(path, name)
	}
	if err != nil {
		return info, fmt.Errorf(
			"%s is not a recording that can be read; sound and picture files of any usual kind can.",
			name,
		)
	}
	if p.Rate == 0 && p.Width == 0 || p.Rate == 0 && (p.Seconds == 0 || stills[p.Format]) {
		return info, fmt.Errorf("%s holds neither sound nor moving picture.", name)
	}
	if err := p.check(name); err != nil {
		return info, err
	}
	info.Format, info.Seconds, info.Rate, info.Channels = strings.Split(p.Format, ",")[0], p.Seconds, p.Rate, p.Channels
	if p.Width > 0 && !stills[p.Format] {
		info.Width, info.Height, info.FrameRate, info.Timecode = p.Width, p.Height, p.FrameRate, p.Timecode
		if info.FrameRate.Num == 0 {
			info.FrameRate = timecode.F25
		}
	}
	return info, nil
}

// stills are what ffprobe calls files of single pictures and of text.
var stills = map[string]bool{
	"image2":    true,
	"png_pipe":  true,
	"jpeg_pipe": true,
	"webp_pipe": true,
	"bmp_pipe":  true,
	"tiff_pipe": true,
	"tty":       true,
	"srt":       true,
}

func lookFLAC(path, name string) (Info, error) {
	f, err := os.Open(path)
	if err != nil {
		return Info{}, err
	}
	defer f.Close()
	d, err := flac.NewDecoder(f)
	if errors.Is(err, flac.ErrNotFLAC) {
		return Info{}, fmt.Errorf("%s: %w", name, ErrNoFFmpeg)
	} else if err != nil {
		return Info{}, fmt.Errorf("%s: %w", name, err)
	}
	i := Info{Name: name, Format: "flac", Rate: d.Format().Rate, Channels: d.Format().Channels, Bits: d.Format().Bits}
	i.Seconds = float64(d.Len()) / float64(i.Rate)
	return i, nil
}

// damaged counts the samples of a file of floats that are none.
func damaged(ctx context.Context, w *wav.Reader) (int64, error) {
	const step = 1 << 16
	block := pcm.NewBlock(w.Format().Channels, step)
	for at := int64(0); at < w.Len(); at += step {
		if err := ctx.Err(); err != nil {
			return 0, err
		}
		if err := w.ReadSamplesAt(block.Slice(0, min(step, w.Len()-at)), at); err != nil {
			return 0, err
		}
	}
	return w.Damaged(), nil
}

// Frames is the number of frames of a recording's picture at a frame rate.
func (i Info) Frames(rate timecode.Rate) int64 {
	if i.Width == 0 {
		return 0
	}
	return int64(math.Round(i.Seconds * rate.Float()))
}
