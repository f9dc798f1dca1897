package web

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"blendseam/core/scene"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
	"blendseam/store"
	"blendseam/workspace"
)

// settled asks for the seams until all that can be is measured. Each time it waits to be told that something was.
func (c *client) settled(id string) workspace.SeamAnswer {
	c.t.Helper()
	events, leave := c.server.Hub.Listen(id)
	defer leave()
	for {
		var a workspace.SeamAnswer
		c.json("GET", "/scenes/"+id+"/seams", nil, 200, &a)
		if a.Pending == 0 {
			return a
		}
		for e := range events {
			if e.Kind == "seams" {
				break
			}
		}
	}
}

// brought makes a scene of a studio's, with its sounds as files, through the scene file.
func (c *client) brought(s *seamtest.Studio) (id string) {
	c.t.Helper()
	id, _, err := c.server.SceneFile(context.Background(), s.File(), "", store.FirstProduction)
	if err != nil {
		c.t.Fatal(err)
	}
	return id
}

// A recording without hum gives an empty list of hums, not null.
func TestASceneWithoutHumHasAListOfNone(t *testing.T) {
	c := newClient(t)
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(4, 4, -50), 0)
	id := c.brought(s)
	_, raw, _ := c.do("GET", "/scenes/"+id+"/findings", nil)
	if !bytes.Contains(raw, []byte(`"hums":[]`)) || !bytes.Contains(raw, []byte(`"findings":[]`)) {
		t.Errorf("%s", raw)
	}
}

// Where a recording is missing, all else is measured, and the rest says which recording that is; nothing is pending.
// Once it is there again, that is measured too.
func TestWhatCanBeIsMeasuredWhereARecordingIsMissing(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	gone := clips[1]
	if err := c.server.Library.Remove(gone.Source); err != nil {
		t.Fatal(err)
	}
	verdicts := func() (list []string) {
		for _, v := range c.settled(id).Set {
			list = append(list, fmt.Sprintf("%s %s %s", v.Kind, v.Verdict, v.Why))
		}
		return list
	}
	list := verdicts()
	head := slices.ContainsFunc(
		list,
		func(s string) bool { return strings.HasPrefix(s, "head ") && !strings.Contains(s, "cannot") },
	)
	cut := slices.ContainsFunc(list, func(s string) bool {
		return strings.HasPrefix(s, "cut  cannot be measured: the sound of "+gone.Name+" is not in the media folder")
	})
	if !head || !cut {
		t.Errorf("%q", list)
	}
	var mended struct{ Changes, Left []ProposalView }
	c.json("POST", "/scenes/"+id+"/mend", map[string]any{}, 200, &mended)
	if !slices.ContainsFunc(
		mended.Left,
		func(p ProposalView) bool { return strings.Contains(p.Proposal.Left, gone.Name) },
	) {
		t.Errorf("what mending leaves does not name %s: %+v", gone.Name, mended.Left)
	}
	for _, v := range outside.Voices(t)[:2] {
		raw, _ := os.ReadFile(v)
		if _, problem := c.upload(id, filepath.Base(v), raw); problem != "" {
			t.Fatal(problem)
		}
	}
	for _, s := range verdicts() {
		if strings.Contains(s, "cannot be measured") {
			t.Errorf("the recordings are there again: %s", s)
		}
	}
}

// A tone that was just kept is offered for a hole that was looked at before.
func TestAToneThatWasJustKeptIsOffered(t *testing.T) {
	c := newClient(t)
	id, source := c.inTheKitchen()
	var state StateView
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
	ask := func() (names []string) {
		var fill FillAnswer
		c.json(
			"GET",
			fmt.Sprintf("/scenes/%s/fill?track=%s&from=%d&to=%d", id, state.Tracks[0].ID, 5*48000, 5*48000+24000),
			nil,
			200,
			&fill,
		)
		for _, f := range fill.List {
			names = append(names, f.SourceName)
		}
		return names
	}
	if slices.Contains(ask(), "Kept just now") {
		t.Fatal("it is there before")
	}
	c.json(
		"POST",
		"/scenes/"+id+"/tone",
		map[string]any{"name": "Kept just now", "source": source, "from": 0, "to": 80000},
		200,
		nil,
	)
	if names := ask(); !slices.Contains(names, "Kept just now") {
		t.Errorf("%q", names)
	}
}

// long is a scene of many cuts between takes of real voices.
func (c *client) long(cuts int) string {
	c.t.Helper()
	return c.brought(seamtest.Takes(c.t, 5, 4, cuts+1, 4))
}

