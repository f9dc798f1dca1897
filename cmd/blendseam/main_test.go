package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/internal/outside"
)

// The test program is also the program: the tests run it as a shell would.
func TestMain(m *testing.M) {
	if os.Getenv("BLENDSEAM_RUN") != "" {
		main()
		return
	}
	os.Exit(m.Run())
}

func command(args ...string) *exec.Cmd {
	self, err := os.Executable()
	if err != nil {
		panic(err)
	}
	c := exec.Command(self, args...)
	c.Env = append(os.Environ(), "BLENDSEAM_RUN=1")
	return c
}

func blendseam(t *testing.T, args ...string) (code int, stdout, stderr string) {
	t.Helper()
	c := command(args...)
	var out, complaint bytes.Buffer
	c.Stdout, c.Stderr = &out, &complaint
	err := c.Run()
	if c.ProcessState == nil {
		t.Fatal(err)
	}
	return c.ProcessState.ExitCode(), out.String(), complaint.String()
}

// sceneFile writes a scene of two voices that touch.
func sceneFile(t *testing.T, edits ...edit.Edit) (dir, path string) {
	t.Helper()
	dir = t.TempDir()
	s := scene.New("voices", timecode.F25, 48000)
	at := int64(0)
	var all []edit.Edit
	all = append(
		all,
		&edit.AddTrack{Name: "Dialogue", Purpose: "dialogue"},
		&edit.AddTrack{Name: "Spare", Purpose: "music"},
	)
	for i, v := range outside.Voices(t)[:2] {
		raw, _ := os.ReadFile(v)
		name := fmt.Sprintf("voice %d.wav", i)
		os.WriteFile(filepath.Join(dir, name), raw, 0o644)
		n := outside.Decode(t, v, 1).Len()
		all = append(all, &edit.Bring{Source: scene.Source{ID: name, Name: name, URL: name, Samples: n, Channels: 1}},
			&edit.Add{Track: "t1", Source: name, In: 4800, Start: at, Length: n - 9600})
		at += n - 9600
	}
	for _, e := range append(all, edits...) {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		s = next
	}
	raw, err := otio.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	path = filepath.Join(dir, "scene.otio")
	os.WriteFile(path, raw, 0o644)
	return dir, path
}

func TestRenderWritesWhatWasAsked(t *testing.T) {
	dir, path := sceneFile(t)
	whole := filepath.Join(dir, "whole.wav")
	if code, out, complaint := blendseam(
		t,
		"render",
		path,
		"-o",
		whole,
		"--depth",
		"32f",
	); code != 0 ||
		!strings.Contains(out, "48000 Hz") {
		t.Fatal(code, out, complaint)
	}
	all := outside.Decode(t, whole, 2)
	part := filepath.Join(dir, "part.wav")
	if code, _, complaint := blendseam(
		t,
		"render",
		path,
		"-o",
		part,
		"--depth",
		"32f",
		"--from",
		"01:00:00:05",
		"--to",
		"01:00:01:20",
	); code != 0 {
		t.Fatal(complaint)
	}
	outside.Same(t, "a range and the slice of the whole", outside.Decode(t, part, 2), all.Slice(5*1920, 45*1920))
	for _, name := range []string{"x.flac", "x.mp3"} {
		if code, _, complaint := blendseam(t, "render", path, "-o", filepath.Join(dir, name)); code != 0 {
			t.Error(name, complaint)
		}
	}
	// The rendered FLAC and the rendered 24-bit WAV are the same samples.
	blendseam(t, "render", path, "-o", filepath.Join(dir, "24.wav"), "--depth", "24")
	outside.Same(
		t,
		"FLAC and WAV",
		outside.Decode(t, filepath.Join(dir, "x.flac"), 2),
		outside.Decode(t, filepath.Join(dir, "24.wav"), 2),
	)
	if code, _, _ := blendseam(t, "render", path, "-o", filepath.Join(dir, "spare.wav"), "--track", "spare"); code != 0 {
		t.Error("a track that is empty does not render")
	}
}

