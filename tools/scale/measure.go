package main

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	_ "github.com/go-sql-driver/mysql"
)

// A program is one that is measured, with a database of its own.
type program struct {
	url, scene string
	pid, db    int
}

// clockTicks are those of /proc, a second.
const clockTicks = 100

// processorS is the processor time of a process so far, in seconds (proc(5): utime and stime of stat).
func processorS(pid int) float64 {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0
	}
	f := strings.Fields(string(raw[bytes.LastIndexByte(raw, ')')+1:]))
	user, _ := strconv.ParseFloat(f[11], 64)
	system, _ := strconv.ParseFloat(f[12], 64)
	return (user + system) / clockTicks
}

// residentMB is the memory of a process.
func residentMB(pid int) float64 {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", pid))
	if err != nil {
		return 0
	}
	pages, _ := strconv.ParseFloat(strings.Fields(string(raw))[1], 64)
	return pages * float64(os.Getpagesize()) / 1e6
}

// measured measures what editors cost here.
func measured() (f Figures, err error) {
	dir, err := os.MkdirTemp("", "blendseam-scale-")
	if err != nil {
		return f, err
	}
	defer os.RemoveAll(dir)
	cmd := exec.Command("bin/blendseam", "demo", "--listen", "127.0.0.1:0")
	cmd.Env = append(os.Environ(), "BLENDSEAM_VAR="+dir)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return f, err
	}
	begun := time.Now()
	if err := cmd.Start(); err != nil {
		return f, err
	}
	defer func() {
		cmd.Process.Signal(syscall.SIGTERM)
		cmd.Wait()
	}()
	p := program{pid: cmd.Process.Pid}
	said := make([]byte, 4096)
	for p.scene == "" {
		n, err := out.Read(said)
		if err != nil {
			return f, fmt.Errorf("the program did not start: %w", err)
		}
		if m := regexp.MustCompile(`(http://[^/]+)(/scenes/[^/]+)/`).FindSubmatch(said[:n]); m != nil {
			p.url, p.scene = string(m[1]), string(m[2])
		}
	}
	go io.Copy(io.Discard, out)
	pid, err := os.ReadFile(filepath.Join(dir, "database", "pid"))
	if err != nil {
		return f, err
	}
	if p.db, err = strconv.Atoi(strings.TrimSpace(string(pid))); err != nil {
		return f, err
	}
	f.Machine = fmt.Sprintf("%d cores, %s, measured %s", runtime.NumCPU(), cpuName(), begun.Format("2006-01-02"))
	return f, p.measure(&f, dir)
}

func cpuName() string {
	raw, _ := os.ReadFile("/proc/cpuinfo")
	if m := regexp.MustCompile(`model name\s*: (.*)`).FindSubmatch(raw); m != nil {
		return string(m[1])
	}
	return runtime.GOARCH
}

func (p program) get(path string) ([]byte, error) {
	a, err := http.Get(p.url + path)
	if err != nil {
		return nil, err
	}
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	if err == nil && a.StatusCode >= 300 {
		err = fmt.Errorf("%s: %d", path, a.StatusCode)
	}
	return raw, err
}

// settle waits until the program has nothing to do: its processor time stands still.
func (p program) settle() {
	for last := -1.; ; time.Sleep(500 * time.Millisecond) {
		now := processorS(p.pid)
		if now-last < 0.02 && last >= 0 {
			return
		}
		last = now
	}
}

const edits = 600

