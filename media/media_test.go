package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
	"blendseam/media/peaks"
)

func library(t *testing.T) *Library {
	t.Helper()
	l, err := OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	return l
}

func keep(t *testing.T, l *Library, file string, rate int64, frames timecode.Rate) (Info, error) {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	a, err := l.Receive(filepath.Base(file))
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if _, err := io.Copy(a, f); err != nil {
		t.Fatal(err)
	}
	return a.Keep(context.Background(), rate, frames)
}

func entries(t *testing.T, dir string) (names []string) {
	t.Helper()
	list, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		names = append(names, e.Name())
	}
	return names
}

// made makes a file with ffmpeg.
func made(t *testing.T, name string, args ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	outside.Run(t, "ffmpeg", append(append([]string{"-v", "error"}, args...), path)...)
	return path
}

func TestARecordingIsKeptOnceAndReadAsItWas(t *testing.T) {
	l := library(t)
	voice := outside.Voices(t)[0]
	first, err := keep(t, l, voice, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	copied := filepath.Join(t.TempDir(), "another name.wav")
	raw, _ := os.ReadFile(voice)
	os.WriteFile(copied, raw, 0o644)
	second, err := keep(t, l, copied, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	if first.ID != second.ID || len(entries(t, l.dir)) != 2 { // it, and incoming
		t.Errorf("the same file twice gives %s and %s; the folder has %v", first.ID, second.ID, entries(t, l.dir))
	}
	w, err := l.Sound(first.ID, 48000)
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	b, err := pcm.Read(w, pcm.Span{To: w.Len()})
	if err != nil {
		t.Fatal(err)
	}
	outside.Same(t, "kept", b, outside.Decode(t, voice, 1))
}

// A tone of 1 kHz at other rates and in other formats arrives at 48 kHz with its frequency, level and length.
func TestConformingKeepsToneLevelAndLength(t *testing.T) {
	for name, args := range map[string][]string{
		"44.wav":  {"-f", "lavfi", "-i", "sine=f=1000:r=44100:d=2", "-af", "volume=4"},
		"96.flac": {"-f", "lavfi", "-i", "sine=f=1000:r=96000:d=2", "-af", "volume=4"},
		"x.mp3":   {"-f", "lavfi", "-i", "sine=f=1000:r=44100:d=2", "-af", "volume=4", "-b:a", "256k"},
		"x.ogg":   {"-f", "lavfi", "-i", "sine=f=1000:r=48000:d=2", "-af", "volume=4", "-c:a", "libvorbis", "-q:a", "8"},
		"x.m4a":   {"-f", "lavfi", "-i", "sine=f=1000:r=48000:d=2", "-af", "volume=4", "-b:a", "256k"},
		"x.aiff":  {"-f", "lavfi", "-i", "sine=f=1000:r=48000:d=2", "-af", "volume=4"},
	} {
		l := library(t)
		info, err := keep(t, l, made(t, name, args...), 48000, timecode.F25)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		w, err := l.Sound(info.ID, 48000)
		if err != nil {
			t.Fatal(err)
		}
		if math.Abs(float64(w.Len())-96000) > 2500 { // coders pad to their frames
			t.Errorf("%s: %d samples, want about 96000", name, w.Len())
		}
		b, _ := pcm.Read(w, pcm.Span{From: 20000, To: 68000})
		var re, im float64
		for i, v := range b[0] {
			re += v * math.Cos(2*math.Pi*1000*float64(i)/48000)
			im += v * math.Sin(2*math.Pi*1000*float64(i)/48000)
		}
		// ffmpeg's sine has an amplitude of 1/8; four times that is 1/2.
		if got := 2 * math.Hypot(re, im) / 48000; math.Abs(got-0.5) > 0.01 {
			t.Errorf("%s: the tone's amplitude is %.4f, want 0.5", name, got)
		}
		w.Close()
	}
}

func TestFilesThatCannotBeUsedAreRefusedAndLeaveNothing(t *testing.T) {
	voice, _ := os.ReadFile(outside.Voices(t)[0])
	dir := t.TempDir()
	put := func(name string, raw []byte) string {
		path := filepath.Join(dir, name)
		os.WriteFile(path, raw, 0o644)
		return path
	}
	whole, _ := os.ReadFile(
		made(
			t,
			"film.mp4",
			"-f",
			"lavfi",
			"-i",
			"testsrc=d=2:s=320x180:r=25",
			"-f",
			"lavfi",
			"-i",
			"sine=d=2",
			"-pix_fmt",
			"yuv420p",
		),
	)
	flac, _ := os.ReadFile(made(t, "x.flac", "-i", outside.Voices(t)[0]))
	damaged := bytes.Clone(flac)
	for i := range 200 {
		damaged[len(damaged)/2+i] ^= 0x5A
	}
	l := library(t)
	for file, word := range map[string]string{
		put("empty.wav", nil):                                                            "empty",
		put("short.wav", voice[:3000]):                                                   "truncated",
		put("words.txt", []byte(strings.Repeat("words ", 9))):                            "not a recording",
		put("film cut short.mp4", whole[:len(whole)/3]):                                  "film cut short.mp4",
		put("damaged.flac", damaged):                                                     "damaged",
		put("flac cut short.flac", flac[:len(flac)/2]):                                   "truncated",
		made(t, "still.png", "-f", "lavfi", "-i", "color=red:s=64x64", "-frames:v", "1"): "not a recording",
	} {
		_, err := keep(t, l, file, 48000, timecode.F25)
		if err == nil || !strings.Contains(err.Error(), word) || strings.Contains(err.Error(), "\n") ||
			strings.Contains(err.Error(), l.dir) {
			t.Errorf("%s: %v; want one line with %q and without our folders", filepath.Base(file), err, word)
		}
	}
	if left := entries(t, l.dir); len(left) != 1 || working(t, l) != 0 {
		t.Errorf("left behind: %v, %d at work", left, working(t, l))
	}
}

// working is how many folders of things under way a library has.
func working(t *testing.T, l *Library) int {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(l.dir, "incoming", "process-*", "*"))
	if err != nil {
		t.Fatal(err)
	}
	return len(all) - 1 // its lock
}

// A second program that opens the same folder leaves alone what the first is bringing in.
func TestAnUploadUnderWayIsLeftAlone(t *testing.T) {
	l := library(t)
	a, err := l.Receive("voice.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	raw, _ := os.ReadFile(outside.Voices(t)[0])
	a.Write(raw[:1000])
	other, err := OpenLibrary(l.dir)
	if err != nil {
		t.Fatal(err)
	}
	a.Write(raw[1000:])
	if _, err := a.Keep(context.Background(), 48000, timecode.F25); err != nil {
		t.Error(err)
	}
	if err := other.Close(); err != nil {
		t.Error(err)
	}
}

func TestPeaksAreTheExtremesOfTheSamples(t *testing.T) {
	l := library(t)
	file := made(t, "noise.wav", "-f", "lavfi", "-i", "anoisesrc=d=30:r=48000:a=0.7:s=3", "-ac", "2", "-c:a", "pcm_s24le")
	info, err := keep(t, l, file, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	b := outside.Decode(t, file, 2)
	for _, step := range peaks.Steps {
		for tile := int64(0); tile*peaks.TileBins*step < b.Len(); tile += 1 + 100/step {
			raw, err := l.Peaks(info.ID, 48000, step, tile)
			if err != nil {
				t.Fatal(err)
			}
			for i := int64(0); i < peaks.TileBins; i += 17 {
				from := (tile*peaks.TileBins + i) * step
				low, high := 0.0, 0.0
				if from < b.Len() {
					low, high = math.Inf(1), math.Inf(-1)
				}
				for s := from; s < min(from+step, b.Len()); s++ {
					low, high = min(low, b[0][s], b[1][s]), max(high, b[0][s], b[1][s])
				}
				gotLow, gotHigh := int16(binary.LittleEndian.Uint16(raw[4*i:])), int16(binary.LittleEndian.Uint16(raw[4*i+2:]))
				if math.Abs(float64(gotLow)-low*32767) > 0.51 || math.Abs(float64(gotHigh)-high*32767) > 0.51 {
					t.Fatalf(
						"step %d, tile %d, bin %d: %d..%d, want %.1f..%.1f",
						step,
						tile,
						i,
						gotLow,
						gotHigh,
						low*32767,
						high*32767,
					)
				}
			}
		}
	}
	if _, err := l.Peaks(info.ID, 48000, 100, 0); err == nil {
		t.Error("a zoom that does not exist was answered")
	}
}

// Every frame of the test film is one grey, which is its number: the strips must show it at its place.
func TestPictureStripsShowEveryFrameAtItsPlace(t *testing.T) {
	l := library(t)
	file := made(
		t,
		"greys.mkv",
		"-f",
		"lavfi",
		"-i",
		"color=black:s=256x144:r=25:d=4,format=gray,geq=lum='16+2*N'",
		"-c:v",
		"ffv1",
	)
	info, err := keep(t, l, file, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	if n := info.Frames(timecode.F25); n != 100 || info.Rate != 0 {
		t.Fatalf("%d frames and sound at %d Hz, want 100 and none", n, info.Rate)
	}
	for _, frame := range []int{0, 1, 7, 8, 63, 64, 99} {
		x, y := frame%64%SheetColumns*PictureWidth, frame%64/SheetColumns*PictureHeight
		out := filepath.Join(t.TempDir(), "one.gray")
		outside.Run(
			t,
			"ffmpeg",
			"-v",
			"error",
			"-i",
			l.Sheet(info.ID, timecode.F25, frame/64),
			"-vf",
			"crop=8:8:"+strconv.Itoa(x+100)+":"+strconv.Itoa(y+60)+",format=gray",
			"-f",
			"rawvideo",
			out,
		)
		raw, _ := os.ReadFile(out)
		if got := float64(raw[0]); math.Abs(got-float64(16+2*frame)) > 4 {
			t.Errorf("frame %d is grey %.0f, want %d", frame, got, 16+2*frame)
		}
	}
}

func TestWrittenFilesAreWholeOrNotThere(t *testing.T) {
	dir := t.TempDir()
	for _, kind := range Kinds {
		path := filepath.Join(dir, "x."+kind.Ending)
		f, err := Create(path, 48000, 2, "", false)
		if err != nil {
			t.Fatal(err)
		}
		raw := make([]byte, f.Encoder.Size(48000))
		f.Encoder.Encode(raw, pcm.NewBlock(2, 48000), 0)
		f.Write(raw)
		if exists(path) {
			t.Errorf("%s has its name before it is whole", kind.Name)
		}
		f.Discard()
		if left := entries(t, dir); len(left) != 0 {
			t.Errorf("%s given up leaves %v", kind.Name, left)
		}
	}
	for name, depth := range map[string]string{"x.ogg": "", "x.wav": "20", "x.flac": "32f", "no such folder/x.wav": ""} {
		if f, err := Create(filepath.Join(dir, name), 48000, 2, depth, false); err == nil {
			f.Discard()
			t.Errorf("%s at %q was accepted", name, depth)
		}
	}
}

func TestWithoutFFmpegThereIsOneLineThatSaysSo(t *testing.T) {
	mp3 := made(t, "x.mp3", "-f", "lavfi", "-i", "sine=d=1")
	t.Setenv("PATH", t.TempDir())
	if _, err := Create(
		filepath.Join(t.TempDir(), "x.mp3"),
		48000,
		2,
		"",
		false,
	); err == nil ||
		!strings.Contains(err.Error(), "ffmpeg is not installed") {
		t.Errorf("writing MP3: %v", err)
	}
	if _, err := Open(
		context.Background(),
		mp3,
		48000,
	); err == nil ||
		!strings.Contains(err.Error(), "ffmpeg is not installed") {
		t.Errorf("reading MP3: %v", err)
	}
	// What needs none works on.
	if w, err := Open(context.Background(), outside.Voices(t)[0], 48000); err != nil {
		t.Error(err)
	} else {
		w.Close()
	}
}