func TestWhatCannotBeDoneIsOneLineAndItsExitCode(t *testing.T) {
	dir, path := sceneFile(t)
	broken := filepath.Join(dir, "broken.otio")
	raw, _ := os.ReadFile(path)
	os.WriteFile(
		broken,
		bytes.Replace(raw, []byte(`"OTIO_SCHEMA": "Track.1"`), []byte(`"OTIO_SCHEMA": "Ladder.1"`), 1),
		0o644,
	)
	lost := filepath.Join(dir, "lost.otio")
	os.WriteFile(lost, bytes.ReplaceAll(raw, []byte("voice 1.wav"), []byte("gone.wav")), 0o644)
	out, nothing := filepath.Join(dir, "out.wav"), filepath.Join(dir, "nothing.wav")
	os.WriteFile(nothing, nil, 0o644)
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{1, "no such file", []string{"render", filepath.Join(dir, "nowhere.otio"), "-o", out}},
		{1, "tracks/0", []string{"render", broken, "-o", out}},
		{1, "gone.wav", []string{"render", lost, "-o", out}},
		{1, "--track", []string{"render", path, "-o", out, "--track", "Choir"}},
		{1, "--from", []string{"render", path, "-o", out, "--from", "99:00:00:00"}},
		{1, ".wav, .flac, .mp3, .opus or .m4a", []string{"render", path, "-o", filepath.Join(dir, "out.ogg")}},
		{1, "is empty", []string{"loudness", nothing}},
		{1, "a device or a pipe", []string{"loudness", os.DevNull}},
		{2, "--help", []string{"render", path}},
		{2, "--help", []string{"hammer"}},
		{2, "--help", []string{}},
	} {
		code, _, complaint := blendseam(t, c.args...)
		if code != c.code || !strings.Contains(complaint, c.says) ||
			c.code == 1 && strings.Count(strings.TrimSpace(complaint), "\n") > 0 {
			t.Errorf("%v: exit %d, %q; want exit %d and one line with %q", c.args, code, complaint, c.code, c.says)
		}
	}
	if _, err := os.Stat(out); err == nil {
		t.Error("a render that failed left a file")
	}
}

func TestLoudnessAsJSON(t *testing.T) {
	voice := outside.Voices(t)[0]
	code, out, complaint := blendseam(t, "loudness", voice, "--json")
	var got struct {
		Files []map[string]any
	}
	if err := json.Unmarshal([]byte(out), &got); err != nil || code != 0 {
		t.Fatal(code, out, complaint, err)
	}
	for _, field := range []string{"file", "integrated_lufs", "range_lu", "momentary_max_lufs", "short_term_max_lufs",
		"sample_peak_dbfs", "true_peak_dbtp"} {
		if _, ok := got.Files[0][field]; !ok {
			t.Errorf("no field %s", field)
		}
	}
	ebu := outside.Run(t, "ffmpeg", "-nostats", "-i", voice, "-af", "ebur128", "-f", "null", "-")
	m := regexp.MustCompile(`I:\s+(-[\d.]+) LUFS`).FindAllStringSubmatch(ebu, -1)
	var want float64
	fmt.Sscan(m[len(m)-1][1], &want)
	if d := got.Files[0]["integrated_lufs"].(float64) - want; math.Abs(d) > 0.1 {
		t.Errorf("%.2f LU from ffmpeg's", d)
	}
}

func TestConvertKeepsTheScene(t *testing.T) {
	dir, path := sceneFile(t)
	out := filepath.Join(dir, "sub", "again.otio")
	os.Mkdir(filepath.Dir(out), 0o755)
	if code, _, complaint := blendseam(t, "convert", path, "-o", out); code != 0 {
		t.Fatal(complaint)
	}
	a, b := filepath.Join(dir, "a.wav"), filepath.Join(dir, "b.wav")
	blendseam(t, "render", path, "-o", a)
	if code, _, complaint := blendseam(t, "render", out, "-o", b); code != 0 {
		t.Fatal(complaint)
	}
	outside.Same(t, "rendered after converting", outside.Decode(t, a, 2), outside.Decode(t, b, 2))
}

// running is the program serving.
type running struct {
	*exec.Cmd
	url string
}

func serving(t *testing.T, dir string, more ...string) running {
	t.Helper()
	c := command(append([]string{"serve", "--listen", "127.0.0.1:0"}, more...)...)
	c.Env = append(c.Env, "BLENDSEAM_VAR="+dir)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	out, err := c.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	var complaint bytes.Buffer
	c.Stderr = &complaint
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if m := regexp.MustCompile(`https?://\S+/`).FindString(lines.Text()); m != "" {
			return running{c, m}
		}
	}
	c.Wait()
	t.Fatalf("it did not start: %s", complaint.String())
	return running{}
}

