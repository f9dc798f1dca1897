package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"syscall"
	"testing"
	"time"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/internal/corpus"
	"blendseam/store"
	"blendseam/store/server"
	"blendseam/store/server/servertest"
)

var private *server.Server

// The test program is also one that opens a database, until it is killed.
func TestMain(m *testing.M) {
	if dsn := os.Getenv("BLENDSEAM_OPEN"); dsn != "" {
		if _, err := store.Open(ctx, dsn); err != nil {
			panic(err)
		}
		return
	}
	servertest.Main(m, &private)
}

var ctx = context.Background()

func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(ctx, private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

// begin keeps a scene of a few clips.
func begin(t *testing.T, s *store.Store) string {
	t.Helper()
	sc := scene.New("kept", timecode.F25, 48000)
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 10_000_000, Channels: 1}},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"},
		&edit.Add{Track: "t1", Source: "a", In: 48000, Length: 96000},
		&edit.Add{Track: "t1", Source: "a", In: 480000, Start: 96000, Length: 96000},
	} {
		var err error
		if sc, err = edit.Apply(sc, e); err != nil {
			t.Fatal(err)
		}
	}
	id, err := s.Create(ctx, sc, store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	return id
}

func text(t *testing.T, sc *scene.Scene) string {
	t.Helper()
	raw, err := json.Marshal(sc)
	if err != nil {
		t.Fatal(err)
	}
	return string(raw)
}

