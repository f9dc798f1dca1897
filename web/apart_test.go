package web

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"blendseam/app"
	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/ingest"
	"blendseam/media"
	"blendseam/store"
	"blendseam/web/access"
)

// answered sends a request and gives its status and body.
func (p *person) answered(method, path string, body any) (int, string) {
	p.c.t.Helper()
	raw, err := json.Marshal(body)
	if err != nil {
		p.c.t.Fatal(err)
	}
	a := p.send(method, path, raw, "Content-Type", "application/json")
	var all bytes.Buffer
	all.ReadFrom(a.Body)
	return a.StatusCode, all.String()
}

// revision is the newest of a scene.
func (c *client) revision(id string) int64 {
	c.t.Helper()
	st, err := c.server.Store.Scene(c.t.Context(), id)
	if err != nil {
		c.t.Fatal(err)
	}
	return st.Revision
}

// A stranger learns nothing of a scene or a recording by naming it in a query or in the body of a request to a route
// that lets them in.
func TestForeignIdsInQueriesAndBodiesAreNotThere(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	tones, err := c.server.Tones(t.Context())
	if err != nil || len(tones) == 0 {
		t.Fatal(tones, err)
	}
	there := c.production("A third one")
	c.add("owner", store.Owner, store.FirstProduction)
	c.add("stranger", store.Owner, there)
	stranger := c.as("stranger")
	source := state.Tracks[0].Clips[0].Source
	own, err := c.server.Store.Create(t.Context(), scene.New("own", state.Scene.Rate, 48000), there)
	if err != nil {
		t.Fatal(err)
	}
	for _, path := range []string{
		"/tones/" + tones[0].ID + "/sound.wav?scene=" + id,
		"/events?scene=" + id,
		"/blends?production=" + store.FirstProduction,
		"/scenes/" + own + "/clips/c1/takes?source=" + source,
		"/scenes/" + own + "/fill?tone=" + source,
		"/media/" + source + "/sound/48000",
	} {
		if code, _ := stranger.answered("GET", path, nil); code == http.StatusOK {
			t.Errorf("GET %s is answered", path)
		}
	}
	for _, x := range []struct {
		path string
		body any
	}{
		{"/scenes/" + own + "/tone", map[string]any{"source": source, "from": 0, "to": 48000, "name": "x"}},
		{"/scenes/" + own + "/sources/missing-1/link", map[string]any{"to": source}},
		{"/scenes/" + own + "/edits", map[string]any{"revision": 0, "edit": edit.Wire{Edit: &edit.Bring{
			Source: scene.Source{ID: source, Name: "x", Samples: 48000, Channels: 1}}}}},
		{"/scenes/" + own + "/try", map[string]any{"revision": 0, "edit": edit.Wire{Edit: &edit.Bring{
			Source: scene.Source{ID: source, Name: "x", Samples: 48000, Channels: 1}}}}},
		{"/scenes/" + own + "/move", map[string]any{"production": store.FirstProduction}},
		{"/scenes", map[string]any{"name": "x", "rate": "25", "sample_rate": 48000, "channels": 2,
			"production": store.FirstProduction}},
		{"/blends?production=" + store.FirstProduction, map[string]any{"was": "", "blend": scene.Style{Name: "x",
			Law: "matched", Frames: 4}}},
	} {
		if code, said := stranger.answered("POST", x.path, x.body); code < 400 {
			t.Errorf("POST %s is answered with %d %s", x.path, code, said)
		}
	}
	for _, need := range []store.Role{store.Listener, store.Editor} {
		ctx := store.WithCaller(t.Context(), &store.Caller{Account: "x", Roles: map[string]store.Role{there: need}})
		if _, err := c.server.Store.Scene(ctx, id); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("the store gives a scene to somebody without a role: %v", err)
		}
		if _, err := c.server.Store.At(ctx, id, 0); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("the store gives the past of a scene to somebody without a role: %v", err)
		}
	}
}

