package media

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// What is run on a file that nobody vouches for reads that file, and neither another one nor the network, where bwrap
// can see to it.
func TestWhatReadsAFileSeesNothingElse(t *testing.T) {
	if !confines() {
		t.Skip("bwrap is not installed, or may not work here")
	}
	dir := t.TempDir()
	mine, other := filepath.Join(dir, "mine"), filepath.Join(dir, "other")
	for _, file := range []string{mine, other} {
		if err := os.WriteFile(file, []byte("content"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	within := bounds{path: mine}
	if out, err := command(context.Background(), within, "cat", mine).Output(); err != nil || string(out) != "content" {
		t.Errorf("its own file: %q %v", out, err)
	}
	if out, err := command(context.Background(), within, "cat", other).Output(); err == nil {
		t.Errorf("another file: %q", out)
	}
	if out, err := command(context.Background(), within, "cat", "/proc/net/dev").Output(); err != nil ||
		strings.Count(string(out), ":") != 1 {
		t.Errorf("it has more than loopback: %s %v", out, err)
	}
	if err := command(context.Background(), within, "sh", "-c", "echo x > "+mine).Run(); err == nil {
		t.Error("it writes to what it reads")
	}
}
