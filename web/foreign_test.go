package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"maps"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/audit/notes"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
	"blendseam/internal/scenetest"
	"blendseam/store"
)

// asked is what each function of this package asks of a query by name, itself or by those that it calls.
func asked(t *testing.T) map[string]map[string]bool {
	t.Helper()
	files, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	names, calls := map[string]map[string]bool{}, map[string]map[string]bool{}
	word := regexp.MustCompile(`^[a-z_]+$`)
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			own, called := map[string]bool{}, map[string]bool{}
			ast.Inspect(fn, func(n ast.Node) bool {
				call, ok := n.(*ast.CallExpr)
				if !ok {
					return true
				}
				to := ""
				switch f := call.Fun.(type) {
				case *ast.Ident:
					to = f.Name
				case *ast.SelectorExpr:
					to = f.Sel.Name
				}
				given := slices.ContainsFunc(call.Args, func(a ast.Expr) bool {
					id, ok := a.(*ast.Ident)
					return ok && id.Name == "r"
				})
				if given {
					called[to] = true
				}
				if to == "URLParam" || to == "page" {
					return true
				}
				for _, a := range call.Args { // of a query by name, or a reader of one that is told the name
					lit, ok := a.(*ast.BasicLit)
					if !ok || !given && to != "Get" && to != "Has" {
						continue
					}
					if v, err := strconv.Unquote(lit.Value); err == nil && word.MatchString(v) {
						own[v] = true
					}
				}
				return true
			})
			names[fn.Name.Name], calls[fn.Name.Name] = own, called
		}
	}
	for changed := true; changed; {
		changed = false
		for name, called := range calls {
			for other := range called {
				for word := range names[other] {
					if names[name] == nil || !names[name][word] {
						if names[name] == nil {
							names[name] = map[string]bool{}
						}
						names[name][word], changed = true, true
					}
				}
			}
		}
	}
	return names
}

// nameOf is the name of a method or function of this package.
func nameOf(f any) string {
	name := runtime.FuncForPC(reflect.ValueOf(f).Pointer()).Name()
	return strings.TrimSuffix(name[strings.LastIndex(name, ".")+1:], "-fm")
}

// A place is where an id can stand in a body; with is the body with another value there.
type place struct {
	name string
	was  any
	with func(v any) any
}

// placesIn has the places of all texts and numbers of a body.
func placesIn(body any) (list []place) {
	switch b := body.(type) {
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(b)) {
			for _, in := range placesIn(b[key]) {
				list = append(list, place{"." + key + in.name, in.was, func(v any) any {
					c := maps.Clone(b)
					c[key] = in.with(v)
					return c
				}})
			}
		}
	case []any:
		for i := range b {
			for _, in := range placesIn(b[i]) {
				list = append(list, place{"[" + strconv.Itoa(i) + "]" + in.name, in.was, func(v any) any {
					c := slices.Clone(b)
					c[i] = in.with(v)
					return c
				}})
			}
		}
	case string, float64:
		list = append(list, place{"", b, func(v any) any { return v }})
	}
	return list
}

var (
	digits = regexp.MustCompile(`[0-9]+`)
	anyID  = regexp.MustCompile(`[0-9a-f]{8}-[0-9a-f-]{27}|[0-9a-f]{16,64}`)
)

// seen is what somebody sees of the answer to a request that names x in the place of as, without numbers and ids.
func (p *person) seen(method, path string, body []byte, x, as string) (int, string) {
	a := p.send(method, path, body, "Blendseam-Name", "x.otio")
	defer a.Body.Close()
	if a.Header.Get("Content-Type") == "text/event-stream" {
		return a.StatusCode, ""
	}
	raw, _ := io.ReadAll(a.Body)
	text := strings.ReplaceAll(strings.ReplaceAll(string(raw), url.QueryEscape(x), x), x, as)
	return a.StatusCode, digits.ReplaceAllString(anyID.ReplaceAllString(text, "ID"), "0")
}

// absent is an id of the form of another.
func absent(id string) string {
	return strings.Map(func(c rune) rune {
		switch {
		case c == '9':
			return '0'
		case c == 'f':
			return 'a'
		case c >= '0' && c < '9', c >= 'a' && c < 'f':
			return c + 1
		}
		return c
	}, id)
}

// asked is a body as it is sent, with the revision that the scene is at.
func (c *client) asked(ctx context.Context, of string, body any) []byte {
	c.t.Helper()
	if body == nil {
		return nil
	}
	raw, err := json.Marshal(body)
	if err != nil {
		c.t.Fatal(err)
	}
	now, err := c.server.Store.Scene(ctx, of)
	if err != nil {
		c.t.Fatal(err)
	}
	return bytes.Replace(raw, []byte(`"revision":0`), fmt.Appendf(nil, `"revision":%d`, now.Revision), 1)
}

