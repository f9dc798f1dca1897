package store_test

import (
	"slices"
	"testing"

	"github.com/google/uuid"

	"blendseam/store"
)

// Of several that take the same seams one has each; what one has left, or not measured for long, another may take.
func TestWhatIsMeasuredIsTakenByOne(t *testing.T) {
	s := open(t)
	keys := []string{uuid.NewString(), uuid.NewString(), uuid.NewString(), uuid.NewString()}
	a, b := uuid.NewString(), uuid.NewString()
	take := func(taker string, of ...string) []string {
		t.Helper()
		mine, err := s.TakeMeasures(ctx, taker, of)
		if err != nil {
			t.Fatal(err)
		}
		slices.Sort(mine)
		return mine
	}
	same := func(what string, got []string, want ...string) {
		t.Helper()
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	same("the first", take(a, keys[:3]...), keys[:3]...)
	same("the second", take(b, keys...), keys[3])
	if err := s.KeepMeasures(ctx, a, map[string][]byte{keys[0]: []byte("{}")}); err != nil {
		t.Fatal(err)
	}
	if err := s.LeaveMeasures(ctx, a, keys[:2]); err != nil {
		t.Fatal(err)
	}
	same("what was left, and not what is known", take(b, keys...), keys[1], keys[3])
	if _, err := s.DB().ExecContext(ctx, "UPDATE measures SET taken = taken - INTERVAL 1 MINUTE WHERE id IN (?, ?)",
		keys[0], keys[2]); err != nil {
		t.Fatal(err)
	}
	known, err := s.Measures(ctx, keys)
	if _, at := known[keys[2]]; err != nil || len(known) != 3 || string(known[keys[0]]) != "{}" || at {
		t.Errorf("known are %v, %v", known, err)
	}
	same("what nobody came back to", take(b, keys...), keys[1:]...)
	same("what another has taken over", take(a, keys...))
	if err := s.AskHands(ctx, store.Audit{Taker: b, Scene: "scene", Node: 7}); err != nil {
		t.Fatal(err)
	}
	asked := func() bool {
		list, err := s.Audits(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return slices.Contains(list, store.Audit{Taker: b, Scene: "scene", Node: 7})
	}
	if !asked() {
		t.Error("nobody is asked")
	}
	if err := s.GiveMeasures(ctx, b); err != nil || asked() {
		t.Errorf("who gave all back still asks, %v", err)
	}
	same("what was given back", take(a, keys...), keys[1:]...)
	if _, err := s.DB().ExecContext(ctx, "UPDATE measures SET taken = taken - INTERVAL 9 DAY WHERE id = ?",
		keys[0]); err != nil {
		t.Fatal(err)
	}
	if err := s.ForgetMeasures(ctx); err != nil {
		t.Fatal(err)
	}
	if known, err := s.Measures(ctx, keys[:1]); err != nil || len(known) > 0 {
		t.Errorf("what is old is kept: %v, %v", known, err)
	}
}
