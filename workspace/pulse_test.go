package workspace_test

import (
	"encoding/json"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/ingest"
	"blendseam/store"
	"blendseam/workspace"
)

// What another process does to a scene is told to the pages of this one.
func TestPagesHearWhatOtherProcessesDo(t *testing.T) {
	w := open(t)
	other, err := store.Open(t.Context(), private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	elsewhere := workspace.New(t.Context(), ingest.Ingester{Store: other, Library: w.Library})
	defer elsewhere.Close()
	id, err := w.Store.Create(t.Context(), scene.New("x", timecode.F25, 48000), store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	events, leave := w.Hub.Listen(id)
	defer leave()
	// It is looked first how the scene is, without telling anything of it: edits follow until one is heard.
	account, err := w.Store.AddAccount(t.Context(), store.Account{Name: "ada", Shown: "Ada"})
	if err == nil {
		err = w.Store.SetMember(t.Context(), store.FirstProduction, account, store.Editor)
	}
	if err != nil {
		t.Fatal(err)
	}
	ada := store.WithCaller(t.Context(), &store.Caller{Account: account, Name: "Ada",
		Roles: map[string]store.Role{store.FirstProduction: store.Editor}})
	heard := map[string]string{}
	for revision := int64(0); len(heard) < 3; {
		c, err := other.Edit(ada, id, revision, &edit.Rename{Name: "y" + string(rune('a'+revision%20))})
		if err != nil {
			t.Fatal(err)
		}
		revision = c.Revision
		if _, err := other.AddNote(ada, id, store.Note{Text: "listen"}); err != nil {
			t.Fatal(err)
		}
		if err := other.Here(ada, id, store.Page{Page: "p", Seam: "cut:c1:c2"}); err != nil {
			t.Fatal(err)
		}
		for e := range events {
			heard[e.Kind] = string(e.Body)
			if e.Kind == "people" {
				break
			}
		}
	}
	var e struct{ Who, Words string }
	if err := json.Unmarshal([]byte(heard["edit"]), &e); err != nil || e.Who != "Ada" || e.Words == "" {
		t.Errorf("of the edit is told %s", heard["edit"])
	}
	var pages []store.Page
	if err := json.Unmarshal([]byte(heard["people"]), &pages); err != nil || len(pages) != 1 || pages[0].Who != "Ada" {
		t.Errorf("of people is told %s", heard["people"])
	}
	if heard["notes"] == "" {
		t.Error("of notes is told nothing")
	}
}
