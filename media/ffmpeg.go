// Package media brings recordings in and sends sound out: it opens sound of any format at a wanted rate,
// writes files, and prepares what the interface draws (waveform peaks, picture strips). WAV and FLAC are read
// and written here; ffmpeg and ffprobe do everything else.
package media

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"blendseam/core/cache"
	"blendseam/core/limit"
	"blendseam/core/sound/timecode"
)

// ErrNoFFmpeg says that ffmpeg, or ffprobe, is not installed.
var ErrNoFFmpeg = errors.New(
	"ffmpeg is not installed, and only WAV and FLAC can be read and written without it: install it (apt-get install " +
		"ffmpeg) and try again",
)

// formats are the containers that are read, by ffmpeg's names for them. Playlists, manifests and scripts are not among
// them: what names other media would have it read.
const formats = "aac,ac3,aiff,amr,amrnb,amrwb,ape,asf,au,avi,caf,dsf,dts,dv,eac3,flac,flv,gxf,m4a,matroska,mov,mp3," +
	"mp4,mpc,mpc8,mpeg,mpegts,mxf,ogg,oma,rf64,tta,voc,w64,wav,webm,wv"

// input are the arguments by which ffmpeg and ffprobe read one file, and nothing that it names.
func input(path string) []string {
	if whole, err := filepath.Abs(path); err == nil { // it may run elsewhere
		path = whole
	}
	return []string{
		"-protocol_whitelist",
		"file",
		"-format_whitelist",
		formats,
		"-max_pixels",
		strconv.Itoa(limit.PictureSide * limit.PictureSide),
		"-i",
		"file:" + path,
	}
}

// bounds are those of one run.
type bounds struct {
	path   string // what is read: the larger it is, the longer it may take
	output int64  // bytes of a file that is written; 0 is any
	dir    string // where it runs; "" is here
	writes string // the folder that it writes to besides; "" is none
}

// A run may take so long, and a second more for every so many bytes.
const (
	runLimit     = 5 * time.Minute
	bytesASecond = 1 << 20
)

var runs = make(chan struct{}, limit.Conversions)

// errTooMuch says that a run wrote as much as it may.
var errTooMuch = errors.New("it wrote more than it may")

// run runs ffmpeg or ffprobe on a file and gives what it printed; see runWithin.
func run(ctx context.Context, path, name string, args ...string) ([]byte, error) {
	return runWithin(ctx, bounds{path: path}, name, args...)
}

// runWithin runs ffmpeg or ffprobe, few at once, within bounds of time, memory and output, and gives what it printed.
// An error carries the last line of its complaint.
func runWithin(ctx context.Context, within bounds, name string, args ...string) ([]byte, error) {
	if _, err := exec.LookPath(name); err != nil {
		return nil, ErrNoFFmpeg
	}
	select {
	case runs <- struct{}{}:
		defer func() { <-runs }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	most := runLimit
	if info, err := os.Stat(within.path); err == nil {
		most += time.Duration(info.Size()/bytesASecond) * time.Second
	}
	limited, cancel := context.WithTimeout(ctx, most)
	defer cancel()
	cmd := command(limited, within, name, args...)
	cmd.Dir = within.dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	cmd.WaitDelay = time.Second
	var out, complaint capped
	out.most, complaint.most = 16<<20, 64<<10
	cmd.Stdout, cmd.Stderr = &out, &complaint
	err := start(cmd, within)
	if err == nil {
		err = cmd.Wait()
	}
	switch {
	case err == nil:
		return out.Bytes(), nil
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case limited.Err() != nil:
		return nil, fmt.Errorf("%s was stopped after %s", name, most)
	case within.output > 0 && (signalled(cmd, syscall.SIGXFSZ) || strings.Contains(complaint.String(), "File too large")):
		return nil, errTooMuch
	case strings.Contains(complaint.String(), "No space left on device"):
		return nil, &DiskFull{}
	}
	return nil, fmt.Errorf("%s: %s", name, lastLine(complaint.String(), err))
}

// start starts a program and binds its memory and what it writes before it has read anything of note.
func start(cmd *exec.Cmd, within bounds) error {
	if err := cmd.Start(); err != nil {
		return err
	}
	if confines() {
		return nil // it has them from the beginning
	}
	set := func(what int, most int64) error {
		return unix.Prlimit(cmd.Process.Pid, what, &unix.Rlimit{Cur: uint64(most), Max: uint64(most)}, nil)
	}
	err := set(unix.RLIMIT_DATA, limit.ConversionBytes)
	if err == nil && within.output > 0 {
		err = set(unix.RLIMIT_FSIZE, within.output)
	}
	if err != nil && !errors.Is(err, unix.ESRCH) { // it has ended already
		cmd.Process.Kill()
		cmd.Wait()
		return fmt.Errorf("%s cannot be bounded: %w", cmd.Path, err)
	}
	return nil
}

// capped keeps the first bytes that are written to it.
type capped struct {
	bytes.Buffer
	most int
}

func (c *capped) Write(p []byte) (int, error) {
	c.Buffer.Write(p[:min(len(p), max(0, c.most-c.Len()))])
	return len(p), nil
}

func lastLine(text string, err error) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	if last := lines[len(lines)-1]; last != "" {
		return last
	}
	return err.Error()
}

