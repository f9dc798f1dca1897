package web

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"blendseam/app"
	"blendseam/store"
)

// token makes a token and returns its secret.
func (c *client) token(t store.Token) string {
	c.t.Helper()
	if t.Expires.IsZero() {
		t.Expires = time.Now().Add(time.Hour)
	}
	secret, err := c.server.Store.AddToken(c.t.Context(), t)
	if err != nil {
		c.t.Fatal(err)
	}
	c.t.Cleanup(func() { c.server.Store.RemoveToken(c.t.Context(), t.Name) })
	return secret
}

// with asks with a token, and wants a status.
func (c *client) with(token, method, path string, body any, want int) []byte {
	c.t.Helper()
	status, raw, _ := c.do(method, path, body, "Authorization", "Bearer "+token)
	if status != want {
		c.t.Errorf("%s %s: %d %s, want %d", method, path, status, raw, want)
	}
	return raw
}

// A token acts as its account with no more than its own role, under /api alone, until it expires or its account goes.
func TestATokenIsNoMoreThanItsRoleAndItsAccount(t *testing.T) {
	c := newPeople(t)
	id, _ := c.twoVoices()
	free := c.token(store.Token{Name: "before there were accounts", Role: store.Owner})
	c.with(free, "GET", "/api/scenes/"+id+"/state", nil, 200)
	ada := c.add("ada", store.Editor, store.FirstProduction)
	c.with(free, "GET", "/api/scenes/"+id+"/state", nil, 401)

	edits := c.token(store.Token{Name: "edits", Account: ada.ID, Role: store.Owner})
	listens := c.token(store.Token{Name: "listens", Account: ada.ID, Role: store.Listener})
	rename := map[string]any{"edit": map[string]any{"edit": "rename", "name": "By a script"}}
	at := "/api/scenes/" + id
	c.with(edits, "POST", at+"/edit", rename, 200)
	c.with(listens, "POST", at+"/edit", rename, 403)
	c.with(listens, "GET", at+"/audit", nil, 200)
	c.with(listens, "GET", "/scenes/"+id+"/state", nil, 401)
	c.with(edits+"x", "GET", at+"/state", nil, 401)
	c.with("", "GET", at+"/state", nil, 401)
	if raw := c.with(edits, "GET", at+"/state", nil, 200); !strings.Contains(string(raw), `"By a script"`) {
		t.Errorf("%s", raw)
	}
	c.with(edits, "POST", at+"/undo", nil, 200)

	soon := c.token(store.Token{Name: "soon over", Account: ada.ID, Role: store.Editor,
		Expires: time.Now().Add(time.Hour)})
	if _, err := c.server.Store.DB().Exec("UPDATE access_tokens SET expires = made WHERE name = 'soon over'"); err != nil {
		t.Fatal(err)
	}
	c.with(soon, "GET", at+"/state", nil, 401)
	if err := c.server.Store.RemoveAccount(t.Context(), ada.ID); err != nil {
		t.Fatal(err)
	}
	c.with(edits, "GET", at+"/state", nil, 401)
}

// Where a token is refused when it is made, the reason is said.
func TestATokenThatCannotBe(t *testing.T) {
	c := newClient(t)
	c.token(store.Token{Name: "twice", Role: store.Editor})
	for says, x := range map[string]store.Token{
		"is no role":         {Name: "a", Role: "king", Expires: time.Now().Add(time.Hour)},
		"time in the future": {Name: "b", Role: store.Editor, Expires: time.Now().Add(-time.Hour)},
		"already":            {Name: "twice", Role: store.Editor, Expires: time.Now().Add(time.Hour)},
		"needs letters":      {Name: "", Role: store.Editor, Expires: time.Now().Add(time.Hour)},
	} {
		if _, err := c.server.Store.AddToken(t.Context(), x); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v", x, err)
		}
	}
}

// The description names every operation, and whatever it refers to is in it.
func TestTheDescriptionIsWhole(t *testing.T) {
	c := newClient(t)
	status, raw, _ := c.do("GET", "/api/openapi.json", nil)
	var doc struct {
		OpenAPI    string
		Paths      map[string]map[string]any
		Components struct{ Schemas map[string]any }
	}
	if err := json.Unmarshal(raw, &doc); status != 200 || err != nil || !strings.HasPrefix(doc.OpenAPI, "3.1") {
		t.Fatal(status, err, doc.OpenAPI)
	}
	for _, o := range app.Operations {
		if doc.Paths[patternOf(o)][strings.ToLower(methodOf(o))] == nil {
			t.Errorf("%s is not described", o.Name)
		}
	}
	refs := 0
	var look func(v any)
	look = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			if ref, ok := v["$ref"].(string); ok {
				refs++
				if doc.Components.Schemas[strings.TrimPrefix(ref, "#/components/schemas/")] == nil {
					t.Errorf("%s is not in the description", ref)
				}
			}
			for _, x := range v {
				look(x)
			}
		case []any:
			for _, x := range v {
				look(x)
			}
		}
	}
	var whole any
	json.Unmarshal(raw, &whole)
	if look(whole); refs < 20 {
		t.Errorf("only %d references", refs)
	}
	status, page, _ := c.do("GET", "/api", nil)
	for _, o := range app.Operations {
		if status != 200 || !strings.Contains(string(page), patternOf(o)) {
			t.Errorf("%d: the page does not list %s", status, o.Name)
		}
	}
}

// What a script asks that cannot be is answered with what is wrong.
func TestTheAPISaysWhatIsWrong(t *testing.T) {
	c := newClient(t)
	id, _ := c.twoVoices()
	for _, x := range []struct {
		method, path string
		body         any
		want         int
		says         string
	}{
		{"POST", "/room", map[string]any{"hush_db": "low"}, 400, "hush_db"},
		{"POST", "/room", []byte("{"), 400, "no JSON"},
		{"POST", "/room", map[string]any{"from": "yesterday"}, 400, "yesterday"},
		{"POST", "/mend", map[string]any{"rooms": true}, 400, "rooms"},
		{"POST", "/edit", map[string]any{}, 400, "no edit"},
		{"POST", "/edit", map[string]any{"edit": map[string]any{"edit": "vanish"}}, 400, "vanish"},
		{"POST", "/edit", map[string]any{"edit": map[string]any{"edit": "divide", "at": 5}}, 422, ""},
		{"POST", "/redo", nil, 400, "nothing to redo"},
		{"POST", "/level", map[string]any{}, 400, "Nothing is asked for"},
		{"POST", "/lay-out", map[string]any{"source": "nobody"}, 404, ""},
		{"POST", "/mixdown", map[string]any{"kind": "doc"}, 400, ""},
		{"GET", "/nothing", nil, 404, ""},
	} {
		status, raw, _ := c.do(x.method, "/api/scenes/"+id+x.path, x.body)
		var p problem
		if json.Unmarshal(raw, &p) != nil || status != x.want || p.Message == "" || !strings.Contains(p.Message, x.says) {
			t.Errorf("%s %v: %d %s", x.path, x.body, status, raw)
		}
	}
	if status, raw, _ := c.do("GET", "/api/jobs/none?wait=ages", nil); status != http.StatusBadRequest {
		t.Errorf("%d %s", status, raw)
	}
}
