package main

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
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

// The demo's tune makes way for the words that it drowns, and is as it was where nobody speaks; the scene file keeps
// how, so that the words are not looked for when it is rendered.
func TestLevelLetsMusicMakeWay(t *testing.T) {
	out := filepath.Join(t.TempDir(), "out.otio")
	code, stdout, stderr := blendseam(t, "level", demoScene, "-o", out, "--duck", "all", "--from", "01:01:00:00", "--json")
	var told struct {
		Phrases []struct {
			Drowned bool
			By      []string
		}
		Ducks []struct {
			Track string
			Under []string
			DB    float64
		}
	}
	if code != 0 || json.Unmarshal([]byte(stdout), &told) != nil || len(told.Ducks) == 0 {
		t.Fatal(code, stdout, stderr)
	}
	found := false
	for _, d := range told.Ducks {
		found = found || d.Track == "Music" && d.DB > 3
	}
	if !found {
		t.Errorf("the music does not make way: %+v", told.Ducks)
	}
	raw, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	for _, part := range []string{`"ducks"`, `"under"`, `"speech"`, `"words"`} {
		if !strings.Contains(string(raw), part) {
			t.Errorf("the scene file has no %s", part)
		}
	}
	code, stdout, _ = blendseam(t, "level", out, "-o", out, "--duck", "Music", "--under", "Dialogue", "--by", "5",
		"--from", "01:01:00:00")
	if code != 0 || !strings.Contains(stdout, "Music makes way for the words of Dialogue by 5.0 dB") {
		t.Errorf("%d %s", code, stdout)
	}
	for _, c := range []struct{ args, want string }{
		{"", "nothing is asked for; --voices LUFS, --voices median, --duck TRACK or --duck all would work"},
		{"--under Dialogue", "--under, --by and --margin say how tracks make way; name the tracks with --duck"},
		{"--duck Musik", `the scene has no track of sound "Musik"; it has Dialogue, Narrator`},
		{"--duck all --by 90", "--by takes 0 to 60 dB, --margin 0 to 40 LU"},
	} {
		code, _, stderr := blendseam(t, append([]string{"level", demoScene, "-o", out}, strings.Fields(c.args)...)...)
		if code != exitFailed || !strings.Contains(stderr, c.want) || strings.Count(stderr, "\n") != 1 {
			t.Errorf("%s: %d %q", c.args, code, stderr)
		}
	}
}
