package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"

	"github.com/go-chi/chi/v5"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/store"
	"blendseam/web/access"
)

// A route is a method and a pattern of an address.
type route struct{ method, pattern string }

func (c *client) allRoutes() (list []route) {
	c.t.Helper()
	err := chi.Walk(
		c.server.Handler.(chi.Routes),
		func(method, pattern string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			if pattern != "/static/*" || method == "GET" {
				list = append(list, route{method, pattern})
			}
			return nil
		},
	)
	if err != nil || len(list) < 50 {
		c.t.Fatalf("%d routes, %v", len(list), err)
	}
	return list
}

// A syncBuffer is a log that many write.
type syncBuffer struct {
	sync.Mutex
	bytes.Buffer
}

func (b *syncBuffer) Write(p []byte) (int, error) {
	b.Lock()
	defer b.Unlock()
	return b.Buffer.Write(p)
}

// hostile is one way of asking what nobody should.
type hostile struct {
	name    string
	params  func(name, good string) string
	query   string // of every name there is
	body    []byte
	host    string
	headers []string
	refused int // the status that it has to be; 0 is any but an error of ours
}

// Every route is asked without a body, with ten megabytes, with wrong types, with figures that are none, huge or below
// nothing, under a foreign name, from a foreign page and with paths that lead out of it. None of that is an error of
// ours.
func TestEveryRouteWithEverythingThatNobodyShouldAsk(t *testing.T) {
	var log syncBuffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&log, nil)))
	defer slog.SetDefault(was)
	c := newClient(t)
	id, state := c.twoVoices()
	c.server.Demo = func(context.Context, string) (string, error) { return id, nil }
	good := map[string]string{
		"scene":   id,
		"source":  state.Tracks[0].Clips[0].Source,
		"job":     "none",
		"tone":    "none",
		"version": "none",
		"blend":   "none",
		"rate":    "48000",
		"step":    "64",
		"tile":    "0",
		"num":     "25",
		"den":     "1",
		"sheet":   "0.jpg",
		"*":       "styles.css",
	}
	as := func(_, good string) string { return good }
	all := func(v string) func(string, string) string { return func(string, string) string { return v } }
	but := func(v string) func(string, string) string { // everything else about the scene that is there
		return func(name, good string) string {
			if name == "scene" {
				return good
			}
			return v
		}
	}
	names := []string{
		"as",
		"best",
		"choice",
		"edit",
		"from",
		"id",
		"name",
		"scene",
		"seam",
		"seconds",
		"since",
		"to",
		"tone",
		"what",
		"bins",
		"n",
		"window",
		"clip",
		"lull",
		"next",
	}
	wrong := `{"revision":"x","edit":[],"name":7,"names":{},"track":[],"at":"x","node":"y","from":[],"to":{},` +
		`"tracks":1,"source":5,"left":[],"rate":[],"sample_rate":"much","channels":null,"kind":3,"keys":[1],"seams":{}}`
	huge := fmt.Sprintf(
		`{"revision":%[1]d,"edit":{"edit":"move","clip":"c1","to":%[1]d},"node":%[1]d,"at":%[1]d,"from":-%[1]d,`+
			`"to":%[1]d,"sample_rate":%[1]d,"channels":%[1]d,"rate":"%[1]d","name":%[2]q}`,
		int64(1<<63-1),
		strings.Repeat("é", 70000),
	)
	ways := []hostile{
		{name: "no body", params: as},
		{name: "an empty object", params: as, body: []byte("{}")},
		{name: "null", params: as, body: []byte("null")},
		{name: "a list", params: as, body: []byte("[[[[")},
		{
			name:   "10 MB",
			params: as,
			body:   append(append([]byte(`{"name":"`), bytes.Repeat([]byte("a"), 10<<20)...), `"}`...),
		},
		{name: "wrong types", params: as, body: []byte(wrong)},
		{name: "no number", params: as, body: []byte(`{"revision":NaN,"at":Infinity}`)},
		{name: "huge numbers", params: as, body: []byte(huge)},
		{name: "a foreign name", params: as, host: "evil.example", refused: http.StatusMisdirectedRequest},
		{name: "a way out", params: all("..%2f..%2fetc%2fpasswd")},
		{name: "a way up", params: all("..")},
		{name: "a way out of a scene", params: but("..%2f..%2f..")},
		{name: "nothing", params: all("%00")},
		{name: "numbers below nothing", params: but("-1")},
		{name: "numbers beyond all", params: but("9223372036854775807")},
	}
	for _, v := range []string{"", "-1", "0", "1", "9223372036854775807", "-9223372036854775808", "1e308", "NaN",
		"../..", "{}", `{"edit":"trim"}`, `{"edit":"gain","clips":["c1"],"db":1e999}`, strings.Repeat("x", 5000),
		"\x00\xff"} {
		q := url.Values{}
		for _, n := range names {
			q.Set(n, v)
		}
		ways = append(ways, hostile{name: fmt.Sprintf("all asked is %.20q", v), params: as, query: "?" + q.Encode()})
	}
	routes := c.allRoutes()
	for _, r := range routes {
		for _, way := range ways {
			if way.host != "" &&
				(r.pattern == access.Healthy || r.pattern == access.Ready) { // which balancers ask under any name
				continue
			}
			c.hostile(r, way, good)
		}
		if r.method != "GET" {
			c.hostile(
				r,
				hostile{
					name:    "from another page",
					params:  as,
					headers: []string{"Origin", "https://evil.example"},
					refused: http.StatusForbidden,
				},
				good,
			)
			c.hostile(
				r,
				hostile{
					name:    "from another page, as newer browsers say",
					params:  as,
					headers: []string{"Sec-Fetch-Site", "cross-site"},
					refused: http.StatusForbidden,
				},
				good,
			)
		}
	}
	if s := log.String(); strings.Contains(s, "panic") || strings.Contains(s, "request failed") ||
		strings.Contains(s, "goroutine") {
		t.Errorf("the log has %s", s[:min(len(s), 5000)])
	}
	// The scene is there still, and can be edited.
	c.json("GET", "/scenes/"+good["scene"]+"/state", nil, 200, &state)
	c.json(
		"POST",
		"/scenes/"+good["scene"]+"/edits",
		map[string]any{"revision": state.Revision, "edit": map[string]any{"edit": "rename", "name": "after all"}},
		200,
		nil,
	)
	t.Logf("%d routes, %d ways", len(routes), len(ways)+2)
}

