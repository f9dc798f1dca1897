package media

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"math"
	"math/big"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"blendseam/core/limit"
	"blendseam/core/pcm"
	"blendseam/core/pcm/flac"
	"blendseam/core/pcm/wav"
	"blendseam/core/timecode"
	"blendseam/media/copies"
	"blendseam/media/objects"
	"blendseam/scratch"
)

// A Library is the folder of recordings: each lies under its id with what was made from it. What is being
// brought in lies in incoming/, in this process's own folder, and moves from there in one step.
type Library struct {
	dir    string
	work   *scratch.Place
	making chan struct{} // few recordings are prepared at once
	mu     sync.Mutex
	locks  map[string]*sync.Mutex // of what is being made
	shared *copies.Copies         // nil if the folder is all there is
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

func exists(path string) bool { _, err := os.Stat(path); return err == nil }

// OpenLibrary opens the folder and clears what processes that have gone left half brought in.
func OpenLibrary(dir string) (*Library, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for recordings cannot be made: %w", err)
	}
	work, err := scratch.Open(filepath.Join(dir, objects.Incoming))
	if err != nil {
		return nil, err
	}
	return &Library{
		dir:    dir,
		work:   work,
		making: make(chan struct{}, limit.Conversions),
		locks:  map[string]*sync.Mutex{},
	}, nil
}

// Preparing is how many recordings are being prepared.
func (l *Library) Preparing() int { return len(l.making) }

// Close throws away what is half brought in.
func (l *Library) Close() error { return l.work.Close() }

