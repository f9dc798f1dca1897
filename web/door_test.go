package web

import (
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"blendseam/web/access"
)

// ask sends a request under a name, as a browser does whose name points here.
func (c *client) ask(method, path, host, body string, headers ...string) *http.Response {
	c.t.Helper()
	r, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	if err != nil {
		c.t.Fatal(err)
	}
	r.Host = host
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	transport := &http.Transport{DisableKeepAlives: true}
	a, err := transport.RoundTrip(r)
	if err != nil {
		c.t.Fatal(err)
	}
	c.t.Cleanup(func() { a.Body.Close() })
	return a
}

func TestOnlyOurOwnNamesAreAnswered(t *testing.T) {
	c := newClient(t)
	c.server.Door = access.Door{Names: []string{"192.0.2.7", "bench.example"}}
	c.rebuild()
	for host, want := range map[string]int{
		"127.0.0.1": 200, "127.0.0.1:8450": 200, "localhost": 200, "LOCALHOST:1": 200, "[::1]:8450": 200, "[::1]": 200,
		"192.0.2.7:80": 200, "Bench.Example": 200,
		"evil.example": 421, "localhost.evil.example": 421, "127.0.0.1.evil.example": 421, "": 421, "10.0.0.1": 421,
		"[fe80::1]": 421, "127.0.0.1@evil.example": 421, "2130706433": 421,
	} {
		if host == "" {
			continue
		}
		for _, path := range []string{"/", "/static/styles.css", "/commands"} {
			if a := c.ask("GET", path, host, ""); a.StatusCode != want {
				t.Errorf("%s of %q: %d, want %d", path, host, a.StatusCode, want)
			}
		}
	}
	// Where it answers at every address, it is the address that was called that counts.
	c.server.Door = access.Door{Every: true}
	c.rebuild()
	for host, want := range map[string]int{"127.0.0.1": 200, "203.0.113.9": 421, "evil.example": 421} {
		if a := c.ask("GET", "/", host, ""); a.StatusCode != want {
			t.Errorf("%q: %d, want %d", host, a.StatusCode, want)
		}
	}
}

// rebuild lets a change of the configuration count.
func (c *client) rebuild() { c.server.Handler = c.server.routes() }

func TestASecretIsAskedForOnce(t *testing.T) {
	c := newClient(t)
	c.server.Door = access.Door{Token: "a secret of some length"}
	c.rebuild()
	html := []string{"Accept", "text/html"}
	if a := c.ask(
		"GET",
		"/settings?x=1",
		"localhost",
		"",
		html...); a.StatusCode != 401 ||
		!strings.Contains(body(t, a), `value="/settings?x=1"`) {
		t.Errorf("a page without the secret: %d", a.StatusCode)
	}
	if a := c.ask("GET", "/commands", "localhost", ""); a.StatusCode != 401 || !strings.Contains(body(t, a), "Bearer") {
		t.Errorf("a script without it: %d", a.StatusCode)
	}
	if a := c.ask("GET", "/static/styles.css", "localhost", ""); a.StatusCode != 200 {
		t.Errorf("the page that asks has no styles: %d", a.StatusCode)
	}
	form := func(secret, to string) *http.Response {
		return c.ask(
			"POST",
			"/enter",
			"localhost",
			url.Values{"secret": {secret}, "to": {to}}.Encode(),
			"Content-Type",
			"application/x-www-form-urlencoded",
			"Accept",
			"text/html",
		)
	}
	if a := form(
		"another",
		"/settings",
	); a.StatusCode != 401 || len(a.Cookies()) != 0 ||
		!strings.Contains(body(t, a), "not the secret") {
		t.Errorf("another secret: %d", a.StatusCode)
	}
	for to, want := range map[string]string{"/settings?x=1": "/settings?x=1", "//evil.example": "/",
		"https://evil.example": "/", `/\evil.example`: "/", "": "/"} {
		a := form("a secret of some length", to)
		if a.StatusCode != 303 || a.Header.Get("Location") != want || len(a.Cookies()) != 1 {
			t.Fatalf("the secret, to %q: %d to %s", to, a.StatusCode, a.Header.Get("Location"))
		}
		k := a.Cookies()[0]
		if !k.HttpOnly || k.SameSite != http.SameSiteStrictMode || strings.Contains(k.Value, "secret") {
			t.Errorf("the cookie is %v", k)
		}
		if a := c.ask("GET", "/settings", "localhost", "", "Cookie", k.Name+"="+k.Value); a.StatusCode != 200 {
			t.Errorf("with the cookie: %d", a.StatusCode)
		}
		if a := c.ask("GET", "/settings", "localhost", "", "Cookie", k.Name+"="+k.Value[1:]); a.StatusCode != 401 {
			t.Errorf("with part of the cookie: %d", a.StatusCode)
		}
	}
	if a := c.ask(
		"GET",
		"/commands",
		"localhost",
		"",
		"Authorization",
		"Bearer a secret of some length",
	); a.StatusCode != 200 {
		t.Errorf("a script with it: %d", a.StatusCode)
	}
}

func body(t *testing.T, a *http.Response) string {
	t.Helper()
	var b strings.Builder
	if _, err := io.Copy(&b, a.Body); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// A body that does not come in time is not waited for, neither by whoever reads it nor by the server, which would see
// it through before it answers.
func TestABodyThatIsLateIsGivenUp(t *testing.T) {
	c := newClient(t)
	late := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = &timed{ReadCloser: r.Body, control: http.NewResponseController(w), until: time.Now()}
		c.server.ServeHTTP(w, r)
	}))
	defer late.Close()
	conn, err := net.Dial("tcp", late.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	io.WriteString(
		conn,
		"POST /scenes HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
	)
	said, err := io.ReadAll(conn) // to the end of the connection
	if err != nil || !strings.HasPrefix(string(said), "HTTP/1.1 400") {
		t.Errorf("%v %s", err, said)
	}
}
