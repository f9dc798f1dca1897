package main

import (
	"encoding/json"
	"math"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/level"
	"blendseam/core/pcm"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

func TestLevelBringsVoicesToOneLoudness(t *testing.T) {
	s := seamtest.New(t)
	at := 0.0
	for i, db := range []float64{-5, -1, -15} {
		word := roomtest.Words(t)[0]
		sound := make([]float64, len(word)+2*48000)
		for k, v := range word {
			sound[48000+k] = v * level.Amplitude(db)
		}
		s.Lay([]string{"a", "b", "c"}[i], pcm.Block{sound}, at)
		at = float64(s.Scene.Length()) / 48000
	}
	file, out := s.File(), filepath.Join(t.TempDir(), "out.otio")
	code, stdout, stderr := blendseam(t, "level", file, "-o", out, "--voices", "median", "--json")
	var told struct {
		Target float64 `json:"target_lufs"`
		Voices []struct {
			Clip   string
			GainDB float64 `json:"gain_db"`
			Ticked bool
			Why    string
		}
	}
	if code != 0 || json.Unmarshal([]byte(stdout), &told) != nil || len(told.Voices) != 3 {
		t.Fatal(code, stdout, stderr)
	}
	if v := told.Voices; math.Abs(v[1].GainDB+4) > 0.11 || v[0].Ticked || v[2].Ticked || v[2].Why == "" {
		t.Errorf("%+v", told)
	}
	// and again: nothing is left to do but what is left to the editor
	code, stdout, stderr = blendseam(t, "level", out, "-o", out, "--voices", "median")
	if code != 0 || strings.Count(stdout, "left as it is") != 3 {
		t.Errorf("%d %s %s", code, stdout, stderr)
	}
	for _, c := range []struct{ voices, want string }{
		{"loud", `"loud" is no loudness; a number of LUFS such as -24, or median, would work`},
		{"5", "voices can be brought to -60 to 0 LUFS, not to 5"},
	} {
		code, _, stderr := blendseam(t, "level", file, "-o", out, "--voices", c.voices)
		if code != exitFailed || !strings.Contains(stderr, c.want) || strings.Count(stderr, "\n") != 1 {
			t.Errorf("%s: %d %q", c.voices, code, stderr)
		}
	}
}