func post(t *testing.T, url string, body any, to any) (int, error) {
	raw, _ := json.Marshal(body)
	a, err := http.Post(url, "application/json", bytes.NewReader(raw))
	if err != nil {
		return 0, err
	}
	defer a.Body.Close()
	if to != nil {
		return a.StatusCode, json.NewDecoder(a.Body).Decode(to)
	}
	return a.StatusCode, nil
}

// The program is killed outright in the middle of a stream of edits, three times, and started again on the same data.
func TestAKilledProgramLosesNoAcknowledgedEdit(t *testing.T) {
	dir := t.TempDir()
	p := serving(t, dir)
	var made struct{ ID string }
	if code, err := post(
		t,
		p.url+"scenes",
		map[string]any{"name": "kept", "rate": "25", "sample_rate": 48000, "channels": 2},
		&made,
	); code != 201 {
		t.Fatal(code, err)
	}
	acknowledged := map[int64]string{}
	revision := int64(0)
	for kill := range 3 {
		var timer *time.Timer
		for n := 0; ; n++ {
			name := fmt.Sprintf("name %d %d", kill, n)
			var answer struct{ Revision int64 }
			code, err := post(
				t,
				p.url+"scenes/"+made.ID+"/edits",
				map[string]any{"revision": revision, "edit": map[string]any{"edit": "rename", "name": name}},
				&answer,
			)
			if err != nil {
				break // it is dead
			}
			if code != 200 {
				t.Fatal(code)
			}
			revision = answer.Revision
			acknowledged[revision] = name
			if n == 20 {
				timer = time.AfterFunc(15*time.Millisecond, func() { syscall.Kill(p.Process.Pid, syscall.SIGKILL) })
			}
		}
		timer.Stop()
		p.Wait()
		p = serving(t, dir)
		a, err := http.Get(p.url + "scenes/" + made.ID + "/state")
		if err != nil {
			t.Fatal(err)
		}
		var state struct {
			Revision int64
			Name     string
		}
		json.NewDecoder(a.Body).Decode(&state)
		a.Body.Close()
		if state.Revision < revision || state.Revision == revision && state.Name != acknowledged[revision] {
			t.Fatalf(
				"after kill %d the scene is %q at %d; acknowledged was %q at %d",
				kill+1,
				state.Name,
				state.Revision,
				acknowledged[revision],
				revision,
			)
		}
		revision = state.Revision
	}
	p.Process.Signal(syscall.SIGTERM)
	if err := p.Wait(); err != nil {
		t.Errorf("it did not end cleanly: %v", err)
	}
	if _, err := os.Stat(filepath.Join(dir, "database", "pid")); err == nil {
		t.Error("the database did not end with it")
	}
	t.Logf("%d edits acknowledged over 3 kills", len(acknowledged))
}

func TestImportAndATakenPort(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("BLENDSEAM_VAR", dir)
	_, path := sceneFile(t)
	if code, out, complaint := blendseam(
		t,
		"import",
		path,
		"--scene",
		"Imported",
	); code != 0 ||
		!strings.Contains(out, "Imported") {
		t.Fatal(code, out, complaint)
	}
	voices := outside.Voices(t)
	if code, out, complaint := blendseam(
		t,
		"import",
		voices[2],
		voices[3],
		"--scene",
		"Voices",
	); code != 0 ||
		!strings.Contains(out, "2 recordings") {
		t.Fatal(code, out, complaint)
	}
	if code, _, complaint := blendseam(
		t,
		"import",
		os.DevNull,
		"--scene",
		"Voices",
	); code != 1 ||
		strings.Count(complaint, "\n") != 1 {
		t.Errorf("an empty file: %d %q", code, complaint)
	}
	p := serving(t, dir)
	defer func() { p.Process.Signal(syscall.SIGTERM); p.Wait() }()
	a, err := http.Get(p.url)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Body.Close()
	var page bytes.Buffer
	page.ReadFrom(a.Body)
	for _, name := range []string{">Imported<", ">Voices<"} {
		if !strings.Contains(page.String(), name) {
			t.Errorf("the list of scenes has no %s", name)
		}
	}
	code, _, complaint := blendseam(t, "serve", "--listen", strings.TrimSuffix(strings.TrimPrefix(p.url, "http://"), "/"))
	if code != 1 || !strings.Contains(complaint, "is taken") {
		t.Errorf("a port that is taken: %d %q", code, complaint)
	}
}
