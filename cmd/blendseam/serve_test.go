package main

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"blendseam/internal/outside"
)

func TestBeyondThisMachineASecretIsNeeded(t *testing.T) {
	t.Setenv("BLENDSEAM_VAR", t.TempDir())
	short := filepath.Join(t.TempDir(), "short")
	os.WriteFile(short, []byte("too short"), 0o600)
	for _, c := range []struct {
		says string
		args []string
	}{
		{"--token-file", []string{"serve", "--listen", "0.0.0.0:0"}},
		{"--unprotected", []string{"serve", "--listen", ":0"}},
		{"--unprotected", []string{"demo", "--listen", "[::]:0"}},
		{"at least 16", []string{"serve", "--listen", "0.0.0.0:0", "--token-file", short}},
		{"no such file", []string{"serve", "--listen", "0.0.0.0:0", "--token-file", short + "er"}},
	} {
		code, out, complaint := blendseam(t, c.args...)
		if code != exitFailed || out != "" || !strings.Contains(complaint, c.says) || strings.Count(complaint, "\n") != 1 {
			t.Errorf("%v: exit %d, %q %q", c.args, code, out, complaint)
		}
	}
	if left, _ := os.ReadDir(os.Getenv("BLENDSEAM_VAR")); len(left) != 0 {
		t.Errorf("something was begun: %v", left)
	}
}

// A folder of any name holds all that the program keeps; a second program beside it destroys nothing that comes in,
// shares the database, and whoever is left goes on.
func TestASecondProgramInTheSameFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a b [c] %d é")
	p := serving(t, dir)
	var made struct{ ID string }
	if code, err := post(
		t,
		p.url+"scenes",
		map[string]any{"name": "shared", "rate": "25", "sample_rate": 48000, "channels": 2},
		&made,
	); code != 201 {
		t.Fatal(code, err)
	}
	voices := outside.Voices(t)
	raw, _ := os.ReadFile(voices[0])
	// An upload of which half has come.
	rest, body := io.Pipe()
	answered := make(chan int, 1)
	go func() {
		q, err := http.NewRequest("POST", p.url+"scenes/"+made.ID+"/sources", rest)
		if err != nil {
			panic(err)
		}
		q.Header.Set("Blendseam-Name", "slow.wav")
		a, err := http.DefaultClient.Do(q)
		if err != nil {
			answered <- 0
			return
		}
		a.Body.Close()
		answered <- a.StatusCode
	}()
	body.Write(raw[:len(raw)/2])
	t.Setenv("BLENDSEAM_VAR", dir)
	if code, _, complaint := blendseam(t, "import", voices[1], "--scene", "shared"); code != 0 {
		t.Fatal(complaint)
	}
	body.Write(raw[len(raw)/2:])
	body.Close()
	if code := <-answered; code != 202 {
		t.Fatalf("the upload: %d", code)
	}
	other := serving(t, dir) // beside it, and after it
	sources := func(at string) (n int) {
		a, err := http.Get(at + "scenes/" + made.ID + "/state")
		if err != nil {
			return -1
		}
		defer a.Body.Close()
		var st struct{ Sources map[string]any }
		json.NewDecoder(a.Body).Decode(&st)
		return len(st.Sources)
	}
	for sources(other.url) != 2 { // what never comes is ended by the limit of the test program
	}
	p.Process.Signal(syscall.SIGTERM)
	if err := p.Wait(); err != nil {
		t.Error(err)
	}
	for sources(other.url) != 2 {
	}
	if code, err := post(
		t,
		other.url+"scenes",
		map[string]any{"name": "later", "rate": "25", "sample_rate": 48000, "channels": 2},
		nil,
	); code != 201 {
		t.Errorf("after the first has ended: %d %v", code, err)
	}
	other.Process.Signal(syscall.SIGTERM)
	if err := other.Wait(); err != nil {
		t.Error(err)
	}
	for _, where := range []string{"work", "media/incoming"} {
		if left, _ := os.ReadDir(filepath.Join(dir, where)); len(left) != 1 {
			t.Errorf("left in %s: %v", where, left)
		}
	}
}

// What a killed program had half rendered is never served: it is begun again when the program starts.
func TestAHalfRenderedMixdownIsBegunAgain(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("BLENDSEAM_VAR", dir)
	_, path := sceneFile(t)
	if code, _, complaint := blendseam(t, "import", path, "--scene", "half"); code != 0 {
		t.Fatal(complaint)
	}
	p := serving(t, dir)
	a, err := http.Get(p.url)
	if err != nil {
		t.Fatal(err)
	}
	var list bytes.Buffer
	list.ReadFrom(a.Body)
	a.Body.Close()
	_, id, _ := strings.Cut(list.String(), `href="/scenes/`)
	id, _, _ = strings.Cut(id, "/")
	var job struct{ ID string }
	if code, err := post(
		t,
		p.url+"scenes/"+id+"/mixdowns",
		map[string]any{"kind": "mp3", "depth": "24"},
		&job,
	); code != 202 {
		t.Fatal(code, err)
	}
	made := filepath.Join(dir, "made", job.ID)
	for there := []os.DirEntry{}; len(there) == 0; {
		there, _ = os.ReadDir(made)
	}
	p.Process.Kill()
	p.Wait()
	p = serving(t, dir)
	defer func() { p.Process.Signal(syscall.SIGTERM); p.Wait() }()
	var jobs []struct{ ID, State, Error string }
	for jobs == nil || jobs[0].State == "running" { // it is begun again, unless it was done in time
		answer, err := http.Get(p.url + "scenes/" + id + "/mixdowns")
		if err != nil {
			t.Fatal(err)
		}
		err = json.NewDecoder(answer.Body).Decode(&jobs)
		if answer.Body.Close(); err != nil || len(jobs) != 1 {
			t.Fatalf("%+v, %v", jobs, err)
		}
	}
	answer, err := http.Get(p.url + "made/" + job.ID)
	if err != nil {
		t.Fatal(err)
	}
	sent, err := io.ReadAll(answer.Body)
	answer.Body.Close()
	if files, _ := os.ReadDir(made); jobs[0].State != "done" || jobs[0].ID != job.ID || len(files) != 1 {
		t.Errorf("%+v, and %d files are there", jobs, len(files))
	}
	if err != nil || answer.StatusCode != 200 || len(sent) < 10000 {
		t.Errorf("it is answered with %d and %d bytes, %v", answer.StatusCode, len(sent), err)
	}
}