// Productions have blends, tones and names of recordings of their own, and an edit that is only tried gives nothing
// away.
func TestProductionsHaveTheirOwn(t *testing.T) {
	c := newPeople(t)
	_, state := c.twoVoices()
	there := c.production("Elsewhere, too")
	a, b := c.add("ada", store.Editor, store.FirstProduction), c.add("ben", store.Editor, there)
	if err := c.server.Store.SetMember(t.Context(), store.FirstProduction, b.ID, ""); err != nil &&
		!errors.Is(err, store.ErrNotFound) {
		t.Fatal(err)
	}
	ada, ben := c.as("ada"), c.as("ben")
	if code, said := ada.answered("POST", "/blends", map[string]any{"was": "", "blend": scene.Style{Name: "Secret plan",
		Law: "matched", Frames: 4}}); code != 200 {
		t.Fatal(code, said)
	}
	t.Cleanup(func() { c.server.Store.DropBlend(t.Context(), store.FirstProduction, "Secret plan") })
	if _, said := ben.answered("GET", "/blends", nil); strings.Contains(said, "Secret") ||
		!strings.Contains(said, "Speech") {
		t.Errorf("another production's blends are %s", said)
	}
	// The same recording, under another name.
	src := state.Scene.Sources[state.Tracks[0].Clips[0].Source]
	if err := c.server.Store.LetProduction(t.Context(), there, src.ID, "harmless.wav"); err != nil {
		t.Fatal(err)
	}
	if _, err := c.server.Store.AddTone(t.Context(), store.Tone{Home: store.FirstProduction, Name: "Secret room",
		Source: src.ID, To: 48000, Rate: 48000, Thirds: []float64{}}); err != nil {
		t.Fatal(err)
	}
	if _, said := ben.answered("GET", "/tones", nil); strings.Contains(said, "Secret") {
		t.Errorf("another production's tones are %s", said)
	}
	as := store.WithCaller(t.Context(), &store.Caller{Account: b.ID, Roles: map[string]store.Role{there: store.Editor}})
	known, err := c.server.Known(as, src.ID)
	if err != nil || known.Name != "harmless.wav" {
		t.Errorf("it is called %q, %v", known.Name, err)
	}
	// Ada listens at Ben's, and only tries to bring a recording of hers there.
	other, err := c.server.Store.Create(t.Context(), scene.New("his", state.Scene.Rate, 48000), there)
	if err == nil {
		err = c.server.Store.SetMember(t.Context(), there, a.ID, store.Listener)
	}
	if err != nil {
		t.Fatal(err)
	}
	second := state.Scene.Sources[state.Tracks[0].Clips[1].Source]
	code, said := c.as("ada").answered("POST", "/scenes/"+other+"/try", map[string]any{"revision": 0,
		"edit": edit.Wire{Edit: &edit.Bring{Source: second}}})
	if code != 200 {
		t.Errorf("trying: %d %s", code, said)
	}
	if _, err := c.server.Known(as, second.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("trying an edit gave a recording away: %v", err)
	}
}

// A merge is no edit that comes from outside, and nobody's words name somebody else.
func TestEditsFromOutsideAreThoseOfPages(t *testing.T) {
	c := newPeople(t)
	id, _ := c.twoVoices()
	c.add("ada", store.Editor, store.FirstProduction)
	c.add("Benjamin", store.Editor, store.FirstProduction)
	ada := c.as("ada")
	revision := c.revision(id)
	raw := json.RawMessage(`{"edit":"merge","order":[]}`)
	code, said := ada.answered("POST", "/scenes/"+id+"/edits", map[string]any{"revision": revision, "edit": raw})
	if code != 400 || !strings.Contains(said, "scene file") {
		t.Errorf("a merge is answered with %d %s", code, said)
	}
	batch := &edit.Batch{Words: "Benjamin: approved", Edits: []edit.Wire{{Edit: &edit.AddMarker{Name: "m"}}}}
	code, said = ada.answered("POST", "/scenes/"+id+"/edits", map[string]any{"revision": revision,
		"edit": edit.Wire{Edit: batch}})
	if code != 200 || strings.Contains(said, "Benjamin") {
		t.Errorf("words for somebody else: %d %s", code, said)
	}
}

