package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/ingest"
	"blendseam/internal/seamtest"
	"blendseam/media"
)

// take is a recording of so many seconds, all of them named take.wav.
func take(t *testing.T, seed uint64, seconds float64) []byte {
	t.Helper()
	file := filepath.Join(t.TempDir(), "take.wav")
	b := seamtest.Bed(seed, seconds, -40)
	f, err := media.CreateWAV(file, pcm.Encoder{Format: pcm.Format{Rate: 48000, Channels: len(b), Bits: 24}})
	if err != nil {
		t.Fatal(err)
	}
	if err := f.Copy(pcm.Memory{Rate: 48000, Sound: b}, pcm.Span{To: b.Len()}); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

// Two recordings of one name are told apart by checksum, by length, and else by whoever brings the file in.
func TestRecordingsOfOneNameAreToldApart(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	var ids []string
	for i, seconds := range []float64{3, 4, 4} {
		source, problem := c.upload(id, "take.wav", take(t, uint64(i+1), seconds))
		if problem != "" {
			t.Fatal(problem)
		}
		ids = append(ids, source)
		c.json("POST", "/scenes/"+id+"/sources/"+source+"/lay?purpose=dialogue", nil, 200, nil)
	}
	bring := func(raw []byte, headers ...string) (int, StateView, problem) {
		t.Helper()
		status, answer, _ := c.do(
			"POST",
			"/scenes/file",
			raw,
			append([]string{"Blendseam-Name", "again.otio"}, headers...)...)
		var made struct{ ID string }
		var p problem
		json.Unmarshal(answer, &made)
		json.Unmarshal(answer, &p)
		if status != 201 {
			return status, StateView{}, p
		}
		return status, c.state(made.ID), p
	}
	sources := func(st StateView) (list []string) {
		for _, k := range st.Tracks[0].Clips {
			list = append(list, k.Source)
		}
		return list
	}
	_, raw, _ := c.do("GET", "/scenes/"+id+"/scene.otio", nil)
	if status, st, p := bring(raw); status != 201 || fmt.Sprint(sources(st)) != fmt.Sprint(ids) {
		t.Errorf("by checksum: %d %s, %v, want %v", status, p.Message, sources(st), ids)
	}
	// Without checksums, as others write it: one clip of a recording three seconds long.
	other := func(seconds, stated float64) []byte {
		available := "null"
		if stated > 0 {
			available = fmt.Sprintf(
				`{"OTIO_SCHEMA":"TimeRange.1","start_time":{"rate":48000,"value":0},"duration":{"rate":48000,"value":%g}}`,
				stated*48000,
			)
		}
		return fmt.Appendf(
			nil,
			`{"OTIO_SCHEMA":"Timeline.1","name":"x","tracks":{"OTIO_SCHEMA":"Stack.1","children":[
  {"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[
			{"OTIO_SCHEMA":"Clip.1","name":"a","source_range":{"start_time":{"rate":48000,"value":0},
  "duration":{"rate":48000,"value":%g}},"media_reference":{"OTIO_SCHEMA":"ExternalReference.1",
  "target_url":"sounds/take.wav","available_range":%s}}]}]}}`,
			seconds*48000,
			available,
		)
	}
	if status, st, p := bring(other(1, 3)); status != 201 || sources(st)[0] != ids[0] {
		t.Errorf("by length: %d %s", status, p.Message)
	}
	if status, _, p := bring(other(9, 0)); status != 400 || !strings.Contains(p.Message, "9.00 s of it are used") {
		t.Errorf("none is long enough: %d %s", status, p.Message)
	}
	status, _, p := bring(other(3.5, 0))
	if status != 409 || len(p.Choices) != 1 || len(p.Choices[0].Candidates) != 2 || p.Choices[0].URL != "sounds/take.wav" {
		t.Fatalf("two fit: %d %+v", status, p)
	}
	for _, want := range ids[1:] {
		chosen, _ := json.Marshal(map[string]string{"sounds/take.wav": want})
		if status, st, p := bring(
			other(3.5, 0),
			"Blendseam-Choices",
			url.PathEscape(string(chosen)),
		); status != 201 ||
			sources(st)[0] != want {
			t.Errorf("chosen: %d %s", status, p.Message)
		}
	}
	var _ []ingest.Choice = p.Choices
}

// A scene file that is uploaded says nothing of what else lies on this machine, and waits for nothing there.
func TestAnUploadedSceneFileLooksNowhereElse(t *testing.T) {
	c := newClient(t)
	dir := t.TempDir()
	there, pipe := filepath.Join(dir, "there.wav"), filepath.Join(dir, "pipe.wav")
	os.WriteFile(there, take(t, 1, 2), 0o644)
	if err := syscall.Mkfifo(pipe, 0o600); err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, target := range []string{there, "file://" + there, filepath.Join(dir, "gone.wav"), pipe,
		"../../../../etc/passwd"} {
		raw := fmt.Appendf(
			nil,
			`{"OTIO_SCHEMA":"Timeline.1","name":"x","tracks":{"OTIO_SCHEMA":"Stack.1","children":[
  {"OTIO_SCHEMA":"Track.1","kind":"Audio","children":[
			{"OTIO_SCHEMA":"Clip.1","name":"a","source_range":{"start_time":{"rate":48000,"value":0},
  "duration":{"rate":48000,"value":480000}},"media_reference":{"OTIO_SCHEMA":"ExternalReference.1",
  "target_url":%q}}]}]}}`,
			target,
		)
		status, answer, _ := c.do("POST", "/scenes/file", raw, "Blendseam-Name", "x.otio")
		var made struct{ ID string }
		if json.Unmarshal(answer, &made); status != 201 {
			t.Fatalf("%s: %d %s", target, status, answer)
		}
		// It is missing, whatever lies there, and as long as its clip.
		for id, src := range c.state(made.ID).Sources {
			if !scene.IsMissing(id) {
				t.Errorf("%s is taken for %s", target, id)
			}
			said = append(said, fmt.Sprint(src.Samples, src.Channels, src.Frames))
		}
	}
	for _, s := range said[1:] {
		if s != said[0] {
			t.Errorf("it says %q of one, %q of another", said[0], s)
		}
	}
	if status, answer, _ := c.do(
		"POST",
		"/scenes/file",
		bytes.Repeat([]byte(" "), limit.SceneFileBytes+1),
		"Blendseam-Name",
		"x.otio",
	); status != 400 ||
		!strings.Contains(string(answer), "larger than "+limit.Bytes(limit.SceneFileBytes)) {
		t.Errorf("a byte too many: %d %s", status, answer)
	}
}
