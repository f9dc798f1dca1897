package web

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"blendseam/app"
	"blendseam/core/scene"
	"blendseam/ingest"
	"blendseam/internal/outside"
	"blendseam/media"
	"blendseam/store"
	"blendseam/store/server"
	"blendseam/store/server/servertest"
	"blendseam/workspace"
)

var private *server.Server

func TestMain(m *testing.M) { servertest.Main(m, &private) }

// A client talks to a server as a page does.
type client struct {
	t      testing.TB
	server *Server
	url    string
}

func newClient(t testing.TB) *client {
	t.Helper()
	st, err := store.Open(context.Background(), private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	l, err := media.OpenLibrary(filepath.Join(t.TempDir(), "media"))
	if err != nil {
		t.Fatal(err)
	}
	s := New(
		Config{
			App: &app.App{
				Workspace: workspace.New(context.Background(), ingest.Ingester{Store: st, Library: l}),
				Made:      t.TempDir(),
			},
		},
	)
	h := httptest.NewServer(s)
	t.Cleanup(func() {
		s.Close()
		h.Close()
		st.Close()
	})
	return &client{t, s, h.URL}
}

func (c *client) do(method, path string, body any, headers ...string) (int, []byte, http.Header) {
	c.t.Helper()
	var r io.Reader
	switch b := body.(type) {
	case nil:
	case []byte:
		r = bytes.NewReader(b)
	default:
		raw, err := json.Marshal(b)
		if err != nil {
			c.t.Fatal(err)
		}
		r = bytes.NewReader(raw)
	}
	q, err := http.NewRequest(method, c.url+path, r)
	if err != nil {
		c.t.Fatal(err)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		q.Header.Set(headers[i], headers[i+1])
	}
	a, err := http.DefaultClient.Do(q)
	if err != nil {
		c.t.Fatal(err)
	}
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return a.StatusCode, raw, a.Header
}

func (c *client) json(method, path string, body any, want int, to any) {
	c.t.Helper()
	status, raw, _ := c.do(method, path, body)
	if status != want {
		c.t.Fatalf("%s %s: %d %s, want %d", method, path, status, raw, want)
	}
	if to != nil {
		if err := json.Unmarshal(raw, to); err != nil {
			c.t.Fatalf("%s: %v: %s", path, err, raw)
		}
	}
}

func (c *client) newScene() string {
	c.t.Helper()
	var made struct{ ID string }
	c.json(
		"POST",
		"/scenes",
		map[string]any{"name": "A scene", "rate": "25", "sample_rate": 48000, "channels": 1},
		201,
		&made,
	)
	return made.ID
}

// upload brings a file in and waits until it is part of the scene.
func (c *client) upload(id, name string, raw []byte) (source string, problem string) {
	c.t.Helper()
	status, answer, _ := c.do("POST", "/scenes/"+id+"/sources", raw, "Blendseam-Name", name)
	if status != 202 {
		c.t.Fatalf("upload: %d %s", status, answer)
	}
	var job store.Job
	json.Unmarshal(answer, &job)
	done := c.ended(job)
	var info media.Info
	json.Unmarshal(done.Result, &info)
	return info.ID, done.Error
}

// ended waits until a job has ended. Each time it waits to be told that some job went on.
func (c *client) ended(job store.Job) store.Job {
	c.t.Helper()
	events, leave := c.server.Hub.Listen(job.Scene)
	defer leave()
	for {
		list, err := c.server.Store.Jobs(context.Background(), job.Scene, job.Kind)
		if err != nil {
			c.t.Fatal(err)
		}
		for _, j := range list {
			if j.ID == job.ID && j.State != "running" {
				return j
			}
		}
		for e := range events {
			if e.Kind == "job" {
				break
			}
		}
	}
}

// twoVoices is a scene with two voices laid out.
func (c *client) twoVoices() (id string, state StateView) {
	c.t.Helper()
	id = c.newScene()
	for _, v := range outside.Voices(c.t)[:2] {
		raw, _ := os.ReadFile(v)
		source, problem := c.upload(id, filepath.Base(v), raw)
		if problem != "" {
			c.t.Fatal(problem)
		}
		c.json("POST", "/scenes/"+id+"/sources/"+source+"/lay?purpose=dialogue", nil, 200, nil)
	}
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
	return id, state
}

func TestPagesComeWithAStrictPolicy(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	for _, path := range []string{"/", "/scenes/" + id + "/", "/scenes/" + id + "/sources", "/scenes/" + id +
		"/hand-over", "/keys"} {
		status, raw, h := c.do("GET", path, nil, "Accept", "text/html")
		if status != 200 || !strings.Contains(string(raw), "</html>") {
			t.Errorf("%s: %d", path, status)
		}
		if p := h.Get(
			"Content-Security-Policy",
		); !strings.Contains(p, "default-src 'none'") || strings.Contains(p, "unsafe-eval") ||
			strings.Contains(p, "script-src 'self' 'unsafe") {
			t.Errorf("%s: policy %q", path, p)
		}
		for _, far := range []string{`src="http`, `href="http`, `src="//`, `url(http`} {
			if strings.Contains(string(raw), far) {
				t.Errorf("%s asks for something elsewhere: %s", path, far)
			}
		}
	}
	if status, raw, _ := c.do(
		"GET",
		"/scenes/nobody/",
		nil,
		"Accept",
		"text/html",
	); status != 404 ||
		!strings.Contains(string(raw), "nothing at this address") {
		t.Errorf("a scene that is not there: %d", status)
	}
}

func TestNamesAreNotTakenForMarkup(t *testing.T) {
	c := newClient(t)
	var made struct{ ID string }
	c.json(
		"POST",
		"/scenes",
		map[string]any{"name": `</script><b onclick="x">`, "rate": "25", "sample_rate": 48000, "channels": 2},
		201,
		&made,
	)
	_, raw, _ := c.do("GET", "/scenes/"+made.ID+"/", nil)
	if strings.Contains(string(raw), `<b onclick`) {
		t.Error("a scene's name became markup")
	}
}

func TestRequestsFromOtherSitesAreRefused(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	status, _, _ := c.do(
		"POST",
		"/scenes/"+id+"/undo",
		map[string]any{"revision": 0},
		"Sec-Fetch-Site",
		"cross-site",
		"Origin",
		"http://elsewhere.example",
	)
	if status != 403 {
		t.Errorf("answered %d, want 403", status)
	}
}

func TestAnEditIsAnsweredWithItsChanges(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	var a EditAnswer
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{
			"revision": state.Revision,
			"edit":     map[string]any{"edit": "gain", "clips": []scene.ClipID{clips[1].ID}, "db": -6},
		},
		200,
		&a,
	)
	if a.Revision != state.Revision+1 || len(a.Changes.Tracks) != 1 || len(a.Changes.Tracks[0].Set) != 1 ||
		a.Changes.Tracks[0].Set[0].GainDB != -6 ||
		a.Undo == "" {
		t.Errorf("%+v", a)
	}
	// The same again is stale, and says what came between.
	var p problem
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{
			"revision": state.Revision,
			"edit":     map[string]any{"edit": "gain", "clips": []scene.ClipID{clips[1].ID}, "db": -7},
		},
		409,
		&p,
	)
	if len(p.Newer) != 1 || !strings.Contains(p.Message, "edited elsewhere") {
		t.Errorf("%+v", p)
	}
	var back EditAnswer
	c.json("POST", "/scenes/"+id+"/undo", map[string]any{"revision": a.Revision}, 200, &back)
	if back.Redo == "" || back.Changes.Tracks[0].Set[0].GainDB != 0 {
		t.Errorf("after undo %+v", back)
	}
	a = back
	c.json("POST", "/scenes/"+id+"/redo", map[string]any{"revision": a.Revision}, 200, &a)
	c.json("POST", "/scenes/"+id+"/redo", map[string]any{"revision": a.Revision}, 422, &p)
	if !strings.Contains(p.Message, "nothing to redo") {
		t.Errorf("%+v", p)
	}
}