// turn waits until a recording may be prepared.
func (l *Library) turn(ctx context.Context) (done func(), err error) {
	select {
	case l.making <- struct{}{}:
		return func() { <-l.making }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

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
	return os.WriteFile(filepath.Join(dir, InfoFile), raw, 0o644)
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

// folder is where a recording lies; nothing lies where what is no id would lead.
func (l *Library) folder(id string) string {
	if !isID(id) {
		id = "none"
	}
	return filepath.Join(l.dir, id)
}

func isID(id string) bool { return len(id) == idLength && strings.Trim(id, "0123456789abcdef") == "" }

// Remove takes the files of a recording away, the one that was brought in among them.
func (l *Library) Remove(id string) error {
	dir := l.folder(id)
	defer l.lock(id)()
	if l.shares(id) {
		if err := l.shared.Remove(context.Background(), id+"/"); err != nil {
			return err
		}
		l.shared.Removed(id + "/")
	}
	if err := os.RemoveAll(dir); err != nil {
		return fmt.Errorf("the files of the recording could not be removed: %w", err)
	}
	return nil
}

// idLength is how many digits an id has.
const idLength = 16

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
	if l.prepared(info, rate, frames) {
		return nil
	}
	done, err := l.turn(ctx)
	if err != nil {
		return err
	}
	defer done()
	return l.prepareKept(ctx, info, rate, frames)
}

// prepared tells whether all is there.
func (l *Library) prepared(info Info, rate int64, frames timecode.Rate) bool {
	var files []string // within its folder
	if info.Rate > 0 {
		rate = cmp.Or(rate, int64(info.Rate))
		files = append(files, soundFile("", rate), peaksFile("", rate))
	}
	if info.Width > 0 {
		if frames.Num == 0 {
			frames = info.FrameRate
		}
		files = append(files, filepath.Join(picturesFolder("", frames), sheetFile(0)))
	}
	return len(files) > 0 && !slices.ContainsFunc(files, func(f string) bool {
		return !l.has(info.ID, f)
	})
}

func (l *Library) prepareKept(ctx context.Context, info Info, rate int64, frames timecode.Rate) error {
	unlock := l.lock(info.ID)
	defer unlock()
	original, err := l.Original(info.ID)
	if err != nil {
		return err
	}
	if l.prepared(info, rate, frames) { // by another process
		return nil
	}
	if _, err = l.prepare(ctx, l.folder(info.ID), original, info, rate, frames); err != nil {
		return full(err)
	}
	return l.send(ctx, info.ID)
}

// originalName is what the name of the file that was brought in begins with, before its ending.
const originalName = "original"

// IsOriginal tells whether a file of a recording's folder is the one that was brought in.
func IsOriginal(name string) bool {
	return strings.HasPrefix(name, originalName) && !copies.IsList(name)
}

// Original is the file as it was brought in.
func (l *Library) Original(id string) (string, error) {
	entries, _ := os.ReadDir(l.folder(id))
	for _, e := range entries {
		if IsOriginal(e.Name()) {
			return filepath.Join(l.folder(id), e.Name()), nil
		}
	}
	if l.shares(id) {
		name, err := l.sharedOriginal(id)
		if err == nil && name != "" {
			if err = l.here(id, name); err == nil {
				return filepath.Join(l.folder(id), name), nil
			}
		}
		if err != nil {
			return "", err
		}
	}
	return "", &Gone{id}
}

// A Gone says that a recording that was brought in is not there any more.
type Gone struct{ ID string }

func (e *Gone) Error() string {
	return fmt.Sprintf("The recording %s is no longer in the media folder; bring it in again.", e.ID)
}

func (l *Library) prepare(
	ctx context.Context,
	dir, original string,
	info Info,
	rate int64,
	frames timecode.Rate,
) (damaged int64, err error) {
	if info.Rate > 0 {
		if damaged, err = l.prepareSound(ctx, dir, original, info.Name, cmp.Or(rate, int64(info.Rate))); err != nil {
			return damaged, err
		}
	}
	if info.Width > 0 {
		if frames.Num == 0 {
			frames = info.FrameRate
		}
		return damaged, preparePictures(ctx, l.work, dir, original, info.Name, frames)
	}
	return damaged, nil
}

func soundFile(dir string, rate int64) string {
	return filepath.Join(dir, fmt.Sprintf("sound-%d.wav", rate))
}

func (l *Library) prepareSound(ctx context.Context, dir, original, name string, rate int64) (damaged int64, err error) {
	to := soundFile(dir, rate)
	if !exists(to) {
		err := conformLink(original, to, rate)
		if errors.Is(err, errOtherRate) {
			err = l.conform(ctx, original, to, name, rate)
		}
		if err != nil {
			return 0, err
		}
	}
	if exists(peaksFile(dir, rate)) {
		return 0, nil
	}
	w, err := wav.Open(to)
	if err != nil {
		return 0, err
	}
	defer w.Close()
	if err := l.writePeaks(ctx, w, peaksFile(dir, rate)); err != nil {
		return 0, err
	}
	return w.Damaged(), nil
}

func (l *Library) conform(ctx context.Context, original, to, name string, rate int64) error {
	work, err := l.work.Dir()
	if err != nil {
		return full(err)
	}
	defer os.RemoveAll(work)
	part := filepath.Join(work, "sound.wav")
	if err = Conform(ctx, original, part, int(rate)); err == nil {
		return os.Rename(part, to)
	}
	var none *DiskFull
	var much *Grown
	switch {
	case ctx.Err() != nil, errors.As(err, &none):
		return err
	case errors.As(err, &much):
		much.Name = name
		return much
	}
	return fmt.Errorf("%s", strings.ReplaceAll(err.Error(), filepath.Base(original), name))
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

// SoundFile opens the WAV file of a recording's sound at a rate it was prepared for; fs.ErrNotExist if it was not.
func (l *Library) SoundFile(id string, rate int64) (copies.File, error) {
	return l.open(id, soundFile("", rate))
}

// Sound opens a recording's sound at a rate it was prepared for; fs.ErrNotExist if it was not.
func (l *Library) Sound(id string, rate int64) (*wav.Reader, error) {
	f, err := l.SoundFile(id, rate)
	if err != nil {
		return nil, err
	}
	return wav.Of(f, f.Size(), f)
}

// Frames is the number of frames of a recording's picture at a frame rate.
func (i Info) Frames(rate timecode.Rate) int64 {
	if i.Width == 0 {
		return 0
	}
	return int64(math.Round(i.Seconds * rate.Float()))
}
