package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"blendseam/core/sound/pcm/wav"
	"blendseam/internal/outside"
)

// The script in docs/api.md is run as it stands there: it uploads, lays out, mends, exports and fetches a mixdown.
func TestTheScriptOfTheDocsWorks(t *testing.T) {
	raw, err := os.ReadFile("../../docs/api.md")
	if err != nil {
		t.Fatal(err)
	}
	_, script, _ := strings.Cut(string(raw), "```bash\n")
	script, _, ok := strings.Cut(script, "```")
	if !ok {
		t.Fatal("docs/api.md has no script")
	}
	dir := t.TempDir()
	p := serving(t, dir)
	t.Cleanup(func() {
		p.Process.Signal(syscall.SIGTERM)
		p.Wait()
	})
	t.Setenv("BLENDSEAM_VAR", dir)
	code, secret, complaint := blendseam(t, "token", "add", "nightly", "--days", "2")
	if code != 0 {
		t.Fatal(complaint)
	}
	run := func(token string) (string, error) {
		voices := outside.Voices(t)
		sh := exec.Command("bash", append([]string{"-c", script, "script"}, voices[:2]...)...)
		sh.Dir = t.TempDir()
		sh.Env = append(os.Environ(), "URL="+strings.TrimSuffix(p.url, "/"), "TOKEN="+token)
		out, err := sh.CombinedOutput()
		if err != nil {
			return string(out), err
		}
		r, err := wav.Open(filepath.Join(sh.Dir, "mixdown.wav"))
		if err != nil {
			return string(out), err
		}
		defer r.Close()
		if r.Format().Rate != 48000 || r.Len() < 48000 {
			t.Errorf("the mixdown has %d samples at %d Hz", r.Len(), r.Format().Rate)
		}
		return string(out), nil
	}
	out, err := run(strings.TrimSpace(secret))
	if err != nil || !strings.Contains(out, "laid out") || !strings.Contains(out, "\"changes\":") {
		t.Fatalf("%v: %s", err, out)
	}
	if code, out, _ := blendseam(t, "token", "list"); code != 0 || !strings.HasPrefix(out, "nightly\teditor as nobody") {
		t.Errorf("%d %q", code, out)
	}
	if code, _, complaint := blendseam(t, "token", "remove", "nightly"); code != 0 {
		t.Error(complaint)
	}
	if out, err := run(strings.TrimSpace(secret)); err == nil || !strings.Contains(out, "401") {
		t.Errorf("a token that was removed: %v %s", err, out)
	}
	if code, _, complaint := blendseam(t, "token", "remove", "nightly"); code != exitFailed ||
		!strings.Contains(complaint, "there is no token nightly") {
		t.Errorf("%d %q", code, complaint)
	}
}