func TestChangesAppliedToWhatWasGiveWhatIs(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	first, second := state.Tracks[0].Clips[0], state.Tracks[0].Clips[1]
	for _, e := range []map[string]any{
		{"edit": "trim", "clip": first.ID, "edge": "tail", "to": first.Length - 19200, "close": true},
		{"edit": "divide", "clips": []scene.ClipID{second.ID}, "at": first.Length},
		{"edit": "add_track", "name": "M", "purpose": "music"},
		{"edit": "add_marker", "at": 100, "name": "here"},
		{"edit": "remove", "clips": []scene.ClipID{first.ID}},
		{"edit": "rename", "name": "Another"},
	} {
		var a EditAnswer
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": state.Revision, "edit": e}, 200, &a)
		was := state
		state = StateView{} // the old one stays as it was
		c.json("GET", "/scenes/"+id+"/state", nil, 200, &state)
		got := applied(was.Scene, a.Changes)
		gotJSON, _ := json.Marshal(got.Tracks)
		wantJSON, _ := json.Marshal(state.Tracks)
		if string(gotJSON) != string(wantJSON) || got.Name != state.Name || len(got.Markers) != len(state.Markers) {
			t.Fatalf("%v:\n%s\n%s", e, gotJSON, wantJSON)
		}
	}
}

