package store_test

import (
	"database/sql"
	"errors"
	"fmt"
	"reflect"
	"testing"

	"blendseam/store"
)

// steps makes n edits, each a gain of its own, and gives the states as text, the first as it began.
func steps(t *testing.T, s *store.Store, id string, n int) (states []string) {
	t.Helper()
	st, err := s.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	states = []string{text(t, st.Scene)}
	for i := range n {
		states = append(states, text(t, mustEdit(t, s, id, gain(-float64(i+1))).Scene))
	}
	return states
}

func goTo(t *testing.T, s *store.Store, id string, node int64) store.Change {
	t.Helper()
	st, err := s.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.Go(ctx, id, st.Revision, node, "gone there")
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestGoingToAnyEditAndOnFromThere(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	states := steps(t, s, id, 5)
	if c := goTo(t, s, id, 2); text(t, c.Scene) != states[2] || c.Words != "gone there" || c.Undo == "" || c.Redo == "" {
		t.Fatalf("gone to the second edit: %+v", c.State)
	}
	// Redo goes on to what was after it, undo to what was before; a second process sees the same.
	for _, step := range []struct {
		redo bool
		want string
	}{{true, states[3]}, {true, states[4]}, {false, states[3]}, {false, states[2]}, {false, states[1]},
		{true, states[2]}} {
		other := open(t) // reads the log anew
		st, err := other.Scene(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		move := other.Undo
		if step.redo {
			move = other.Redo
		}
		c, ok, err := move(ctx, id, st.Revision)
		if err != nil || !ok || text(t, c.Scene) != step.want {
			t.Fatalf("redo %v: %v %v", step.redo, ok, err)
		}
	}
	// A new edit sets the rest aside, but it can still be gone to.
	fresh := text(t, mustEdit(t, s, id, gain(7)).Scene)
	list, now, err := s.History(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	var where []string
	for _, p := range list {
		where = append(where, p.Where)
		if p.Words == "" || p.At.IsZero() {
			t.Errorf("%+v has no words or no time", p)
		}
	}
	if want := []string{
		"done",
		"done",
		"done",
		"aside",
		"aside",
		"aside",
		"done",
	}; !reflect.DeepEqual(where, want) ||
		now != list[6].Node {
		t.Errorf("the past is %v, now at %d", where, now)
	}
	if c := goTo(t, s, id, list[5].Node); text(t, c.Scene) != states[5] || c.Redo != "" {
		t.Error("what was set aside did not come back")
	}
	if c := goTo(t, s, id, 0); text(t, c.Scene) != states[0] || c.Undo != "" {
		t.Error("the scene did not go to its beginning")
	}
	if c := goTo(t, s, id, list[6].Node); text(t, c.Scene) != fresh {
		t.Error("the newest edit did not come back")
	}
	st, _ := s.Scene(ctx, id)
	if _, err := s.Go(ctx, id, st.Revision, 999, "nowhere"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("going nowhere: %v", err)
	}
	var stale *store.Stale
	if _, err := s.Go(ctx, id, st.Revision-1, 1, "late"); !errors.As(err, &stale) {
		t.Errorf("going at an old revision: %v", err)
	}
}

func TestVersionsAreNamesOfStates(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	states := steps(t, s, id, 2)
	if err := s.KeepVersion(ctx, id, " first pass "); err != nil {
		t.Fatal(err)
	}
	mustEdit(t, s, id, gain(5))
	list, err := s.Versions(ctx, id)
	if err != nil || len(list) != 1 || list[0].Name != "first pass" || list[0].Made.IsZero() {
		t.Fatalf("%+v %v", list, err)
	}
	sc, err := s.At(ctx, id, list[0].Node)
	if err != nil || text(t, sc) != states[2] {
		t.Errorf("the version is another state (%v)", err)
	}
	if err := s.KeepVersion(ctx, id, "first pass"); err != nil { // takes the name to where the scene is now
		t.Fatal(err)
	}
	if again, _ := s.Versions(ctx, id); len(again) != 1 || again[0].Node == list[0].Node {
		t.Errorf("kept again: %+v", again)
	}
	for name, want := range map[string]error{"  ": store.ErrBadName, fmt.Sprintf("%121d", 1): nil} {
		if err := s.KeepVersion(ctx, id, name); !errors.Is(err, want) {
			t.Errorf("a version named %q: %v", name, err)
		}
	}
	if err := s.KeepVersion(ctx, "nobody", "x"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a version of no scene: %v", err)
	}
	if err := s.DropVersion(ctx, id, "first pass"); err != nil {
		t.Error(err)
	}
	if err := s.DropVersion(ctx, id, "first pass"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("dropped twice: %v", err)
	}
	if err := s.Delete(ctx, id); err != nil {
		t.Error(err)
	}
}

func TestKeysAreKeptAllAtOnce(t *testing.T) {
	s := open(t)
	want := map[string][]string{"divide": {"x", "Ctrl+k"}, "blend": nil}
	if err := s.SetKeys(ctx, want); err != nil {
		t.Fatal(err)
	}
	got, err := open(t).Keys(ctx)
	if err != nil || len(got) != 2 || !reflect.DeepEqual(got["divide"], want["divide"]) || len(got["blend"]) != 0 {
		t.Errorf("%v %v", got, err)
	}
	if err := s.SetKeys(ctx, nil); err != nil {
		t.Fatal(err)
	}
	if got, _ := s.Keys(ctx); len(got) != 0 {
		t.Errorf("after going back: %v", got)
	}
}

// A scene that a newer release has edited is not half understood: it says what is needed.
func TestAnOlderProgramSaysThatItIsTooOld(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	mustEdit(t, s, id, gain(-3))
	db, err := sql.Open("mysql", private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec(
		"UPDATE edits SET version = ?, edit = '{\"edit\":\"of the future\"}' WHERE scene = ?",
		store.EditsVersion+1,
		id,
	); err != nil {
		t.Fatal(err)
	}
	if _, err := open(t).Scene(ctx, id); !errors.Is(err, store.ErrTooOld) {
		t.Errorf("%v", err)
	}
}
