package main

import (
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/sound/timecode"
	"blendseam/internal/bucket"
	"blendseam/internal/outside"
	"blendseam/media"
	"blendseam/media/objects"
)

// A library that is copied to a store and back is the same; one that a program shares is too. Damage is found.
func TestALibraryIsCopiedToAStoreAndBack(t *testing.T) {
	from := filepath.Join(t.TempDir(), "media")
	l, err := media.OpenLibrary(from)
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	a, err := l.Receive("voice.wav")
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	raw, err := os.ReadFile(outside.Repeated(t, outside.Voices(t)[0], 30))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Write(raw); err != nil {
		t.Fatal(err)
	}
	info, err := a.Keep(t.Context(), 0, timecode.F25)
	if err != nil {
		t.Fatal(err)
	}
	b, back := bucket.New(t), filepath.Join(t.TempDir(), "back")
	for range 2 { // it goes on where it was broken off
		if err := (&mediaCopyCmd{from, b.URL}).Run(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if err := (&mediaVerifyCmd{b.URL}).Run(t.Context()); err != nil {
		t.Error(err)
	}
	list, err := b.Store(t, "").List(t.Context(), "")
	var there int64
	for _, o := range list {
		there += o.Bytes
	}
	if err != nil || there > int64(len(raw))*5/4 {
		t.Errorf("%d bytes lie in the store of a recording of %d, %v", there, len(raw), err)
	}
	if err := (&mediaCopyCmd{b.URL, back}).Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	files, err := objects.Folder(from).List(t.Context(), "")
	if err != nil || len(files) < 4 {
		t.Fatalf("%v, %v", files, err)
	}
	for _, o := range files {
		was, err := objects.Sum(filepath.Join(from, o.Name))
		if err != nil {
			t.Fatal(err)
		}
		if is, err := objects.Sum(filepath.Join(back, o.Name)); err != nil || is != was {
			t.Errorf("%s came back otherwise, %v", o.Name, err)
		}
	}
	if left, err := objects.Folder(back).List(t.Context(), ""); err != nil || len(left) != len(files) {
		t.Errorf("%d files came back of %d, %v", len(left), len(files), err)
	}
	b.Damage(t, info.ID+"/original.wav", raw[1:])
	if err := (&mediaVerifyCmd{b.URL}).Run(t.Context()); err == nil {
		t.Error("damage is not found")
	}
}
