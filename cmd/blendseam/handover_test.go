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
	"blendseam/internal/outside"
)

// Stems lie beside the mix, each as long, and add to it; what cannot be is one line.
func TestRenderMakesStemsThatAddToTheMix(t *testing.T) {
	dir, path := sceneFile(t)
	out, stems := filepath.Join(dir, "mix.wav"), filepath.Join(dir, "stems")
	code, said, complaint := blendseam(t, "render", path, "-o", out, "--depth", "32f", "--stems", stems,
		"--target-lufs", "-16", "--ceiling", "-3", "--rate", "44100")
	if code != 0 || !strings.Contains(said, filepath.Join(stems, "Dialogue.wav")) || !strings.Contains(complaint,
		"-16 LUFS") {
		t.Fatal(code, said, complaint)
	}
	mix, stem := outside.Decode(t, out, 2), outside.Decode(t, filepath.Join(stems, "Dialogue.wav"), 2)
	outside.Same(t, "the only stem and the mix", mix, stem)
	peak := 0.0
	for _, v := range mix[0] {
		peak = max(peak, math.Abs(v))
	}
	if db := 20 * math.Log10(peak); db > -2.9 {
		t.Errorf("it peaks at %.2f dBFS under a ceiling of -3", db)
	}
	for says, args := range map[string][]string{
		"the mix's own file": {"render", path, "-o", out, "--stems", out},
		"leave one of":       {"render", path, "-o", out, "--stems", stems, "--track", "Dialogue"},
		"--rate":             {"render", path, "-o", out, "--rate", "12"},
		"is not one":         {"render", path, "-o", out, "--ceiling", "3"},
		"--target-lufs":      {"render", path, "-o", out, "--target-lufs", "9"},
	} {
		code, _, complaint := blendseam(t, args...)
		if code != exitFailed || !strings.Contains(complaint, says) || strings.Count(strings.TrimSpace(complaint), "\n") > 0 {
			t.Errorf("%v: exit %d, %q", args, code, complaint)
		}
	}
}

// Two renders of a scene file are the same file.
func TestTheSameSceneMakesTheSameFile(t *testing.T) {
	dir, path := sceneFile(t)
	var made [2][]byte
	for i, name := range []string{"a.wav", "b.wav"} {
		blendseam(t, "render", path, "-o", filepath.Join(dir, name))
		made[i], _ = os.ReadFile(filepath.Join(dir, name))
	}
	if len(made[0]) < 1000 || string(made[0]) != string(made[1]) {
		t.Errorf("%d and %d bytes differ", len(made[0]), len(made[1]))
	}
}

// A scene goes through both cut lists and sounds as before, as far as they carry it; a package renders the same bits.
func TestListsAndPackagesSoundTheSame(t *testing.T) {
	dir, path := sceneFile(t)
	sounds := func(file string) (b []float64) {
		out := filepath.Join(t.TempDir(), "x.wav")
		if code, _, complaint := blendseam(t, "render", file, "-o", out, "--depth", "32f"); code != 0 {
			t.Fatal(file, complaint)
		}
		return outside.Decode(t, out, 2)[0]
	}
	want := sounds(path)
	list, back := filepath.Join(dir, "x.adl"), filepath.Join(dir, "back.otio")
	blendseam(t, "convert", path, "-o", list)
	blendseam(t, "convert", list, "-o", back)
	for _, file := range []string{list, back} {
		got := sounds(file)
		if len(got) != len(want) {
			t.Fatalf("%s is %d samples long, not %d", file, len(got), len(want))
		}
		for i := range want {
			if got[i] != want[i] {
				t.Fatalf("%s: sample %d is %g, not %g", file, i, got[i], want[i])
			}
		}
	}
	pack := filepath.Join(dir, "pack")
	if code, said, complaint := blendseam(t, "package", path, "-o", pack, "--handles", "0"); code != 0 ||
		!strings.Contains(said, "voices.otio and 2 files") {
		t.Fatal(code, said, complaint)
	}
	got := sounds(filepath.Join(pack, "voices.otio"))
	for i := range want {
		if got[i] != want[i] {
			t.Fatalf("the package: sample %d is %g, not %g", i, got[i], want[i])
		}
	}
}

