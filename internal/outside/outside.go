// Package outside has what tests compare with: programs that are not ours, and recordings of real voices.
package outside

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"

	"blendseam/core/sound/pcm"
)

// Run runs a program and gives what it printed on both outputs.
func Run(t testing.TB, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
	return string(out)
}

var decoded sync.Map // pcm.Block by what was asked of ffmpeg

// Decode reads a sound file with ffmpeg, as doubles at the file's own rate. filters are ffmpeg's arguments ahead of
// the output.
func Decode(t testing.TB, file string, channels int, filters ...string) pcm.Block {
	t.Helper()
	return DecodeAll(t, []string{file}, channels, filters...)[0]
}

// DecodeAll reads several with one start of ffmpeg. What is installed is read once.
func DecodeAll(t testing.TB, files []string, channels int, filters ...string) []pcm.Block {
	t.Helper()
	list := make([]pcm.Block, len(files))
	key := func(file string) string { return fmt.Sprint(file, channels, filters) }
	var missing []int
	var inputs, outputs []string
	dir := t.TempDir()
	to := func(n int) string { return filepath.Join(dir, strconv.Itoa(n)+".f64") }
	for i, f := range files {
		if b, known := decoded.Load(key(f)); known {
			list[i] = b.(pcm.Block).Clone()
			continue
		}
		inputs = append(inputs, "-i", f)
		outputs = append(append(append(outputs, "-map", strconv.Itoa(len(missing))+":a"), filters...), "-f", "f64le",
			to(len(missing)))
		missing = append(missing, i)
	}
	if len(missing) > 0 {
		Run(t, "ffmpeg", append(append([]string{"-nostdin", "-v", "error"}, inputs...), outputs...)...)
	}
	for n, i := range missing {
		raw, err := os.ReadFile(to(n))
		if err != nil {
			t.Fatal(err)
		}
		if list[i] = doubles(raw, channels); strings.HasPrefix(files[i], "/usr/share/") {
			decoded.Store(key(files[i]), list[i].Clone())
		}
	}
	return list
}

func raw(t testing.TB, channels int, args ...string) pcm.Block {
	t.Helper()
	var out, complaint bytes.Buffer
	cmd := exec.Command("ffmpeg", args...)
	cmd.Stdout, cmd.Stderr = &out, &complaint
	if err := cmd.Run(); err != nil {
		t.Fatalf("ffmpeg %v: %v\n%s", args, err, complaint.String())
	}
	return doubles(out.Bytes(), channels)
}

// doubles are little-endian doubles, channels in turn, as a block.
func doubles(raw []byte, channels int) pcm.Block {
	b := pcm.NewBlock(channels, int64(len(raw)/8/channels))
	for i := range b.Len() {
		for c := range b {
			at := 8 * (int(i)*channels + c)
			b[c][i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[at:]))
		}
	}
	return b
}

// Filter runs ffmpeg's filters over files and gives the result.
func Filter(t testing.TB, channels int, graph string, files ...string) pcm.Block {
	t.Helper()
	args := []string{"-v", "error"}
	for _, f := range files {
		args = append(args, "-i", f)
	}
	return raw(t, channels, append(args, "-filter_complex", graph, "-f", "f64le", "-")...)
}

// Sox runs a sound through effects of sox, and gives as much of the result.
func Sox(t testing.TB, b pcm.Block, rate int, effects ...string) pcm.Block {
	t.Helper()
	from := Written(t, b)
	to := filepath.Join(t.TempDir(), "out.f64")
	kind := []string{"-t", "f64", "-r", strconv.Itoa(rate), "-c", strconv.Itoa(len(b))}
	args := append(append([]string{"-V1"}, kind...), from)
	Run(t, "sox", append(append(append(args, kind...), to), effects...)...)
	raw, err := os.ReadFile(to)
	if err != nil {
		t.Fatal(err)
	}
	out := pcm.NewBlock(len(b), b.Len())
	for i := range out[0] {
		for c := range out {
			if at := 8 * (i*len(b) + c); at < len(raw) {
				out[c][i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[at:]))
			}
		}
	}
	return out
}

