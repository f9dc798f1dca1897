package main

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// driving is what is done to a cluster.
type driving struct {
	time    time.Duration
	editors int
	scenes  int
	kills   int
	cuts    int
	one     string
	pause   time.Duration

	base   string
	client *http.Client
	clips  []string // of each scene

	mu      sync.Mutex
	took    []time.Duration
	heard   []time.Duration // from an acknowledged edit to its event on another program
	acked   map[string][]ack
	sent    map[string]time.Time // by scene and revision
	stale   atomic.Int64
	failed  atomic.Int64
	refused atomic.Int64
	problem sync.Map
}

// An ack is an edit that was said to be kept.
type ack struct {
	revision int64
	db       float64
}

// drive lets editors edit, kills parts meanwhile, and looks for every edit afterwards.
func (d *driving) drive(ctx context.Context, c *cluster) error {
	if d.base = d.one; c != nil {
		d.base = c.url()
	}
	d.acked, d.sent = map[string][]ack{}, map[string]time.Time{}
	jar, err := cookiejar.New(nil)
	if err != nil {
		return err
	}
	d.client = &http.Client{Jar: jar, Timeout: 60 * time.Second,
		Transport: &http.Transport{MaxIdleConnsPerHost: 500, MaxConnsPerHost: 0}}
	if c != nil {
		err = errors.New("nobody tried")
		for n := 0; err != nil && n < 30; n++ { // the programs look once a second whether there is an account
			time.Sleep(100 * time.Millisecond)
			err = d.signIn()
		}
		if err != nil {
			return err
		}
	}
	scenes, err := d.makeScenes()
	if err != nil {
		return err
	}
	fmt.Printf("%d editors on %d scenes for %s ...\n", d.editors, d.scenes, d.time)
	during, cancel := context.WithTimeout(ctx, d.time)
	defer cancel()
	var work sync.WaitGroup
	for i := range d.editors {
		id := scenes[i%len(scenes)]
		work.Go(func() { d.listen(during, id) })
		work.Go(func() { d.edit(during, id, i) })
	}
	before := c.used()
	killed := 0
	if d.kills+d.cuts > 0 {
		work.Go(func() { killed = d.fault(during, c) })
	}
	work.Wait()
	if after := c.used(); c != nil && killed == 0 {
		n := float64(len(d.took))
		fmt.Printf("processor time for an edit, with all that goes on beside: %.2f ms of the programs, %.2f ms of each "+
			"database\n",
			1000*(after[0]-before[0])/n, 1000*(after[1]-before[1])/n/nodes)
	}
	fmt.Printf("%d faults\n", killed)
	if d.kills+d.cuts > 0 {
		if err := c.whole(); err != nil {
			return err
		}
	}
	return d.judge(c, scenes)
}

func (d *driving) signIn() error {
	a, err := d.client.PostForm(d.base+"/sign-in", url.Values{"name": {owner}, "password": {ownerPassword}})
	if err != nil {
		return err
	}
	a.Body.Close()
	if a.Request.URL.Path == "/sign-in" {
		return errors.New("the owner cannot sign in")
	}
	return nil
}

// makeScenes brings the demo in, and copies it.
func (d *driving) makeScenes() (list []string, err error) {
	var made struct{ ID string }
	if err := d.post("/scenes/demo", map[string]any{}, &made); err != nil {
		return nil, err
	}
	first := made.ID
	list = append(list, first)
	for len(list) < d.scenes {
		if err := d.post("/scenes/"+first+"/copy", map[string]any{}, &made); err != nil {
			return nil, err
		}
		list = append(list, made.ID)
	}
	var state struct {
		Tracks []struct {
			Purpose string
			Clips   []struct{ ID string }
		}
	}
	if err := d.get("/scenes/"+first+"/state", &state); err != nil {
		return nil, err
	}
	for _, t := range state.Tracks {
		if t.Purpose != "picture" {
			for _, c := range t.Clips {
				d.clips = append(d.clips, c.ID)
			}
		}
	}
	return list, nil
}

func (d *driving) get(path string, to any) error { return d.ask(http.MethodGet, path, nil, to) }

func (d *driving) post(path string, body, to any) error {
	return d.ask(http.MethodPost, path, body, to)
}

// A status is an answer that is none of those that are wanted.
type status struct {
	code int
	said string
}

func (s *status) Error() string { return fmt.Sprintf("%d %s", s.code, s.said) }