// merge does what a page does with changes.
func applied(s *scene.Scene, ch Changes) *scene.Scene {
	now := *s
	if ch.Name != nil {
		now.Name = *ch.Name
	}
	if ch.Markers != nil {
		now.Markers = *ch.Markers
	}
	byID := map[scene.TrackID]*scene.Track{}
	order := []scene.TrackID{}
	for _, t := range s.Tracks {
		byID[t.ID] = t
		order = append(order, t.ID)
	}
	for _, tc := range ch.Tracks {
		t := tc.Track
		clips := map[scene.ClipID]scene.Clip{}
		if old := byID[t.ID]; old != nil {
			for _, k := range old.Clips {
				clips[k.ID] = k
			}
		}
		for _, id := range tc.Gone {
			delete(clips, id)
		}
		for _, m := range tc.Moved {
			for _, id := range m.IDs {
				id := scene.ClipID(id)
				k := clips[id]
				k.Start += m.By
				clips[id] = k
			}
		}
		for _, k := range tc.Set {
			clips[k.ID] = k
		}
		t.Clips = []scene.Clip{}
		for len(clips) > 0 {
			best := scene.ClipID("")
			for id, k := range clips {
				if best == "" || k.Start < clips[best].Start {
					best = id
				}
			}
			t.Clips = append(t.Clips, clips[best])
			delete(clips, best)
		}
		byID[t.ID] = &t
	}
	if ch.Order != nil {
		order = ch.Order
	}
	now.Tracks = nil
	for _, id := range order {
		now.Tracks = append(now.Tracks, byID[id])
	}
	return &now
}

func TestARefusalCarriesWhatWouldWork(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	var p struct {
		Message      string
		Alternatives []struct {
			Words string
			Edit  json.RawMessage
		}
	}
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{
			"revision": state.Revision,
			"edit": map[string]any{
				"edit":   "set_blend",
				"left":   clips[0].ID,
				"right":  clips[1].ID,
				"before": 3840,
				"after":  3840,
				"law":    "constant_power",
			},
		},
		422,
		&p,
	)
	if !strings.Contains(p.Message, "handle") || len(p.Alternatives) == 0 {
		t.Fatalf("%+v", p)
	}
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{"revision": state.Revision, "edit": p.Alternatives[0].Edit},
		200,
		nil,
	)
}

