package flac

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/internal/outside"
)

func decode(t testing.TB, raw []byte) (pcm.Block, error) {
	t.Helper()
	d, err := NewDecoder(bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	all := make(pcm.Block, d.Format().Channels)
	for {
		b, err := d.Next()
		if err == io.EOF {
			return all, nil
		}
		if err != nil {
			return nil, err
		}
		for c := range all {
			all[c] = append(all[c], b[c]...)
		}
	}
}

func encode(t testing.TB, f pcm.Format, b pcm.Block) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.flac")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	w, err := NewWriter(file, f)
	if err != nil {
		t.Fatal(err)
	}
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

func TestVoicesGoThroughFLACBitForBit(t *testing.T) {
	for _, voice := range outside.Voices(t) {
		r, err := wav.Open(voice)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
		b, err := pcm.Read(r, pcm.Span{To: r.Len()})
		if err != nil {
			t.Fatal(err)
		}
		for _, bits := range []int{16, 24} {
			path := encode(t, pcm.Format{Rate: 48000, Channels: 1, Bits: bits}, b)
			outside.Same(t, "written here, read by ffmpeg", b, outside.Decode(t, path, 1))
			outside.Run(t, "sox", path, "-n", "stat") // sox reads it too, checksum and all
			raw, _ := os.ReadFile(path)
			ours, err := decode(t, raw)
			if err != nil {
				t.Fatal(err)
			}
			outside.Same(t, "written and read here", b, ours)
			if plain, _ := os.Stat(voice); bits == 16 && int64(len(raw)) > plain.Size()*9/10 {
				t.Errorf("%s: %d bytes of FLAC for %d of WAV", voice, len(raw), plain.Size())
			}
		}
	}
}

func TestFilesOfFFmpegAndSoxRead(t *testing.T) {
	for _, writer := range []string{"ffmpeg", "sox"} {
		for _, bits := range []int{16, 24} {
			for channels := 1; channels <= 2; channels++ {
				t.Run(fmt.Sprint(writer, bits, channels), func(t *testing.T) {
					path := filepath.Join(t.TempDir(), "x.flac")
					if writer == "sox" {
						outside.Run(
							t,
							"sox",
							"-R",
							"-n",
							"-r",
							"44100",
							"-c",
							fmt.Sprint(channels),
							"-b",
							fmt.Sprint(bits),
							path,
							"synth",
							"0.3",
							"brownnoise",
							"synth",
							"0.3",
							"sine",
							"mix",
							"440",
						)
					} else {
						format := map[int]string{16: "s16", 24: "s32"}[bits]
						outside.Run(
							t,
							"ffmpeg",
							"-v",
							"error",
							"-f",
							"lavfi",
							"-i",
							"anoisesrc=d=0.3:c=pink:r=44100:s=1",
							"-ac",
							fmt.Sprint(channels),
							"-sample_fmt",
							format,
							"-c:a",
							"flac",
							path,
						)
					}
					raw, _ := os.ReadFile(path)
					ours, err := decode(t, raw)
					if err != nil {
						t.Fatal(err)
					}
					outside.Same(t, path, ours, outside.Decode(t, path, channels))
				})
			}
		}
	}
}

func TestDamageIsFound(t *testing.T) {
	r, _ := wav.Open(outside.Voices(t)[0])
	defer r.Close()
	b, _ := pcm.Read(r, pcm.Span{To: r.Len()})
	whole, _ := os.ReadFile(encode(t, pcm.Format{Rate: 48000, Channels: 1, Bits: 16}, b))
	if _, err := decode(t, []byte("RIFFxxxxWAVE")); !errors.Is(err, ErrNotFLAC) {
		t.Errorf("a WAV header: %v", err)
	}
	if _, err := decode(t, whole[:len(whole)*2/3]); err == nil || !strings.Contains(err.Error(), "truncated") {
		t.Errorf("cut short: %v", err)
	}
	bad := bytes.Clone(whole)
	bad[len(bad)/2] ^= 0x10
	if _, err := decode(t, bad); err == nil {
		t.Error("a turned bit was not noticed")
	}
}

func TestWhatFLACCannotHoldIsRefused(t *testing.T) {
	for _, f := range []pcm.Format{{Rate: 48000, Channels: 1, Bits: 32, Float: true},
		{Rate: 48000, Channels: 3, Bits: 16}, {Rate: 48000, Channels: 1, Bits: 8}} {
		if _, err := NewWriter(nil, f); err == nil {
			t.Errorf("%s was accepted", f)
		}
	}
}

// FuzzDecoder feeds damaged files to the decoder.
func FuzzDecoder(f *testing.F) {
	for _, bits := range []int{16, 24} {
		b := pcm.NewBlock(2, 300)
		for i := range b[0] {
			b[0][i], b[1][i] = float64(i%17)/40, -float64(i%5)/9
		}
		raw, _ := os.ReadFile(encode(f, pcm.Format{Rate: 48000, Channels: 2, Bits: bits}, b))
		f.Add(raw)
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		d, err := NewDecoder(bytes.NewReader(raw))
		if err != nil {
			return
		}
		for n := 0; n < 1000; n++ {
			b, err := d.Next()
			if err != nil {
				return
			}
			// A constant frame of 65535 samples in 8 channels can be a dozen bytes long.
			if b.Len() > 65536 || len(b) > 8 {
				t.Fatalf("a frame of %d samples in %d channels", b.Len(), len(b))
			}
		}
	})
}