// hostile asks once, and makes a new scene where the last was removed.
func (c *client) hostile(r route, way hostile, good map[string]string) {
	c.t.Helper()
	if r.method == "DELETE" && strings.HasSuffix(strings.TrimSuffix(r.pattern, "/"), "/scenes/{scene}") &&
		way.refused == 0 { // it is asked for another one
		id, err := c.server.Store.Create(
			c.t.Context(),
			scene.New("to be removed", timecode.F25, 48000),
			store.FirstProduction,
		)
		if err != nil {
			c.t.Fatal(err)
		}
		was := good["scene"]
		defer func() { good["scene"] = was }()
		good["scene"] = id
	}
	path := r.pattern
	for name, v := range good {
		path = strings.ReplaceAll(path, "{"+name+"}", way.params(name, v))
	}
	path = strings.ReplaceAll(path, "*", way.params("*", good["*"]))
	ctx, stop := context.WithCancel(c.t.Context())
	defer stop()
	q, err := http.NewRequestWithContext(ctx, r.method, c.url+path+way.query, bytes.NewReader(way.body))
	if err != nil {
		return // no client can send it
	}
	q.Host = way.host
	for i := 0; i+1 < len(way.headers); i += 2 {
		q.Header.Set(way.headers[i], way.headers[i+1])
	}
	q.Header.Set("Blendseam-Name", "x.otio")
	a, err := http.DefaultClient.Do(q)
	if err != nil {
		if way.body == nil || len(way.body) < 1<<20 { // a large body may be refused while it is sent
			c.t.Errorf("%s %s, %s: %v", r.method, r.pattern, way.name, err)
		}
		return
	}
	defer a.Body.Close()
	said := ""
	if a.Header.Get("Content-Type") != "text/event-stream" {
		raw, _ := io.ReadAll(io.LimitReader(a.Body, 1<<20))
		said = string(raw)
	}
	switch {
	case way.refused != 0 && a.StatusCode != way.refused:
		c.t.Errorf("%s %s, %s: %d, want %d: %.200s", r.method, r.pattern, way.name, a.StatusCode, way.refused, said)
	case a.StatusCode >= 500:
		c.t.Errorf("%s %s, %s: %d %.200s", r.method, r.pattern, way.name, a.StatusCode, said)
	case a.StatusCode >= 400 && a.Header.Get("Content-Type") == "application/json":
		var p problem
		if json.Unmarshal([]byte(said), &p) != nil || p.Message == "" || strings.Contains(p.Message, "\n") ||
			strings.Contains(p.Message, c.server.Made) {
			c.t.Errorf("%s %s, %s: %d %.200s", r.method, r.pattern, way.name, a.StatusCode, said)
		}
	}
}
