package main

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// spokenFile writes recorded voices one after the other, each with a pause behind it, over noise that is hardly heard.
func spokenFile(t *testing.T, file string, gain float64, from, to int) {
	t.Helper()
	var all []float64
	for _, v := range outside.Voices(t)[from:to] {
		all = append(append(all, make([]float64, 24000)...), outside.Decode(t, v, 1)[0]...)
	}
	all = append(all, make([]float64, 24000)...)
	x := uint32(7)
	for i := range all {
		x = x*1664525 + 1013904223
		all[i] = gain*all[i] + (float64(x>>8)/(1<<24)-0.5)*2e-4*gain
	}
	writeSound(t, file, pcm.Block{all})
}

// A recording that is 14 dB softer and dull comes near another, and the words of it measure so by ffmpeg's ebur128.
func TestLikeBringsARecordingNearAnother(t *testing.T) {
	dir := t.TempDir()
	as, bright, dull, out := filepath.Join(dir, "as.wav"), filepath.Join(dir, "in.wav"), filepath.Join(dir, "dull.wav"),
		filepath.Join(dir, "out.wav")
	spokenFile(t, as, 0.5, 0, 3)
	spokenFile(t, bright, 0.1, 0, 3)
	outside.Run(t, "ffmpeg", "-v", "error", "-i", bright, "-af", "treble=f=2000:g=-8:t=q:w=0.5", "-c:a", "pcm_s24le", dull)
	code, stdout, stderr := blendseam(t, "like", dull, "--as", as, "-o", out, "--json")
	if code != 0 {
		t.Fatal(stderr)
	}
	var p struct {
		Before, After struct {
			LevelLU  float64 `json:"level_lu"`
			ColourDB float64 `json:"colour_db"`
		}
		Thirds []float64 `json:"thirds_db"`
	}
	if err := json.Unmarshal([]byte(stdout), &p); err != nil {
		t.Fatal(err)
	}
	if len(p.Thirds) != 19 || p.Before.LevelLU > -12 || p.Before.ColourDB < 2 || math.Abs(p.After.LevelLU) > 0.3 ||
		p.After.ColourDB > 1 {
		t.Errorf("it says %s", stdout)
	}
	loudness := func(file string) float64 {
		return measure.LoudnessOf(outside.Decode(t, file, 1), 48000).IntegratedLUFS
	}
	if by := loudness(out) - loudness(as); math.Abs(by) > 0.5 {
		t.Errorf("it is %.2f LU louder than the other", by)
	}
	for _, c := range []struct{ args, want string }{
		{"like nobody.wav --as " + as + " -o " + out, "nobody.wav"},
		{"like " + dull + " --as " + as + " -o " + out + " --strength 300", "the strength is 0 to 100 per cent, not 300"},
	} {
		if code, _, stderr := blendseam(t, strings.Fields(c.args)...); code != 1 || !strings.Contains(stderr, c.want) {
			t.Errorf("%s: %d, %s", c.args, code, stderr)
		}
	}
	if _, err := os.Stat(out); err != nil {
		t.Error(err)
	}
}
