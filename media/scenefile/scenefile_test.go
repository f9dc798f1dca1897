package scenefile

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"
)

func TestLocalPathOfMediaURLs(t *testing.T) {
	dir := t.TempDir()
	os.WriteFile(filepath.Join(dir, "100%25 wool.wav"), nil, 0o644)
	for target, want := range map[string]string{
		"a.wav": filepath.Join(dir, "a.wav"), "sub%20folder/a.wav": filepath.Join(dir, "sub folder/a.wav"),
		"file:///x/a%20b.wav":      "/x/a b.wav",
		"file://localhost/x/a.wav": "/x/a.wav", "100%25 wool.wav": filepath.Join(dir, "100%25 wool.wav"),
		"/x/a.wav": "/x/a.wav",
	} {
		if got, err := LocalPath(dir, target); err != nil || got != want {
			t.Errorf("%s is %s (%v), want %s", target, got, err, want)
		}
	}
	for _, target := range []string{"http://host/a.wav", "file://elsewhere/a.wav"} {
		if _, err := LocalPath(dir, target); err == nil {
			t.Errorf("%s was accepted", target)
		}
	}
}

// A pipe that nobody writes to would be waited for for ever.
func TestAPipeHasNoLength(t *testing.T) {
	pipe := filepath.Join(t.TempDir(), "pipe.wav")
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	if sound, picture := lengths(t.Context(), pipe); sound != nil || picture != nil {
		t.Error("a pipe has a length")
	}
}
