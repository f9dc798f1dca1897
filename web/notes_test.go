package web

import (
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/store"
)

// Notes are left, answered, settled and taken away over the wire, by whom they may be; they go into the scene file and
// come back out of it.
func TestNotesOverTheWire(t *testing.T) {
	c := newPeople(t)
	id, state := c.twoVoices()
	c.add("ada", store.Editor, store.FirstProduction)
	c.add("liv", store.Listener, store.FirstProduction)
	ada, liv := c.as("ada"), c.as("liv")
	clips := state.Tracks[0].Clips
	scene := "/scenes/" + id
	notes := func(p *person, method, path, body string, want int) (list []NoteView) {
		t.Helper()
		a := p.send(method, scene+path, []byte(body))
		if a.StatusCode != want {
			t.Fatalf("%s %s: %d, want %d", method, path, a.StatusCode, want)
		}
		if want == 200 {
			decodeInto(t, a, &list)
		}
		return list
	}
	list := notes(liv, "POST", "/notes", `{"text":" too loud ","clip":"`+string(clips[0].ID)+`"}`, 200)
	if len(list) != 1 || list[0].Text != "too loud" || list[0].Who != "liv" || !list[0].Mine || !list[0].Open ||
		!list[0].There {
		t.Fatalf("%+v", list)
	}
	seam := audit.Find(state.Scene)[0].ID
	list = notes(liv, "POST", "/notes", `{"text":"Approved","seam":"`+string(seam)+`","approves":true}`, 200)
	if len(list) != 2 || !list[1].Approves || list[1].Open {
		t.Fatalf("%+v", list)
	}
	first := list[0].ID
	list = notes(ada, "POST", "/notes", `{"text":"softer now","of":"`+first+`"}`, 200)
	if len(list[0].Answers) != 1 || list[0].Answers[0].Who != "ada" || list[0].Mine {
		t.Fatalf("%+v", list)
	}
	if list = notes(ada, "POST", "/notes/"+first, `{"settled":true}`, 200); list[0].Open || list[0].Settled != "ada" {
		t.Errorf("settled: %+v", list[0])
	}
	notes(ada, "POST", "/notes/"+first, `{"text":"it was not loud"}`, 422)
	notes(ada, "DELETE", "/notes/"+first, "", 422)
	notes(ada, "POST", "/notes", `{"text":"  "}`, 422)
	notes(ada, "POST", "/notes", `{"text":"x","of":"none"}`, 422)
	notes(ada, "POST", "/notes", `{"text":"x","clip":"none"}`, 400)
	notes(ada, "POST", "/notes", `{"text":"`+strings.Repeat("é", 5000)+`"}`, 422)
	if list = notes(liv, "POST", "/notes/"+first, `{"text":"far too loud"}`, 200); list[0].Text != "far too loud" {
		t.Errorf("reworded: %+v", list[0])
	}

	raw := body(t, ada.send("GET", scene+"/scene.otio", nil))
	a := ada.send("POST", "/scenes/file", []byte(raw), "Blendseam-Name", "again.otio")
	var made struct{ ID string }
	decodeInto(t, a, &made)
	if !strings.Contains(raw, "far too loud") {
		t.Fatal("the scene file has no note")
	}
	var again []NoteView
	decodeInto(t, ada.send("GET", "/scenes/"+made.ID+"/notes", nil), &again)
	if len(again) != 2 || again[0].Text != "far too loud" || again[0].Who != "liv" || again[0].Settled != "ada" ||
		len(again[0].Answers) != 1 || !again[1].Approves || again[0].Mine || again[0].At != list[0].At {
		t.Errorf("the scene file gives %+v", again)
	}
	if page := body(t, ada.send("GET", scene+"/report", nil)); !strings.Contains(page, "far too loud") {
		t.Error("the report has no note")
	}
	if list = notes(liv, "DELETE", "/notes/"+first, "", 200); len(list) != 1 {
		t.Errorf("after one was removed: %+v", list)
	}

	// Who has which page open, until it is closed or nothing is heard of it.
	var here []store.Page
	decodeInto(t, ada.send("POST", scene+"/here", []byte(`{"page":"p1","seam":"`+string(seam)+`"}`)), &here)
	decodeInto(t, liv.send("POST", scene+"/here", []byte(`{"page":"p2"}`)), &here)
	if len(here) != 2 || here[0].Who != "ada" || here[0].Seam != string(seam) || here[1].Who != "liv" {
		t.Errorf("%+v", here)
	}
	decodeInto(t, liv.send("POST", scene+"/here", []byte(`{"page":"p1","seam":"stolen"}`)), &here)
	if here[0].Who != "ada" || here[0].Seam != string(seam) {
		t.Errorf("somebody else's page was changed: %+v", here)
	}
	if err := c.server.Store.Left(t.Context(), id, "p1"); err != nil {
		t.Fatal(err)
	}
	if list, err := c.server.Store.Pages(t.Context(), id); err != nil || len(list) != 2 {
		t.Errorf("a page of somebody else's was closed: %+v %v", list, err)
	}
}