// FFmpeg runs a sound through a filter of ffmpeg.
func FFmpeg(t testing.TB, b pcm.Block, rate int, filter string) pcm.Block {
	t.Helper()
	return raw(t, len(b), "-v", "error", "-f", "f64le", "-ar", strconv.Itoa(rate), "-ac", strconv.Itoa(len(b)),
		"-i", Written(t, b), "-af", filter, "-f", "f64le", "-")
}

// Written is a file of a sound's doubles, without a head.
func Written(t testing.TB, b pcm.Block) string {
	t.Helper()
	var in bytes.Buffer
	for i := range b[0] {
		for _, ch := range b {
			in.Write(binary.LittleEndian.AppendUint64(nil, math.Float64bits(ch[i])))
		}
	}
	file := filepath.Join(t.TempDir(), "in.f64")
	if err := os.WriteFile(file, in.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// Voices are recorded voices from Debian's alsa-utils: 48 kHz, 16 bits, mono.
func Voices(t testing.TB) []string {
	t.Helper()
	files, _ := filepath.Glob("/usr/share/sounds/alsa/*_*.wav")
	if len(files) < 4 {
		t.Fatal("the voices of alsa-utils are not installed: apt-get install alsa-utils")
	}
	return files
}

// Repeated is a sound of n copies of a file one after the other, as WAV.
func Repeated(t testing.TB, file string, n int) string {
	t.Helper()
	to := filepath.Join(t.TempDir(), "repeated.wav")
	Run(t, "ffmpeg", "-v", "error", "-stream_loop", strconv.Itoa(n-1), "-i", file, to)
	return to
}

// Rooms are recordings of voices in real rooms, from Debian's codec2-examples and pocketsphinx-testdata. Tests of
// them are long, and skipped where they are not installed.
func Rooms(t testing.TB) []string {
	return installed(t, 8, "codec2-examples pocketsphinx-testdata",
		"/usr/share/codec2/wav/*.wav", "/usr/share/pocketsphinx/test/data/librivox/*.wav")
}

// ManyVoices are short recordings of many speakers of some twenty languages, from Debian's klettres-data.
func ManyVoices(t testing.TB) []string {
	return installed(t, 100, "klettres-data", "/usr/share/klettres/*/alpha/*.ogg", "/usr/share/klettres/*/syllab/*.ogg")
}

// Music is recorded music, from Debian's asc-music; none with -short, and where it is not installed.
func Music(t testing.TB) (files []string) {
	t.Helper()
	if !testing.Short() {
		files, _ = filepath.Glob("/usr/share/games/asc/music/*.ogg")
	}
	return files
}

func installed(t testing.TB, least int, packages string, patterns ...string) (files []string) {
	t.Helper()
	if testing.Short() {
		t.Skip("for make test-long")
	}
	for _, p := range patterns {
		more, _ := filepath.Glob(p)
		files = append(files, more...)
	}
	if len(files) < least {
		t.Skip("not installed: apt-get install " + packages)
	}
	return files
}

// Furthest is the largest difference between two blocks, and where it is; lengths must agree.
func Furthest(t testing.TB, a, b pcm.Block) (diff float64, at string) {
	t.Helper()
	if len(a) != len(b) || a.Len() != b.Len() {
		t.Fatalf("blocks of %d x %d and %d x %d samples", len(a), a.Len(), len(b), b.Len())
	}
	for c := range a {
		for i := range a[c] {
			if d := math.Abs(a[c][i] - b[c][i]); d > diff || math.IsNaN(d) {
				diff, at = d, fmt.Sprintf("channel %d sample %d: %g and %g", c, i, a[c][i], b[c][i])
			}
		}
	}
	return diff, at
}

// Same fails unless two blocks are bit for bit equal.
func Same(t testing.TB, what string, a, b pcm.Block) {
	t.Helper()
	if d, at := Furthest(t, a, b); d != 0 {
		t.Errorf("%s: differs by up to %g, %s", what, d, at)
	}
}
