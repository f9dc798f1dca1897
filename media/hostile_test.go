package media

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
)

// Playlists and manifests name other media; what they name is not read, whatever they are called, by no command.
func TestWhatNamesOtherMediaIsNotRead(t *testing.T) {
	dir := t.TempDir()
	secret := filepath.Join(dir, "secret.wav")
	raw, _ := os.ReadFile(outside.Voices(t)[0])
	os.WriteFile(secret, raw, 0o644)
	made(t, "x.ts", "-i", secret, "-c:a", "aac")
	segment := filepath.Join(dir, "secret.ts")
	outside.Run(t, "ffmpeg", "-v", "error", "-i", secret, "-c:a", "aac", segment)
	l := library(t)
	for name, text := range map[string]string{
		"list.m3u8": "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:5,\n" + segment + "\n#EXT-X-ENDLIST\n",
		"list.wav":  "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:5,\nfile://" + segment + "\n#EXT-X-ENDLIST\n",
		"list.mp4":  "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:5,\nhttp://127.0.0.1:1/x.ts\n#EXT-X-ENDLIST\n",
		"show.mpd": `<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="static" ` +
			`mediaPresentationDuration="PT5S"><Period><AdaptationSet mimeType="audio/mp4"><Representation id="1" ` +
			`bandwidth="1"><BaseURL>` + secret + `</BaseURL></Representation></AdaptationSet></Period></MPD>`,
		"list.ffcat":  "ffconcat version 1.0\nfile '" + secret + "'\n",
		"session.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 5004 RTP/AVP 0\n",
	} {
		file := filepath.Join(dir, name)
		os.WriteFile(file, []byte(text), 0o644)
		if info, err := keep(t, l, file, 48000, timecode.F25); err == nil {
			t.Errorf("%s was taken: %+v", name, info)
		}
		if r, err := Open(context.Background(), file, 48000); err == nil {
			t.Errorf("%s was opened, %d samples", name, r.Len())
			r.Close()
		}
	}
	// The same sound in a container of its own is.
	if _, err := keep(t, l, segment, 48000, timecode.F25); err != nil {
		t.Error(err)
	}
}

func TestAFileOutOfWhichTooMuchComesIsRefused(t *testing.T) {
	l := library(t)
	// Silence in blocks of 65535 samples: 25 minutes of it are a few kB.
	bomb := made(t, "bomb.flac", "-f", "lavfi", "-i", "anullsrc=r=48000:cl=stereo:d=1500", "-frame_size", "65535")
	info, _ := os.Stat(bomb)
	for _, rate := range []int64{48000, 44100} { // by us, and by ffmpeg
		_, err := keep(t, l, bomb, rate, timecode.F25)
		var grown *Grown
		if !errors.As(err, &grown) || grown.Name != "bomb.flac" || strings.Contains(err.Error(), "\n") {
			t.Errorf("%d bytes at %d Hz: %v", info.Size(), rate, err)
		}
	}
	// It says its length at its beginning, and is refused by that before a file is made.
	nowhere := filepath.Join(t.TempDir(), "no folder", "sound.wav")
	most := grown(bomb, info.Size())
	for how, err := range map[string]error{
		"by us":     conformFLAC(t.Context(), bomb, nowhere, 48000, most),
		"by ffmpeg": convert(t.Context(), bomb, nowhere, 44100, most),
	} {
		if early := new(Grown); !errors.As(err, &early) {
			t.Errorf("%s: %v", how, err)
		}
	}
	large := made(t, "large.mp4", "-f", "lavfi", "-i", "color=gray:s=8194x16:d=0.2:r=25", "-pix_fmt", "yuv420p")
	if _, err := keep(t, l, large, 48000, timecode.F25); err == nil || !strings.Contains(err.Error(), "8194 x 16 pixels") {
		t.Errorf("a picture 8194 wide: %v", err)
	}
	if working(t, l) != 0 {
		t.Error("something was left behind")
	}
}

