package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/alexedwards/argon2id"
	"github.com/go-chi/chi/v5"

	"blendseam/store"
	"blendseam/web/access"
)

// A person is somebody with a browser of their own.
type person struct {
	c    *client
	name string
	http *http.Client
}

const password = "a long enough password"

// hashed is the hash of every password here, with parameters that take no time: what is kept says them, and access.Hash
// is tried where passwords are set.
var hashed = func() string {
	hash, err := argon2id.CreateHash(password, &argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16,
		KeyLength: 32})
	if err != nil {
		panic(err)
	}
	return hash
}()

// browser is one without cookies.
func (c *client) browser() *http.Client {
	jar, err := cookiejar.New(nil)
	if err != nil {
		c.t.Fatal(err)
	}
	return &http.Client{
		Jar:           jar,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

// add makes an account with a role in a production.
func (c *client) add(name string, role store.Role, production string) store.Account {
	c.t.Helper()
	ctx := c.t.Context()
	id, err := c.server.Store.AddAccount(ctx, store.Account{Name: name, Shown: name, Password: hashed})
	if err == nil && role != "" {
		err = c.server.Store.SetMember(ctx, production, id, role)
	}
	if err != nil {
		c.t.Fatal(err)
	}
	a, err := c.server.Store.Account(ctx, id)
	if err != nil {
		c.t.Fatal(err)
	}
	return a
}

// as is somebody who is signed in.
func (c *client) as(name string) *person {
	c.t.Helper()
	p := &person{c, name, c.browser()}
	if a := p.signIn(name, password); a.StatusCode != http.StatusSeeOther {
		c.t.Fatalf("%s cannot sign in: %d", name, a.StatusCode)
	}
	return p
}

func (p *person) signIn(name, password string, headers ...string) *http.Response {
	p.c.t.Helper()
	form := url.Values{"name": {name}, "password": {password}, "to": {"/"}}.Encode()
	return p.send("POST", "/sign-in", []byte(form),
		append([]string{"Content-Type", "application/x-www-form-urlencoded"}, headers...)...)
}

func (p *person) send(method, path string, body []byte, headers ...string) *http.Response {
	p.c.t.Helper()
	q, err := http.NewRequest(method, p.c.url+path, bytes.NewReader(body))
	if err != nil {
		p.c.t.Fatal(err)
	}
	for i := 0; i+1 < len(headers); i += 2 {
		if headers[i] == "Host" {
			q.Host = headers[i+1]
		}
		q.Header.Add(headers[i], headers[i+1])
	}
	a, err := p.http.Do(q)
	if err != nil {
		p.c.t.Fatal(err)
	}
	p.c.t.Cleanup(func() { a.Body.Close() })
	return a
}

// production makes one, with somebody who owns it.
func (c *client) production(name string) string {
	c.t.Helper()
	owner := c.add("owner of "+name, "", "")
	id, err := c.server.Store.AddProduction(c.t.Context(), name, owner.ID)
	if err != nil {
		c.t.Fatal(err)
	}
	return id
}

// newPeople is a client of a database in which people have accounts.
func newPeople(t *testing.T) *client {
	t.Helper()
	c := newClient(t)
	t.Cleanup(func() { // other tests have none
		people, err := c.server.Store.Accounts(context.Background())
		for _, a := range people {
			if _, err = c.server.Store.DB().Exec("DELETE FROM accounts WHERE id = ?", a.ID); err != nil {
				break
			}
		}
		if _, e := c.server.Store.DB().Exec("DELETE FROM tries"); err != nil || e != nil {
			t.Error(err, e)
		}
	})
	return c
}

// Every route there is stands in the table, and lets through whom the table says, and nobody else: with every role in
// what it names, with the highest in something else, with none, and without being signed in.
func TestEveryRouteLetsThroughWhomTheTableSays(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	if _, err := c.server.Tones(t.Context()); err != nil {
		t.Fatal(err)
	}
	there := c.production("Elsewhere")
	for _, role := range store.Roles {
		c.add(string(role), role, store.FirstProduction)
	}
	c.add("nobody", "", "")
	c.add("stranger", store.Owner, there)
	source := state.Tracks[0].Clips[0].Source
	tone, err := c.server.Store.AddTone(t.Context(), store.Tone{Home: store.FirstProduction, Name: "mine", Source: source,
		To: 48000, Rate: 48000, Thirds: []float64{}})
	if err != nil {
		t.Fatal(err)
	}
	job, err := c.server.Store.AddJob(t.Context(), store.Job{Scene: id, Kind: "mixdown", Words: "x"})
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]string{"scene": id, "source": source, "tone": tone, "job": job.ID,
		"production": store.FirstProduction}

	// The same table with nothing behind it: what comes through says so.
	table := slices.Concat(c.server.table(), c.server.screens(), c.server.scripts(), c.server.gate.Routes())
	all := map[string]bool{"GET /static/*": true}
	router := chi.NewRouter()
	router.Use(c.server.gate.Handler)
	for i, x := range table {
		all[x.Method+" "+x.Pattern] = true
		table[i].Handler = func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusTeapot) }
	}
	for _, r := range c.allRoutes() {
		if !all[r.method+" "+r.pattern] {
			t.Errorf("%s %s is in no table", r.method, r.pattern)
		}
	}
	people := map[string]*person{"": {c, "", c.browser()}}
	for _, name := range []string{"listener", "editor", "owner", "nobody", "stranger"} {
		people[name] = c.as(name)
	}
	c.server.gate.Mount(router, table)
	c.server.Handler = router // reached by c.server, which the test's server asks
	for _, x := range table {
		if x.Pattern == access.Metrics {
			continue // see the test of figures
		}
		path := x.Pattern
		for of, name := range names {
			path = strings.ReplaceAll(path, "{"+of+"}", name)
		}
		for name, p := range people {
			role := store.Role(name)
			want := http.StatusForbidden
			elsewhere := name == "stranger" || name == "nobody"
			switch {
			case x.Need == access.Open:
				want = http.StatusTeapot
			case name == "":
				want = http.StatusUnauthorized
			case x.Need == access.Person, name == "stranger" && x.Need.Of == "", !elsewhere && role.Covers(x.Need.Role):
				want = http.StatusTeapot
			case elsewhere && x.Need.Of != "":
				want = http.StatusNotFound
			}
			if a := p.send(x.Method, path, nil); a.StatusCode != want {
				t.Errorf("%s %s as %q: %d, want %d", x.Method, x.Pattern, name, a.StatusCode, want)
			}
		}
	}
}