// Whoever is taken out of a production hears no more of it within seconds, and edits nothing at once; what they asked
// for is not begun again.
func TestWhoeverIsRemovedIsOut(t *testing.T) {
	c := newPeople(t)
	id, _ := c.twoVoices()
	a := c.add("ada", store.Editor, store.FirstProduction)
	c.add("owner", store.Owner, store.FirstProduction)
	ada := c.as("ada")
	stream := ada.send("GET", "/events?scene="+id, nil)
	lines := bufio.NewScanner(stream.Body)
	if !lines.Scan() {
		t.Fatal("nothing is heard")
	}
	caller := store.WithCaller(t.Context(), &store.Caller{Account: a.ID, Name: "ada",
		Roles: map[string]store.Role{store.FirstProduction: store.Editor}})
	job, err := c.server.Store.AddJob(caller, store.Job{Scene: id, Kind: "mixdown", Words: "x", Asked: []byte(`{}`)})
	if err != nil {
		t.Fatal(err)
	}
	if err := c.server.Store.SetMember(t.Context(), store.FirstProduction, a.ID, ""); err != nil {
		t.Fatal(err)
	}
	// Their page had begun this while they might.
	if _, err := c.server.Store.Edit(caller, id, c.revision(id), &edit.AddMarker{Name: "m"}); !errors.As(err,
		new(*store.Refused)) {
		t.Errorf("an edit of somebody who was removed: %v", err)
	}
	for lines.Scan() { // until the stream ends, which the limit of the test program would
	}
	if job, err = c.server.Store.Job(t.Context(), job.ID); err != nil || job.Account != a.ID {
		t.Fatal(job, err)
	}
	if _, err := c.server.Store.Asker(t.Context(), job); !errors.Is(err, store.ErrMayNoMore) {
		t.Errorf("their job is begun again: %v", err)
	}
	if code, _ := ada.answered("GET", "/scenes/"+id+"/state", nil); code != 404 {
		t.Errorf("they still see the scene: %d", code)
	}
}

// Methods that nobody knows make no figures of their own.
func TestFiguresDoNotGrowByWhatIsAsked(t *testing.T) {
	c := newClient(t)
	for i := range 40 {
		c.ask(fmt.Sprintf("BREW%d", i), fmt.Sprintf("/nowhere/%d", i), "127.0.0.1", "")
	}
	_, raw, _ := c.do("GET", "/metrics", nil)
	if bytes.Contains(raw, []byte("BREW")) || bytes.Contains(raw, []byte("nowhere")) {
		t.Error("figures have what was asked in them")
	}
	if n := bytes.Count(raw, []byte(`method="other"`)); n == 0 || n > 40 {
		t.Errorf("%d lines are of other methods", n)
	}
	own := c.server.Figures()
	for path, want := range map[string]int{"/metrics": 200, "/": 404, "/scenes": 404} {
		r, _ := http.NewRequest("GET", path, nil)
		w := &recorded{header: http.Header{}}
		if own.ServeHTTP(w, r); w.status != want {
			t.Errorf("the address for figures answers %s with %d, want %d", path, w.status, want)
		}
	}
}

type recorded struct {
	header http.Header
	status int
}

func (r *recorded) Header() http.Header { return r.header }
func (r *recorded) WriteHeader(status int) {
	if r.status == 0 {
		r.status = status
	}
}
func (r *recorded) Write(p []byte) (int, error) { r.WriteHeader(200); return len(p), nil }

// Wrong passwords under a name lock nobody out who comes from another address; setting a password and telling the
// secret are tried only so often.
func TestTriesAreCountedByNameAndAddress(t *testing.T) {
	c := newPeople(t)
	c.server.Gate.Proxies = prefixes("127.0.0.0/8", "::1/128")
	c.server.gate = access.NewGate(c.server.Gate, c.server.Store, answers{c.server})
	c.rebuild()
	c.add("ada", store.Owner, store.FirstProduction)
	somebody := &person{c, "", c.browser()}
	last := 0
	for range limit.TriesAccount + 2 {
		last = somebody.signIn("ada", "wrong, and long enough", "X-Forwarded-For", "203.0.113.5").StatusCode
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("the last of many tries is answered with %d", last)
	}
	ada := &person{c, "ada", c.browser()}
	if a := ada.signIn("ada", password, "X-Forwarded-For", "198.51.100.7"); a.StatusCode != http.StatusSeeOther {
		t.Errorf("from elsewhere she is locked out: %d", a.StatusCode)
	}
	for range limit.TriesAccount + 2 {
		last, _ = ada.answered("POST", "/password", map[string]any{"old": "wrong", "new": "another long password"})
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("the last of many passwords is answered with %d", last)
	}
	c.server.Door = access.Door{Token: "a secret of enough letters"}
	c.rebuild()
	for range limit.TriesAddress + 2 {
		a := somebody.send("POST", "/enter", []byte("secret=wrong"), "Content-Type", "application/x-www-form-urlencoded",
			"Accept", "text/html")
		last = a.StatusCode
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("the last of many secrets is answered with %d", last)
	}
}

