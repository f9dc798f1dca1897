package main

import (
	"bytes"
	"encoding/json"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"blendseam/internal/outside"
	"blendseam/media"
)

// An upload that was acknowledged is brought in, however soon after that the program is killed.
func TestAnAcknowledgedUploadSurvivesAKill(t *testing.T) {
	dir := t.TempDir()
	p := serving(t, dir)
	var made struct{ ID string }
	if code, err := post(t, p.url+"scenes", map[string]any{"name": "uploads", "rate": "25", "sample_rate": 48000,
		"channels": 2}, &made); code != 201 {
		t.Fatal(code, err)
	}
	voices := outside.Voices(t)[:4]
	for _, v := range voices {
		raw, err := os.ReadFile(v)
		if err != nil {
			t.Fatal(err)
		}
		q, _ := http.NewRequest("POST", p.url+"scenes/"+made.ID+"/sources", bytes.NewReader(raw))
		q.Header.Set("Blendseam-Name", filepath.Base(v))
		a, err := http.DefaultClient.Do(q)
		if err != nil || a.StatusCode != 202 {
			t.Fatal(a, err)
		}
		a.Body.Close()
		p.Process.Kill()
		p.Wait()
		p = serving(t, dir)
	}
	for here := 0; here != len(voices); { // what never comes is ended by the limit of the test program
		var st struct{ Sources map[string]any }
		body, _ := fetched(p.url + "scenes/" + made.ID + "/state")
		if err := json.Unmarshal(body, &st); err != nil {
			t.Fatal(err)
		}
		here = len(st.Sources)
	}
	if left, _ := os.ReadDir(filepath.Join(dir, "media", "waiting")); len(left) > 1 { // the last may be going just now
		t.Errorf("%d files wait still", len(left))
	}
	p.Process.Signal(syscall.SIGTERM)
	p.Wait()
}

// media verify names what is damaged, makes anew what was made from recordings, and says what it cannot.
func TestVerifyMendsWhatItCan(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("BLENDSEAM_VAR", dir)
	_, path := sceneFile(t)
	if code, _, complaint := blendseam(t, "import", path, "--scene", "x"); code != 0 {
		t.Fatal(complaint)
	}
	library := filepath.Join(dir, "media")
	code, said, complaint := blendseam(t, "media", "verify", library)
	if code != 0 || !strings.Contains(said, " 0 are damaged, 0 have none") {
		t.Fatalf("untouched: %d %s%s", code, said, complaint)
	}
	peaks, _ := filepath.Glob(filepath.Join(library, "*", "peaks-*"))
	if len(peaks) < 2 || os.Truncate(peaks[0], 100) != nil {
		t.Fatal(peaks)
	}
	code, said, complaint = blendseam(t, "media", "verify", library)
	name, _ := filepath.Rel(library, peaks[0])
	if code != 0 || !strings.Contains(complaint, name+" is damaged") ||
		!strings.Contains(said, "1 damaged files were made") {
		t.Errorf("peaks cut short: %d %s%s", code, said, complaint)
	}
	original, _ := filepath.Glob(filepath.Join(filepath.Dir(peaks[1]), "original*"))
	f, err := os.OpenFile(original[0], os.O_RDWR, 0)
	if err != nil {
		t.Fatal(err)
	}
	f.WriteAt([]byte("x"), 2000)
	f.Close()
	code, _, complaint = blendseam(t, "media", "verify", library)
	if code != exitFailed || !strings.Contains(complaint, "bring their recordings in again") {
		t.Errorf("a recording that has changed: %d %s", code, complaint)
	}
	if l, err := media.OpenLibrary(library); err != nil {
		t.Error(err)
	} else {
		id := filepath.Base(filepath.Dir(original[0]))
		if w, err := l.Sound(id, 48000); err == nil {
			w.Close()
			t.Error("a damaged recording is heard")
		}
		l.Close()
	}
}

// Behind a public address nobody is let in as long as nobody has an account, and the last owner stays unless that is
// meant.
func TestAPublicAddressNeedsAnAccount(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("BLENDSEAM_VAR", dir)
	refused := func(what string) {
		t.Helper()
		code, _, complaint := blendseam(t, "serve", "--listen", "127.0.0.1:0", "--public-url", "https://seams.example")
		if code != exitFailed || !strings.Contains(complaint, "blendseam user add") {
			t.Errorf("%s: %d %s", what, code, complaint)
		}
	}
	refused("a new folder")
	add := command("user", "add", "anna")
	add.Stdin = strings.NewReader("a long enough password\n")
	if out, err := add.CombinedOutput(); err != nil {
		t.Fatal(err, string(out))
	}
	p := serving(t, dir, "--public-url", "https://seams.example")
	// The head of a request has its bound.
	q, _ := http.NewRequest("GET", p.url, nil)
	q.Header.Set("X-Long", strings.Repeat("x", 20<<10))
	if a, err := http.DefaultClient.Do(q); err != nil || a.StatusCode != http.StatusRequestHeaderFieldsTooLarge {
		t.Errorf("a head of 20 kB: %v %v", a, err)
	}
	p.Process.Signal(syscall.SIGTERM)
	p.Wait()
	if code, _, complaint := blendseam(t, "user", "remove", "anna"); code != exitFailed ||
		!strings.Contains(complaint, "--open-again") {
		t.Errorf("the last owner is removed: %d %s", code, complaint)
	}
	if code, _, complaint := blendseam(t, "user", "remove", "anna", "--open-again"); code != 0 {
		t.Error(complaint)
	}
	refused("with no account left")
}

// The unit confines the service; systemd says how far, from 0 to 10.
func TestTheUnitConfinesTheService(t *testing.T) {
	unit, _ := filepath.Abs("../../docs/examples/blendseam.service")
	if _, err := exec.LookPath("systemd-analyze"); err != nil {
		t.Skip("systemd is not installed")
	}
	out, err := exec.Command("systemd-analyze", "security", "--offline=true", "--threshold=30", unit).CombinedOutput()
	if err != nil {
		t.Errorf("its exposure is 3 or more: %v %s", err, out)
	}
}
