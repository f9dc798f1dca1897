// Ten clients edit, undo, upload, mend, listen and render for a while, and meanwhile the program and its database are
// killed at random moments. At the end nothing that was acknowledged may be lost, no job stand as under way, memory and
// open files be where they were, and nothing half made lie about.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"sync"
	"sync/atomic"
	"time"
)

func main() {
	length := flag.Duration("for", 20*time.Minute, "how long")
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano()), "of what is done")
	kills := flag.Int("kills", 0, "kills, in place of a time: about one a second")
	keep := flag.Bool("keep", false, "leave the folder with all data")
	flag.Parse()
	if *kills > 0 {
		killEvery = killSoon
		*length = time.Duration(float64(*kills) * float64(killSoon+startTakes) / killsUntil)
	}
	if err := soak(*length, *kills, *seed, *keep); err != nil {
		fmt.Fprintln(os.Stderr, "soak:", err)
		os.Exit(1)
	}
}

const (
	clients     = 10
	scenes      = 5
	killsUntil  = 0.7                    // of the time; after it, memory and open files are watched
	killSoon    = 600 * time.Millisecond // between two kills where so many are asked for
	startTakes  = 900 * time.Millisecond // in the mean: the database is started beside
	watchEvery  = 5 * time.Second
	mostGrowth  = 1.6 // times the memory held at the start of the watch
	freeGrowth  = 200 << 20
	mostMoreFDs = 60
)

// A ledger is what was acknowledged of a scene: the words of each edit by its revision.
type ledger struct {
	mu    sync.Mutex
	id    string
	words map[int64]string
}

// A run is one soaking.
type run struct {
	program *program
	ledgers []*ledger
	until   time.Time
	most    int // kills; 0: as many as there is time for
	counts  [8]atomic.Int64
	faults  sync.Map // what was answered that should not have been
}

var kinds = [8]string{"edits", "refusals", "undos", "uploads", "mends", "renders", "listens", "unanswered"}

const (
	edits = iota
	refusals
	undos
	uploads
	mends
	renders
	listens
	unanswered
)

// killEvery is how long the program goes on between two kills, in the mean.
var killEvery = 25 * time.Second

func soak(length time.Duration, kills int, seed uint64, keep bool) error {
	p, err := newProgram()
	if err != nil {
		return err
	}
	if !keep {
		defer os.RemoveAll(p.dir)
	}
	fmt.Printf("%s in %s, seed %d\n", length, p.dir, seed)
	if err := p.start(); err != nil {
		return err
	}
	defer p.kill()
	r := &run{program: p, until: time.Now().Add(length), most: kills}
	rng := rand.New(rand.NewPCG(seed, 0))
	for i := range scenes {
		id, err := r.newScene(fmt.Sprintf("scene %d", i), rng)
		if err != nil {
			return err
		}
		r.ledgers = append(r.ledgers, &ledger{id: id, words: map[int64]string{}})
	}
	var group sync.WaitGroup
	for i := range clients {
		group.Go(func() { r.client(rand.New(rand.NewPCG(seed, uint64(i+1))), r.ledgers[i%scenes]) })
	}
	killed, watched := r.disturb(rng, length)
	group.Wait()
	for i, kind := range kinds {
		fmt.Printf("%s %d, ", kind, r.counts[i].Load())
	}
	fmt.Printf("%d kills of the program, %d of its database\n", killed[0], killed[1])
	return errors.Join(r.verify(), watched, r.said(), p.leavesNothing())
}

// disturb kills now and then, and at the end watches memory and open files.
func (r *run) disturb(rng *rand.Rand, length time.Duration) (kills [2]int, err error) {
	calm := r.until.Add(-time.Duration((1 - killsUntil) * float64(length)))
	for time.Now().Before(calm) && (r.most == 0 || kills[0]+kills[1] < r.most) {
		time.Sleep(time.Duration(rng.Int64N(int64(2 * killEvery))))
		which := rng.IntN(2)
		kills[which]++
		if which == 1 {
			r.program.killDatabase()
			continue
		}
		r.program.kill()
		if err := r.program.start(); err != nil {
			return kills, fmt.Errorf("it does not start after kill %d: %w", kills[0], err)
		}
	}
	// Caches fill up in the first part of what is left.
	time.Sleep(time.Until(r.until) / 3)
	first := r.program.use()
	most := first
	for time.Now().Before(r.until) {
		time.Sleep(watchEvery)
		now := r.program.use()
		most.memory, most.files = max(most.memory, now.memory), max(most.files, now.files)
	}
	fmt.Printf(
		"memory %d MB at first, %d MB at most; open files %d and %d\n",
		first.memory>>20,
		most.memory>>20,
		first.files,
		most.files,
	)
	if float64(most.memory) > mostGrowth*float64(first.memory)+freeGrowth || most.files > first.files+mostMoreFDs {
		err = errors.New("memory or open files grow")
	}
	return kills, err
}

