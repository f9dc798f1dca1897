package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"unsafe"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/internal/corpus"
)

// A disk is a file system of its own, in a file, whose power can be cut.
type disk struct {
	t     *testing.T
	image string
	at    string // where it is mounted
}

// newDisk makes one, or skips the test where this process may not.
func newDisk(t *testing.T) *disk {
	t.Helper()
	d := &disk{t, filepath.Join(t.TempDir(), "disk.img"), filepath.Join(t.TempDir(), "disk")}
	f, err := os.Create(d.image)
	if err == nil {
		err = f.Truncate(3 << 30) // it is not written to before it is used
		f.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("mkfs.ext4", "-q", d.image).CombinedOutput(); err != nil {
		t.Skipf("a loss of power cannot be tried here: %v %s", err, out)
	}
	if err := os.Mkdir(d.at, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := d.mount(); err != nil {
		t.Skipf("a loss of power cannot be tried here, as no file system may be mounted: %v", err)
	}
	t.Cleanup(func() {
		d.end()
		for exec.Command("umount", d.at).Run() != nil { // until what was killed has gone
		}
	})
	return d
}

func (d *disk) mount() error {
	if out, err := exec.Command("mount", "-o", "loop", d.image, d.at).CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// cut cuts the power: nothing is written any more that the disk does not have, and all that runs from it ends.
func (d *disk) cut() {
	d.t.Helper()
	f, err := os.Open(d.at)
	if err != nil {
		d.t.Fatal(err)
	}
	// EXT4_IOC_SHUTDOWN with EXT4_GOING_FLAGS_NOLOGFLUSH, of linux/fs.h: from memory.
	how := uint32(2)
	_, _, e := syscall.Syscall(syscall.SYS_IOCTL, f.Fd(), 0x8004587d, uintptr(unsafe.Pointer(&how)))
	f.Close()
	if e != 0 {
		d.t.Skipf("the power of a file system cannot be cut here: %v", e)
	}
	d.end()
	for exec.Command("umount", d.at).Run() != nil { // what never ends is ended by the limit of the test program
	}
	if err := d.mount(); err != nil {
		d.t.Fatal(err)
	}
}

// end kills what runs from the disk, and waits until it has gone: the program, its database, and what it runs in rooms
// of their own, which would hold the disk.
func (d *disk) end() {
	for d.killed() > 0 {
	}
}

// killed kills them, and counts those that are still there.
func (d *disk) killed() (n int) {
	list, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	for _, file := range list {
		line, _ := os.ReadFile(file)
		environment, _ := os.ReadFile(filepath.Join(filepath.Dir(file), "environ"))
		if bytes.Contains(line, []byte(d.at)) || bytes.Contains(environment, []byte("BLENDSEAM_VAR="+d.at)) {
			if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(file))); err == nil && pid != os.Getpid() {
				syscall.Kill(pid, syscall.SIGKILL)
				n++
			}
		}
	}
	return n
}

// noise is a WAV file of a tenth of a second that no other is like.
func noise(t *testing.T, r *rand.Rand) []byte {
	t.Helper()
	const rate, n = 48000, 4800
	path := filepath.Join(t.TempDir(), "noise.wav")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	e := pcm.Encoder{Format: pcm.Format{Rate: rate, Channels: 1, Bits: 16}}
	w, err := wav.NewWriter(f, e.Format, nil)
	if err != nil {
		t.Fatal(err)
	}
	b := pcm.NewBlock(1, n)
	for i := range b[0] {
		b[0][i] = 0.2 * r.NormFloat64()
	}
	raw := make([]byte, e.Size(n))
	e.Encode(raw, b, 0)
	w.Write(raw)
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	f.Close()
	raw, err = os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

// A ledger is what was acknowledged.
type ledger struct {
	scene    string
	revision int64
	name     string
	uploads  map[string]bool   // hashes
	mixdowns map[string]string // hash by job
	joined   map[string]string // hash of the sound, by recording
}

// fetched is what an address answers, and its hash; "" if it does not answer with 200.
func fetched(url string) (body []byte, sum string) {
	a, err := http.Get(url)
	if err != nil {
		return nil, ""
	}
	defer a.Body.Close()
	body, err = io.ReadAll(a.Body)
	if err != nil || a.StatusCode != 200 {
		return body, ""
	}
	return body, fmt.Sprintf("%x", sha256.Sum256(body))
}

// work asks for something of each kind in turn until so many things were acknowledged.
func (l *ledger) work(t *testing.T, p running, r *rand.Rand, most int) {
	t.Helper()
	for done := 0; done < most; done++ {
		switch done % 4 {
		case 0:
			raw := noise(t, r)
			q, _ := http.NewRequest("POST", p.url+"scenes/"+l.scene+"/sources", bytes.NewReader(raw))
			sum := fmt.Sprintf("%x", sha256.Sum256(raw))
			q.Header.Set("Blendseam-Name", sum[:8]+".wav")
			a, err := http.DefaultClient.Do(q)
			if err != nil {
				t.Fatal(err)
			}
			if a.Body.Close(); a.StatusCode != 202 {
				t.Fatalf("an upload is answered with %d", a.StatusCode)
			}
			l.uploads[sum] = true
		case 1:
			l.edit(t, p, fmt.Sprint("name ", r.IntN(1e9)))
		case 2:
			l.mixdown(t, p)
		case 3:
			l.join(t, p)
		}
	}
}

// edit renames the scene, at whichever revision it is: recordings come in beside.
func (l *ledger) edit(t *testing.T, p running, name string) {
	t.Helper()
	for {
		var answer struct{ Revision int64 }
		code, err := post(t, p.url+"scenes/"+l.scene+"/edits",
			map[string]any{"revision": l.revision, "edit": map[string]any{"edit": "rename", "name": name}}, &answer)
		switch {
		case err != nil:
			t.Fatal(err)
		case code == 200:
			l.revision, l.name = answer.Revision, name
			return
		case code != 409:
			t.Fatalf("an edit is answered with %d", code)
		}
		l.revision = l.state(t, p).Revision
	}
}

type powerState struct {
	Revision int64
	Name     string
	Tracks   []struct{ Clips []powerClip }
	Sources  map[string]struct {
		SHA256 string `json:"sha256"`
	}
}

func (l *ledger) state(t *testing.T, p running) (st powerState) {
	t.Helper()
	body, sum := fetched(p.url + "scenes/" + l.scene + "/state")
	if err := json.Unmarshal(body, &st); sum == "" || err != nil {
		t.Fatalf("the scene is answered with %s, %v", body, err)
	}
	return st
}

// join makes a recording of the clip, and keeps its hash once it lies in the scene.
func (l *ledger) join(t *testing.T, p running) {
	t.Helper()
	was := l.clip(t, p)
	if code, err := post(t, p.url+"scenes/"+l.scene+"/joins", map[string]any{"clips": []string{was.ID}, "name": "joined"},
		nil); code != 202 {
		t.Fatal(code, err)
	}
	now := was
	for now.Source == was.Source { // what never comes is ended by the limit of the test program
		now = l.clip(t, p)
	}
	_, l.joined[now.Source] = fetched(p.url + "media/" + now.Source + "/sound/48000")
}

type powerClip struct{ ID, Source string }

// clip is the one that lies in the scene.
func (l *ledger) clip(t *testing.T, p running) powerClip {
	t.Helper()
	for _, track := range l.state(t, p).Tracks {
		for _, c := range track.Clips {
			return c
		}
	}
	t.Fatal("the clip is gone")
	return powerClip{}
}

// mixdown makes one, and keeps its hash once it is done.
func (l *ledger) mixdown(t *testing.T, p running) {
	t.Helper()
	var job struct{ ID string }
	if code, err := post(t, p.url+"scenes/"+l.scene+"/mixdowns", map[string]any{"kind": "wav", "depth": "16"},
		&job); code != 202 {
		t.Fatal(code, err)
	}
	for {
		switch state, why := l.becomes(t, p, job.ID); state {
		case "done":
			_, l.mixdowns[job.ID] = fetched(p.url + "made/" + job.ID)
			return
		case "running":
		default:
			t.Fatal(state, why)
		}
	}
}

// becomes is the state of a mixdown's job.
func (l *ledger) becomes(t *testing.T, p running, job string) (state, why string) {
	t.Helper()
	var jobs []struct{ ID, State, Error string }
	body, _ := fetched(p.url + "scenes/" + l.scene + "/mixdowns")
	if err := json.Unmarshal(body, &jobs); err != nil {
		t.Fatal(err)
	}
	for _, j := range jobs {
		if j.ID == job {
			return j.State, j.Error
		}
	}
	return "", ""
}

// look compares what is there with what was acknowledged; whole waits for recordings that jobs go on bringing in.
func (l *ledger) look(t *testing.T, p running, whole bool) {
	t.Helper()
	st := l.state(t, p)
	if st.Revision < l.revision || st.Revision == l.revision && st.Name != l.name {
		t.Errorf("revision %d, %q, was acknowledged; %d, %q, is there", l.revision, l.name, st.Revision, st.Name)
	}
	for job, sum := range l.mixdowns {
		// A reader may see that it is done a moment before the database has that on the disk: then it is made again.
		state, _ := l.becomes(t, p, job)
		for whole && state == "running" {
			state, _ = l.becomes(t, p, job)
		}
		if state == "running" {
			continue
		}
		if body, now := fetched(p.url + "made/" + job); now != sum {
			t.Errorf("a mixdown has %d bytes with hash %.8s, was %.8s", len(body), now, sum)
		}
	}
	for id, sum := range l.joined {
		if body, now := fetched(p.url + "media/" + id + "/sound/48000"); now != sum || sum == "" {
			t.Errorf("what was joined has %d bytes with hash %.8s, was %.8s", len(body), now, sum)
		}
	}
	for whole {
		here := map[string]bool{}
		for _, src := range st.Sources {
			here[src.SHA256] = true
		}
		missing := 0
		for sum := range l.uploads {
			if !here[sum] {
				missing++
			}
		}
		if missing == 0 {
			break
		}
		st = l.state(t, p) // what never comes is ended by the limit of the test program
	}
	for id, src := range st.Sources {
		if !l.uploads[src.SHA256] {
			continue
		}
		// A WAV file at the scene's rate is served as it came, but for its head.
		body, sum := fetched(p.url + "media/" + id + "/sound/48000")
		if sum == "" || len(body) == 0 || !strings.HasPrefix(src.SHA256, id) {
			t.Errorf("recording %s is answered with %d bytes", id, len(body))
		}
	}
}

// At a loss of power at any moment of uploads, edits and mixdowns nothing is lost that was acknowledged, and nothing
// damaged is served.
func TestALossOfPowerLosesNothing(t *testing.T) {
	d := newDisk(t)
	r := rand.New(rand.NewPCG(corpus.Seed(), 41))
	dir := filepath.Join(d.at, "var")
	p := serving(t, dir)
	l := &ledger{name: "power", uploads: map[string]bool{}, mixdowns: map[string]string{},
		joined: map[string]string{}}
	var made struct{ ID string }
	if code, err := post(t, p.url+"scenes", map[string]any{"name": "power", "rate": "25", "sample_rate": 48000,
		"channels": 2}, &made); code != 201 {
		t.Fatal(code, err)
	}
	l.scene = made.ID
	first := noise(t, r)
	q, _ := http.NewRequest("POST", p.url+"scenes/"+l.scene+"/sources", bytes.NewReader(first))
	q.Header.Set("Blendseam-Name", "first.wav")
	if a, err := http.DefaultClient.Do(q); err != nil || a.StatusCode != 202 {
		t.Fatal(a, err)
	}
	l.uploads[fmt.Sprintf("%x", sha256.Sum256(first))] = true
	l.look(t, p, true)
	for id := range l.state(t, p).Sources {
		if code, err := post(t, p.url+"scenes/"+l.scene+"/sources/"+id+"/lay", map[string]any{}, nil); code != 200 {
			t.Fatal(code, err)
		}
	}
	for range corpus.Cases(20, 60) {
		l.work(t, p, r, 1+r.IntN(7))
		d.cut()
		p.Wait()
		p = serving(t, dir)
		l.look(t, p, false)
		if t.Failed() {
			return
		}
	}
	l.look(t, p, true)
	t.Logf("%d recordings, %d mixdowns, %d joined, revision %d", len(l.uploads), len(l.mixdowns), len(l.joined),
		l.revision)
	p.Process.Signal(syscall.SIGTERM)
	p.Wait()
}
