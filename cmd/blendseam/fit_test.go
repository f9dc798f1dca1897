package main

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/interchange/otio"
	"blendseam/internal/outside"
)

func TestFitGivesARecordingAnotherLengthOutOfItsPauses(t *testing.T) {
	dir := t.TempDir()
	in, out := filepath.Join(dir, "in.wav"), filepath.Join(dir, "out.wav")
	spokenFile(t, in, 0.5, 0, 4)
	was := outside.Decode(t, in, 1)
	length := float64(was.Len())/48000 - 0.6
	code, stdout, stderr := blendseam(t, "fit", in, "--length", fmt.Sprint(length), "-o", out, "--json")
	if code != 0 {
		t.Fatal(stderr)
	}
	var p struct {
		Length float64 `json:"length_s"`
		Pauses float64 `json:"pauses_s"`
		Speed  float64 `json:"words_speed"`
		Cuts   []struct {
			From   float64 `json:"from_s"`
			To     float64 `json:"to_s"`
			Length float64 `json:"length_s"`
			Kind   string  `json:"kind"`
		}
	}
	if err := json.Unmarshal([]byte(stdout), &p); err != nil {
		t.Fatal(err)
	}
	is := outside.Decode(t, out, 1)
	if want := int64(math.Round(length * 48000)); is.Len() != want || p.Speed != 1 || math.Abs(p.Pauses-0.6) > 1e-4 ||
		len(p.Cuts) < 2 || p.Cuts[0].Kind != "pause" {
		t.Errorf("%d samples, not %d: %s", is.Len(), want, stdout)
	}
	first := int64(math.Round(p.Cuts[0].From * 48000)) // ahead of the first pause it is the same
	outside.Same(t, "what lies ahead of the first pause", is.Slice(0, first), was.Slice(0, first))

	for _, c := range []struct {
		args []string
		code int
		want string
	}{
		{[]string{"--speed", "1.25", "--pauses", "0"}, 0, "words 25.0 % faster, which starts to be heard"},
		{[]string{"--speed", "0.8", "--kind", "music"}, 0, "20.0 % slower"},
		{[]string{"--speed", "1"}, 0, "words as they are"},
		{[]string{"--speed", "9"}, 1, "cannot be reached"},
		{[]string{"--length", "0.01"}, 1, "cannot be reached"},
		{nil, 1, "give either --length"},
		{[]string{"--speed", "1.1", "--length", "3"}, 1, "give either --length"},
		{[]string{"--speed", "1.1", "--pauses", "2"}, 1, "is no share"},
	} {
		os.Remove(out)
		code, stdout, stderr := blendseam(t, append([]string{"fit", in, "-o", out}, c.args...)...)
		_, err := os.Stat(out)
		if code != c.code || !strings.Contains(stdout+stderr, c.want) || (err == nil) != (code == 0) ||
			strings.Count(stderr, "\n") > 1 {
			t.Errorf("%v: %d, %q, %q, %v", c.args, code, stdout, stderr, err)
		}
	}
}

// A scene file in which a clip is fitted is heard as the command makes the recording, and is read as it was written.
func TestASceneFileWithAFittedClipIsHeardSo(t *testing.T) {
	dir := t.TempDir()
	in, out, file := filepath.Join(dir, "in.wav"), filepath.Join(dir, "out.wav"), filepath.Join(dir, "s.otio")
	spokenFile(t, in, 0.5, 0, 2)
	n := outside.Decode(t, in, 1).Len()
	s := scene.New("fitted", timecode.F25, 48000)
	s.Channels = 1
	length := int64(math.Round(float64(n) / 1.2))
	for _, e := range []edit.Edit{
		&edit.AddTrack{Name: "Voices", Purpose: scene.ForDialogue},
		&edit.Bring{Source: scene.Source{ID: "in", Name: "in", URL: "in.wav", Samples: n, Channels: 1}},
		&edit.Add{Track: "t1", Source: "in", Length: n},
		&edit.Fit{Clip: "c2", Parts: []timing.Part{{To: n, Length: length, Kind: timing.Words}}},
	} {
		var err error
		if s, err = edit.Apply(s, e); err != nil {
			t.Fatal(err)
		}
	}
	raw, err := otio.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, raw, 0o644); err != nil {
		t.Fatal(err)
	}
	mix := filepath.Join(dir, "mix.wav")
	if code, _, stderr := blendseam(t, "render", file, "-o", mix, "--depth", "32f"); code != 0 {
		t.Fatal(stderr)
	}
	if code, _, stderr := blendseam(t, "fit", in, "--speed", "1.2", "--pauses", "0", "-o", out); code != 0 {
		t.Fatal(stderr)
	}
	got, want := outside.Decode(t, mix, 1), outside.Decode(t, out, 1)
	if got.Len() != length || want.Len() != length {
		t.Fatalf("%d and %d samples, not %d", got.Len(), want.Len(), length)
	}
	if diff, at := outside.Furthest(t, got, want); diff > 2e-7 { // one is written with 24 bits
		t.Errorf("they differ by %g at %s", diff, at)
	}
	again := filepath.Join(dir, "again.otio")
	if code, _, stderr := blendseam(t, "convert", file, "-o", again); code != 0 {
		t.Fatal(stderr)
	}
	if b, err := os.ReadFile(again); err != nil || !strings.Contains(string(b), `"fit"`) {
		t.Errorf("written again it has no fit: %v", err)
	}
	code, stdout, stderr := blendseam(t, "audit", again, "--json")
	if code != 0 && code != 3 || !strings.Contains(stdout, "head") {
		t.Errorf("audited: %d %s %s", code, stdout, stderr)
	}
}
