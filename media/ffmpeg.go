// Package media brings recordings in and sends sound out: it opens sound of any format at a wanted rate,
// writes files, and prepares what the interface draws (waveform peaks, picture strips). WAV and FLAC are read
// and written here; ffmpeg and ffprobe do everything else.
package media

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"

	"blendseam/core/cache"
	"blendseam/core/timecode"
)

// ErrNoFFmpeg says that ffmpeg, or ffprobe, is not installed.
var ErrNoFFmpeg = errors.New("ffmpeg is not installed, and only WAV and FLAC can be read and written without it: install it (apt-get install ffmpeg) and try again")

// run runs ffmpeg or ffprobe and gives what it printed. An error carries the last line of its complaint.
func run(ctx context.Context, name string, args ...string) ([]byte, error) {
	if _, err := exec.LookPath(name); err != nil {
		return nil, ErrNoFFmpeg
	}
	cmd := exec.CommandContext(ctx, name, args...)
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	if err := cmd.Run(); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%s: %s", name, lastLine(complaint.String(), err))
	}
	return out.Bytes(), nil
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
	SoundS     float64 // seconds
	SoundStart float64 // seconds into the file
	FrameRate  timecode.Rate
	Width      int // 0 without picture
	Height     int
	Seconds    float64
	Format     string
}

// probed keeps what ffprobe said of files, by their path, size and time: it is asked several times as one is brought in.
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
	out, err := run(ctx, "ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", "file:"+path)
	if err != nil {
		return Probe{}, err
	}
	var info struct {
		Streams []struct {
			Type        string `json:"codec_type"`
			Rate        string `json:"sample_rate"`
			Channels    int    `json:"channels"`
			Frames      string `json:"r_frame_rate"`
			Average     string `json:"avg_frame_rate"`
			Width       int    `json:"width"`
			Height      int    `json:"height"`
			Duration    string `json:"duration"`
			Start       string `json:"start_time"`
			Disposition struct {
				Cover int `json:"attached_pic"`
			} `json:"disposition"`
		} `json:"streams"`
		Format struct {
			Duration string `json:"duration"`
			Name     string `json:"format_name"`
		} `json:"format"`
	}
	if err := json.Unmarshal(out, &info); err != nil {
		return Probe{}, fmt.Errorf("ffprobe answered what cannot be read: %w", err)
	}
	number := func(s string) float64 { f, _ := strconv.ParseFloat(s, 64); return f }
	p := Probe{Seconds: number(info.Format.Duration), Format: info.Format.Name}
	for _, s := range info.Streams {
		switch {
		case s.Type == "audio" && p.Rate == 0:
			p.Rate, p.Channels = int(number(s.Rate)), s.Channels
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
