package media

import (
	"context"
	"fmt"
	"math"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// tone is a sine at -6 dBFS in both channels.
func tone(rate int, hz float64, n int64) pcm.Block {
	b := pcm.NewBlock(2, n)
	for c := range b {
		for i := range b[c] {
			b[c][i] = 0.5 * math.Sin(2*math.Pi*hz*float64(i)/float64(rate))
		}
	}
	return b
}

// Every kind is written in its forms, and ffmpeg reads of each the sound that was given: exactly where samples are
// kept, else as loud, as long and at the same rate.
func TestEveryKindOfFileHoldsTheSound(t *testing.T) {
	dir := t.TempDir()
	for _, kind := range Kinds {
		for _, form := range []Form{
			{Rate: 48000, Channels: 1}, {Rate: 44100, Channels: 2}, {Rate: 48000, Channels: 2, KBits: 96},
		} {
			path := filepath.Join(dir, "x."+kind.Ending)
			if form.Check(path) != nil {
				continue
			}
			sound := pcm.InChannels(tone(form.Rate, 997, int64(form.Rate)), form.Channels)
			f, err := CreateAs(path, form)
			if err != nil {
				t.Fatal(err)
			}
			if err := f.Copy(pcm.Memory{Sound: sound, Rate: form.Rate}, pcm.Span{To: sound.Len()}); err != nil {
				t.Fatal(err)
			}
			if err := f.Close(); err != nil {
				t.Fatal(err)
			}
			said := outside.Run(t, "ffprobe", "-v", "error", "-show_entries", "stream=sample_rate,channels", "-of", "csv=p=0",
				path)
			if want := fmt.Sprintf("%d,%d", form.Rate, form.Channels); strings.TrimSpace(said) != want {
				t.Errorf("%s: ffprobe reads %q, want %q", kind.Name, said, want)
			}
			got := outside.Decode(t, path, form.Channels)
			if len(kind.Depths) > 0 && got.Len() != sound.Len() || math.Abs(float64(got.Len()-sound.Len())) > 2500 {
				t.Errorf("%s has %d samples of %d", kind.Name, got.Len(), sound.Len())
			}
			power := 0.0
			mid := got[0][got.Len()/4 : got.Len()/2]
			for _, v := range mid {
				power += v * v / float64(len(mid))
			}
			near := 0.1
			if len(kind.Depths) == 0 && form.KBits > 0 {
				near = 0.6 // as few bits as that are heard
			}
			if db := 10 * math.Log10(power/0.125); math.Abs(db) > near {
				t.Errorf("%s at %d kbit/s is %.2f dB off", kind.Name, form.KBits, db)
			}
		}
	}
}

// What a kind cannot be is said, with what it can be.
func TestFormsThatAFileCannotHaveAreRefused(t *testing.T) {
	for _, x := range []struct {
		name string
		form Form
		want string
	}{
		{"x.ogg", Form{Rate: 48000},
			`x.ogg: cannot write files that end in ".ogg"; name it .wav, .flac, .mp3, .opus or .m4a`},
		{"x.wav", Form{Rate: 48000, Depth: "20"}, `depth "20" is not one of 16, 24, 32f`},
		{"x.flac", Form{Rate: 48000, Depth: "32f"},
			"x.flac: FLAC holds integers; choose a depth of 16 or 24, or WAV for 32f"},
		{"x.opus", Form{Rate: 44100},
			"x.opus: Opus files have 48000 samples a second, not 44100; choose another rate or kind"},
		{"x.mp3", Form{Rate: 96000},
			"x.mp3: MP3 files have 32000, 44100 or 48000 samples a second, not 96000; choose another rate or kind"},
		{"x.wav", Form{Rate: 48000, KBits: 128}, "x.wav: WAV keeps every sample, and has no bit rate to choose"},
		{"x.mp3", Form{Rate: 48000, KBits: 12}, "x.mp3: 12 kbit/s is no rate for MP3; 64 to 320 are"},
	} {
		if err := x.form.Check(x.name); err == nil || err.Error() != x.want {
			t.Errorf("%s: %v, want %q", x.name, err, x.want)
		}
	}
}

// A sine in the middle of the band is at another rate the sine that it is, but for -110 dB, and exactly as long as
// asked.
func TestASineIsTheSameSineAtAnotherRate(t *testing.T) {
	for _, rates := range [][2]int{{48000, 44100}, {48000, 96000}, {44100, 48000}, {96000, 48000}} {
		from, to := rates[0], rates[1]
		n := int64(from) + 77
		sound := tone(from, float64(min(from, to))*0.25, n)
		want := ResampledLength(n, from, to)
		out := pcm.NewBlock(2, want)
		r, err := NewResampler(context.Background(), from, to, 2, n, func(b pcm.Block, at int64) error {
			for c := range b {
				copy(out[c][at:], b[c])
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		raw := make([]byte, r.Encoder.Size(n))
		r.Encoder.Encode(raw, sound, 0)
		for len(raw) > 0 {
			k := min(len(raw), 10000)
			if _, err := r.Write(raw[:k]); err != nil {
				t.Fatal(err)
			}
			raw = raw[k:]
		}
		if err := r.Close(); err != nil {
			t.Fatal(err)
		}
		expected := tone(to, float64(min(from, to))*0.25, want)
		worst := 0.0
		for i := want / 4; i < want*3/4; i++ {
			worst = max(worst, math.Abs(out[1][i]-expected[1][i]))
		}
		if db := 20 * math.Log10(worst/0.5); db > -110 {
			t.Errorf("%d to %d: %.1f dB from the sine itself", from, to, db)
		}
	}
}

// Work that is stopped, or whose taker fails, ends.
func TestChangingARateEndsWhenItIsStopped(t *testing.T) {
	broken := fmt.Errorf("no room")
	r, err := NewResampler(context.Background(), 48000, 44100, 1, 1<<40, func(pcm.Block, int64) error { return broken })
	if err != nil {
		t.Fatal(err)
	}
	raw := make([]byte, 1<<20)
	for err == nil {
		_, err = r.Write(raw)
	}
	if err := r.Close(); err != broken {
		t.Errorf("it ends with %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	r, err = NewResampler(ctx, 48000, 44100, 1, 1<<40, func(pcm.Block, int64) error { return nil })
	if err != nil {
		t.Fatal(err)
	}
	cancel()
	for err == nil {
		_, err = r.Write(raw)
	}
	r.Discard()
}
