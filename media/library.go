package media

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"blendseam/core/pcm/flac"
	"blendseam/core/pcm/wav"
	"blendseam/core/timecode"
)

// A Library is the folder of recordings: each lies under its id with what was made from it. What is being
// brought in lies in incoming/ and moves from there in one step.
type Library struct {
	dir   string
	mu    sync.Mutex
	locks map[string]*sync.Mutex // of what is being made
}

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
	Start     int64         `json:"start,omitempty"` // samples since midnight of its first one, by a BWF time reference
}

// OpenLibrary opens the folder and clears what was left half brought in.
func OpenLibrary(dir string) (*Library, error) {
	incoming := filepath.Join(dir, "incoming")
	if err := os.RemoveAll(incoming); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(incoming, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for recordings cannot be made: %w", err)
	}
	return &Library{dir: dir, locks: map[string]*sync.Mutex{}}, nil
}

// Receive streams a file to disk. The name is where its kind is taken from where the content does not say.
// Close the Arrival in any case; Keep makes it part of the library.
func (l *Library) Receive(name string) (*Arrival, error) {
	dir, err := os.MkdirTemp(filepath.Join(l.dir, "incoming"), "")
	if err != nil {
		return nil, err
	}
	ext := strings.ToLower(filepath.Ext(name))
	if len(ext) > 8 || strings.ContainsAny(ext, "/\\ ") {
		ext = ""
	}
	f, err := os.Create(filepath.Join(dir, "original"+ext))
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	return &Arrival{library: l, name: filepath.Base(name), dir: dir, file: f, hash: sha256.New()}, nil
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

// Write adds to the file.
func (a *Arrival) Write(p []byte) (int, error) {
	n, err := a.file.Write(p)
	a.hash.Write(p[:n])
	a.size += int64(n)
	if err != nil {
		return n, fmt.Errorf("%s cannot be kept: %s", a.name, reason(err))
	}
	return n, nil
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
	info, err := look(ctx, a.file.Name(), a.name)
	if err != nil {
		return Info{}, err
	}
	info.SHA256 = hex.EncodeToString(a.hash.Sum(nil))
	info.ID, info.Bytes = info.SHA256[:16], a.size
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, a.library.Prepare(ctx, info, rate, frames)
	}
	if err := prepare(ctx, a.dir, a.file.Name(), info, rate, frames); err != nil {
		return Info{}, err
	}
	unlock := a.library.lock(info.ID)
	defer unlock()
	if _, err := os.Stat(a.library.folder(info.ID)); err == nil {
		return info, nil
	}
	return info, os.Rename(a.dir, a.library.folder(info.ID))
}

// look finds out what a file holds; the error says in one line why it cannot be used.
func look(ctx context.Context, path, name string) (Info, error) {
	info := Info{Name: name}
	w, err := wav.Open(path)
	if err == nil {
		defer w.Close()
		f := w.Format()
		info.Format, info.Rate, info.Channels, info.Bits, info.Seconds = "WAV", f.Rate, f.Channels, f.Bits, float64(w.Len())/float64(f.Rate)
		if b := w.Bext; b != nil {
			info.Format, info.Start = "BWF", int64(b.TimeReference)
		}
		if w.Len() == 0 {
			return info, fmt.Errorf("%s holds no sound: its length is 0 samples.", name)
		}
		return info, nil
	} else if !errors.Is(err, wav.ErrNotWAV) {
		return info, fmt.Errorf("%s", strings.ReplaceAll(err.Error(), path, name))
	}
	p, err := ProbeFile(ctx, path)
	if errors.Is(err, ErrNoFFmpeg) {
		return lookFLAC(path, name)
	}
	if err != nil {
		return info, fmt.Errorf("%s is not a recording that can be read; sound and picture files of any usual kind can.", name)
	}
	if p.Rate == 0 && p.Width == 0 || p.Rate == 0 && (p.Seconds == 0 || stills[p.Format]) {
		return info, fmt.Errorf("%s holds neither sound nor moving picture.", name)
	}
	info.Format, info.Seconds, info.Rate, info.Channels = strings.Split(p.Format, ",")[0], p.Seconds, p.Rate, p.Channels
	if p.Width > 0 && !stills[p.Format] {
		info.Width, info.Height, info.FrameRate = p.Width, p.Height, p.FrameRate
		if info.FrameRate.Num == 0 {
			info.FrameRate = timecode.F25
		}
	}
	return info, nil
}