func TestWhatMakesNoSenseIsABadRequest(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	for path, body := range map[string]any{
		"/edits": []byte("{"), "/mixdowns": map[string]any{"kind": "tape"}, "/sources": nil,
	} {
		var p problem
		c.json("POST", "/scenes/"+id+path, body, 400, &p)
		if p.Message == "" || strings.Contains(p.Message, "\n") {
			t.Errorf("%s: %q", path, p.Message)
		}
	}
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{
			"revision": state.Revision,
			"edit":     map[string]any{"edit": "gain", "clips": []scene.ClipID{}, "loud": 3},
		},
		400,
		nil,
	)
	c.json("POST", "/scenes", map[string]any{"name": " ", "rate": "25", "sample_rate": 48000, "channels": 2}, 400, nil)
	for _, q := range []string{"/pcm?from=x&n=5", "/pcm?from=0&n=0", "/pcm?from=0&n=99999999",
		"/bench?seam=x&from=0&to=99999999999&bins=10", "/bench?from=5&to=5&bins=1"} {
		c.json("GET", "/scenes/"+id+q, nil, 400, nil)
	}
	if _, raw, _ := c.do("GET", "/scenes/"+id+"/bench?seam=nobody&from=0&to=100&bins=10", nil); string(raw) != "null" {
		t.Errorf("the bench of no seam is %s", raw)
	}
	c.json("GET", "/media/nobody/peaks/48000/64/0", nil, 404, nil)
	c.json("GET", "/media/..%2f..%2fetc/pictures/25/1/0.jpg", nil, 404, nil)
}

func TestSoundComesAsItIs(t *testing.T) {
	c := newClient(t)
	id, _ := c.twoVoices()
	want := outside.Decode(t, outside.Voices(t)[0], 1)
	status, raw, h := c.do("GET", "/scenes/"+id+"/pcm?from=-10&n=20010", nil)
	if status != 200 || h.Get("Blendseam-Channels") != "1" {
		t.Fatal(status, h)
	}
	for i := range 20010 {
		v := float64(math.Float32frombits(binary.LittleEndian.Uint32(raw[4*i:])))
		if i < 10 && v != 0 || i >= 10 && v != want[0][i-10] {
			t.Fatalf("sample %d is %g", i-10, v)
		}
	}
}

func TestSoundAtHalfSpeedGoesOnFromPieceToPiece(t *testing.T) {
	c := newClient(t)
	id, _ := c.twoVoices()
	url := "/scenes/" + id + "/pcm?slow=1&n=9600&from="
	_, whole, h := c.do("GET", "/scenes/"+id+"/pcm?slow=1&n=19200&from=0", nil)
	if len(whole) != 4*2*19200 || h.Get("Blendseam-Goes-On") == "" {
		t.Fatal(len(whole), h)
	}
	_, first, h := c.do("GET", url+"0", nil)
	_, second, _ := c.do("GET", url+"9600&goes_on="+h.Get("Blendseam-Goes-On"), nil)
	if !bytes.Equal(whole, append(first, second...)) {
		t.Error("two pieces are not the whole")
	}
	c.json("GET", url+"0&goes_on=9999999", nil, 400, nil)
}

func TestTheBenchShowsTheRenderedResult(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	clips := state.Tracks[0].Clips
	cut := clips[1].Start
	for _, edge := range []map[string]any{{"edit": "trim", "clip": clips[0].ID, "edge": "tail", "to": cut - 9600,
		"close": true}, {"edit": "trim", "clip": clips[1].ID, "edge": "head", "to": cut, "close": true},
		{"edit": "set_blend", "left": clips[0].ID, "right": clips[1].ID, "before": 4800, "after": 4800,
			"law": "constant_gain"}} {
		c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": state.Revision, "edit": edge}, 200, &state)
	}
	cut -= 9600
	var v BenchView
	c.json(
		"GET",
		fmt.Sprintf(
			"/scenes/%s/bench?seam=cut:%s:%s&from=%d&to=%d&bins=200",
			id,
			clips[0].ID,
			clips[1].ID,
			cut-100,
			cut+100,
		),
		nil,
		200,
		&v,
	)
	if v.Before != 4800 || v.After != 4800 || v.Law != "constant_gain" || len(v.Gains) == 0 || v.Outgoing == nil ||
		v.Incoming == nil {
		t.Fatalf("%+v", v)
	}
	for i := range v.Result.Low { // one sample a bin: the result is the sum of the sides with their gains
		x := (float64(i-100+4800) + 0.5) / 9600
		want := float64(v.Outgoing.Low[i])*(1-x) + float64(v.Incoming.Low[i])*x
		if math.Abs(float64(v.Result.Low[i])-want) > 2e-6 {
			t.Fatalf("bin %d is %g, want %g", i, v.Result.Low[i], want)
		}
	}
}