// recut prints the change list as the contract has it.
func TestRecutPrintsItsChangeList(t *testing.T) {
	dir, path := sceneFile(t, &edit.AddTrack{Name: "Picture", Purpose: scene.ForPicture})
	if code, _, complaint := blendseam(t, "recut", path, "--to", path, "-o", filepath.Join(dir,
		"x.otio")); code != exitFailed ||
		!strings.Contains(complaint, "has no picture") {
		t.Errorf("exit %d, %q", code, complaint)
	}
	demo := "../../demo/kiln-night.otio"
	raw, err := os.ReadFile(demo)
	if err != nil {
		t.Fatal(err)
	}
	var cut map[string]any
	if err := json.Unmarshal(raw, &cut); err != nil {
		t.Fatal(err)
	}
	stack := cut["tracks"].(map[string]any)
	picture := stack["children"].([]any)[0].(map[string]any)
	shots := picture["children"].([]any)
	picture["children"] = append(shots[:2:2], shots[3:]...)
	stack["children"] = []any{picture}
	raw, _ = json.Marshal(cut)
	file := filepath.Join(dir, "new.otio")
	os.WriteFile(file, raw, 0o644)
	out := filepath.Join(dir, "out.otio")
	code, said, complaint := blendseam(t, "recut", demo, "--to", file, "-o", out, "--json")
	var got struct {
		Changes []struct {
			What  string
			FromS float64 `json:"from_s"`
			ToS   float64 `json:"to_s"`
			AtS   float64 `json:"at_s"`
			Sound string
			Clips []string
		}
		KeptSeams int      `json:"kept_seams"`
		NewSeams  int      `json:"new_seams"`
		Lost      []string `json:"lost"`
	}
	if err := json.Unmarshal([]byte(said), &got); code != 0 || err != nil {
		t.Fatal(code, err, said, complaint)
	}
	if len(got.Changes) != 1 || got.Changes[0].What != "lifted" || got.Changes[0].FromS != 12.28 ||
		got.Changes[0].ToS != 15.24 ||
		got.Changes[0].AtS != 12.28 || !strings.HasPrefix(got.Changes[0].Sound, "one clip is kept aside") ||
		len(got.Changes[0].Clips) < 2 || got.KeptSeams == 0 ||
		got.NewSeams == 0 ||
		got.Lost == nil {
		t.Errorf("it prints %s", said)
	}
	if code, _, complaint := blendseam(t, "audit", out); code != exitRough && code != 0 {
		t.Error(code, complaint)
	}
}

// Marked stretches of a scene file's recordings, or the clips of a track, are written as files in one go.
func TestStretchesAreWrittenAsFiles(t *testing.T) {
	_, path := sceneFile(t)
	dir := filepath.Join(t.TempDir(), "files")
	code, said, complaint := blendseam(t, "stretches", path, "-o", dir)
	if code != exitFailed || !strings.Contains(complaint, "No stretch is marked") {
		t.Errorf("without a stretch: %d %q %q", code, said, complaint)
	}
	if _, err := os.Stat(dir); err == nil {
		t.Error("the folder was made all the same")
	}
	var answer struct {
		Files []stretchFile `json:"files"`
	}
	code, said, complaint = blendseam(t, "stretches", path, "-o", dir, "--track", "Dialogue", "--kind", "flac",
		"--name", "{number} {name}", "--json")
	if err := json.Unmarshal([]byte(said), &answer); code != 0 || err != nil || len(answer.Files) < 2 {
		t.Fatal(code, said, complaint, err)
	}
	for i, f := range answer.Files {
		b := outside.Decode(t, filepath.Join(dir, f.File), 2)
		if math.Abs(float64(b.Len())/48000-f.LengthS) > 1e-3 || !strings.HasPrefix(f.File, fmt.Sprintf("%02d ", i+1)) {
			t.Errorf("%+v holds %d samples", f, b.Len())
		}
	}
	for says, args := range map[string][]string{
		"no recording": {"stretches", path, "-o", dir, "--source", "nobody"},
		"no track":     {"stretches", path, "-o", dir, "--track", "Nothing"},
		"{reel}":       {"stretches", path, "-o", dir, "--track", "Dialogue", "--name", "{reel}"},
	} {
		if code, _, said := blendseam(t, args...); code != exitFailed || !strings.Contains(said, says) {
			t.Errorf("%v: %d %q", args, code, said)
		}
	}
}
