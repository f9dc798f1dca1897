package media

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/core/sound/timecode"
)

// kept is a library with a recording in it, and the recording.
func kept(t *testing.T, dir string) (*Library, Info) {
	t.Helper()
	l, err := OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "room.wav")
	out, err := Create(file, 48000, 1, "24", false)
	if err != nil {
		t.Fatal(err)
	}
	sound := room.Kinds[0].Sound(40*48000, 48000, 1, 3)
	if err := out.Copy(pcm.Memory{Rate: 48000, Sound: sound}, pcm.Span{To: sound.Len()}); err != nil {
		t.Fatal(err)
	}
	if err := out.Close(); err != nil {
		t.Fatal(err)
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	a, err := l.Receive("room.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	a.Write(raw)
	info, err := a.Keep(t.Context(), 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	return l, info
}

// Two programs that ask for an analysis at once make it once; the second waits for the first. Afterwards it is read.
func TestAnAnalysisIsMadeOnceByTwoPrograms(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "media")
	one, info := kept(t, dir)
	two, err := OpenLibrary(dir) // locks of its own, as another process has
	if err != nil {
		t.Fatal(err)
	}
	var made atomic.Int32
	second := make(chan error)
	begun := false
	a, err := one.Analysis(t.Context(), info.ID, 48000, func(float64) {
		if !begun {
			begun = true
			go func() {
				_, err := two.Analysis(context.Background(), info.ID, 48000, func(float64) { made.Add(1) })
				second <- err
			}()
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	if err := <-second; err != nil || made.Load() != 0 {
		t.Errorf("the second made %d pieces again, %v", made.Load(), err)
	}
	if len(a.Quiets) == 0 || a.Length != 40*48000 || !one.Analysed(info.ID, 48000) {
		t.Errorf("%d quiet stretches in %d samples", len(a.Quiets), a.Length)
	}

	// What is damaged, or of another version, is made anew.
	file := filepath.Join(dir, info.ID, analysisName(48000))
	raw, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, raw[:len(raw)/2], 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := two.Analysis(t.Context(), info.ID, 48000, func(float64) { made.Add(1) }); err != nil || made.Load() == 0 {
		t.Errorf("half of it was taken for all: %v", err)
	}
	if again, err := os.ReadFile(file); err != nil || !bytes.Equal(raw, again) {
		t.Errorf("made again it is another one, %v", err)
	}
}

// Without a folder to keep it in, an analysis is made in memory; with one it is read the next time.
func TestTheCommandLineKeepsAnalysesInTheUsersCache(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "media")
	l, info := kept(t, dir)
	file := soundFile(l.folder(info.ID), 48000)
	for _, c := range []struct {
		cache string
		kept  int
	}{{filepath.Join(t.TempDir(), "cache"), 1}, {"/proc/nowhere", 0}} {
		t.Setenv("XDG_CACHE_HOME", c.cache)
		var before *analysis.Recording
		for range 2 {
			r, err := Open(t.Context(), file, 0)
			if err != nil {
				t.Fatal(err)
			}
			a, err := AnalysisOf(t.Context(), file, r)
			if err != nil {
				t.Fatal(err)
			}
			r.Close()
			if before != nil && len(before.Quiets) != len(a.Quiets) {
				t.Errorf("%d quiet stretches, then %d", len(before.Quiets), len(a.Quiets))
			}
			before = a
		}
		found, _ := filepath.Glob(filepath.Join(c.cache, "blendseam", "analyses", "*-"+analysisName(48000)))
		if len(found) != c.kept {
			t.Errorf("%s keeps %d", c.cache, len(found))
		}
	}
}

// What an older program heard serves until a job hears the recording anew, from the frames that were measured then.
func TestAnOlderAnalysisServesUntilItIsMadeAnew(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "media")
	l, info := kept(t, dir)
	if _, err := l.Analysis(t.Context(), info.ID, 48000, nil); err != nil {
		t.Fatal(err)
	}
	now, before := filepath.Join(dir, info.ID, analysisName(48000)), filepath.Join(dir, info.ID, olderName(48000))
	made, err := os.ReadFile(now)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(now, before); err != nil {
		t.Fatal(err)
	}
	if l.Analysed(info.ID, 48000) || !l.AnalysedBefore(info.ID, 48000) {
		t.Error("an older analysis is taken for one of today")
	}
	if _, err := l.Analysis(t.Context(), info.ID, 48000, nil); err != nil || l.Analysed(info.ID, 48000) {
		t.Errorf("whoever only reads does not get the older one: %v", err)
	}
	told := 0.0
	if _, err := l.Analysis(t.Context(), info.ID, 48000, func(done float64) { told = done }); err != nil || told != 1 {
		t.Errorf("made anew up to %g, %v", told, err)
	}
	if again, err := os.ReadFile(now); err != nil || !bytes.Equal(made, again) || l.AnalysedBefore(info.ID, 48000) {
		t.Errorf("from the frames of before it is another one, %v", err)
	}
}
