package workspace_test

import (
	"context"
	"encoding/json"
	"errors"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"

	"blendseam/core/mend"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/ingest"
	"blendseam/internal/seamtest"
	"blendseam/media"
	"blendseam/store"
	"blendseam/store/server"
	"blendseam/store/server/servertest"
	"blendseam/workspace"
)

var private *server.Server

func TestMain(m *testing.M) { servertest.Main(m, &private) }

func open(t testing.TB) *workspace.Workspace {
	t.Helper()
	st, err := store.Open(context.Background(), private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	l, err := media.OpenLibrary(filepath.Join(t.TempDir(), "media"))
	if err != nil {
		t.Fatal(err)
	}
	w := workspace.New(context.Background(), ingest.Ingester{Store: st, Library: l})
	t.Cleanup(func() {
		w.Close()
		st.Close()
	})
	return w
}

// brought opens a studio's scene, its sounds brought in as files.
func brought(t testing.TB, w *workspace.Workspace, s *seamtest.Studio) *workspace.Scene {
	t.Helper()
	id, _, err := w.SceneFile(t.Context(), s.File(), "", store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	sc, err := w.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	return sc
}

// Mending stops when whoever asked goes: of the seams only those that were being looked at are still looked at to their
// end. Whoever else waits gets what was asked for all the same.
func TestMendingStopsWhenNobodyWaitsAnyMore(t *testing.T) {
	w := open(t)
	sc := brought(t, w, seamtest.Takes(t, 5, 3, 25, 4))
	ctx, leave := context.WithCancel(t.Context())
	begun, goOn := make(chan bool), make(chan bool)
	var mu sync.Mutex
	looked, of, once := 0, 0, sync.Once{}
	gone := make(chan error)
	go func() {
		_, err := sc.Mend(ctx, mend.MendOptions{Progress: func(_, all int) {
			mu.Lock()
			looked, of = looked+1, all
			mu.Unlock()
			once.Do(func() { close(begun) })
			<-goOn
		}})
		gone <- err
	}()
	<-begun
	leave()
	if err := <-gone; !errors.Is(err, context.Canceled) {
		t.Errorf("whoever went was told %v", err)
	}
	close(goOn)
	for w.Mending() > 0 {
		runtime.Gosched()
	}
	if looked > runtime.GOMAXPROCS(0) || of < 10 {
		t.Errorf("%d of %d seams were looked at", looked, of)
	}

	// One goes, another one stays.
	ctx, leave = context.WithCancel(t.Context())
	begun, goOn, once = make(chan bool), make(chan bool), sync.Once{}
	go func() {
		_, err := sc.Mend(ctx, mend.MendOptions{Progress: func(_, _ int) {
			once.Do(func() { close(begun) })
			<-goOn
		}})
		gone <- err
	}()
	<-begun
	stayed := make(chan error)
	joined := make(chan bool)
	go func() {
		close(joined)
		m, err := sc.Mend(t.Context(), mend.MendOptions{})
		if err == nil && len(m.Changes) == 0 {
			err = errors.New("nothing was mended")
		}
		stayed <- err
	}()
	<-joined
	for w.Waiting() < 2 {
		runtime.Gosched()
	}
	leave()
	<-gone
	close(goOn)
	if err := <-stayed; err != nil {
		t.Error(err)
	}
}

// A state that is come back to is the state that it was: nothing is measured again.
func TestWhatWasMeasuredIsKnownAfterUndo(t *testing.T) {
	w := open(t)
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 4, -50), 0)
	s.Lay("b", seamtest.Bed(2, 4, -50), 3)
	sc := brought(t, w, s)
	if _, err := sc.All(t.Context()); err != nil {
		t.Fatal(err)
	}
	id := sc.Key.Scene
	if _, err := w.Store.Edit(
		t.Context(),
		id,
		sc.Revision,
		&edit.Gain{Clips: []scene.ClipID{sc.Scene.Tracks[0].Clips[0].ID}, DB: -3},
	); err != nil {
		t.Fatal(err)
	}
	edited, err := w.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	if a, err := edited.Seams(t.Context(), 0); err != nil || a.Pending == 0 {
		t.Fatalf("%d pending after an edit, %v", a.Pending, err)
	}
	if _, _, err := w.Store.Undo(t.Context(), id, edited.Revision); err != nil {
		t.Fatal(err)
	}
	back, err := w.Open(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	if back.Key != sc.Key {
		t.Errorf("the state is %+v, was %+v", back.Key, sc.Key)
	}
	if a, err := back.Seams(t.Context(), 0); err != nil || a.Pending != 0 {
		t.Errorf("%d pending, %v", a.Pending, err)
	}
}

// A job belongs to its work, not to whoever asked: one whose page is gone already is done all the same, and one that
// breaks off is over.
func TestAJobIsOverWhateverBecomesOfIt(t *testing.T) {
	w := open(t)
	id, err := w.Store.Create(t.Context(), scene.New("x", timecode.F25, 48000), store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	gone, leave := context.WithCancel(t.Context())
	leave()
	for what, work := range map[string]func(context.Context, string, func(float64)) (any, error){
		"done":   func(context.Context, string, func(float64)) (any, error) { return 1, nil },
		"failed": func(context.Context, string, func(float64)) (any, error) { panic("it breaks") },
	} {
		job, err := w.Jobs.Start(gone, store.Job{Scene: id, Kind: "source", Words: what}, work)
		if err != nil {
			t.Fatal(err)
		}
		for {
			now, err := w.Store.Job(t.Context(), job.ID)
			if err != nil {
				t.Fatal(err)
			}
			if now.State == "running" {
				continue
			}
			if now.State != what || what == "failed" && now.Error != "it broke off: it breaks" {
				t.Errorf("%s: %s %q", what, now.State, now.Error)
			}
			break
		}
	}
}

// A job that another process has taken over ends here without a word: it goes on there.
func TestAJobThatOthersTookEndsSilently(t *testing.T) {
	w := open(t)
	w.Jobs.Takes(func(store.Job) {}, func(string) {})
	id, err := w.Store.Create(t.Context(), scene.New("x", timecode.F25, 48000), store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	events, leave := w.Hub.Listen(id)
	defer leave()
	over := make(chan bool)
	job, err := w.Jobs.Start(t.Context(), store.Job{Scene: id, Kind: "package", Words: "x", Asked: json.RawMessage("{}")},
		func(ctx context.Context, _ string, _ func(float64)) (any, error) {
			<-ctx.Done()
			close(over)
			return nil, ctx.Err()
		})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := w.Store.DB().ExecContext(t.Context(), "UPDATE jobs SET process = 'another', beat = UTC_TIMESTAMP(3) "+
		"WHERE id = ?", job.ID); err != nil {
		t.Fatal(err)
	}
	<-over
	for w.Jobs.Running() > 0 {
		runtime.Gosched()
	}
	for len(events) > 0 {
		if e := <-events; e.Kind == "job" && strings.Contains(string(e.Body), "stopped") {
			t.Errorf("pages are told %s", e.Body)
		}
	}
	if now, err := w.Store.Job(t.Context(), job.ID); err != nil || now.State != "running" {
		t.Errorf("%+v %v", now, err)
	}
}

// A job that another process can begin again is left as it is when the program ends; any other is stopped.
func TestWhatCanBeBegunAgainIsLeft(t *testing.T) {
	w := open(t)
	id, err := w.Store.Create(t.Context(), scene.New("x", timecode.F25, 48000), store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	work := func(ctx context.Context, _ string, _ func(float64)) (any, error) {
		<-ctx.Done()
		return nil, ctx.Err()
	}
	jobs := map[string]string{}
	for state, asked := range map[string]json.RawMessage{"running": json.RawMessage("{}"), "stopped": nil} {
		job, err := w.Jobs.Start(t.Context(), store.Job{Scene: id, Kind: "package", Words: state, Asked: asked}, work)
		if err != nil {
			t.Fatal(err)
		}
		jobs[job.ID] = state
	}
	w.Close()
	for job, state := range jobs {
		if now, err := w.Store.Job(t.Context(), job); err != nil || now.State != state {
			t.Errorf("%s: %+v %v", state, now, err)
		}
	}
}