func (d *driving) ask(method, path string, body, to any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	q, err := http.NewRequest(method, d.base+path, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	a, err := d.client.Do(q)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	said, err := io.ReadAll(a.Body)
	if err != nil {
		return err
	}
	if a.StatusCode >= 300 {
		return &status{a.StatusCode, string(said[:min(len(said), 200)])}
	}
	return json.Unmarshal(said, to)
}

// edit changes the gain of a clip of its own, again and again, at the revision that it knows.
func (d *driving) edit(ctx context.Context, id string, n int) {
	var state struct{ Revision int64 }
	know := func() bool {
		for ctx.Err() == nil {
			if err := d.get("/scenes/"+id+"/state", &state); err == nil {
				return true
			}
			time.Sleep(100 * time.Millisecond)
		}
		return false
	}
	if !know() {
		return
	}
	clip := d.clips[n/d.scenes%len(d.clips)]
	for k := 1; ; k++ {
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Duration(rand.ExpFloat64() * float64(d.pause))):
		}
		db := float64(n+1) + float64(k)/1e4
		if k%2 == 0 {
			db = -db
		}
		begun := time.Now()
		var answer struct{ Revision int64 }
		err := d.post("/scenes/"+id+"/edits", map[string]any{"revision": state.Revision,
			"edit": map[string]any{"edit": "gain", "clips": []string{clip}, "db": db / 100}}, &answer)
		took := time.Since(begun)
		var other *status
		switch {
		case err == nil:
			state.Revision = answer.Revision
			d.mu.Lock()
			d.took = append(d.took, took)
			d.acked[id] = append(d.acked[id], ack{answer.Revision, db / 100})
			d.sent[fmt.Sprint(id, answer.Revision)] = time.Now()
			d.mu.Unlock()
			continue
		case errors.As(err, &other) && other.code == http.StatusConflict:
			d.stale.Add(1)
		case errors.As(err, &other) && other.code == http.StatusUnprocessableEntity:
			d.refused.Add(1)
			d.problem.Store(other.said, true)
		default:
			d.failed.Add(1)
			text := err.Error()
			d.problem.Store(text[:min(len(text), 160)], true)
		}
		if !know() {
			return
		}
	}
}

// listen hears what happens to a scene as a page does, and how long after it was acknowledged.
func (d *driving) listen(ctx context.Context, id string) {
	for ctx.Err() == nil {
		q, err := http.NewRequestWithContext(ctx, http.MethodGet, d.base+"/events?scene="+id, nil)
		if err != nil {
			return
		}
		long := *d.client
		long.Timeout = 0
		a, err := long.Do(q)
		if err != nil || a.StatusCode != http.StatusOK {
			if err == nil {
				a.Body.Close()
			}
			time.Sleep(200 * time.Millisecond)
			continue
		}
		lines := bufio.NewScanner(a.Body)
		for lines.Scan() {
			var e struct{ Revision int64 }
			if text, is := strings.CutPrefix(lines.Text(), "data: "); is && json.Unmarshal([]byte(text), &e) == nil &&
				e.Revision > 0 {
				d.mu.Lock()
				if at, known := d.sent[fmt.Sprint(id, e.Revision)]; known {
					d.heard = append(d.heard, time.Since(at))
				}
				d.mu.Unlock()
			}
		}
		a.Body.Close()
	}
}

// fault kills parts at random moments and starts them again.
func (d *driving) fault(ctx context.Context, c *cluster) (kills int) {
	var plan []*part // nil cuts a server off
	for range d.cuts {
		plan = append(plan, nil)
	}
	for range d.kills {
		plan = append(plan, c.programs[rand.IntN(nodes)], c.databases[rand.IntN(nodes)])
		plan = append(plan, c.stores()...)
	}
	rand.Shuffle(len(plan), func(i, j int) { plan[i], plan[j] = plan[j], plan[i] })
	each := d.time / time.Duration(len(plan)+1)
	for _, p := range plan {
		select {
		case <-ctx.Done():
			return kills
		case <-time.After(each/2 + rand.N(each/2)):
		}
		kills++
		if p == nil {
			if err := d.cut(ctx, c, rand.IntN(nodes)); err != nil {
				fmt.Fprintln(os.Stderr, "cluster:", err)
			}
			continue
		}
		p.kill()
		if err := errors.Join(p.start(false), p.up(90*time.Second)); err != nil {
			fmt.Fprintln(os.Stderr, "cluster:", err)
			d.failed.Add(1)
			d.problem.Store(err.Error(), true)
		}
	}
	return kills
}

// cutFor is how long a server is cut off.
const cutFor = 20 * time.Second

// cut cuts a server off, and waits until it is part of the database again.
func (d *driving) cut(ctx context.Context, c *cluster, node int) error {
	err := c.spaces.cut(node)
	select {
	case <-time.After(cutFor):
	case <-ctx.Done():
	}
	return errors.Join(err, c.spaces.join(node), c.databases[node].up(time.Minute))
}