// floats writes a WAV file of 32-bit floats.
func floats(t *testing.T, name string, rate int, b pcm.Block) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	f, err := CreateWAV(path, pcm.Encoder{Format: pcm.Format{Rate: rate, Channels: len(b), Bits: 32, Float: true}})
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Copy(pcm.Memory{Rate: rate, Sound: b}, pcm.Span{To: b.Len()}); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

func sines(channels int, rate int) pcm.Block {
	b := pcm.NewBlock(channels, int64(rate))
	for c := range b {
		for i := range b[c] {
			b[c][i] = 0.2 * math.Sin(2*math.Pi*float64(100+c)*float64(i)/float64(rate))
		}
	}
	return b
}

// A sample that is no number is silence, is counted, and spoils nothing around it, at another rate either.
func TestSamplesThatAreNoneAreSilenceAndCounted(t *testing.T) {
	clean := sines(2, 48000)
	bad := pcm.NewBlock(2, 48000)
	for c := range bad {
		copy(bad[c], clean[c])
	}
	for i, v := range []float64{math.NaN(), math.Inf(1), math.Inf(-1), 1e30} {
		bad[i%2][1000+5000*i] = v
		clean[i%2][1000+5000*i] = 0
	}
	l := library(t)
	for _, rate := range []int64{48000, 44100} {
		info, err := keep(t, l, floats(t, "bad.wav", 48000, bad), rate, timecode.F25)
		if err != nil || info.Damaged != 4 {
			t.Fatalf("%v, %d damaged samples, want 4", err, info.Damaged)
		}
		want, err := keep(t, l, floats(t, "clean.wav", 48000, clean), rate, timecode.F25)
		if err != nil || want.Damaged != 0 {
			t.Fatal(err, want.Damaged)
		}
		var sound [2]pcm.Block
		for i, id := range []string{info.ID, want.ID} {
			r, err := l.Sound(id, rate)
			if err != nil {
				t.Fatal(err)
			}
			if sound[i], err = pcm.Read(r, pcm.Span{To: r.Len()}); err != nil {
				t.Fatal(err)
			}
			r.Close()
		}
		if d, at := outside.Furthest(t, sound[0], sound[1]); !(d < 1e-7) {
			t.Errorf("at %d Hz: off by %g, %s", rate, d, at)
		}
	}
	// In a file of another kind, which ffmpeg reads.
	file := made(t, "bad.w64", "-i", floats(t, "bad.wav", 48000, bad), "-c:a", "pcm_f32le")
	if info, err := keep(t, l, file, 48000, timecode.F25); err != nil || info.Damaged == 0 {
		t.Errorf("%v, %d damaged samples", err, info.Damaged)
	}
}

// Recorders write a file of as many channels as there are microphones. The mean of all is what one hears of it.
func TestPolyphonicFilesOfAnyNumberOfChannels(t *testing.T) {
	l := library(t)
	for _, n := range []int{3, 8, 31, 64} {
		all := sines(n, 48000)
		mean := pcm.NewBlock(1, 48000)
		for _, ch := range all {
			for i, v := range ch {
				mean[0][i] += v / float64(n)
			}
		}
		for _, rate := range []int64{48000, 44100}[:1+n%2] {
			info, err := keep(t, l, floats(t, "poly.wav", 48000, all), rate, timecode.F25)
			if err != nil || info.Channels != n {
				t.Fatalf("%d channels at %d: %v, %+v", n, rate, err, info)
			}
			r, err := l.Sound(info.ID, rate)
			if err != nil {
				t.Fatal(err)
			}
			b, err := pcm.Read(r, pcm.Span{To: r.Len()})
			if err != nil || len(b) != 1 || rate == 48000 && b.Len() != 48000 {
				t.Fatalf("%d channels at %d: %v, %d channels, %d samples", n, rate, err, len(b), b.Len())
			}
			if rate == 48000 {
				if d, at := outside.Furthest(t, b, mean); d > 1e-6 {
					t.Errorf("%d channels: off by %g, %s", n, d, at)
				}
			}
			r.Close()
		}
	}
	var head bytes.Buffer // 65 channels
	for _, v := range []any{[]byte("RIFF"), uint32(36 + 130), []byte("WAVEfmt "), uint32(16), uint16(1), uint16(65),
		uint32(48000), uint32(48000 * 130), uint16(130), uint16(16), []byte("data"), uint32(130), make([]byte, 130)} {
		binary.Write(&head, binary.LittleEndian, v)
	}
	file := filepath.Join(t.TempDir(), "many.wav")
	os.WriteFile(file, head.Bytes(), 0o644)
	if _, err := keep(
		t,
		l,
		file,
		48000,
		timecode.F25,
	); err == nil ||
		!strings.Contains(err.Error(), "65 channels; 1 to 64") {
		t.Errorf("65 channels: %v", err)
	}
}