// client does one thing after the other.
func (r *run) client(rng *rand.Rand, l *ledger) {
	for time.Now().Before(r.until) {
		st, ok := r.state(l.id)
		if !ok {
			time.Sleep(100 * time.Millisecond)
			continue
		}
		switch n := rng.IntN(100); {
		case n < 70:
			for range 5 {
				if st, ok = r.edit(l, st, rng); !ok {
					break
				}
			}
		case n < 78:
			r.travel(l, st, []string{"undo", "redo"}[rng.IntN(2)])
		case n < 84:
			r.count(
				uploads,
				r.ask(
					"POST",
					"/scenes/"+l.id+"/sources",
					noise(rng, 1+rng.IntN(3)),
					nil,
					"Blendseam-Name",
					fmt.Sprintf("noise%%20%d.wav", rng.IntN(1000)),
				),
			)
		case n < 86:
			r.count(mends, r.ask("POST", "/scenes/"+l.id+"/mend", nil, nil))
		case n < 88:
			r.count(
				renders,
				r.ask(
					"POST",
					"/scenes/"+l.id+"/mixdowns",
					map[string]any{"kind": []string{"wav", "flac", "mp3"}[rng.IntN(3)], "depth": "24"},
					nil,
				),
			)
		default:
			for _, path := range []string{"pcm?from=0&n=48000", "seams", "findings", "report", "history",
				"hand-over"}[rng.IntN(6):] {
				r.count(listens, r.ask("GET", "/scenes/"+l.id+"/"+path, nil, nil))
			}
		}
	}
}

type clip struct {
	ID     string
	Start  int64
	Length int64
	In     int64
}

type state struct {
	Revision int64
	Name     string
	Tracks   []struct {
		ID    string
		Clips []clip
	}
}

func (r *run) state(id string) (st state, ok bool) {
	return st, r.ask("GET", "/scenes/"+id+"/state", nil, &st) == 200
}

// edit does some edit, and notes what was acknowledged.
func (r *run) edit(l *ledger, st state, rng *rand.Rand) (state, bool) {
	e := map[string]any{"edit": "rename", "name": fmt.Sprintf("name %d", rng.Uint32())}
	if len(st.Tracks) > 0 && len(st.Tracks[0].Clips) > 0 {
		c := st.Tracks[0].Clips[rng.IntN(len(st.Tracks[0].Clips))]
		switch rng.IntN(6) {
		case 0:
			e = map[string]any{"edit": "gain", "clips": []string{c.ID}, "db": float64(rng.IntN(200))/10 - 15}
		case 1:
			e = map[string]any{
				"edit":  "trim",
				"clip":  c.ID,
				"edge":  "tail",
				"to":    c.Start + c.Length - int64(rng.IntN(2000)),
				"close": rng.IntN(2) == 0,
			}
		case 2:
			e = map[string]any{"edit": "add_marker", "at": c.Start, "name": fmt.Sprintf("m %d", rng.Uint32())}
		case 3:
			e = map[string]any{"edit": "fade", "clip": c.ID, "edge": "head", "length": rng.IntN(4000)}
		case 4:
			e = map[string]any{"edit": "lull", "clip": c.ID, "from": c.Start + c.Length/4, "to": c.Start + c.Length/2}
		}
	}
	var answer struct {
		Revision int64
		Words    string
	}
	switch status := r.ask("POST", "/scenes/"+l.id+"/edits", map[string]any{"revision": st.Revision, "edit": e},
		&answer); status {
	case 200:
		r.counts[edits].Add(1)
		l.note(answer.Revision, answer.Words)
		st.Revision = answer.Revision
		return st, true
	case 422, 409:
		r.counts[refusals].Add(1)
	default:
		r.count(edits, status)
	}
	return st, false
}

func (r *run) travel(l *ledger, st state, how string) {
	var answer struct{ Revision int64 }
	switch status := r.ask("POST", "/scenes/"+l.id+"/"+how, map[string]any{"revision": st.Revision}, &answer); status {
	case 200:
		l.note(answer.Revision, "") // its words are not in the list of edits, but its revision is
		r.counts[undos].Add(1)
	case 422, 409:
		r.counts[refusals].Add(1)
	default:
		r.count(undos, status)
	}
}

func (l *ledger) note(revision int64, words string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if was, ok := l.words[revision]; ok {
		fmt.Fprintf(os.Stderr, "soak: revision %d of %s was given twice, for %q and for %q\n", revision, l.id, was, words)
		os.Exit(1)
	}
	l.words[revision] = words
}

// count counts what was done; 0 is a program that was not there, and 503 a database.
func (r *run) count(kind int, status int) {
	switch {
	case status == 0 || status == http.StatusServiceUnavailable:
		r.counts[unanswered].Add(1)
	case status < 400 || status == 409 || status == 422:
		r.counts[kind].Add(1)
	default:
		n, _ := r.faults.LoadOrStore(fmt.Sprintf("%s answered with %d", kinds[kind], status), new(atomic.Int64))
		n.(*atomic.Int64).Add(1)
	}
}

