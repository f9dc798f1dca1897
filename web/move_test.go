package web

import (
	"fmt"
	"io"
	"testing"

	"blendseam/store"
)

// A scene moves by its owner to a production in which they edit, with all recordings that it ever had; who is in the
// other production alone sees it no more.
func TestASceneMovesToAnotherProduction(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	source := state.Tracks[0].Clips[0].Source
	for range 8 { // so that the recordings are in its past alone
		var now StateView
		c.json("GET", "/scenes/"+id+"/state", nil, 200, &now)
		if len(now.Sources) == 0 {
			break
		}
		c.json("POST", "/scenes/"+id+"/undo", map[string]any{"revision": now.Revision}, 200, nil)
	}
	there, closed := c.production("The ferry"), c.production("A closed film")
	c.add("ada", store.Editor, store.FirstProduction)
	c.add("eve", store.Editor, there)
	own := c.add("own", store.Owner, store.FirstProduction)
	if err := c.server.Store.SetMember(t.Context(), there, own.ID, store.Editor); err != nil {
		t.Fatal(err)
	}
	if err := c.server.Store.SetMember(t.Context(), closed, own.ID, store.Listener); err != nil {
		t.Fatal(err)
	}
	owner, ada, eve := c.as("own"), c.as("ada"), c.as("eve")
	move := func(p *person, to string, want int) {
		t.Helper()
		a := p.send("POST", "/scenes/"+id+"/move", fmt.Appendf(nil, `{"production":%q}`, to))
		if raw, err := io.ReadAll(a.Body); err != nil || a.StatusCode != want {
			t.Errorf("to %s: %d %s, want %d", to, a.StatusCode, raw, want)
		}
	}
	sees := func(p *person, path string, want int) {
		t.Helper()
		if a := p.send("GET", path, nil); a.StatusCode != want {
			t.Errorf("%s as %s: %d, want %d", path, p.name, a.StatusCode, want)
		}
	}
	peaks := "/media/" + source + "/peaks/48000/512/0"
	sees(eve, peaks, 404)
	move(ada, there, 403)
	move(owner, "nowhere", 400)
	move(owner, closed, 422)
	move(owner, store.FirstProduction, 400)
	sees(eve, "/scenes/"+id+"/state", 404)
	move(owner, there, 200)
	sees(eve, "/scenes/"+id+"/state", 200)
	sees(eve, peaks, 200)
	sees(ada, "/scenes/"+id+"/state", 404)
	sees(ada, peaks, 200)                   // the recordings are theirs as before
	move(owner, store.FirstProduction, 403) // they do not own it there
}
