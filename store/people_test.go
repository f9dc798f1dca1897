package store_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/store"
)

// person is a context of somebody who edits everything that is first here.
func person(t *testing.T, s *store.Store, name string) context.Context {
	t.Helper()
	id, err := s.AddAccount(ctx, store.Account{Name: name, Shown: strings.ToUpper(name)})
	if err == nil {
		err = s.SetMember(ctx, store.FirstProduction, id, store.Editor)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.DB().Exec("DELETE FROM accounts WHERE id = ?", id) })
	return store.WithCaller(ctx, &store.Caller{Account: id, Name: strings.ToUpper(name),
		Roles: map[string]store.Role{store.FirstProduction: store.Editor}})
}

// Undo takes back what one did oneself, also from among what others did since, and redo does it again; what does not
// come apart is refused with the reason.
func TestUndoTakesBackOnesOwn(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	ada, ben := person(t, s, "ada"), person(t, s, "ben")
	gain := func(who context.Context, clip string, db float64) {
		t.Helper()
		st, err := s.Scene(ctx, id)
		if err == nil {
			_, err = s.Edit(who, id, st.Revision, &edit.Gain{Clips: []scene.ClipID{scene.ClipID(clip)}, DB: db})
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	gains := func() string {
		t.Helper()
		st, err := s.Scene(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		c := st.Scene.Tracks[0].Clips
		return fmt.Sprint(c[0].GainDB, " ", c[1].GainDB)
	}
	st, err := s.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	one, two := string(st.Scene.Tracks[0].Clips[0].ID), string(st.Scene.Tracks[0].Clips[1].ID)
	step := func(do func(context.Context, string, int64) (store.Change, bool, error), who context.Context) error {
		t.Helper()
		st, err := s.Scene(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		_, _, err = do(who, id, st.Revision)
		return err
	}
	want := func(what, gained string, err error) {
		t.Helper()
		if now := gains(); err != nil || now != gained {
			t.Errorf("%s: %s, %v; want %s", what, now, err, gained)
		}
	}
	gain(ada, one, -1)
	gain(ben, two, -2)
	want("before", "-1 -2", nil)
	want("Ada's undo", "0 -2", step(s.UndoMine, ada))
	want("Ada's redo", "-1 -2", step(s.RedoMine, ada))
	want("Ada's undo once more", "0 -2", step(s.UndoMine, ada))
	if err := step(s.UndoMine, ada); !errors.As(err, new(*store.NoneOfMine)) ||
		!strings.Contains(err.Error(), "nothing here") {
		t.Errorf("with nothing of hers: %v", err)
	}
	want("Ben's undo", "0 0", step(s.UndoMine, ben))
	gain(ada, one, -3)
	gain(ben, one, -4)
	var entangled *store.Entangled
	if err := step(s.UndoMine, ada); !errors.As(err, &entangled) || !strings.Contains(err.Error(), "BEN") ||
		len(entangled.Since) != 1 {
		t.Errorf("on the same clip: %v", err)
	}
	want("the scene's last", "-3 0", step(s.Undo, ada))
	want("and hers", "0 0", step(s.UndoMine, ada))
	list, _, err := s.History(ctx, id)
	if err != nil || list[1].Who != "ADA" || list[2].Who != "BEN" || list[0].Who != "" {
		t.Errorf("the past says %+v %v", list, err)
	}
}

// What a person may not see is not there for them.
func TestProductionsKeepApart(t *testing.T) {
	s := open(t)
	add := func(name string) string {
		t.Helper()
		id, err := s.AddAccount(ctx, store.Account{Name: name, Shown: name})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { s.DB().Exec("DELETE FROM accounts WHERE id = ?", id) })
		return id
	}
	ada, ben := add("ada"), add("ben")
	film, err := s.AddProduction(ctx, "A film", ada)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddProduction(ctx, "A film", ben); !errors.As(err, new(*store.Refused)) {
		t.Errorf("two of one name: %v", err)
	}
	if _, err := s.AddAccount(ctx, store.Account{Name: "ada", Shown: "x"}); !errors.As(err, new(*store.Refused)) {
		t.Errorf("two accounts of one name: %v", err)
	}
	as := func(account string) context.Context {
		t.Helper()
		roles, err := s.RolesOf(ctx, account)
		if err != nil {
			t.Fatal(err)
		}
		return store.WithCaller(ctx, &store.Caller{Account: account, Roles: roles})
	}
	src := store.Source{ID: "00000000000000ff", SHA256: strings.Repeat("f", 64), Name: "f.wav", Info: []byte(`{}`)}
	if err := errors.Join(s.AddSource(ctx, src), s.LetProduction(ctx, film, src.ID, "f.wav")); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Source(as(ada), src.ID); err != nil {
		t.Errorf("her own: %v", err)
	}
	if _, err := s.Source(as(ben), src.ID); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("somebody else's: %v", err)
	}
	if list, err := s.Sources(as(ben)); err != nil || len(list) > 0 {
		t.Errorf("somebody else's list: %v %v", list, err)
	}
	if err := s.SetMember(ctx, film, ada, store.Editor); !errors.As(err, new(*store.Refused)) {
		t.Errorf("the last owner leaves: %v", err)
	}
	if err := s.SetMember(ctx, film, ben, store.Owner); err != nil {
		t.Fatal(err)
	}
	// A recording that two have stays with the other when one takes it out.
	if err := s.LetProduction(ctx, store.FirstProduction, src.ID, "f.wav"); err != nil {
		t.Fatal(err)
	}
	if gone, err := s.DropSource(as(ben), src.ID); err != nil || gone {
		t.Errorf("taken out of one of two: %v %v", gone, err)
	}
	if gone, err := s.DropSource(ctx, src.ID); err != nil || !gone {
		t.Errorf("taken out of all: %v %v", gone, err)
	}
	for name, bad := range map[string]string{"empty": "", "a space": " ", "a bell": "a\a",
		"long": strings.Repeat("x", 121)} {
		if store.BadName(bad) == nil {
			t.Errorf("a name that is %s is taken", name)
		}
	}
}