// A Probe is what ffprobe says of a file.
type Probe struct {
	Rate       int // samples a second, 0 without sound
	Channels   int
	Layout     string  // which loudspeakers the channels are for, "" if none are known
	SoundS     float64 // seconds
	SoundStart float64 // seconds into the file
	FrameRate  timecode.Rate
	Width      int // 0 without picture
	Height     int
	Seconds    float64
	Format     string
	Timecode   string // of the first frame, "" if the file says none
}

// tagged is what of a file's tags is read.
type tagged struct {
	Timecode string `json:"timecode"`
}

// probed keeps what ffprobe said of files, by their path, size and time: it is asked several times as one is brought
// in.
var probed = cache.New[string, Probe](128)

// ProbeFile asks ffprobe what a file holds.
func ProbeFile(ctx context.Context, path string) (Probe, error) {
	info, err := os.Stat(path)
	if err != nil {
		return Probe{}, err
	}
	key := fmt.Sprintf("%s %d %d", path, info.Size(), info.ModTime().UnixNano())
	return probed.Get(ctx, key, func(ctx context.Context) (Probe, error) { return probe(ctx, path) })
}

func probe(ctx context.Context, path string) (Probe, error) {
	if info, err := os.Stat(path); err != nil || !info.Mode().IsRegular() {
		return Probe{}, fmt.Errorf("%s is no file", filepath.Base(path))
	}
	out, err := run(
		ctx,
		path,
		"ffprobe",
		append([]string{"-v", "error", "-show_streams", "-show_format", "-of", "json"}, input(path)...)...)
	if err != nil {
		return Probe{}, err
	}
	var info struct {
		Streams []struct {
			Type        string `json:"codec_type"`
			Rate        string `json:"sample_rate"`
			Channels    int    `json:"channels"`
			Layout      string `json:"channel_layout"`
			Frames      string `json:"r_frame_rate"`
			Average     string `json:"avg_frame_rate"`
			Width       int    `json:"width"`
			Height      int    `json:"height"`
			Duration    string `json:"duration"`
			Start       string `json:"start_time"`
			Disposition struct {
				Cover int `json:"attached_pic"`
			} `json:"disposition"`
			Tags tagged `json:"tags"`
		} `json:"streams"`
		Format struct {
			Tags     tagged `json:"tags"`
			Duration string `json:"duration"`
			Name     string `json:"format_name"`
		} `json:"format"`
	}
	if err := json.Unmarshal(out, &info); err != nil {
		return Probe{}, fmt.Errorf("ffprobe answered what cannot be read: %w", err)
	}
	number := func(s string) float64 { f, _ := strconv.ParseFloat(s, 64); return f }
	p := Probe{Seconds: number(info.Format.Duration), Format: info.Format.Name}
	p.Timecode = info.Format.Tags.Timecode
	for _, s := range info.Streams {
		p.Timecode = cmp.Or(p.Timecode, s.Tags.Timecode)
		switch {
		case s.Type == "audio" && p.Rate == 0:
			p.Rate, p.Channels, p.Layout = int(number(s.Rate)), s.Channels, s.Layout
			p.SoundStart = number(s.Start)
			if p.SoundS = number(s.Duration); p.SoundS == 0 {
				p.SoundS = p.Seconds
			}
		case s.Type == "video" && p.Width == 0 && s.Disposition.Cover == 0:
			p.Width, p.Height = s.Width, s.Height
			if p.FrameRate, err = timecode.ParseRate(s.Average); err != nil {
				p.FrameRate, _ = timecode.ParseRate(s.Frames)
			}
		}
	}
	return p, nil
}

// check says what of a file is beyond bounds.
func (p Probe) check(name string) error {
	switch {
	case p.Width > limit.PictureSide || p.Height > limit.PictureSide:
		return fmt.Errorf(
			"The picture of %s is %d x %d pixels; %d x %[4]d are the most. Make a smaller copy and bring that in.",
			name,
			p.Width,
			p.Height,
			limit.PictureSide,
		)
	case p.Channels > limit.Channels:
		return fmt.Errorf("%s has %d channels; %d are the most.", name, p.Channels, limit.Channels)
	case p.Rate > 0 && (p.Rate < limit.LowestRate || p.Rate > limit.HighestRate):
		return fmt.Errorf(
			"%s has %d samples a second; %d to %d can be read.",
			name,
			p.Rate,
			limit.LowestRate,
			limit.HighestRate,
		)
	case p.Seconds > limit.RecordingHours*3600 || p.SoundS > limit.RecordingHours*3600:
		return tooLong(name)
	}
	return nil
}

// decoded returns how many bytes the sound takes as 32-bit floats at a rate, in one or two channels, by the length that
// the file gives itself. A file may not tell the truth, so what comes out of it is counted besides.
func (p Probe) decoded(rate int) float64 { return p.SoundS * float64(rate*min(p.Channels, 2)*4) }

// StartS is the timecode of a file's first moment, in seconds; nil if it says none.
func (p Probe) StartS() *big.Rat { return timecodeS(p.Timecode, p.FrameRate) }

// timecodeS is a timecode in seconds, nil if it is none.
func timecodeS(tc string, rate timecode.Rate) *big.Rat {
	if tc == "" || rate.Num == 0 {
		return nil
	}
	rate.Drop = strings.Contains(tc, ";")
	frame, err := rate.Parse(tc)
	if err != nil {
		return nil
	}
	return big.NewRat(frame*rate.Den, rate.Num)
}