func mustEdit(t *testing.T, s *store.Store, id string, e edit.Edit) store.Change {
	t.Helper()
	st, err := s.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	c, err := s.Edit(ctx, id, st.Revision, e)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func gain(db float64) edit.Edit { return &edit.Gain{Clips: []scene.ClipID{"c2"}, DB: db} }

// More edits than lie between two snapshots, with undo, a branch and redo: after each, a second process that has
// nothing in memory sees the same scene, the same undo and the same redo.
func TestEverythingIsThereAfterARestart(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	var states []string
	for i := range 250 {
		states = append(states, text(t, mustEdit(t, s, id, gain(-float64(i)/10)).Scene))
	}
	revision := int64(250)
	step := func(what func(context.Context, string, int64) (store.Change, bool, error), want string) {
		t.Helper()
		c, ok, err := what(ctx, id, revision)
		if err != nil || !ok {
			t.Fatalf("%v %v", ok, err)
		}
		revision++
		other := open(t)
		st, err := other.Scene(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		if text(t, c.Scene) != want || text(t, st.Scene) != want {
			t.Fatal("another scene than it was")
		}
		if st.Undo != c.Undo || st.Redo != c.Redo || st.Revision != revision {
			t.Errorf(
				"after a restart undo %q redo %q at %d; before %q %q at %d",
				st.Undo,
				st.Redo,
				st.Revision,
				c.Undo,
				c.Redo,
				revision,
			)
		}
	}
	for i := 249; i > 240; i-- {
		step(s.Undo, states[i-1])
	}
	step(s.Redo, states[241])
	step(s.Redo, states[242])
	branch := text(t, mustEdit(t, s, id, gain(5)).Scene)
	revision++
	if _, ok, err := s.Redo(ctx, id, revision); ok || err != nil {
		t.Error("there is something to redo after a new edit")
	}
	step(s.Undo, states[242])
	step(s.Redo, branch)
	step(open(t).Undo, states[242])
	for i := 241; i >= 0; i-- {
		step2(t, s, id, &revision)
	}
	st, _ := s.Scene(ctx, id)
	if text(t, st.Scene) != states[0] {
		t.Error("242 undos do not lead back")
	}
}

func step2(t *testing.T, s *store.Store, id string, revision *int64) {
	t.Helper()
	if _, ok, err := s.Undo(ctx, id, *revision); err != nil || !ok {
		t.Fatal(ok, err)
	}
	*revision++
}

func TestAStaleEditIsRefusedWithWhatIsNewer(t *testing.T) {
	one, two := open(t), open(t)
	id := begin(t, one)
	if _, err := two.Scene(ctx, id); err != nil {
		t.Fatal(err)
	}
	if _, err := one.Edit(ctx, id, 0, gain(-1)); err != nil {
		t.Fatal(err)
	}
	for _, s := range []*store.Store{two, one} {
		_, err := s.Edit(ctx, id, 0, gain(-2))
		var stale *store.Stale
		if !errors.As(err, &stale) || len(stale.Newer) != 1 || stale.Now != 1 || stale.Newer[0].Words == "" {
			t.Fatalf("%v %+v", err, stale)
		}
	}
	st, err := two.Scene(ctx, id)
	if err != nil || st.Revision != 1 || st.Scene.Tracks[0].Clips[0].GainDB != -1 {
		t.Errorf("after catching up: %v %+v", err, st.Scene.Tracks[0].Clips[0])
	}
	if _, err := two.Edit(ctx, id, 1, gain(-2)); err != nil {
		t.Errorf("at the new revision: %v", err)
	}
	if st, _ := one.Scene(ctx, id); st.Scene.Tracks[0].Clips[0].GainDB != -2 {
		t.Error("the first does not see the second's edit")
	}
}

func TestARefusedEditKeepsNothing(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	_, err := s.Edit(ctx, id, 0, &edit.Gain{Clips: []scene.ClipID{"nobody"}, DB: 1})
	var refusal edit.Refusal
	if !errors.As(err, &refusal) {
		t.Fatal(err)
	}
	if st, _ := s.Scene(ctx, id); st.Revision != 0 {
		t.Error("the revision moved")
	}
}

// Many at once, of two processes: each revision goes to exactly one edit.
func TestEditsOfManyAtOnceNeverShareARevision(t *testing.T) {
	id := begin(t, open(t))
	var mu sync.Mutex
	got := map[int64]int{}
	var group sync.WaitGroup
	for range 2 {
		s := open(t)
		for w := range 4 {
			group.Go(func() {
				for done := 0; done < 10; {
					st, err := s.Scene(ctx, id)
					if err != nil {
						t.Error(err)
						return
					}
					c, err := s.Edit(ctx, id, st.Revision, gain(float64(w)))
					if stale := (*store.Stale)(nil); errors.As(err, &stale) {
						continue
					}
					if err != nil {
						t.Error(err)
						return
					}
					mu.Lock()
					got[c.Revision]++
					mu.Unlock()
					done++
				}
			})
		}
	}
	group.Wait()
	if len(got) != 80 {
		t.Errorf("80 edits have %d revisions", len(got))
	}
	for r := int64(1); r <= 80; r++ {
		if got[r] != 1 {
			t.Errorf("revision %d was given %d times", r, got[r])
		}
	}
}

// The database is killed outright, three times, while edits stream in. It comes back by itself, and every edit that was
// acknowledged is there; none that was said not to have been kept is.
func TestAKilledDatabaseLosesNoAcknowledgedEdit(t *testing.T) {
	s := open(t)
	id := begin(t, s)
	acknowledged := map[int64]float64{}
	revision, kills, notKept := int64(0), 0, false
	next := time.Now().Add(300 * time.Millisecond)
	for db := 1.0; kills < min(corpus.Cases(2, 3), 3) || len(acknowledged) < 200 || time.Now().Before(next); db++ {
		if kills < min(corpus.Cases(2, 3), 3) && time.Now().After(next) {
			syscall.Kill(private.Pid(), syscall.SIGKILL)
			kills++
			next = time.Now().Add(time.Second)
		}
		c, err := s.Edit(ctx, id, revision, gain(-float64(int(db)%100)/10))
		var stale *store.Stale
		switch {
		case err == nil:
			acknowledged[c.Revision] = c.Scene.Tracks[0].Clips[0].GainDB
			revision, notKept = c.Revision, false
		case errors.As(err, &stale): // one was kept whose answer was lost
			if notKept {
				t.Error("an edit was said not to have been kept, and was")
			}
			revision = stale.Now
		case errors.Is(err, store.ErrNotKept):
			notKept = true
		case errors.Is(err, store.ErrUncertain):
			notKept = false
		case errors.Is(err, store.ErrUnavailable):
			time.Sleep(20 * time.Millisecond)
		default:
			t.Fatal(err)
		}
	}
	fresh := open(t)
	st, err := fresh.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if st.Revision < revision {
		t.Fatalf("the scene is at %d, %d was acknowledged", st.Revision, revision)
	}
	for at := st.Revision; at > 0; at-- {
		if want, ok := acknowledged[at]; ok && st.Scene.Tracks[0].Clips[0].GainDB != want {
			t.Fatalf("edit %d was %g dB, is %g", at, want, st.Scene.Tracks[0].Clips[0].GainDB)
		}
		c, ok, err := fresh.Undo(ctx, id, st.Revision+(st.Revision-at))
		if err != nil || !ok {
			t.Fatal(at, ok, err)
		}
		st.Scene = c.Scene
	}
	t.Logf("%d edits acknowledged over %d kills", len(acknowledged), kills)
}

func TestASecondProcessSharesTheDatabaseAndLeavesItRunning(t *testing.T) {
	dir := t.TempDir()
	first, err := server.Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	defer first.Stop()
	guest, err := server.Start(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	if guest.DSN != first.DSN || guest.Pid() != 0 {
		t.Error("the second process has a database of its own")
	}
	guest.Stop()
	s, err := store.Open(ctx, first.DSN)
	if err != nil {
		t.Fatalf("after the guest left: %v", err)
	}
	s.Close()
	first.Stop()
	if syscall.Kill(first.Pid(), 0) == nil {
		t.Error("the database still runs after its owner stopped it")
	}
	if again, err := server.Start(ctx, dir); err != nil {
		t.Errorf("it does not start a second time: %v", err)
	} else {
		again.Stop()
	}
}

func TestSourcesAndJobs(t *testing.T) {
	s := open(t)
	src := store.Source{
		ID:     "0123456789abcdef",
		SHA256: fmt.Sprintf("%064d", 7),
		Name:   "a.wav",
		Info:   json.RawMessage(`{"name":"a.wav"}`),
	}
	for range 2 {
		if err := s.AddSource(ctx, src); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := s.Sources(ctx); err != nil || len(list) != 1 || list[0].Name != "a.wav" {
		t.Errorf("%v %v", list, err)
	}
	if _, err := s.Source(ctx, "nobody"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a source that is not there: %v", err)
	}
	id := begin(t, s)
	j, err := s.AddJob(ctx, store.Job{Scene: id, Kind: "mixdown", Words: "WAV"})
	if err != nil {
		t.Fatal(err)
	}
	// The program starts again.
	if err := s.GiveBack(ctx); err != nil {
		t.Fatal(err)
	}
	if those, broken, err := s.ClaimAbandoned(ctx, 100); err != nil || len(those) > 0 ||
		!slices.Equal(broken, []string{j.ID}) {
		t.Fatal(those, broken, err)
	}
	jobs, err := s.Jobs(ctx, id, "mixdown")
	if err != nil || len(jobs) != 1 || jobs[0].State != "stopped" || jobs[0].ID != j.ID {
		t.Errorf("%+v %v", jobs, err)
	}
	if err := s.Delete(ctx, id); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Scene(ctx, id); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a removed scene: %v", err)
	}
}

// A job that says what it was asked for is begun again when its process has gone, three times in all.
func TestALeftJobIsTakenOver(t *testing.T) {
	s := open(t)
	asked := json.RawMessage(`{"node":1}`)
	j, err := s.AddJob(ctx, store.Job{Scene: begin(t, s), Kind: "package", Words: "Package", Asked: asked})
	if err != nil {
		t.Fatal(err)
	}
	if those, broken, err := s.ClaimAbandoned(ctx, 100); len(those)+len(broken) > 0 || err != nil {
		t.Errorf("its process goes on, and it is left: %v %v %v", those, broken, err)
	}
	for n := range 3 {
		if err := s.GiveBack(ctx); err != nil {
			t.Fatal(err)
		}
		s.Process = fmt.Sprint("process ", n)
		those, broken, err := s.ClaimAbandoned(ctx, 100)
		if err != nil {
			t.Fatal(err)
		}
		if n < 2 && (len(those) != 1 || those[0].ID != j.ID || string(those[0].Asked) != string(asked)) ||
			n == 2 && (len(those) > 0 || !slices.Equal(broken, []string{j.ID})) {
			t.Errorf("after %d: %+v %v", n+1, those, broken)
		}
	}
	if now, err := s.Job(ctx, j.ID); err != nil || now.State != "stopped" {
		t.Errorf("%+v %v", now, err)
	}
}

func TestWhatCannotBeOpenedIsSaidInOneLine(t *testing.T) {
	for _, dsn := range []string{"nonsense", "a:b@tcp(127.0.0.1:1)/x", "a:b@tcp(127.0.0.1:1)/"} {
		if _, err := store.Open(ctx, dsn); err == nil {
			t.Errorf("%s was opened", dsn)
		}
	}
}

// Editors who know different states do not get in one another's way where they do not touch; where they do, the later
// one hears what was done.
func TestEditsOfEarlierStatesAreDoneWhereTheyDoNotTouch(t *testing.T) {
	s := open(t)
	sc := scene.New("together", timecode.F25, 48000)
	for _, e := range []edit.Edit{&edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.Bring{Source: scene.Source{ID: "s", Name: "s", Samples: 1 << 30, Channels: 1}}} {
		sc, _ = edit.Apply(sc, e)
	}
	const editors = 6
	for i := range int64(editors) {
		sc, _ = edit.Apply(sc, &edit.Add{Track: "t1", Source: "s", In: i * 96000, Start: i * 96000, Length: 48000})
	}
	clips := sc.Tracks[0].Clips
	id, err := s.Create(ctx, sc, store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	// Everybody turns a clip of their own down, step by step, and knows only what they did themselves.
	const steps = 20
	var group sync.WaitGroup
	for _, c := range clips {
		group.Go(func() {
			revision := int64(0)
			for n := range steps {
				e := &edit.Gain{Clips: []scene.ClipID{c.ID}, DB: -float64(n + 1)}
				done, err := s.EditSince(ctx, id, revision, e)
				if err != nil {
					t.Errorf("%s, step %d at %d: %v", c.ID, n, revision, err)
					return
				}
				if _, own := done.Scene.Clip(c.ID); own.GainDB != e.DB {
					t.Errorf("%s is at %g after %g", c.ID, own.GainDB, e.DB)
				}
				revision = done.Revision
			}
		})
	}
	group.Wait()
	now, err := s.Scene(ctx, id)
	if err != nil || now.Revision != editors*steps {
		t.Fatalf("revision %d, %v", now.Revision, err)
	}
	for _, c := range now.Scene.Tracks[0].Clips {
		if c.GainDB != -steps {
			t.Errorf("%s is at %g", c.ID, c.GainDB)
		}
	}
	// What lies behind something that was closed up in the meantime is where it lies now.
	closed, err := s.EditSince(ctx, id, now.Revision,
		&edit.Trim{Clip: clips[0].ID, Edge: scene.Tail, To: clips[0].End() - 9600, Close: true})
	if err != nil {
		t.Fatal(err)
	}
	last := clips[editors-1]
	cut, err := s.EditSince(ctx, id, now.Revision, &edit.Trim{Clip: last.ID, Edge: scene.Tail, To: last.End() - 1920})
	if err != nil {
		t.Fatal(err)
	}
	if _, c := cut.Scene.Clip(last.ID); c.Start != last.Start-9600 || c.Length != last.Length-1920 ||
		cut.Revision != closed.Revision+1 || cut.Undo != "tail of s 1 frame shorter; scene 1 frame shorter" {
		t.Errorf("%q at %d: %+v", cut.Undo, cut.Revision, c)
	}
	var stale *store.Stale
	_, err = s.EditSince(ctx, id, now.Revision, &edit.Trim{Clip: last.ID, Edge: scene.Tail, To: last.End() - 3840})
	if !errors.As(err, &stale) || stale.Why == "" || stale.Now != cut.Revision {
		t.Errorf("%v", err)
	}
}
