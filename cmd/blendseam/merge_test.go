package main

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Without anything of theirs mine comes out as it was; where both did everything otherwise, all of theirs is theirs.
func TestMergeTakesTwoVersionsTogether(t *testing.T) {
	dir, base := t.TempDir(), filepath.Join("..", "..", "demo", "kiln-night.otio")
	mine, theirs := filepath.Join(dir, "mine.otio"), filepath.Join(dir, "theirs.otio")
	out := filepath.Join(dir, "out.otio")
	ok := func(args ...string) []byte {
		t.Helper()
		code, stdout, stderr := blendseam(t, args...)
		if code != 0 {
			t.Fatalf("%v: %d %s", args, code, stderr)
		}
		return []byte(stdout)
	}
	ok("level", base, "--voices", "-23", "-o", mine)
	ok("level", base, "--voices", "-26", "-o", theirs)
	// Nothing of theirs leaves mine as it was; all of theirs, where both did all differently, gives theirs.
	ok("merge", mine, "--with", base, "--from", base, "-o", out)
	was, _ := os.ReadFile(mine)
	if now, _ := os.ReadFile(out); !bytes.Equal(was, now) {
		t.Error("with nothing of theirs, mine is another file")
	}
	var a struct {
		Changes   []struct{ By, Track string }
		Conflicts []struct{ Why, Taken string }
	}
	if err := json.Unmarshal(ok("merge", mine, "--with", theirs, "--from", base, "-o", out, "--theirs", "all", "--json"),
		&a); err != nil {
		t.Fatal(err)
	}
	want, _ := os.ReadFile(theirs)
	if now, _ := os.ReadFile(out); len(a.Conflicts) < 8 || a.Conflicts[0].Taken != "theirs" || !bytes.Equal(want, now) {
		t.Errorf("%d conflicts, and what came out is not theirs", len(a.Conflicts))
	}
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"--theirs", "99"}, "is none of the"},
		{[]string{"--without", "1"}, "change 1 is none of theirs"},
	} {
		args := append([]string{"merge", mine, "--with", theirs, "--from", base, "-o", out}, c.args...)
		if code, _, stderr := blendseam(t, args...); code != 1 || !strings.Contains(stderr, c.says) {
			t.Errorf("%v: %d %s", c.args, code, stderr)
		}
	}
	if code, _, stderr := blendseam(t, "merge", "a.edl", "--with", theirs, "--from", base, "-o", out); code != 1 ||
		!strings.Contains(stderr, "cannot be read") && !strings.Contains(stderr, "does not hold all") {
		t.Errorf("%d %s", code, stderr)
	}
}
