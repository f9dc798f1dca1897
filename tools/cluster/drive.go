package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
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
	carried carried
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
	during, cancel := context.WithCancel(ctx)
	defer cancel()
	var work, faulty sync.WaitGroup
	for i := range d.editors {
		id := scenes[i%len(scenes)]
		work.Go(func() { d.listen(during, id) })
		work.Go(func() { d.edit(during, id, i) })
	}
	before := c.used()
	var were faults
	if d.kills+d.cuts > 0 {
		faulty.Go(func() { were = d.fault(during, c) })
		work.Go(func() { d.carry(during, scenes) })
	}
	select {
	case <-time.After(d.time):
	case <-ctx.Done():
	}
	faulty.Wait() // all that is planned
	cancel()
	work.Wait()
	if after := c.used(); c != nil && len(were) == 0 {
		n := float64(len(d.took))
		fmt.Printf("processor time for an edit, with all that goes on beside: %.2f ms of the programs, %.2f ms of each "+
			"database\n",
			1000*(after[0]-before[0])/n, 1000*(after[1]-before[1])/n/nodes)
	}
	fmt.Println("faults:", were)
	if d.kills+d.cuts == 0 {
		return d.judge(c, scenes)
	}
	if err := c.whole(); err != nil {
		return err
	}
	return errors.Join(d.carriedJudge(c), d.judge(c, scenes))
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
	usual := d.client.Timeout
	d.client.Timeout = loadLimit
	defer func() { d.client.Timeout = usual }()
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

// loadLimit is how long the demo may take to be brought in and sent to the store: the machine builds and tests beside
// it.
const loadLimit = 5 * time.Minute

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
	return d.answered(q, to)
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