// copy makes a copy of a scene, for an edit of its own.
func (c *client) copy(p *person, id string) string {
	c.t.Helper()
	var made struct{ ID string }
	a := p.send("POST", "/scenes/"+id+"/copy", []byte(`{"name":"copy"}`))
	decodeInto(c.t, a, &made)
	return made.ID
}

// A foreign scene, recording, tone, job, note, version, blend or state of the past is answered just as one that there
// is not, wherever in a query or in a body of any route it stands.
func TestForeignIdsAnywhereAreAsThoseThatAreNotThere(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	voices := outside.Voices(t)
	own := c.newScene()
	raw, err := os.ReadFile(voices[2])
	if err != nil {
		t.Fatal(err)
	}
	source, problem := c.upload(own, "own.wav", raw)
	if problem != "" {
		t.Fatal(problem)
	}
	c.json("POST", "/scenes/"+own+"/sources/"+source+"/lay?purpose=dialogue", nil, 200, nil)
	c.json("POST", "/scenes/"+id+"/versions", map[string]any{"name": "Hidden version"}, 204, nil)
	c.json("POST", "/scenes/"+id+"/edits", map[string]any{"revision": c.revision(id),
		"edit": map[string]any{"edit": "rename", "name": "Confidential scene"}}, 200, nil)
	foreignTone, err := c.server.Store.AddTone(
		t.Context(),
		store.Tone{Home: store.FirstProduction, Name: "Confidential",
			Source: state.Tracks[0].Clips[0].Source, To: 48000, Rate: 48000, Thirds: []float64{}},
	)
	if err != nil {
		t.Fatal(err)
	}
	note, err := c.server.Store.AddNote(
		t.Context(),
		id,
		store.Note{Text: "Confidential", Place: notes.Place{Clip: "c1"}},
	)
	if err != nil {
		t.Fatal(err)
	}
	job, err := c.server.Store.AddJob(t.Context(), store.Job{Scene: id, Kind: "mixdown", Words: "Confidential"})
	if err != nil {
		t.Fatal(err)
	}
	if err := c.server.Store.SetBlend(t.Context(), store.FirstProduction, "", scene.Style{Name: "Hidden blend",
		Law: "matched", Frames: 4}); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { c.server.Store.DropBlend(t.Context(), store.FirstProduction, "Hidden blend") })
	past, _, err := c.server.Store.History(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	there := c.production("Far from here")
	mover := c.add("mover", store.Owner, store.FirstProduction)
	stranger := c.add("stranger", store.Owner, there)
	if err := c.server.Store.SetMember(t.Context(), there, mover.ID, store.Owner); err != nil {
		t.Fatal(err)
	}
	if a := c.as("mover").send("POST", "/scenes/"+own+"/move", []byte(`{"production":"`+there+`"}`)); a.StatusCode != 200 {
		t.Fatal(a.Status)
	}
	tone, err := c.server.Store.AddTone(t.Context(), store.Tone{Home: there, Name: "mine", Source: source, To: 48000,
		Rate: 48000, Thirds: []float64{}})
	if err != nil {
		t.Fatal(err)
	}
	p := c.as("stranger")
	as := store.WithCaller(
		t.Context(),
		&store.Caller{Account: stranger.ID, Roles: map[string]store.Role{there: store.Owner}},
	)

	// Each foreign id, and one of its form that there is not.
	var pairs [][2]string
	for _, x := range []string{id, state.Tracks[0].Clips[0].Source, foreignTone, job.ID, note,
		strconv.FormatInt(past[len(past)-1].Node, 10)} {
		pairs = append(pairs, [2]string{x, absent(x)})
	}
	pairs = append(pairs, [2]string{store.FirstProduction, "thirst"}, [2]string{"Hidden version", "Hidden absence"},
		[2]string{"Hidden blend", "Hidden green"})
	seam := "/scenes/" + own + "/"
	var list struct {
		Seams []struct{ ID string } `json:"seams"`
	}
	decodeInto(t, p.send("GET", seam+"seams", nil), &list)
	first := ""
	if len(list.Seams) > 0 {
		first = list.Seams[0].ID
	}
	mine, err := c.server.Store.Scene(as, own)
	if err != nil {
		t.Fatal(err)
	}
	clip := string(mine.Scene.Tracks[0].Clips[0].ID)
	bring := `{"edit":"bring","source":{"id":"` + source + `","name":"x","samples":48000,"channels":1}}`
	rename := map[string]any{"revision": 0., "edit": map[string]any{"edit": "rename", "name": "x"}, "page": "p"}
	var brought any
	if err := json.Unmarshal([]byte(bring), &brought); err != nil {
		t.Fatal(err)
	}
	style := func(name string) any { return map[string]any{"name": name, "law": "matched", "frames": 4.} }
	bodies := map[string]any{
		"/scenes": map[string]any{"name": "x", "rate": "25", "sample_rate": 48000., "channels": 2.,
			"production": there},
		"/blends":                          map[string]any{"was": "", "blend": style("y")},
		ofScene + "/blends":                map[string]any{"blend": style("z")},
		"/productions/{production}":        map[string]any{"name": "x"},
		"/productions/{production}/people": map[string]any{"name": "stranger", "role": "owner"},
		"/tones/{tone}":                    map[string]any{"name": "x", "place": "y"},
		ofScene + "/copy":                  map[string]any{"name": "x"},
		ofScene + "/move":                  map[string]any{"production": there},
		ofScene + "/edits":                 rename,
		ofScene + "/try":                   map[string]any{"revision": 0., "edit": brought},
		ofScene + "/copies": map[string]any{"span": map[string]any{"from": 0., "to": 48000.}, "track": "t1", "onto": "",
			"at": 0.},
		ofScene + "/piece":    map[string]any{"from": 0., "to": 48000., "tracks": []any{"t1"}},
		ofScene + "/go":       map[string]any{"revision": 0., "node": 0., "version": "", "page": "p"},
		ofScene + "/notes":    map[string]any{"text": "x", "of": "", "clip": clip, "seam": "", "at": 0.},
		ofScene + "/here":     map[string]any{"page": "p", "at": 0., "seam": ""},
		ofScene + "/versions": map[string]any{"name": "x"},
		ofScene + "/accept":   map[string]any{"revision": 0., "seam": first, "note": "x"},
		ofScene + "/mend":     map[string]any{"revision": 0., "seams": []any{first}, "page": "p"},
		ofScene + "/blends/plan": map[string]any{"blend": "Speech", "from": 0., "to": 48000.,
			"tracks": []any{"t1"}},
		ofScene + "/tone": map[string]any{"name": "x", "place": "y", "source": source, "track": "t1", "from": 0.,
			"to": 48000.},
		ofScene + "/sources/{source}/link": map[string]any{"to": source},
		ofScene + "/sources/{source}/take": map[string]any{
			"names":  []any{"x"},
			"track":  "t1",
			"at":     -1.,
			"how":    "insert",
			"marked": map[string]any{"name": "x", "from": 0., "to": 4800.},
		},
		ofScene + "/joins": map[string]any{"clips": []any{clip}, "name": "x", "page": "p"},
		ofScene + "/lists": map[string]any{"ending": ".adl"},
		ofScene + "/blends/across": map[string]any{"span": map[string]any{"from": 0., "to": 4800.}, "from": "t1",
			"over": "t2"},
		ofScene + "/pastes":   map[string]any{"revision": 0., "edit": brought},
		ofScene + "/pieces":   map[string]any{"kind": "wav", "source": "", "clips": []any{clip}},
		ofScene + "/mixdowns": map[string]any{"kind": "wav", "look": true, "stems": "track", "pattern": "{scene}"},
		ofScene + "/package":  map[string]any{"handles": 0., "look": true},
	}
	queries := asked(t)
	type target struct {
		method, pattern string
		do              string
	}
	var targets []target
	for _, x := range c.server.rows() {
		targets = append(targets, target{x.method, x.pattern, nameOf(x.do)})
	}
	for _, x := range screens() {
		targets = append(targets, target{"GET", x.Path, nameOf(x.show)})
	}
	pathOf := func(pattern, of string) string {
		return "/" + strings.TrimPrefix(strings.NewReplacer("{scene}", of, "{source}", source, "{tone}", tone, "{job}",
			"none", "{clip}", clip, "{production}", there, "{format}", "otio", "{rate}", "48000", "{step}", "64",
			"{tile}", "0", "{num}", "25", "{den}", "1", "{sheet}", "0.jpg", "{n}", "0").Replace(pattern), "/")
	}
	// One edit of each kind that names a recording.
	kinds, recording := map[string]any{}, regexp.MustCompile(`^s[0-9]$`)
	mixed, rng := scenetest.Mixed(t, timecode.F25), rand.New(rand.NewPCG(1, 1))
	for range 2000 {
		raw, err := json.Marshal(edit.Wire{Edit: scenetest.Random(mixed, rng)})
		if err != nil {
			t.Fatal(err)
		}
		var e map[string]any
		if err := json.Unmarshal(raw, &e); err != nil {
			t.Fatal(err)
		}
		if slices.ContainsFunc(placesIn(e), func(at place) bool {
			was, text := at.was.(string)
			return text && recording.MatchString(was)
		}) {
			kinds[e["edit"].(string)] = e
		}
	}
	tries, asks := 0, 0
	// compare asks twice of a scene of its own each time: once for what is foreign, once for what is not there.
	compare := func(x target, place string, number bool, request func(id string) (query string, body any)) {
		for _, pair := range pairs {
			if number != (digits.ReplaceAllString(pair[0], "") == "") {
				continue
			}
			// With -short, scenes and recordings everywhere, all else at every third place.
			if tries++; testing.Short() && !number && pair[0] != id && pair[0] != pairs[1][0] && tries%3 != 0 {
				continue
			}
			var status [2]int
			var said [2]string
			for i, id := range pair {
				of := own
				if x.method != "GET" && strings.Contains(x.pattern, "{scene}") {
					made := c.copy(p, own)
					of = made
				}
				if strings.HasSuffix(x.pattern, "/here") { // a page is on one scene alone
					if _, err := c.server.Store.DB().Exec("DELETE FROM pages"); err != nil {
						t.Fatal(err)
					}
				}
				query, body := request(id)
				raw := c.asked(as, of, body)
				status[i], said[i] = p.seen(x.method, pathOf(x.pattern, of)+query, raw, id, pair[0])
			}
			asks++
			if strings.Contains(said[0], "Confidential") {
				t.Errorf(
					"%s %s, %s: %q is answered with what is another production's: %.300s",
					x.method,
					x.pattern,
					place,
					pair[0],
					said[0],
				)
			}
			// What is of no scene lists scenes and blends, and now there are more of them.
			ofAll := !strings.Contains(x.pattern, "{scene}") || strings.HasSuffix(x.pattern, "/blends")
			if (x.method != "GET" || x.pattern == "/") && ofAll && status[0] < 400 {
				said[0], said[1] = "", ""
			}
			if status[0] != status[1] || said[0] != said[1] {
				t.Errorf(
					"%s %s, %s: %q is answered with %d %.300s, what is not there with %d %.300s",
					x.method,
					x.pattern,
					place,
					pair[0],
					status[0],
					said[0],
					status[1],
					said[1],
				)
			}
		}
	}
	for _, x := range targets {
		for _, name := range slices.Sorted(maps.Keys(queries[x.do])) {
			if name == "edit" { // see the kinds of edits
				for kind, e := range kinds {
					for _, at := range placesIn(e) {
						if was, text := at.was.(string); text && recording.MatchString(was) {
							compare(x, "?edit="+kind+at.name, false, func(id string) (string, any) {
								raw, err := json.Marshal(at.with(id))
								if err != nil {
									t.Fatal(err)
								}
								return "?" + url.Values{
									"edit": {string(raw)},
									"from": {"0"},
									"n":    {"4800"},
								}.Encode(), nil
							})
						}
					}
				}
				continue
			}
			compare(x, "?"+name, false, func(id string) (string, any) {
				return "?" + url.Values{name: {id}, "from": {"0"}, "n": {"4800"}}.Encode(), bodies[x.pattern]
			})
		}
		if x.method != "POST" {
			continue
		}
		if body := bodies[x.pattern]; body != nil {
			of := c.copy(p, own)
			// Nothing is moved to where it is, or put in the place of what is not missing; and the voice has no pause.
			// Nor is what is brought a paste, and one track has no other to go over to.
			refuses := []string{"/move", "/tone", "/link", "/pastes", "/across"}
			refused := slices.Contains(refuses, x.pattern[strings.LastIndex(x.pattern, "/"):])
			status, said := p.seen("POST", pathOf(x.pattern, of), c.asked(as, of, body), "-", "-")
			if (status >= 400) != refused {
				t.Errorf("%s does not do what it is asked: %d %s", x.pattern, status, said)
			}
		}
		for _, at := range placesIn(bodies[x.pattern]) {
			_, number := at.was.(float64)
			if number && !strings.HasSuffix(at.name, ".node") { // it is no id
				continue
			}
			compare(x, at.name, number, func(id string) (string, any) {
				if number {
					return "", at.with(json.Number(id))
				}
				return "", at.with(id)
			})
		}
		if !strings.HasSuffix(x.pattern, "/edits") && !strings.HasSuffix(x.pattern, "/try") {
			continue
		}
		for kind, e := range kinds { // wherever an edit says which recording
			for _, at := range placesIn(e) {
				if was, text := at.was.(string); text && recording.MatchString(was) {
					compare(x, kind+at.name, false, func(id string) (string, any) {
						return "", map[string]any{"revision": 0., "edit": at.with(id)}
					})
				}
			}
		}
	}
	t.Logf("%d asked twice on %d routes, %d kinds of edits name recordings", asks, len(targets), len(kinds))
}