// While one scene is being mended another is edited: its edits are answered before the mending is done.
func TestAnotherSceneIsEditedWhileOneIsMended(t *testing.T) {
	c := newClient(t)
	long := c.long(30)
	other, state := c.twoVoices()
	answered, leave := c.mending(long)
	for edits := range 20 { // then it has been seen
		c.json("POST", "/scenes/"+other+"/edits", map[string]any{
			"revision": state.Revision,
			"edit": map[string]any{
				"edit":  "gain",
				"clips": []scene.ClipID{state.Tracks[0].Clips[0].ID},
				"db":    -float64(1 + edits%9),
			},
		}, 200, nil)
		state.Revision++
		select {
		case <-answered:
			if edits < 5 {
				t.Fatalf("mending ended after %d edits of the other scene", edits+1)
			}
		default:
		}
	}
	leave()
	<-answered
}

// When the page that asked goes, the work stops, and nothing of it is kept. It may be done before that is seen, so
// there are a few tries, each at another state of the scene.
func TestMendingStopsWhenThePageGoes(t *testing.T) {
	c := newClient(t)
	id := c.long(30)
	for try := range 6 {
		st, err := c.server.Open(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{
			"revision": st.Revision,
			"edit": map[string]any{
				"edit":  "gain",
				"clips": []scene.ClipID{st.Scene.Tracks[0].Clips[0].ID},
				"db":    -float64(1 + try),
			},
		}, 200, nil)
		if c.leftWhileMending(id) {
			return
		}
	}
	t.Error("what was asked for was made to its end, though nobody waited")
}

// mending asks what would mend a scene, and waits until that has begun; answered is closed when it is over, leave goes
// before that.
func (c *client) mending(id string) (answered chan bool, leave func()) {
	c.t.Helper()
	events, deaf := c.server.Hub.Listen(id)
	defer deaf()
	ctx, leave := context.WithCancel(c.t.Context())
	q, err := http.NewRequestWithContext(ctx, "POST", c.url+"/scenes/"+id+"/mend", strings.NewReader("{}"))
	if err != nil {
		c.t.Fatal(err)
	}
	answered = make(chan bool)
	go func() {
		if a, err := http.DefaultClient.Do(q); err == nil {
			a.Body.Close()
		}
		close(answered)
	}()
	for e := range events {
		if e.Kind == "mending" {
			break
		}
	}
	return answered, leave
}

// leftWhileMending asks what would mend a scene, goes as soon as that has begun, and tells whether the work ended
// without a result.
func (c *client) leftWhileMending(id string) bool {
	c.t.Helper()
	answered, closePage := c.mending(id)
	closePage()
	<-answered
	for c.server.Mending() > 0 {
		runtime.Gosched()
	}
	st, err := c.server.Open(context.Background(), id)
	if err != nil {
		c.t.Fatal(err)
	}
	return !st.Mended()
}

// What measures beside the requests is waited for when the program ends.
func TestClosingWaitsForWhatGoesOn(t *testing.T) {
	c := newClient(t)
	id := c.long(20)
	var a workspace.SeamAnswer
	c.json("GET", "/scenes/"+id+"/seams", nil, 200, &a)
	if a.Pending == 0 {
		t.Fatal("nothing is to be measured")
	}
	c.server.Close()
	if n := c.server.Busy(); n != 0 {
		t.Errorf("%d still go on", n)
	}
}

// BenchmarkEditWhileMending measures what an edit of one scene waits for while another is mended. The metric is the
// 99th percentile.
func BenchmarkEditWhileMending(b *testing.B) {
	before := runtime.GOMAXPROCS(runtime.NumCPU() + workspace.SpareThreads) // as the program does
	defer runtime.GOMAXPROCS(before)
	c := newClient(b)
	long := c.long(120)
	id := c.brought(func() *seamtest.Studio {
		s := seamtest.New(b)
		for i := range 2 {
			name := string(rune('a' + i))
			s.Lay(name, seamtest.Bed(uint64(i), 4, -50), float64(3*i))
		}
		return s
	}())
	st, err := c.server.Store.Scene(context.Background(), id)
	if err != nil {
		b.Fatal(err)
	}
	clip, revision := st.Scene.Tracks[0].Clips[0].ID, st.Revision
	stop, ended := make(chan bool), make(chan bool)
	go func() {
		defer close(ended)
		for n := 0; ; n++ {
			select {
			case <-stop:
				return
			default:
			}
			lst, _ := c.server.Store.Scene(context.Background(), long)
			c.json("POST", "/scenes/"+long+"/edits", map[string]any{
				"revision": lst.Revision,
				"edit": map[string]any{
					"edit":  "gain",
					"clips": []scene.ClipID{lst.Scene.Tracks[0].Clips[0].ID},
					"db":    -float64(1 + n%9),
				},
			}, 200, nil)
			c.json("POST", "/scenes/"+long+"/mend", map[string]any{}, 200, nil)
		}
	}()
	var took []time.Duration
	for b.Loop() {
		start := time.Now()
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": revision,
			"edit": map[string]any{"edit": "gain", "clips": []scene.ClipID{clip}, "db": -float64(1 + revision%9)}}, 200, nil)
		took = append(took, time.Since(start))
		revision++
	}
	close(stop)
	<-ended
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "p99-ms")
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "median-ms")
}
