package wav

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

func noise(channels int, n int64) pcm.Block {
	r := rand.New(rand.NewPCG(1, 2))
	b := pcm.NewBlock(channels, n)
	for c := range b {
		for i := range b[c] {
			b[c][i] = r.Float64()*1.9 - 0.95
		}
	}
	return b
}

func write(t testing.TB, f pcm.Format, b pcm.Block, bext *Bext) string {
	t.Helper()
	return writeLong(t, f, b, bext, unknownSize)
}

// writeLong writes a file as if sizes had no room from long on.
func writeLong(t testing.TB, f pcm.Format, b pcm.Block, bext *Bext, long int64) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.wav")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	w, err := NewWriter(file, f, bext)
	if err != nil {
		t.Fatal(err)
	}
	w.long = long
	e := pcm.Encoder{Format: f}
	raw := make([]byte, e.Size(b.Len()))
	e.Encode(raw, b, 0)
	if _, err := w.Write(raw); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

func read(t testing.TB, path string) (*Reader, pcm.Block) {
	t.Helper()
	r, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { r.Close() })
	b, err := pcm.Read(r, pcm.Span{To: r.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return r, b
}

var formats = []pcm.Format{
	{Rate: 44100, Channels: 1, Bits: 16},
	{Rate: 48000, Channels: 2, Bits: 16},
	{Rate: 48000, Channels: 2, Bits: 24},
	{
		Rate:     96000,
		Channels: 1,
		Bits:     24,
	},
	{Rate: 48000, Channels: 2, Bits: 32},
	{Rate: 48000, Channels: 1, Bits: 32, Float: true},
}

func TestWrittenFilesReadTheSameHereAndInFFmpeg(t *testing.T) {
	for _, f := range formats {
		t.Run(f.String(), func(t *testing.T) {
			path := write(t, f, noise(f.Channels, 5003), nil)
			r, ours := read(t, path)
			if r.Format() != f {
				t.Errorf("format %v, want %v", r.Format(), f)
			}
			outside.Same(t, "our reading and ffmpeg's", ours, outside.Decode(t, path, f.Channels))
		})
	}
}

// sox writes WAVE_FORMAT_EXTENSIBLE for 24 and 32 bits and for more than two channels.
func TestFilesOfSoxReadAsInFFmpeg(t *testing.T) {
	for _, kind := range [][]string{{"-b", "16"}, {"-b", "24"}, {"-b", "32"}, {"-b", "32", "-e", "floating-point"},
		{"-b", "64", "-e", "floating-point"}, {"-b", "8", "-e", "unsigned-integer"}} {
		for channels := 1; channels <= 3; channels++ {
			t.Run(fmt.Sprint(kind, channels), func(t *testing.T) {
				path := filepath.Join(t.TempDir(), "x.wav")
				args := append([]string{"-D", "-R", "-n", "-r", "48000", "-c", fmt.Sprint(channels)}, kind...)
				outside.Run(t, "sox", append(args, path, "synth", "0.1", "pinknoise", "gain", "-6")...)
				_, ours := read(t, path)
				outside.Same(t, "sox's file", ours, outside.Decode(t, path, channels))
			})
		}
	}
}

func TestRealVoicesReadAsInFFmpegFromAnywhere(t *testing.T) {
	for _, path := range outside.Voices(t) {
		r, ours := read(t, path)
		outside.Same(t, path, ours, outside.Decode(t, path, 1))
		part, err := pcm.Read(r, pcm.Span{From: -100, To: 1000})
		if err != nil {
			t.Fatal(err)
		}
		outside.Same(t, path+" from before its start", part.Slice(100, 1100), ours.Slice(0, 1000))
		for _, v := range part[0][:100] {
			if v != 0 {
				t.Fatal("what lies before a recording is not silence")
			}
		}
	}
}

func TestTimeReferenceOfABroadcastWaveFileOfFFmpeg(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.wav")
	// 10:00:00 at 48 kHz; EBU Tech 3285 counts samples since midnight.
	outside.Run(
		t,
		"ffmpeg",
		"-v",
		"error",
		"-i",
		outside.Voices(t)[0],
		"-write_bext",
		"1",
		"-metadata",
		"time_reference=1728000000",
		path,
	)
	r, _ := read(t, path)
	if r.Bext == nil || r.Bext.TimeReference != 1728000000 {
		t.Errorf("bext %+v, want a time reference of 1728000000", r.Bext)
	}
	ours := write(
		t,
		pcm.Format{Rate: 48000, Channels: 1, Bits: 16},
		noise(1, 100),
		&Bext{TimeReference: 1728000000, Description: "scene 3"},
	)
	said := outside.Run(t, "ffprobe", "-v", "error", "-show_entries", "format_tags", ours)
	if !strings.Contains(said, "time_reference=1728000000") {
		t.Errorf("ffprobe finds no time reference in ours: %s", said)
	}
}

func TestOddChunksAreSkipped(t *testing.T) {
	raw, err := os.ReadFile(outside.Voices(t)[0])
	if err != nil {
		t.Fatal(err)
	}
	// A chunk of 5 bytes, padded to 6, between the format and the sound.
	data := bytes.Index(raw, []byte("data"))
	odd := append([]byte("note\x05\x00\x00\x00hello\x00"), raw[data:]...)
	all := append(append([]byte{}, raw[:data]...), odd...)
	binary.LittleEndian.PutUint32(all[4:], uint32(len(all)-8))
	path := filepath.Join(t.TempDir(), "odd.wav")
	os.WriteFile(path, all, 0o644)
	_, plain := read(t, outside.Voices(t)[0])
	_, ours := read(t, path)
	outside.Same(t, "with an odd chunk", ours, plain)
}

func TestLongFilesBecomeRF64(t *testing.T) {
	f := pcm.Format{Rate: 48000, Channels: 2, Bits: 24}
	path := writeLong(t, f, noise(2, 5000), nil, 10_000) // bytes, in place of 4 GiB
	raw, _ := os.ReadFile(path)
	if string(raw[:4]) != "RF64" || string(raw[12:16]) != "ds64" {
		t.Fatalf("begins %q ... %q, want RF64 ... ds64 (EBU Tech 3306)", raw[:4], raw[12:16])
	}
	_, ours := read(t, path)
	outside.Same(t, "RF64 here and in ffmpeg", ours, outside.Decode(t, path, 2))
}

// A file of 5 GiB that lies on the disk as one hole.
func TestReadsBeyondFourGiB(t *testing.T) {
	small := write(t, pcm.Format{Rate: 48000, Channels: 2, Bits: 24}, noise(2, 100), nil)
	raw, _ := os.ReadFile(small)
	data := bytes.Index(raw, []byte("data"))
	n := int64(5<<30) / 6 * 6
	head := append([]byte{}, raw[:data+8]...)
	copy(head[0:], "RF64")
	binary.LittleEndian.PutUint32(head[4:], math.MaxUint32)
	junk := bytes.Index(head, []byte("JUNK"))
	copy(head[junk:], "ds64")
	binary.LittleEndian.PutUint64(head[junk+8:], uint64(int64(len(head))+n-8))
	binary.LittleEndian.PutUint64(head[junk+16:], uint64(n))
	binary.LittleEndian.PutUint64(head[junk+24:], uint64(n/6))
	binary.LittleEndian.PutUint32(head[data+4:], math.MaxUint32)
	path := filepath.Join(t.TempDir(), "long.wav")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	file.Write(head)
	if err := file.Truncate(int64(len(head)) + n); err != nil {
		t.Skip("this disk cannot hold a file with a hole")
	}
	file.WriteAt([]byte{0, 0, 0x40, 0, 0, 0xC0}, int64(len(head))+n-6) // the last moment: 0.5 and -0.5
	r, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	if r.Len() != n/6 {
		t.Fatalf("%d samples, want %d", r.Len(), n/6)
	}
	b, err := pcm.Read(r, pcm.Span{From: r.Len() - 2, To: r.Len() + 1})
	if err != nil {
		t.Fatal(err)
	}
	if b[0][1] != 0.5 || b[1][1] != -0.5 || b[0][0] != 0 || b[0][2] != 0 {
		t.Errorf("last samples %v", b)
	}
}

func TestDamagedFilesAreRefusedInOneLine(t *testing.T) {
	raw, _ := os.ReadFile(outside.Voices(t)[0])
	for name, bad := range map[string][]byte{
		"empty": {}, "not a WAV": []byte("words and more words, no sound at all in them"),
		"header alone": raw[:44], "cut short": raw[:len(raw)/2],
		"no format": append([]byte("RIFF\x10\x00\x00\x00WAVE"), raw[36:]...),
	} {
		_, err := NewReader(bytes.NewReader(bad), int64(len(bad)))
		if err == nil || strings.Contains(err.Error(), "\n") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// FuzzOpen feeds damaged files to the reader: it must not crash, hang, or ask for more memory than the file has.
func FuzzOpen(f *testing.F) {
	for _, format := range formats {
		raw, _ := os.ReadFile(write(f, format, noise(format.Channels, 40), &Bext{TimeReference: 5}))
		f.Add(raw)
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		r, err := NewReader(bytes.NewReader(raw), int64(len(raw)))
		if err != nil {
			return
		}
		if r.Len() > int64(len(raw)) || r.Format().Channels > len(raw) {
			t.Fatalf("%d bytes hold %d samples of %d channels", len(raw), r.Len(), r.Format().Channels)
		}
		b := pcm.NewBlock(r.Format().Channels, min(64, r.Len()))
		if err := r.ReadSamplesAt(b, max(0, r.Len()-64)); err != nil && err != io.EOF {
			t.Logf("reading: %v", err)
		}
	})
}
