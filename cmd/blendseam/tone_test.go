package main

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/internal/outside"
	"blendseam/internal/room"
	"blendseam/media"
)

// writeSound writes a sound as a WAV file of 32-bit float.
func writeSound(t *testing.T, path string, b pcm.Block) {
	t.Helper()
	f, err := media.Create(path, 48000, len(b), "32f", true)
	if err != nil {
		t.Fatal(err)
	}
	raw := make([]byte, f.Encoder.Size(b.Len()))
	f.Encoder.Encode(raw, b, 0)
	if _, err := f.Write(raw); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
}

// spoken is a real voice (Debian's alsa-utils) over a modelled hall, with pauses.
func spoken(t *testing.T) pcm.Block {
	b := room.Kinds[3].Sound(48000*6, 48000, 1, 4)
	for i, v := range outside.Decode(t, outside.Voices(t)[0], 1)[0] {
		if at := 48000*2 + i; at < len(b[0]) {
			b[0][at] += v * 0.3
		}
	}
	return b
}

func TestToneOfARecording(t *testing.T) {
	dir := t.TempDir()
	source, out := filepath.Join(dir, "take.wav"), filepath.Join(dir, "tone.wav")
	b := spoken(t)
	writeSound(t, source, b)
	code, stdout, stderr := blendseam(t, "tone", source, "--length", "7.25", "-o", out, "--json")
	if code != 0 {
		t.Fatal(code, stderr)
	}
	var got struct {
		Found []struct {
			FromS   float64  `json:"from_s"`
			ToS     float64  `json:"to_s"`
			LevelDB float64  `json:"level_db"`
			Reasons []string `json:"reasons"`
		}
		LengthS float64 `json:"length_s"`
		LevelDB float64 `json:"level_db"`
		Method  string
	}
	if err := json.Unmarshal([]byte(stdout), &got); err != nil {
		t.Fatal(err, stdout)
	}
	if got.LengthS != 7.25 || got.Method != "grains" || len(got.Found) == 0 || len(got.Found[0].Reasons) == 0 {
		t.Errorf("%+v", got)
	}
	for _, f := range got.Found {
		if f.FromS < 3.3 && f.ToS > 2.05 {
			t.Errorf("%.2f to %.2f s lies in the voice", f.FromS, f.ToS)
		}
	}
	built := outside.Decode(t, out, 1)
	if built.Len() != 48000*29/4 {
		t.Errorf("%d samples", built.Len())
	}
	if d := measure.RMSDB(built) - measure.RMSDB(b.Slice(0, 48000*3/2)); math.Abs(d) > 1 {
		t.Errorf("the tone is %.2f dB off the room", d)
	}
	first, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	if code, _, stderr := blendseam(t, "tone", source, "--length", "7.25", "-o", out); code != 0 {
		t.Fatal(stderr)
	}
	if second, _ := os.ReadFile(out); string(first) != string(second) {
		t.Error("the same tone is another one the second time")
	}

	writeSound(t, source, b.Slice(48000*9/4, 48000*5/2)) // nothing but voice
	code, _, stderr = blendseam(t, "tone", source, "--length", "1", "-o", filepath.Join(dir, "none.wav"))
	if _, err := os.Stat(filepath.Join(dir, "none.wav")); code != 1 || !strings.Contains(stderr, "no stretch") || strings.Count(stderr, "\n") != 1 || err == nil {
		t.Errorf("exit %d: %s", code, stderr)
	}
	if code, _, stderr = blendseam(t, "tone", source, "--length=-1", "-o", filepath.Join(dir, "none.wav")); code != 1 || !strings.Contains(stderr, "--length") {
		t.Errorf("exit %d: %s", code, stderr)
	}
}