func TestSeamsAreMeasuredBesideTheRequest(t *testing.T) {
	c := newClient(t)
	id, _ := c.twoVoices()
	got := c.settled(id)
	if len(got.Set) != 3 {
		t.Fatalf("%d seams", len(got.Set))
	}
	for _, s := range got.Set {
		if s.Verdict == "" || s.Why == "" || s.TC == "" || s.Measures.ClickDB == nil {
			t.Errorf("%+v", s)
		}
	}
	// Once all are measured, the list of scenes has them by verdict. Pages are told after it.
	events, leave := c.server.Hub.Listen(id)
	defer leave()
	for {
		rows, err := c.server.Store.Scenes(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		i := slices.IndexFunc(rows, func(r store.Row) bool { return r.ID == id })
		if sum := rows[i].Summary; sum.Seams {
			if sum.Clean+sum.Audible+sum.Rough+sum.Unknown != 3 {
				t.Errorf("the list of scenes shows %+v", sum)
			}
			return
		}
		for e := range events {
			if e.Kind == "seams" {
				break
			}
		}
	}
}

func TestAMixdownIsMadeMeasuredAndSent(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	names := map[string]bool{}
	for _, q := range []app.MixdownRequest{{Kind: "wav", Depth: "16", NoDither: true}, {Kind: "flac", Depth: "24"},
		{Kind: "mp3"}, {Kind: "wav", Depth: "24", From: "01:00:00:10", To: "01:00:01:00"},
		{Kind: "wav", Depth: "24", From: "01:00:00:05", To: "01:00:00:20"}} {
		var job store.Job
		c.json("POST", "/scenes/"+id+"/mixdowns", q, 202, &job)
		c.ended(job)
		var list []json.RawMessage
		c.json("GET", "/scenes/"+id+"/mixdowns", nil, 200, &list)
		var made struct {
			State  string
			Error  string
			Result app.Result
		}
		json.Unmarshal(list[0], &made)
		if made.State != "done" || made.Result.IntegratedLUFS > 0 || made.Result.IntegratedLUFS < -60 {
			t.Fatalf("%+v: %+v", q, made)
		}
		if names[made.Result.File] {
			t.Errorf("%+v: there is a %s already", q, made.Result.File)
		}
		names[made.Result.File] = true
		status, raw, _ := c.do("GET", "/made/"+job.ID, nil)
		if status != 200 || int64(len(raw)) != made.Result.Bytes {
			t.Fatalf("sent %d bytes of %d", len(raw), made.Result.Bytes)
		}
		path := filepath.Join(t.TempDir(), made.Result.File)
		os.WriteFile(path, raw, 0o644)
		got := outside.Decode(t, path, 1)
		want := state.Length()
		if q.From != "" {
			want = 15 * 1920
		}
		if n := got.Len(); n != want && (q.Kind != "mp3" || n < want) {
			t.Errorf("%+v: %d samples, want %d", q, n, want)
		}
		if q.Depth == "16" {
			v := outside.Decode(t, outside.Voices(t)[0], 1)
			outside.Same(t, "16 bits without dither", got.Slice(0, v.Len()), v)
		}
	}
}

func TestUploadsThatFailSayWhy(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	raw, _ := os.ReadFile(outside.Voices(t)[0])
	for name, bad := range map[string][]byte{"empty.wav": {}, "short.wav": raw[:2000], "words.txt": []byte("words")} {
		if _, problem := c.upload(id, name, bad); !strings.Contains(problem, name) {
			t.Errorf("%s: %q", name, problem)
		}
	}
}

func TestOtherPagesAreTold(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	a, err := http.Get(c.url + "/events?scene=" + id)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Body.Close()
	buf := make([]byte, 4096)
	if n, err := a.Body.Read(buf); err != nil ||
		!strings.HasPrefix(string(buf[:n]), "retry:") { // from now on it is told
		t.Fatal(string(buf[:n]), err)
	}
	c.json(
		"POST",
		"/scenes/"+id+"/edits",
		map[string]any{"revision": state.Revision, "page": "me", "edit": map[string]any{"edit": "rename", "name": "B"}},
		200,
		nil,
	)
	all := ""
	for !strings.Contains(all, "event: edit") {
		n, err := a.Body.Read(buf)
		if err != nil {
			t.Fatal(err)
		}
		all += string(buf[:n])
	}
	if !strings.Contains(all, `"page":"me"`) || !strings.Contains(all, fmt.Sprintf(`"revision":%d`, state.Revision+1)) {
		t.Error(all)
	}
}

func TestASceneFileComesBackAsAScene(t *testing.T) {
	c := newClient(t)
	id, state := c.twoVoices()
	_, raw, _ := c.do("GET", "/scenes/"+id+"/scene.otio", nil)
	status, answer, _ := c.do("POST", "/scenes/file", raw, "Blendseam-Name", "again.otio")
	var made struct{ ID string }
	if json.Unmarshal(answer, &made); status != 201 {
		t.Fatalf("%d %s", status, answer)
	}
	var again StateView
	c.json("GET", "/scenes/"+made.ID+"/state", nil, 200, &again)
	for i, k := range again.Tracks[0].Clips {
		was := state.Tracks[0].Clips[i]
		if k.Source != was.Source || k.In != was.In || k.Start != was.Start || k.Length != was.Length {
			t.Errorf("clip %d came back as %+v, was %+v", i, k, was)
		}
	}
	status, answer, _ = c.do("POST", "/scenes/file", []byte("{"), "Blendseam-Name", "cut short.otio")
	if status != 400 || !strings.Contains(string(answer), `"cut short.otio: `) {
		t.Errorf("%d %s, want the file by its name alone", status, answer)
	}
	renamed := bytes.ReplaceAll(raw, []byte("Front_Center.wav"), []byte("missing.wav"))
	if status, answer, _ = c.do(
		"POST",
		"/scenes/file",
		renamed,
		"Blendseam-Name",
		"again.otio",
	); status != 201 { // its checksum is here
		t.Errorf("%d %s", status, answer)
	}
	unknown := regexp.MustCompile(`"sha256": "[0-9a-f]*"`).ReplaceAll(renamed, []byte(`"sha256": ""`))
	status, answer, _ = c.do("POST", "/scenes/file", unknown, "Blendseam-Name", "again.otio")
	if json.Unmarshal(answer, &made); status != 201 { // it comes in silent
		t.Fatalf("%d %s", status, answer)
	}
	c.json("GET", "/scenes/"+made.ID+"/state", nil, 200, &again)
	missing := again.Tracks[0].Clips[0].Source
	if !scene.IsMissing(missing) || again.Sources[missing].URL != "missing.wav" {
		t.Fatalf("its sources are %+v", again.Sources)
	}
	status, sound, _ := c.do("GET", "/scenes/"+made.ID+"/pcm?from=0&n=4800", nil)
	if status != 200 || len(bytes.Trim(sound, "\x00")) > 0 {
		t.Errorf("%d, and it is not silent", status)
	}
	// Pointed to what it is, it is heard; to what it cannot be, refused.
	var to struct {
		To string `json:"to"`
	}
	to.To = state.Tracks[0].Clips[0].Source
	c.json("POST", "/scenes/"+made.ID+"/sources/"+missing+"/link", to, 200, nil)
	c.json("GET", "/scenes/"+made.ID+"/state", nil, 200, &again)
	if again.Tracks[0].Clips[0].Source != to.To {
		t.Errorf("linked, it shows %s", again.Tracks[0].Clips[0].Source)
	}
	if status, answer, _ = c.do("POST", "/scenes/"+made.ID+"/sources/"+missing+"/link",
		[]byte(`{"to":"`+to.To+`"}`)); status != 422 {
		t.Errorf("linked again: %d %s", status, answer)
	}
}

// A program that go build made alone says what is missing.
func TestWithoutStylesAndScriptsThePageSaysHowToMakeThem(t *testing.T) {
	w := httptest.NewRecorder()
	notMade(w, httptest.NewRequest("GET", "/", nil))
	if w.Code != http.StatusServiceUnavailable || !strings.Contains(w.Body.String(), "make build") {
		t.Errorf("%d %s", w.Code, w.Body)
	}
}
