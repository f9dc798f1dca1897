package web

import (
	"encoding/json"
	"log/slog"
	"net/http"
	"strings"
	"testing"

	"blendseam/core/scene/edit"
	"blendseam/web/access"
)

// Whoever keeps the program running is answered under any name and without the secret, but learns nothing else so.
func TestHowItIsIsSaidToWhoeverAsks(t *testing.T) {
	c := newClient(t)
	c.server.Door = access.Door{Token: "a secret of enough letters"}
	c.rebuild()
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 200, "/metrics": 421, "/": 421} {
		if a := c.ask("GET", path, "10.0.0.1", ""); a.StatusCode != want {
			t.Errorf("%s of a balancer: %d, want %d", path, a.StatusCode, want)
		}
	}
	if a := c.ask("GET", "/metrics", "127.0.0.1", ""); a.StatusCode != 401 {
		t.Errorf("figures without the secret: %d", a.StatusCode)
	}
	// Once it is to end, no more is sent here; what is under way is finished.
	c.server.ending.Store(true)
	if a := c.ask("GET", "/readyz", "10.0.0.1", ""); a.StatusCode != 503 {
		t.Errorf("it is to end, and answers %d", a.StatusCode)
	}
	if a := c.ask("GET", "/healthz", "10.0.0.1", ""); a.StatusCode != 200 {
		t.Errorf("it goes on, and answers %d", a.StatusCode)
	}
}

// The figures count edits and requests by their routes, not by their addresses.
func TestFiguresSayWhatWasDone(t *testing.T) {
	c := newClient(t)
	id := c.newScene()
	for _, want := range []int{200, 422} { // the same marker cannot be taken off twice
		body := map[string]any{"revision": 1, "edit": edit.Wire{Edit: &edit.RemoveMarker{Marker: "m9"}}}
		if want == 200 {
			body = map[string]any{"revision": 0, "edit": edit.Wire{Edit: &edit.AddMarker{Name: "m"}}}
		}
		c.json("POST", "/scenes/"+id+"/edits", body, want, nil)
	}
	_, raw, _ := c.do("GET", "/metrics", nil)
	for _, line := range []string{
		`blendseam_edits_total{outcome="done"} 1`,
		`blendseam_edits_total{outcome="refused"} 1`,
		`blendseam_request_seconds_count{method="POST",route="/scenes/{scene}/edits",status="422"} 1`,
		"blendseam_jobs_running 0",
		"blendseam_pages 0",
		`go_sql_open_connections{db_name="blendseam"}`,
	} {
		if !strings.Contains(string(raw), line) {
			t.Errorf("they do not say %s", line)
		}
	}
	if strings.Contains(string(raw), id) {
		t.Error("they name a scene")
	}
}

// Requests that change something or fail are logged with an id, which the answer names; others are not.
func TestRequestsAreLoggedByTheirIds(t *testing.T) {
	var log syncBuffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, nil)))
	defer slog.SetDefault(was)
	c := newClient(t)
	c.server.LogRequests = true
	id := c.newScene()
	c.do("GET", "/scenes/"+id+"/state", nil)
	_, _, header := c.do("GET", "/nowhere", nil, "X-Request-Id", "from-a-proxy")
	if got := header.Get("X-Request-Id"); got != "from-a-proxy" {
		t.Errorf("the answer names %q", got)
	}
	type entry struct {
		Msg, ID, Method, Path string
		Status                int
		MS                    float64
	}
	var list []entry
	log.Lock()
	defer log.Unlock()
	for _, line := range strings.Split(strings.TrimSpace(log.String()), "\n") {
		var e entry
		if err := json.Unmarshal([]byte(line), &e); err != nil {
			t.Fatalf("%q: %v", line, err)
		}
		if e.Msg == "request" {
			list = append(list, e)
		}
	}
	if len(list) != 2 || list[0].Method != http.MethodPost || list[0].ID == "" || list[0].MS <= 0 ||
		list[1].ID != "from-a-proxy" || list[1].Status != 404 || list[1].Path != "/nowhere" {
		t.Errorf("%+v", list)
	}
}
