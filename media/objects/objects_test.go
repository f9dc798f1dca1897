package objects_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"blendseam/internal/bucket"
	"blendseam/media/objects"
)

func write(t *testing.T, path string, content []byte) string {
	t.Helper()
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// A folder and an S3 store do the same.
func TestStoresKeepFiles(t *testing.T) {
	remote := bucket.New(t).Store(t, "/library")
	for what, s := range map[string]objects.Store{"folder": objects.Folder(t.TempDir()), "S3": remote} {
		dir, ctx := t.TempDir(), t.Context()
		large := bytes.Repeat([]byte("sound "), 1<<19)
		for name, content := range map[string][]byte{"a/original.wav": large, "a/info.json": []byte("{}"),
			"b/x": []byte("x")} {
			if err := s.Put(ctx, name, write(t, filepath.Join(dir, "in"), content)); err != nil {
				t.Fatalf("%s: %s: %v", what, name, err)
			}
			to := filepath.Join(dir, "new", name)
			if err := s.Get(ctx, name, to); err != nil {
				t.Fatalf("%s: %s: %v", what, name, err)
			}
			if got, err := os.ReadFile(to); err != nil || !bytes.Equal(got, content) {
				t.Errorf("%s: %s comes back otherwise: %v", what, name, err)
			}
			end := make([]byte, len(content)/2)
			if err := s.Read(ctx, name, int64(len(content)-len(end)), end); err != nil || !bytes.HasSuffix(content, end) {
				t.Errorf("%s: the second half of %s comes back otherwise: %v", what, name, err)
			}
			if o, err := s.Stat(ctx, name); err != nil || o.Bytes != int64(len(content)) {
				t.Errorf("%s: %s is %+v, %v", what, name, o, err)
			}
		}
		names := func(prefix string) string {
			list, err := s.List(ctx, prefix)
			if err != nil {
				t.Fatal(err)
			}
			var all []string
			for _, o := range list {
				all = append(all, o.Name)
			}
			slices.Sort(all)
			return fmt.Sprint(all)
		}
		if got := names(""); got != "[a/info.json a/original.wav b/x]" {
			t.Errorf("%s: %s", what, got)
		}
		if got := names("a/orig"); got != "[a/original.wav]" {
			t.Errorf("%s: %s", what, got)
		}
		if err := s.Get(ctx, "c/none", filepath.Join(dir, "none")); !errors.Is(err, objects.ErrNone) {
			t.Errorf("%s: nothing comes as %v", what, err)
		}
		if err := s.Read(ctx, "c/none", 0, make([]byte, 1)); !errors.Is(err, objects.ErrNone) {
			t.Errorf("%s: a part of nothing comes as %v", what, err)
		}
		if _, err := s.Stat(ctx, "c/none"); !errors.Is(err, objects.ErrNone) {
			t.Errorf("%s: nothing is %v", what, err)
		}
		if _, err := os.Stat(filepath.Join(dir, "none")); err == nil {
			t.Errorf("%s: nothing made a file", what)
		}
		if err := s.Remove(ctx, "a/"); err != nil || names("") != "[b/x]" {
			t.Errorf("%s: after removing: %s %v", what, names(""), err)
		}
		stopped, cancel := context.WithCancel(ctx)
		cancel()
		if err := s.Put(stopped, "d/x", filepath.Join(dir, "in")); err == nil {
			t.Errorf("%s: what was stopped is kept", what)
		}
	}
}

// What does not have its hash any more is not taken.
func TestDamagedFilesAreNotTaken(t *testing.T) {
	b := bucket.New(t)
	s := b.Store(t, "/library")
	dir, ctx := t.TempDir(), t.Context()
	if err := s.Put(ctx, "a/x", write(t, filepath.Join(dir, "in"), []byte("as it was"))); err != nil {
		t.Fatal(err)
	}
	b.Damage(t, "library/a/x", []byte("as it is!"))
	to := filepath.Join(dir, "out")
	if err := s.Get(ctx, "a/x", to); err == nil || !strings.Contains(err.Error(), "damaged") {
		t.Errorf("a damaged file: %v", err)
	}
	if _, err := os.Stat(to); err == nil {
		t.Error("a damaged file is there")
	}
}

func TestPlacesThatAreNone(t *testing.T) {
	for _, place := range []string{"s3://", "s3://host", "s3+http:///bucket"} {
		if _, err := objects.Open(place); err == nil || !strings.Contains(err.Error(), "s3://HOST/BUCKET") {
			t.Errorf("%s: %v", place, err)
		}
	}
}
