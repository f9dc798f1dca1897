package media_test

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
	"blendseam/media"
	"blendseam/media/peaks"
)

// arrive brings a file of Debian's voices into a library.
func arrive(t *testing.T, l *media.Library, raw []byte) (media.Info, error) {
	t.Helper()
	a, err := l.Receive("voice.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if _, err := a.Write(raw); err != nil {
		t.Fatal(err)
	}
	return a.Keep(t.Context(), 44100, timecode.F25)
}

// withVoice is a library in a folder, with one recording of a voice, as it came and as it is known.
func withVoice(t *testing.T) (l *media.Library, dir string, raw []byte, info media.Info) {
	t.Helper()
	dir = filepath.Join(t.TempDir(), "media")
	l, err := media.OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	if raw, err = os.ReadFile(outside.Voices(t)[0]); err != nil {
		t.Fatal(err)
	}
	if info, err = arrive(t, l, raw); err != nil {
		t.Fatal(err)
	}
	return l, dir, raw, info
}

// A recording whose files were cut short or changed is missing, never silent; brought in again it is whole; what was
// made from it is made anew.
func TestADamagedRecordingIsMissingUntilItComesAgain(t *testing.T) {
	l, dir, raw, info := withVoice(t)
	sound := filepath.Join(dir, info.ID, "sound-44100.wav")
	opens := func() error {
		w, err := l.Sound(info.ID, 44100)
		if err == nil {
			w.Close()
		}
		return err
	}
	for what, hurt := range map[string]func(){
		"sound of no length": func() { os.Truncate(sound, 0) },
		"sound cut short":    func() { os.Truncate(sound, 5000) },
		"original emptied":   func() { os.Truncate(filepath.Join(dir, info.ID, "original.wav"), 0) },
		"what is known of it emptied": func() {
			os.Truncate(filepath.Join(dir, info.ID, media.InfoFile), 0)
			os.Truncate(sound, 0)
		},
	} {
		if err := opens(); err != nil {
			t.Fatal(err)
		}
		hurt()
		var gone *media.MissingFile
		if err := opens(); strings.HasPrefix(what, "sound") && !errors.As(err, &gone) {
			t.Errorf("%s: it opens with %v", what, err)
		}
		if again, err := arrive(t, l, raw); err != nil || again.ID != info.ID {
			t.Errorf("%s: brought in again, %v", what, err)
		}
		if err := opens(); err != nil {
			t.Errorf("%s: brought in again, it opens with %v", what, err)
		}
	}
	// A bit that has changed is found by its hash.
	f, err := os.OpenFile(filepath.Join(dir, info.ID, "peaks-44100"), os.O_RDWR, 0)
	if err != nil {
		t.Fatal(err)
	}
	var b [1]byte
	f.ReadAt(b[:], 100)
	b[0] ^= 1
	f.WriteAt(b[:], 100)
	f.Close()
	found, err := l.Check(context.Background(), info.ID)
	if err != nil || len(found.Damaged) != 1 || found.Damaged[0] != "peaks-44100" {
		t.Fatalf("%+v %v", found, err)
	}
	if _, err := l.Peaks(info.ID, 44100, peaks.Steps[1], 0); err == nil {
		t.Error("damaged peaks are shown")
	}
	if left, err := l.Repair(context.Background(), info.ID, found.Damaged); err != nil || len(left) > 0 {
		t.Errorf("made anew: %v %v", left, err)
	}
	if found, err := l.Check(context.Background(), info.ID); err != nil || len(found.Damaged) > 0 {
		t.Errorf("made anew, it is %+v %v", found, err)
	}
	if _, err := l.Peaks(info.ID, 44100, peaks.Steps[1], 0); err != nil {
		t.Error(err)
	}
}

// What a killed program had begun to write goes once nobody has written to it for an hour; what is being written stays.
func TestWhatWasNeverFinishedGoes(t *testing.T) {
	l, dir, raw, info := withVoice(t)
	old, fresh := filepath.Join(dir, info.ID, ".part-123"), filepath.Join(dir, info.ID, "analysis-1.part-456")
	for path, age := range map[string]time.Duration{old: 2 * time.Hour, fresh: time.Minute} {
		if err := os.WriteFile(path, raw[:100], 0o600); err != nil {
			t.Fatal(err)
		}
		at := time.Now().Add(-age)
		if err := os.Chtimes(path, at, at); err != nil {
			t.Fatal(err)
		}
	}
	if found, err := l.Check(context.Background(), info.ID); err != nil || len(found.Damaged) > 0 {
		t.Errorf("%+v %v", found, err)
	}
	if _, err := os.Stat(old); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("what was never finished is there: %v", err)
	}
	if _, err := os.Stat(fresh); err != nil {
		t.Errorf("what is being written has gone: %v", err)
	}
}

// What came whole waits for whoever goes on, and is not taken if it was damaged meanwhile.
func TestWhatCameWholeWaits(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "media")
	l, err := media.OpenLibrary(dir)
	if err != nil {
		t.Fatal(err)
	}
	raw, _ := os.ReadFile(outside.Voices(t)[0])
	wait := func() (name, sum string) {
		a, err := l.Receive("voice.wav")
		if err != nil {
			t.Fatal(err)
		}
		a.Write(raw)
		if name, sum, err = a.Wait(t.Context()); err != nil {
			t.Fatal(err)
		}
		return name, sum
	}
	name, sum := wait()
	l.Close() // the process ends
	if l, err = media.OpenLibrary(dir); err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	a, err := l.Waiting(name)
	if err != nil {
		t.Fatal(err)
	}
	info, err := a.Keep(t.Context(), 44100, timecode.F25)
	if err != nil || info.SHA256 != sum || a.Close() != nil {
		t.Errorf("%+v %v", info, err)
	}
	if _, err := l.Waiting(name); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("it waits still: %v", err)
	}
	if _, ok, err := l.Has(t.Context(), sum, "voice.wav", 44100, timecode.F25); !ok || err != nil {
		t.Errorf("the library does not have it: %v", err)
	}
	if _, err := l.Waiting("../" + info.ID); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("a name that is none: %v", err)
	}
	name, _ = wait()
	os.Truncate(filepath.Join(dir, "waiting", name, "original.wav"), 3000)
	if _, err := l.Waiting(name); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("what was damaged is taken: %v", err)
	}
}