// What strangers, listeners and other sites try, each answered as it must be.
func TestAttacksOnAccounts(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	var now StateView
	c.json("GET", "/scenes/"+id+"/state", nil, 200, &now)
	source := state.Tracks[0].Clips[0].Source
	hash := state.Sources[source].SHA256
	there := c.production("Another film")
	c.add("ada", store.Editor, store.FirstProduction)
	c.add("liv", store.Listener, store.FirstProduction)
	c.add("own", store.Owner, store.FirstProduction)
	c.add("eve", store.Editor, there)
	if _, err := c.server.Store.DB().Exec("INSERT INTO sessions VALUES ('old', '', '2001-01-01')"); err != nil {
		t.Fatal(err)
	}
	ada, liv, own, eve := c.as("ada"), c.as("liv"), c.as("own"), c.as("eve")
	nobody := &person{c, "", c.browser()}
	type sent struct{ method, path, body string }
	try := func(what string, p *person, s sent, want int, headers ...string) string {
		t.Helper()
		a := p.send(s.method, s.path, []byte(s.body), headers...)
		raw, err := io.ReadAll(a.Body)
		if err != nil || a.StatusCode != want {
			t.Errorf("%s: %d %.200s, want %d", what, a.StatusCode, raw, want)
		}
		return string(raw)
	}
	scene := "/scenes/" + id
	edit := fmt.Sprintf(`{"revision":%d,"edit":{"edit":"gain","clips":["%s"],"db":-1}}`, now.Revision,
		state.Tracks[0].Clips[0].ID)

	// Nobody.
	try("reading without signing in", nobody, sent{"GET", scene + "/state", ""}, 401)
	try("writing without signing in", nobody, sent{"POST", scene + "/edits", edit}, 401)
	try("listening without signing in", nobody, sent{"GET", "/events", ""}, 401)
	try("hearing a recording without signing in", nobody, sent{"GET", "/media/" + source + "/sound/48000", ""}, 401)
	try("a cookie of one's own making", nobody, sent{"GET", scene + "/state", ""}, 401,
		"Cookie", "blendseam_person="+strings.Repeat("A", 43))
	try(
		"a cookie that is no token",
		nobody,
		sent{"GET", scene + "/state", ""},
		401,
		"Cookie",
		"blendseam_person=' OR 1=1 --",
	)
	try("a user header that nobody asked for", nobody, sent{"GET", scene + "/state", ""}, 401, "X-User", "ada")
	try("a user header for figures", nobody, sent{"GET", "/metrics", ""}, 401, "X-Forwarded-For", "127.0.0.1")
	if a := nobody.send("GET", scene+"/", nil, "Accept", "text/html"); a.StatusCode != 303 ||
		!strings.HasPrefix(a.Header.Get("Location"), "/sign-in?to=%2Fscenes") {
		t.Errorf("a page without signing in: %d to %s", a.StatusCode, a.Header.Get("Location"))
	}
	html := []string{"Accept", "text/html"}
	if a := nobody.send("GET", "/sign-in?to=//evil.example", nil, html...); strings.Contains(
		body(t, a),
		"evil.example",
	) {
		t.Error("the form leads elsewhere")
	}

	// Signing in.
	for _, x := range [][2]string{{"ada", "a long enough passwore"}, {"ada", ""}, {"nobody there", password},
		{"' OR 1=1 --", password}, {"ada\x00", password}} {
		if a := (&person{c, "", c.browser()}).signIn(x[0], x[1], html...); a.StatusCode != 401 || len(a.Cookies()) > 0 ||
			!strings.Contains(body(t, a), "do not go together") {
			t.Errorf("%q with %q: %d", x[0], x[1], a.StatusCode)
		}
	}
	try(
		"signing in from another site",
		nobody,
		sent{"POST", "/sign-in", "name=ada&password=" + url.QueryEscape(password)},
		403,
		"Sec-Fetch-Site",
		"cross-site",
		"Content-Type",
		"application/x-www-form-urlencoded",
	)
	try("signing in under a foreign name", nobody, sent{"GET", "/sign-in", ""}, 421, "Host", "evil.example")
	for to, want := range map[string]string{"//evil.example": "/", "/scenes/x": "/scenes/x", "https://evil.example": "/",
		"/\\evil.example": "/", "/a\r\nX: y": "/"} {
		p := &person{c, "", c.browser()}
		a := p.send("POST", "/sign-in", []byte(url.Values{"name": {"ada"}, "password": {password}, "to": {to}}.Encode()),
			"Content-Type", "application/x-www-form-urlencoded")
		if a.StatusCode != 303 || a.Header.Get("Location") != want {
			t.Errorf("signing in with a way to %q leads to %q", to, a.Header.Get("Location"))
		}
	}

	// Fixation: the token that a browser came with is not the one of the session; replay: nor does one work when it has
	// ended.
	fixed := strings.Repeat("F", 43)
	p := &person{c, "", c.browser()}
	a := p.signIn("ada", password, "Cookie", "blendseam_person="+fixed)
	if len(a.Cookies()) != 1 || a.Cookies()[0].Value == fixed {
		t.Fatalf("fixation: %v", a.Cookies())
	}
	k := a.Cookies()[0]
	if !k.HttpOnly || k.SameSite != http.SameSiteLaxMode || k.Path != "/" || k.Domain != "" {
		t.Errorf("the cookie is %v", k)
	}
	try("the fixed token", nobody, sent{"GET", scene + "/state", ""}, 401, "Cookie", "blendseam_person="+fixed)
	try("the new token", nobody, sent{"GET", scene + "/state", ""}, 200, "Cookie", "blendseam_person="+k.Value)
	if a := p.signIn("ada", password); len(a.Cookies()) != 1 || a.Cookies()[0].Value == k.Value {
		t.Error("signing in again keeps the token")
	}
	try("the token before it", nobody, sent{"GET", scene + "/state", ""}, 401, "Cookie", "blendseam_person="+k.Value)
	last := p.http.Jar.Cookies(mustURL(c.url))[0]
	try("signing out from another site", p, sent{"POST", "/sign-out", ""}, 403, "Sec-Fetch-Site", "cross-site")
	try("signing out", p, sent{"POST", "/sign-out", ""}, 303)
	try(
		"replay after signing out",
		nobody,
		sent{"GET", scene + "/state", ""},
		401,
		"Cookie",
		"blendseam_person="+last.Value,
	)
	var kept int
	row := c.server.Store.DB().QueryRow("SELECT COUNT(*) FROM sessions WHERE token IN (?, 'old')", last.Value)
	if err := row.Scan(&kept); err != nil || kept > 0 {
		t.Error("tokens lie in the database as they are, or when they have run out", err)
	}

	// Other sites.
	for _, x := range []sent{{"POST", scene + "/edits", edit}, {"POST", "/productions", `{"name":"x"}`},
		{"DELETE", scene + "/", ""}, {"POST", "/password", "{}"}} {
		try("cross-site "+x.path, ada, x, 403, "Sec-Fetch-Site", "cross-site")
		try("foreign origin "+x.path, ada, x, 403, "Origin", "https://evil.example")
	}

	// A listener.
	for _, x := range []sent{{"POST", scene + "/edits", edit}, {"POST", scene + "/undo", `{"revision":1}`},
		{"DELETE", scene + "/", ""}, {"POST", scene + "/mixdowns", "{}"}, {"POST", scene + "/sources", "x"},
		{"POST", scene + "/versions", `{"name":"x"}`}, {"POST", "/scenes", `{"name":"x"}`}, {"POST", "/blends", "{}"},
		{"DELETE", "/sources/" + source, ""}, {"POST", "/productions", `{"name":"x"}`},
		{"POST", "/productions/first/people", `{"name":"liv","role":"owner"}`}} {
		try("a listener writes "+x.path, liv, x, 403)
	}
	try("a listener listens", liv, sent{"GET", scene + "/state", ""}, 200)
	try(
		"an editor makes themselves an owner",
		ada,
		sent{"POST", "/productions/first/people", `{"name":"ada","role":"owner"}`},
		403,
	)
	try(
		"an owner of a role that there is not",
		own,
		sent{"POST", "/productions/first/people", `{"name":"ada","role":"root"}`},
		400,
	)

	// Somebody of another production.
	for _, x := range []sent{{"GET", scene + "/state", ""}, {"GET", scene + "/", ""}, {"POST", scene + "/edits", edit},
		{"GET", "/media/" + source + "/sound/48000", ""}, {"GET", "/media/" + source + "/peaks/48000/64/0", ""},
		{"DELETE", "/sources/" + source, ""}, {"GET", "/events?scene=" + id, ""}, {"GET", scene + "/scene.otio", ""},
		{"POST", "/productions/first/people", `{"name":"eve","role":"owner"}`},
		{"POST", "/productions/first", `{"name":"x"}`}} {
		try("a stranger: "+x.path, eve, x, 404)
	}
	var made struct{ ID string }
	theirs := eve.send("POST", "/scenes", []byte(`{"name":"hers","rate":"25","sample_rate":48000,"channels":1}`))
	decodeInto(t, theirs, &made)
	bring := fmt.Sprintf(
		`{"revision":0,"edit":{"edit":"bring","source":{"id":%q,"name":"x","sha256":%q,"samples":48000,`+
			`"channels":1}}}`,
		source,
		hash,
	)
	try("a recording by its id", eve, sent{"POST", "/scenes/" + made.ID + "/edits", bring}, 422)
	try("a recording by laying it out", eve, sent{"POST", "/scenes/" + made.ID + "/sources/" + source + "/lay", ""}, 404)
	otio := try("the scene file of one's own", ada, sent{"GET", scene + "/scene.otio", ""}, 200)
	if !strings.Contains(otio, hash) {
		t.Fatal("the scene file names no hash")
	}
	if a := eve.send("POST", "/scenes/file", []byte(otio), "Blendseam-Name", "guess.otio"); a.StatusCode == 201 {
		decodeInto(t, a, &made)
		list, err := c.server.Store.Scene(t.Context(), made.ID)
		if err != nil || list.Scene.Sources[source].SHA256 != "" {
			t.Error("a hash in a scene file gives its recording", err)
		}
	}
	try("a scene of a production that is not one's own", eve,
		sent{"POST", "/scenes", `{"name":"x","rate":"25","sample_rate":48000,"channels":1,"production":"first"}`}, 422)
	if list := try("the list of scenes", eve, sent{"GET", "/", ""}, 200, html...); strings.Contains(list, id) {
		t.Error("a stranger's list has our scene")
	}
	if list := try("the list of tones", eve, sent{"GET", "/tones", ""}, 200); strings.Contains(list, source) {
		t.Error("a stranger's list has our tone")
	}

	// People who go: their sessions end at once.
	if err := c.server.Store.SetMember(t.Context(), store.FirstProduction, c.account("ada").ID, ""); err != nil {
		t.Fatal(err)
	}
	try("somebody who was taken out", ada, sent{"GET", scene + "/state", ""}, 404)
	try(
		"the last owner's leaving",
		own,
		sent{"POST", "/productions/first/people", `{"name":"own","role":"editor"}`},
		422,
	)
	try(
		"a wrong password changes none",
		liv,
		sent{"POST", "/password", `{"old":"x","new":"another long password"}`},
		422,
	)
	try("a short password", liv, sent{"POST", "/password", `{"old":"` + password + `","new":"short"}`}, 422)
	other := c.as("liv")
	try(
		"a new password",
		liv,
		sent{"POST", "/password", `{"old":"` + password + `","new":"another long password"}`},
		204,
	)
	try("a session of before the new password", other, sent{"GET", scene + "/state", ""}, 401)
	if err := c.server.Store.RemoveAccount(t.Context(), c.account("liv").ID); err != nil {
		t.Fatal(err)
	}
	if a := nobody.signIn("liv", "another long password"); a.StatusCode != 401 {
		t.Errorf("somebody who was removed signs in: %d", a.StatusCode)
	}

	// A flood: after some tries under one name it is not tried any more, from wherever.
	flooded := 0
	for range 12 {
		if a := (&person{c, "", c.browser()}).signIn("eve", "guess"); a.StatusCode == 429 {
			flooded++
		} else if a.StatusCode != 401 {
			t.Errorf("a flood: %d", a.StatusCode)
		}
	}
	if flooded == 0 {
		t.Error("a flood of guesses is let through")
	}
	if a := nobody.signIn("eve", password); a.StatusCode != 429 {
		t.Errorf("during a flood: %d", a.StatusCode)
	}
}

