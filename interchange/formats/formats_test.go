package formats_test

import (
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	_ "blendseam/interchange/formats"
)

// A scene written in the usual format is read again; what is not known says what is.
func TestFormatsAreFoundByTheirEndings(t *testing.T) {
	usual := interchange.DefaultFormat()
	raw, err := usual.Write(scene.New("x", timecode.F25, 48000))
	if err != nil {
		t.Fatal(err)
	}
	f, err := interchange.FormatOf("a/b.C" + strings.ToUpper(usual.Extensions[0]))
	if err != nil || f.Name != usual.Name || !interchange.IsSceneFile("x"+usual.Extensions[0]) ||
		interchange.IsSceneFile("x.wav") ||
		interchange.IsSceneFile("") {
		t.Errorf("%v %v", f.Name, err)
	}
	if s, _, err := f.Read(raw, interchange.Hints{}); err != nil || s.Name != "x" {
		t.Error(err)
	}
	if _, err := interchange.FormatOf("x.doc"); err == nil || !strings.Contains(err.Error(), usual.Extensions[0]) {
		t.Errorf("%v", err)
	}
}

func TestAFormatIsRegisteredOnce(t *testing.T) {
	usual := interchange.DefaultFormat()
	for what, f := range map[string]interchange.Format{
		"an ending that is taken": {Name: "other", Extensions: usual.Extensions,
			Read: usual.Read, Write: usual.Write, Targets: usual.Targets},
		"no name":              {Extensions: []string{".x"}},
		"nothing that it does": {Name: "other", Extensions: []string{".x"}},
	} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%s: it was registered", what)
				}
			}()
			interchange.Register(f)
		}()
	}
}

// Outside of its own package no code names a format or its ending: the command line, what brings in and the pages ask
// the registry.
func TestNoCodeNamesAFormat(t *testing.T) {
	out, err := exec.Command("git", "ls-files", "../../cmd", "../../web", "../../media", "../../intake",
		"../../workspace", "../../store", "../../core").
		Output()
	if err != nil {
		t.Skip("no checkout to look through")
	}
	for _, file := range strings.Fields(string(out)) {
		if strings.HasSuffix(file, "_test.go") || strings.Contains(file, "testdata") ||
			!regexp.MustCompile(`\.(go|ts|html)$`).MatchString(file) {
			continue
		}
		raw, err := os.ReadFile(file)
		if err != nil {
			continue
		}
		for _, f := range interchange.Formats() {
			for _, name := range append(f.Extensions, f.Name, "interchange"+strings.Replace(f.Extensions[0], ".", "/", 1)) {
				if strings.Contains(string(raw), name) {
					t.Errorf("%s names %q", file, name)
				}
			}
		}
	}
}

// The docs name every format with its ending, and what it cannot carry.
func TestTheDocsNameEveryFormat(t *testing.T) {
	raw, err := os.ReadFile("../../docs/command-line.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range interchange.Formats() {
		for _, want := range append(append([]string{f.Name}, f.Extensions...), f.Lacks...) {
			if !strings.Contains(string(raw), want) {
				t.Errorf("docs/command-line.md does not say %q", want)
			}
		}
	}
}