// stills are what ffprobe calls files of single pictures and of text.
var stills = map[string]bool{"image2": true, "png_pipe": true, "jpeg_pipe": true, "webp_pipe": true, "bmp_pipe": true, "tiff_pipe": true, "tty": true, "srt": true}

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

func (l *Library) folder(id string) string { return filepath.Join(l.dir, id) }

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

// Prepare makes what is not there yet of a recording for a scene's rates: its sound at the sample rate, with peaks,
// and its pictures at the frame rate. Rates of zero are the recording's own.
func (l *Library) Prepare(ctx context.Context, info Info, rate int64, frames timecode.Rate) error {
	unlock := l.lock(info.ID)
	defer unlock()
	original, err := l.Original(info.ID)
	if err != nil {
		return err
	}
	return prepare(ctx, l.folder(info.ID), original, info, rate, frames)
}

// Original is the file as it was brought in.
func (l *Library) Original(id string) (string, error) {
	found, err := filepath.Glob(filepath.Join(l.folder(id), "original*"))
	if err != nil || len(found) == 0 {
		return "", fmt.Errorf("the recording %s is no longer in the media folder; bring it in again", id)
	}
	return found[0], nil
}

func prepare(ctx context.Context, dir, original string, info Info, rate int64, frames timecode.Rate) error {
	if info.Rate > 0 {
		if rate == 0 {
			rate = int64(info.Rate)
		}
		if err := prepareSound(ctx, dir, original, info.Name, rate); err != nil {
			return err
		}
	}
	if info.Width > 0 {
		if frames.Num == 0 {
			frames = info.FrameRate
		}
		return preparePictures(ctx, dir, original, info.Name, frames)
	}
	return nil
}

func soundFile(dir string, rate int64) string {
	return filepath.Join(dir, fmt.Sprintf("sound-%d.wav", rate))
}

func prepareSound(ctx context.Context, dir, original, name string, rate int64) error {
	to := soundFile(dir, rate)
	if _, err := os.Stat(to); err != nil {
		err := conformLink(original, to, rate)
		if errors.Is(err, errOtherRate) {
			part := to + ".part"
			if err = Conform(ctx, original, part, int(rate)); err == nil {
				err = os.Rename(part, to)
			}
			if err != nil {
				os.Remove(part)
				return fmt.Errorf("%s", strings.ReplaceAll(err.Error(), filepath.Base(original), name))
			}
		} else if err != nil {
			return err
		}
	}
	if _, err := os.Stat(peaksFile(dir, rate)); err == nil {
		return nil
	}
	w, err := wav.Open(to)
	if err != nil {
		return err
	}
	defer w.Close()
	if w.Len() == 0 {
		return fmt.Errorf("%s holds no sound: its length is 0 samples.", name)
	}
	return writePeaks(ctx, w, peaksFile(dir, rate))
}

// conformLink uses a WAV file as it is if it has the rate already.
func conformLink(original, to string, rate int64) error {
	w, err := wav.Open(original)
	if err != nil {
		return errOtherRate
	}
	defer w.Close()
	if int64(w.Format().Rate) != rate || w.Format().Channels > 2 {
		return errOtherRate
	}
	return os.Link(original, to)
}

// SoundFile is the WAV file of a recording's sound at a rate it was prepared for.
func (l *Library) SoundFile(id string, rate int64) string {
	return soundFile(l.folder(filepath.Base(id)), rate)
}

// Sound opens a recording's sound at a rate it was prepared for.
func (l *Library) Sound(id string, rate int64) (*wav.Reader, error) {
	return wav.Open(soundFile(l.folder(id), rate))
}

// Frames is the number of frames of a recording's picture at a frame rate.
func (i Info) Frames(rate timecode.Rate) int64 {
	if i.Width == 0 {
		return 0
	}
	return int64(math.Round(i.Seconds * rate.Float()))
}

var errNotPrepared = errors.New("not prepared")

func exact(f *os.File, at int64, p []byte) error {
	n, err := f.ReadAt(p, at)
	if n == len(p) || errors.Is(err, io.EOF) {
		clear(p[n:])
		return nil
	}
	return err
}