// What was made is listed with its size, can be removed, goes with its scene, and goes by itself after a time.
func TestWhatWasMadeGoes(t *testing.T) {
	c := newClient(t)
	id, _ := c.twoVoices()
	mixdown := func() store.Job {
		var job store.Job
		c.json("POST", "/scenes/"+id+"/mixdowns", map[string]any{"kind": "wav", "depth": "16"}, 202, &job)
		if job = c.ended(job); job.State != "done" {
			t.Fatal(job)
		}
		return job
	}
	there := func(job store.Job) bool {
		_, err := os.Stat(filepath.Join(c.server.Made, job.ID))
		return err == nil
	}
	one, two, three := mixdown(), mixdown(), mixdown()
	if status, _, _ := c.do("DELETE", "/made/"+one.ID, nil); status != 204 || there(one) {
		t.Errorf("removing is answered with %d; it is there: %v", status, there(one))
	}
	if status, _, _ := c.do("GET", "/made/"+one.ID, nil); status != 404 {
		t.Errorf("what was removed is answered with %d", status)
	}
	// A file that is not as long as it was made is not sent.
	var result app.Result
	json.Unmarshal(two.Result, &result)
	file := filepath.Join(c.server.Made, two.ID, result.File)
	if err := os.Truncate(file, 1000); err != nil {
		t.Fatal(err)
	}
	if status, said, _ := c.do("GET", "/made/"+two.ID, nil); status != 400 || !bytes.Contains(said, []byte("damaged")) {
		t.Errorf("a file cut short is answered with %d %s", status, said)
	}
	old := time.Now().Add(-31 * 24 * time.Hour)
	for _, job := range []store.Job{two, three} {
		os.Chtimes(filepath.Join(c.server.Made, job.ID), old, old)
	}
	if status, _, _ := c.do("GET", "/made/"+three.ID, nil); status != 200 { // somebody fetches it
		t.Fatal(status)
	}
	if err := c.server.Sweep(t.Context(), 30*24*time.Hour); err != nil {
		t.Fatal(err)
	}
	if there(two) || !there(three) {
		t.Errorf("after a month the old one is there: %v, the one that was fetched: %v", there(two), there(three))
	}
	if status, _, _ := c.do("DELETE", "/scenes/"+id+"/", nil); status != 204 || there(three) {
		t.Errorf("removing the scene is answered with %d; what was made of it is there: %v", status, there(three))
	}
}

// A production has room for so much; a library that cannot be written to says so, and names no folder.
func TestNoRoomIsSaid(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	c.server.Quota = 1000
	status, said, _ := c.do("POST", "/scenes/"+id+"/sources", make([]byte, 2000), "Blendseam-Name", "a.wav")
	if status != http.StatusInsufficientStorage || !bytes.Contains(said, []byte("1000 bytes is the most")) {
		t.Errorf("over the quota: %d %s", status, said)
	}
	for _, err := range []error{&media.ReadOnly{}, &media.Other{Name: "a.wav"}, &ingest.OverQuota{Has: 1, Most: 1}} {
		if strings.Contains(err.Error(), "/") {
			t.Errorf("it names a folder: %s", err)
		}
	}
}

// Names have letters that are seen.
func TestNamesAreSeen(t *testing.T) {
	for name, ok := range map[string]bool{"Änne Müller": true, "قصة": true, "a\u202eb": false, "a\u200bb": false,
		"a\u2066b": false, "a\x07b": false, "a\u2028b": false, "\ufeffa": false} {
		if err := store.BadName(name); (err == nil) != ok {
			t.Errorf("%q: %v", name, err)
		}
	}
}