func TestALibraryMayLieInAFolderOfAnyName(t *testing.T) {
	t.Chdir(t.TempDir())
	l, err := OpenLibrary("a b [c] %d é") // as it is by default, from where the program runs
	if err != nil {
		t.Fatal(err)
	}
	film := made(
		t,
		"film %03d [x].mp4",
		"-f",
		"lavfi",
		"-i",
		"testsrc=d=4:s=320x180:r=25",
		"-f",
		"lavfi",
		"-i",
		"sine=d=4",
		"-pix_fmt",
		"yuv420p",
	)
	info, err := keep(t, l, film, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	for sheet := range 2 {
		if _, err := os.Stat(l.Sheet(info.ID, timecode.F25, sheet)); err != nil {
			t.Error(err)
		}
	}
	if err := l.Prepare(context.Background(), info, 44100, timecode.F24); err != nil {
		t.Error(err)
	}
	if _, err := l.Sound(info.ID, 44100); err != nil {
		t.Error(err)
	}
	if _, err := l.Original(info.ID); err != nil {
		t.Error(err)
	}
	for _, id := range []string{"../../etc", "", "none", strings.Repeat("a", 16) + "/..", "%2e%2e"} {
		if _, err := l.Sound(id, 48000); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%q is taken for an id: %v", id, err)
		}
	}
}

// Where the disk is nearly full, what is brought in is refused with figures, and nothing of it stays.
func TestAFullDiskIsSaidToBeFull(t *testing.T) {
	l := library(t)
	was := free
	defer func() { free = was }()
	left := int64(limit.ReserveBytes + 1)
	free = func(string) (int64, error) { return left, nil }
	voice := outside.Voices(t)[0]
	a, err := l.Receive("long.wav")
	if err != nil {
		t.Fatal(err)
	}
	left = 100 << 20
	for i := 0; err == nil && i < 100; i++ {
		_, err = a.Write(make([]byte, 1<<20))
	}
	a.Close()
	for what, err := range map[string]error{"while it comes": err,
		"before it comes": func() error { _, err := l.Receive("x.wav"); return err }(),
		"converting":      Conform(context.Background(), voice, filepath.Join(t.TempDir(), "x.wav"), 44100)} {
		var none *DiskFull
		if !errors.As(err, &none) ||
			err.Error() != "The disk is full: 100 MB are free, and 512 MB are kept so that no edit is lost. Free some "+
				"space, then do it again." {
			t.Errorf("%s: %v", what, err)
		}
	}
	if working(t, l) != 0 {
		t.Error("something was left behind")
	}
	if err := full(
		fmt.Errorf("writing: %w", syscall.ENOSPC),
	); err.Error() != "The disk is full. Free some space, then do it again." {
		t.Error(err)
	}
}

// A pipe that nobody writes to would be waited for for ever.
func TestAPipeIsNoRecording(t *testing.T) {
	pipe := filepath.Join(t.TempDir(), "pipe.wav")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(context.Background(), pipe, 0); err == nil || !strings.Contains(err.Error(), "pipe") {
		t.Error(err)
	}
	if _, err := ProbeFile(context.Background(), pipe); err == nil {
		t.Error("a pipe was asked what it holds")
	}
}
