package media

import (
	"context"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/timecode"
	"blendseam/internal/outside"
	"blendseam/media/objects"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
)

// sharing are libraries of so many processes that share one S3 store, a server in memory that is not ours.
func sharing(t *testing.T, n int, bytes int64) (list []*Library, stop func()) {
	t.Helper()
	t.Setenv("AWS_ACCESS_KEY_ID", "key")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "secret")
	back := s3mem.New()
	if err := back.CreateBucket("recordings"); err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(gofakes3.New(back).Server())
	t.Cleanup(server.Close)
	for range n {
		s, err := objects.Open(strings.Replace(server.URL, "http:", "s3+http:", 1) + "/recordings")
		if err != nil {
			t.Fatal(err)
		}
		l, err := OpenLibrary(filepath.Join(t.TempDir(), "media"))
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { l.Close() })
		l.Share(s, bytes)
		list = append(list, l)
	}
	return list, server.Close
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
	info := bringIn(t, one, outside.Voices(t)[0])
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
		w.Close()
		if raw, err := l.Peaks(info.ID, 48000, 64, 0); err != nil || len(raw) != 4*TileBins {
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
	if again := bringIn(t, two, outside.Voices(t)[0]); again.ID != info.ID {
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
	if _, err := one.Sound("../../etc/pas", 48000); err == nil {
		t.Error("what is no id is fetched")
	}
}

// A folder keeps copies of so much; what was used longest ago goes, and comes back when it is wanted.
func TestCopiesOfAStoreAreBounded(t *testing.T) {
	list, _ := sharing(t, 1, 1)
	l := list[0]
	info := bringIn(t, l, outside.Voices(t)[0])
	l.shared.trimmed = l.shared.trimmed.Add(-2 * trimEvery)
	l.trim()
	left, err := objects.Folder(l.dir).List(context.Background(), "")
	if err != nil || len(left) > 0 {
		t.Errorf("%d copies are kept, %v", len(left), err)
	}
	if w, err := l.Sound(info.ID, 48000); err != nil {
		t.Errorf("what went does not come back: %v", err)
	} else {
		w.Close()
	}
	if _, err := l.Analysis(t.Context(), info.ID, 48000, nil); err != nil {
		t.Error(err)
	}
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