// said is an error if anything was answered with an error of the program's.
func (r *run) said() (err error) {
	r.faults.Range(func(what, n any) bool {
		err = errors.Join(err, fmt.Errorf("%s, %d times", what, n.(*atomic.Int64).Load()))
		return true
	})
	return err
}

var web = &http.Client{Timeout: 3 * time.Minute}

// ask sends a request and reads its answer; 0 stands for none.
func (r *run) ask(method, path string, body, to any, headers ...string) int {
	var reader io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		reader = bytes.NewReader(b)
	default:
		raw, err := json.Marshal(b)
		if err != nil {
			panic(err)
		}
		reader = bytes.NewReader(raw)
	}
	q, err := http.NewRequest(method, r.program.url()+path, reader)
	if err != nil {
		panic(err)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		q.Header.Set(headers[i], headers[i+1])
	}
	a, err := web.Do(q)
	if err != nil {
		return 0
	}
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	if err != nil {
		return 0
	}
	if to != nil && a.StatusCode < 300 {
		if err := json.Unmarshal(raw, to); err != nil {
			return 0
		}
	}
	if a.StatusCode >= 500 && a.StatusCode != http.StatusServiceUnavailable {
		fmt.Fprintf(os.Stderr, "soak: %s %s: %d %.200s\n", method, path, a.StatusCode, raw)
	}
	return a.StatusCode
}

// newScene makes a scene with a few recordings laid out.
func (r *run) newScene(name string, rng *rand.Rand) (string, error) {
	var made struct{ ID string }
	if status := r.ask(
		"POST",
		"/scenes",
		map[string]any{"name": name, "rate": "25", "sample_rate": 48000, "channels": 2},
		&made,
	); status != 201 {
		return "", fmt.Errorf("a new scene: %d", status)
	}
	for i := range 3 {
		var job struct{ ID string }
		if status := r.ask(
			"POST",
			"/scenes/"+made.ID+"/sources",
			noise(rng, 4),
			&job,
			"Blendseam-Name",
			fmt.Sprintf("take%d.wav", i),
		); status != 202 {
			return "", fmt.Errorf("an upload: %d", status)
		}
	}
	for end := time.Now().Add(time.Minute); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		var st struct{ Sources map[string]any }
		if r.ask("GET", "/scenes/"+made.ID+"/state", nil, &st) == 200 && len(st.Sources) == 3 {
			for id := range st.Sources {
				if status := r.ask("POST", "/scenes/"+made.ID+"/sources/"+id+"/lay", map[string]any{}, nil); status != 200 {
					return "", fmt.Errorf("laying out: %d", status)
				}
			}
			return made.ID, nil
		}
	}
	return "", errors.New("the recordings do not come in")
}

// verify starts the program once more and looks for all that was acknowledged.
func (r *run) verify() error {
	r.program.stop()
	if err := r.program.start(); err != nil {
		return err
	}
	total := 0
	var errs []error
	for _, l := range r.ledgers {
		var past struct {
			List []struct {
				Node  int64
				Words string
			} `json:"edits"`
		}
		if status := r.ask("GET", "/scenes/"+l.id+"/history", nil, &past); status != 200 {
			return fmt.Errorf("the past of a scene: %d", status)
		}
		st, ok := r.state(l.id)
		if !ok {
			return errors.New("a scene cannot be opened")
		}
		words := map[int64]string{}
		for _, e := range past.List {
			words[e.Node] = e.Words
		}
		for revision, want := range l.words {
			total++
			if got := words[revision]; want != "" && got != want || revision > st.Revision {
				errs = append(
					errs,
					fmt.Errorf("revision %d was %q, is %q, and the scene is at %d", revision, want, got, st.Revision),
				)
			}
		}
	}
	fmt.Printf("%d acknowledged revisions looked for, %d lost\n", total, len(errs))
	if n := r.program.runningJobs(); n != 0 {
		errs = append(errs, fmt.Errorf("%d jobs stand as under way", n))
	}
	return errors.Join(errs[:min(len(errs), 5)]...)
}

// noise is a WAV file of so many seconds of noise, which no other is like.
func noise(rng *rand.Rand, seconds int) []byte {
	n := 48000 * seconds
	raw := slices.Concat(
		[]byte("RIFF"),
		le32(36+2*n),
		[]byte("WAVEfmt "),
		le32(16),
		[]byte{1, 0, 1, 0},
		le32(48000),
		le32(96000),
		[]byte{2, 0, 16, 0},
		[]byte("data"),
		le32(2*n),
	)
	for range n {
		v := int16(rng.IntN(2000) - 1000)
		raw = append(raw, byte(v), byte(v>>8))
	}
	return raw
}

func le32(n int) []byte { return []byte{byte(n), byte(n >> 8), byte(n >> 16), byte(n >> 24)} }
