package media

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/internal/bucket"
	"blendseam/internal/outside"
	"blendseam/media/objects"
	"blendseam/media/peaks"
)

// sharing are libraries of so many processes that share one S3 store, a server in memory that is not ours.
func sharing(t *testing.T, n int, bytes int64) (list []*Library, stop func()) {
	t.Helper()
	b := bucket.New(t)
	for range n {
		l, err := OpenLibrary(filepath.Join(t.TempDir(), "media"))
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { l.Close() })
		l.Share(b.Store(t, ""), bytes)
		list = append(list, l)
	}
	return list, b.Close
}

func sound(t *testing.T, w *wav.Reader) pcm.Block {
	t.Helper()
	b, err := pcm.Read(w, pcm.Span{To: w.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func bringIn(t *testing.T, l *Library, path string) Info {
	t.Helper()
	info, err := keep(t, l, path, 48000, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	return info
}

// What one process brings in and makes, another has: its sound, peaks, analysis and the file as it came; and what was
// removed is gone for both.
func TestLibrariesShareAStore(t *testing.T) {
	list, _ := sharing(t, 2, 0)
	one, two := list[0], list[1]
	voice := outside.Repeated(t, outside.Voices(t)[0], 30) // 4 MB, so that it is read by pieces
	info := bringIn(t, one, voice)
	if _, err := one.Analysis(t.Context(), info.ID, 48000, nil); err != nil {
		t.Fatal(err)
	}
	if !two.Analysed(info.ID, 48000) || !two.prepared(info, 48000, timecode.F25) {
		t.Error("the other process does not have what was made")
	}
	for _, l := range list {
		w, err := l.Sound(info.ID, 48000)
		if err != nil {
			t.Fatal(err)
		}
		outside.Same(t, "the sound", sound(t, w), outside.Decode(t, voice, 1))
		w.Close()
		if l == two && exists(soundFile(l.folder(info.ID), 48000)) {
			t.Error("it was fetched whole")
		}
		if raw, err := l.Peaks(info.ID, 48000, 64, 0); err != nil || len(raw) != 4*peaks.TileBins {
			t.Errorf("peaks: %d, %v", len(raw), err)
		}
		path, err := l.Original(info.ID)
		if err != nil {
			t.Fatal(err)
		}
		if sum, err := objects.Sum(path); err != nil || sum != info.SHA256 {
			t.Errorf("the file as it came is another one: %v", err)
		}
	}
	// The same recording again is there already; a rate that the one makes the other has.
	if again := bringIn(t, two, voice); again.ID != info.ID {
		t.Errorf("it came as %s", again.ID)
	}
	if err := two.Prepare(t.Context(), info, 44100, timecode.F25); err != nil {
		t.Fatal(err)
	}
	if w, err := one.Sound(info.ID, 44100); err != nil {
		t.Error(err)
	} else {
		w.Close()
	}
	if err := one.Remove(info.ID); err != nil {
		t.Fatal(err)
	}
	if fresh, _ := two.shared.List(t.Context(), info.ID); len(fresh) > 0 {
		t.Errorf("%d files of a removed recording are kept", len(fresh))
	}
	// What the one removed, the other, which has copies of it, may bring in anew.
	bringIn(t, two, voice)
	if w, err := one.Sound(info.ID, 48000); err != nil {
		t.Errorf("what was brought in anew is not shared: %v", err)
	} else {
		w.Close()
	}
	if _, err := one.Sound("../../etc/pas", 48000); err == nil {
		t.Error("what is no id is fetched")
	}
}

// What a job made in one process another sends.
func TestWhatJobsMadeIsShared(t *testing.T) {
	list, _ := sharing(t, 1, 1)
	l := list[0]
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "mix.wav"), []byte("sound"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := l.ShareMade(t.Context(), "job", dir); err != nil {
		t.Fatal(err)
	}
	other := t.TempDir()
	if err := l.Made("job", other, "mix.wav"); err != nil {
		t.Fatal(err)
	}
	if raw, err := os.ReadFile(filepath.Join(other, "mix.wav")); err != nil || string(raw) != "sound" {
		t.Errorf("what a job made comes as %q, %v", raw, err)
	}
	if err := l.Made("job", other, "../x"); err == nil {
		t.Error("a way out of a job is gone")
	}
}

// A recording that cannot be sent is not taken.
func TestARecordingThatCannotBeSentIsNotTaken(t *testing.T) {
	list, stop := sharing(t, 1, 0)
	l := list[0]
	path := outside.Voices(t)[0]
	a, err := l.Receive(filepath.Base(path))
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	raw, err := os.ReadFile(path)
	if err == nil {
		_, err = a.Write(raw)
	}
	if err != nil {
		t.Fatal(err)
	}
	stop()
	ctx, cancel := context.WithCancel(t.Context())
	cancel() // so that it is not tried for long
	if info, err := a.Keep(ctx, 48000, timecode.F25); err == nil {
		t.Errorf("it was taken: %+v", info)
	}
	if left, err := objects.Folder(l.dir).List(t.Context(), ""); err != nil || len(left) > 0 {
		t.Errorf("%d files are left, %v", len(left), err)
	}
}