// used is the processor time of all programs and of all servers of the database so far, in seconds.
func (c *cluster) used() (sum [2]float64) {
	if c == nil {
		return sum
	}
	for i, parts := range [][]*part{c.programs, c.databases} {
		for _, p := range parts {
			if stat, err := procStat(p.run.Process.Pid); err == nil {
				sum[i] += stat
			}
		}
	}
	return sum
}

// procStat is the processor time of a process (proc(5): utime and stime of stat, in hundredths of a second).
func procStat(pid int) (seconds float64, err error) {
	raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return 0, err
	}
	var user, system float64
	_, after, _ := strings.Cut(string(raw), ") ")
	fields := strings.Fields(after)
	_, err = fmt.Sscan(fields[11]+" "+fields[12], &user, &system)
	return (user + system) / 100, err
}

// whole waits until every part can be used.
func (c *cluster) whole() error {
	for _, p := range slices.Concat(c.databases, c.stores(), c.programs, []*part{c.front}) {
		if err := p.up(time.Minute); err != nil {
			return err
		}
	}
	return nil
}

// judge says what became of everything.
func (d *driving) judge(c *cluster, scenes []string) error {
	n := 0
	for _, list := range d.acked {
		n += len(list)
	}
	fmt.Printf("%d edits acknowledged, %d touched what was newer, %d refused, %d failed\n", n, d.stale.Load(),
		d.refused.Load(), d.failed.Load())
	d.problem.Range(func(k, _ any) bool {
		fmt.Println("  ", strings.TrimSpace(k.(string)))
		return true
	})
	fmt.Printf(
		"answered in %s (half), %s (95 %%), %s (99 %%), %s at most\n",
		at(d.took, .5),
		at(d.took, .95),
		at(d.took, .99),
		at(d.took, 1),
	)
	fmt.Printf(
		"heard on other pages after %s (half), %s (95 %%), %s (99 %%)\n",
		at(d.heard, .5),
		at(d.heard, .95),
		at(d.heard, .99),
	)
	lost, disordered := 0, 0
	for node := range nodes {
		if c == nil {
			break
		}
		l, o, err := d.look(c.dsnOf(node), scenes)
		if err != nil {
			return err
		}
		lost, disordered = lost+l, disordered+o
	}
	wrong := d.check(scenes)
	fmt.Printf(
		"on all three servers %d edits are not there, %d logs are not in order; %d scenes cannot be\n",
		lost,
		disordered,
		wrong,
	)
	if lost+disordered+wrong > 0 {
		return errors.New("something was lost")
	}
	if d.kills+d.cuts == 0 && d.failed.Load() > 0 {
		return errors.New("some edits failed though nothing was killed")
	}
	return nil
}

func at(list []time.Duration, part float64) time.Duration {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[min(len(list)-1, int(part*float64(len(list))))].Round(100 * time.Microsecond)
}

// look looks on one server for every edit that was acknowledged, and whether each log goes on from one to the next.
func (d *driving) look(dsn string, scenes []string) (lost, disordered int, err error) {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return 0, 0, err
	}
	defer db.Close()
	for _, id := range scenes {
		rows, err := db.Query("SELECT seq, COALESCE(edit, '') FROM edits WHERE scene = ? ORDER BY seq", id)
		if err != nil {
			return 0, 0, err
		}
		edits, next := map[int64]string{}, int64(1)
		for rows.Next() {
			var seq int64
			var edit string
			if err := rows.Scan(&seq, &edit); err != nil {
				return 0, 0, err
			}
			if seq != next {
				disordered++
			}
			next = seq + 1
			edits[seq] = edit
		}
		rows.Close()
		if err := rows.Err(); err != nil {
			return 0, 0, err
		}
		for _, a := range d.acked[id] {
			if !strings.Contains(edits[a.revision], fmt.Sprint(`"db":`, a.db)) {
				lost++
			}
		}
	}
	return lost, disordered, nil
}

// check reads every scene back through the command line, which refuses one that cannot be.
func (d *driving) check(scenes []string) (wrong int) {
	dir, err := os.MkdirTemp("", "blendseam-cluster-")
	if err != nil {
		return len(scenes)
	}
	defer os.RemoveAll(dir)
	for i, id := range scenes {
		a, err := d.client.Get(d.base + "/scenes/" + id + "/scene.otio")
		if err != nil || a.StatusCode != http.StatusOK {
			wrong++
			continue
		}
		raw, err := io.ReadAll(a.Body)
		a.Body.Close()
		file := filepath.Join(dir, fmt.Sprintf("%d.otio", i))
		if err == nil {
			err = os.WriteFile(file, raw, 0o600)
		}
		if err == nil {
			err = exec.Command("bin/blendseam", "convert", file, "-o", file+".again.otio").Run()
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "cluster: a scene cannot be read back:", err)
			wrong++
		}
	}
	return wrong
}