func (c *client) account(name string) store.Account {
	c.t.Helper()
	a, err := c.server.Store.AccountNamed(c.t.Context(), name)
	if err != nil {
		c.t.Fatal(err)
	}
	return a
}

func decodeInto(t testing.TB, a *http.Response, to any) {
	t.Helper()
	if err := json.NewDecoder(a.Body).Decode(to); err != nil {
		t.Fatal(a.StatusCode, err)
	}
}

func mustURL(text string) *url.URL {
	u, err := url.Parse(text)
	if err != nil {
		panic(err)
	}
	return u
}

// A proxy's word counts if it is ours, and nobody else's.
func TestAProxyNamesPeople(t *testing.T) {
	c := newPeople(t)
	id, _ := c.twoVoices()
	c.add("ada", store.Editor, store.FirstProduction)
	set := func(proxies ...string) {
		config := access.Config{Header: "X-User"}
		for _, p := range proxies {
			config.Proxies = append(config.Proxies, netip.MustParsePrefix(p))
		}
		c.server.gate = access.NewGate(config, c.server.Store, answers{c.server})
		c.rebuild()
	}
	p := &person{c, "", c.browser()}
	path := "/scenes/" + id + "/state"
	set("127.0.0.0/8")
	for _, x := range []struct {
		name    string
		headers []string
		want    int
	}{
		{"named", []string{"X-User", "ada"}, 200},
		{"nobody", nil, 401},
		{"an empty name", []string{"X-User", " "}, 401},
		{"two names", []string{"X-User", "ada", "X-User", "own"}, 401},
		{"somebody new, who is in no production", []string{"X-User", "new.person"}, 404},
		{"a name that is none", []string{"X-User", strings.Repeat("n", 300)}, 422},
	} {
		if a := p.send("GET", path, nil, x.headers...); a.StatusCode != x.want {
			t.Errorf("%s: %d, want %d", x.name, a.StatusCode, x.want)
		}
	}
	set("192.0.2.0/24")
	if a := p.send("GET", path, nil, "X-User", "ada"); a.StatusCode != 401 {
		t.Errorf("a name from an address that is not trusted: %d", a.StatusCode)
	}
}

// prefixes are addresses of proxies.
func prefixes(list ...string) (all []netip.Prefix) {
	for _, text := range list {
		all = append(all, netip.MustParsePrefix(text))
	}
	return all
}