func (p program) measure(f *Figures, dir string) error {
	p.settle()
	var state struct {
		Revision   int64
		SampleRate int64 `json:"sample_rate"`
		Tracks     []struct {
			Purpose string
			Clips   []struct{ ID string }
		}
	}
	raw, err := p.get(p.scene + "/state")
	if err == nil {
		err = json.Unmarshal(raw, &state)
	}
	if err != nil {
		return err
	}
	clip := ""
	for _, t := range state.Tracks {
		if t.Purpose == "dialogue" {
			clip = t.Clips[0].ID
		}
	}
	edit := func(db float64) error {
		body := fmt.Sprintf(`{"revision":%d,"edit":{"edit":"gain","clips":[%q],"db":%g}}`, state.Revision, clip, db)
		a, err := http.Post(p.url+p.scene+"/edits", "application/json", strings.NewReader(body))
		if err != nil {
			return err
		}
		defer a.Body.Close()
		return json.NewDecoder(a.Body).Decode(&state)
	}
	program, db := processorS(p.pid), processorS(p.db)
	for i := range edits {
		if err := edit(float64(i%2) - .5); err != nil {
			return err
		}
	}
	f.EditProgramMS = 1000 * (processorS(p.pid) - program) / edits
	f.EditDatabaseMS = 1000 * (processorS(p.db) - db) / edits
	if f.EditBytes, err = rowBytes(dir); err != nil {
		return err
	}

	p.settle()
	program = processorS(p.pid)
	sent, seconds := 0, 0.
	for range 10 {
		for at := 0.; at < 60; at++ {
			raw, err := p.get(fmt.Sprintf("%s/pcm?from=%d&n=%d", p.scene, int64(at)*state.SampleRate, state.SampleRate))
			if err != nil {
				return err
			}
			sent, seconds = sent+len(raw), seconds+1
		}
	}
	f.PlayProgramS = (processorS(p.pid) - program) * 3600 / seconds
	f.PlayMB = float64(sent) / 1e6 * 3600 / seconds

	// All seams of the scene are measured anew when its first clip changes, as many as it has.
	p.settle()
	var list struct {
		Pending int
		Set     []struct{ ID string }
	}
	program = processorS(p.pid)
	const rounds = 20
	for i := range rounds {
		if err := edit(float64(i%2) - .4); err != nil {
			return err
		}
		for list.Pending = 1; list.Pending > 0; time.Sleep(20 * time.Millisecond) {
			raw, err := p.get(p.scene + "/seams")
			if err == nil {
				err = json.Unmarshal(raw, &list)
			}
			if err != nil {
				return err
			}
		}
	}
	f.MeasureSeamMS = 1000 * (processorS(p.pid) - program) / rounds / seamsAnEdit
	f.PageMB = residentMB(p.pid) / 4

	return p.analysed(f, dir)
}

// analysed measures what an hour of recording costs: an hour of the demo's own sound.
func (p program) analysed(f *Figures, dir string) error {
	hour := filepath.Join(dir, "hour.wav")
	cmd := exec.Command(
		"ffmpeg",
		"-v",
		"error",
		"-stream_loop",
		"-1",
		"-i",
		"demo/recordings/evening-tune.flac",
		"-t",
		"3600",
		"-ar",
		"48000",
		"-c:a",
		"pcm_s24le",
		hour,
	)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("an hour of sound cannot be made: %w: %s", err, out)
	}
	file, err := os.Open(hour)
	if err != nil {
		return err
	}
	defer file.Close()
	program := processorS(p.pid)
	q, err := http.NewRequest(http.MethodPost, p.url+p.scene+"/sources", file)
	if err != nil {
		return err
	}
	q.Header.Set("Blendseam-Name", "hour.wav")
	a, err := http.DefaultClient.Do(q)
	if err != nil {
		return err
	}
	a.Body.Close()
	p.settle()
	p.settle()
	f.AnalyseProgramS = processorS(p.pid) - program
	const looks = 300
	db := processorS(p.db)
	for range looks {
		if _, err := p.get("/readyz"); err != nil {
			return err
		}
	}
	f.PulseDatabaseMS = max(0.02, 1000*(processorS(p.db)-db)/looks)
	return nil
}

// fixedBytes is what a row of the log has besides its text: two ids, five numbers, a time, and what the table needs.
const fixedBytes = 36 + 36 + 5*8 + 8 + 20

// rowBytes is how large a row of the log is on the whole.
func rowBytes(dir string) (bytes float64, err error) {
	dsn, err := os.ReadFile(filepath.Join(dir, "database", "dsn"))
	if err != nil {
		return 0, err
	}
	db, err := sql.Open("mysql", strings.TrimSpace(string(dsn)))
	if err != nil {
		return 0, err
	}
	defer db.Close()
	err = db.QueryRow("SELECT AVG(LENGTH(COALESCE(edit, '')) + LENGTH(words) + LENGTH(who)) FROM edits").Scan(&bytes)
	return bytes + fixedBytes, err
}
