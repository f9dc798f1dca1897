package workspace_test

import (
	"context"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"

	"github.com/google/uuid"

	"blendseam/core/audit"
	"blendseam/ingest"
	"blendseam/internal/seamtest"
	"blendseam/media"
	"blendseam/media/objects"
	"blendseam/store"
	"blendseam/workspace"
)

// process is the workspace of one of several processes that share their recordings in a folder.
func process(t *testing.T, shared objects.Store) *workspace.Workspace {
	t.Helper()
	st, err := store.Open(context.Background(), private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	st.Process = uuid.NewString()
	dir, err := os.MkdirTemp("", "blendseam-test-*") // what was on its way when the workspace closed may still come
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	l, err := media.OpenLibrary(filepath.Join(dir, "media"))
	if err != nil {
		t.Fatal(err)
	}
	l.Share(shared, 0)
	w := workspace.New(context.Background(), ingest.Ingester{Store: st, Library: l})
	t.Cleanup(func() {
		w.Close()
		st.Close()
	})
	return w
}

func all(t *testing.T, w *workspace.Workspace, scene string) []audit.Result {
	t.Helper()
	sc, err := w.Open(t.Context(), scene)
	if err != nil {
		t.Fatal(err)
	}
	list, err := sc.All(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// What one process measures another knows; and one that has nothing to do measures for whoever asks.
func TestProcessesMeasureForEachOther(t *testing.T) {
	alone := open(t)
	studio := seamtest.Takes(t, 5, 4, 40, 6)
	want := all(t, alone, brought(t, alone, studio).Key.Scene)

	shared := objects.Folder(filepath.Join(t.TempDir(), "shared"))
	one := process(t, shared)
	sc := brought(t, one, studio)
	if err := sc.Sources().Prepare(t.Context(), sc.Scene, 2); err != nil {
		t.Fatal(err)
	}
	helper := process(t, shared)
	asked := store.Audit{Taker: uuid.NewString(), Scene: sc.Key.Scene, Node: sc.Key.Node}
	for again := time.Tick(50 * time.Millisecond); helper.SeamsMeasured()+one.SeamsMeasured() < len(want); <-again {
		if err := one.Store.AskHands(t.Context(), asked); err != nil {
			t.Fatal(err)
		}
	}
	if err := one.Store.GiveMeasures(t.Context(), asked.Taker); err != nil {
		t.Fatal(err)
	}
	third := process(t, shared)
	got := all(t, third, sc.Key.Scene)
	if n := third.SeamsMeasured(); n > 16 { // those that the two had not kept yet
		t.Errorf("%d of %d seams were measured again", n, len(want))
	}
	if n := one.SeamsMeasured() + helper.SeamsMeasured(); n >= 2*len(want) {
		t.Errorf("%d seams were measured, %d there are", n, len(want))
	}
	if len(got) != len(want) || len(want) < 25 {
		t.Fatalf("%d seams, %d alone", len(got), len(want))
	}
	for i := range want {
		a, b := want[i], got[i]
		a.Seam, b.Seam = audit.Seam{}, audit.Seam{} // other ids
		if !reflect.DeepEqual(a, b) {
			t.Errorf("seam %d is measured otherwise by several:\n%+v\n%+v", i, a, b)
		}
	}
}
