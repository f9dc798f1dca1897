package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/interchange"
	"blendseam/internal/outside"
)

// A format of the tests' own, as a package would register it.
func init() {
	interchange.Register(interchange.Format{
		Name:       "Plain",
		Extensions: []string{".plain"},
		MediaType:  "application/json",
		Lacks:      []string{"what others said of it"},
		Read: func(raw []byte, _ interchange.Hints) (*scene.Scene, []string, error) {
			s := new(scene.Scene)
			return s, nil, json.Unmarshal(raw, s)
		},
		Write: func(s *scene.Scene) ([]byte, error) { return json.Marshal(s) },
		Targets: func(raw []byte) (list []string) {
			s := new(scene.Scene)
			if json.Unmarshal(raw, s) == nil {
				for _, src := range s.Sources {
					list = append(list, src.URL)
				}
			}
			return list
		},
	})
}

// A format that is registered is read, written, listed and told about by every command, with no more than that.
func TestAFormatThatIsRegisteredIsKnownToAllCommands(t *testing.T) {
	dir, path := sceneFile(t)
	plain, again := filepath.Join(dir, "x.plain"), filepath.Join(dir, "again"+filepath.Ext(path))
	code, _, complaint := blendseam(t, "convert", path, "-o", plain)
	if code != 0 || !strings.Contains(complaint, "what others said of it") {
		t.Fatalf("exit %d: %s", code, complaint)
	}
	if code, _, complaint := blendseam(t, "convert", plain, "-o", again); code != 0 {
		t.Fatal(complaint)
	}
	for _, file := range []string{path, plain, again} {
		if code, _, complaint := blendseam(t, "render", file, "-o", file+".wav"); code != 0 {
			t.Fatal(complaint)
		}
		outside.Same(t, file, outside.Decode(t, file+".wav", 2), outside.Decode(t, path+".wav", 2))
	}
	if _, out, _ := blendseam(t, "convert", "--help"); !strings.Contains(out, ".plain") {
		t.Errorf("the help does not list it: %s", out)
	}
	if code, _, complaint := blendseam(
		t,
		"convert",
		path,
		"-o",
		filepath.Join(dir, "x.doc"),
	); code != exitFailed ||
		!strings.Contains(complaint, ".plain") {
		t.Errorf("exit %d: %s", code, complaint)
	}
	if code, _, complaint := blendseam(
		t,
		"render",
		os.DevNull,
		"-o",
		path+".wav",
	); code != exitFailed ||
		strings.Count(complaint, "\n") != 1 {
		t.Errorf("exit %d: %s", code, complaint)
	}
}

func TestVersionSaysWhatItIs(t *testing.T) {
	if code, out, complaint := blendseam(
		t,
		"version",
	); code != 0 || !strings.HasPrefix(out, "blendseam ") || !strings.Contains(out, "edits 1") ||
		strings.Count(out, "\n") != 1 {
		t.Errorf("exit %d: %q %q", code, out, complaint)
	}
}
