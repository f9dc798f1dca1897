package export_test

import (
	"archive/zip"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/export"
	"blendseam/internal/outside"
	"blendseam/internal/scenetest"
	"blendseam/media"
	"blendseam/media/scenefile"
)

// rendered is what a scene file sounds like.
func rendered(t *testing.T, path string) pcm.Block {
	t.Helper()
	f, err := scenefile.Read(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	return sounding(t, f.Scene, mix.WithDerived(f.Scene, f.Open))
}

// A package of real voices, cut to what is used, with and without handles, as WAV and as FLAC, sounds the same bits,
// and holds no more than that; into a folder that holds something it does not go.
func TestAPackageSoundsTheSameAndHoldsWhatIsUsed(t *testing.T) {
	s := scene.New("Two, voices", timecode.F25, 48000)
	s = scenetest.Must(t, s, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue})
	files := map[string]string{}
	at := int64(0)
	for i, v := range outside.Voices(t)[:2] {
		id := string(rune('a' + i))
		n := outside.Decode(t, v, 1).Len()
		files[id] = v
		s = scenetest.Must(t, s, &edit.Bring{Source: scene.Source{ID: id, Name: id, URL: v, Samples: n, Channels: 1}},
			&edit.Add{Track: "t1", Source: id, In: 20000, Start: at, Length: n - 40000})
		at += n - 40000
	}
	clips := s.Tracks[0].Clips
	s = scenetest.Must(t, s, &edit.SetBlend{Left: clips[0].ID, Right: clips[1].ID, Before: 4000, After: 3000,
		Law: "matched"},
		&edit.Gain{Clips: []scene.ClipID{clips[0].ID}, DB: -2.5})
	open := func(src scene.Source) (pcm.ReaderAt, error) {
		return media.Open(context.Background(), files[src.ID], 48000)
	}
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	want := pcm.NewBlock(2, s.Length())
	if err := m.Render(want, 0); err != nil {
		t.Fatal(err)
	}
	for _, p := range []export.Packing{{HandleS: 0}, {HandleS: 0.1, FLAC: true}, {HandleS: 100}} {
		p.Open, p.File = open, func(src scene.Source) (string, error) { return files[src.ID], nil }
		dir := filepath.Join(t.TempDir(), "made")
		done, err := export.Pack(context.Background(), s, dir, p, nil)
		if err != nil {
			t.Fatal(err)
		}
		outside.Same(t, "the package", rendered(t, filepath.Join(dir, done.Scene)), want)
		entries, _ := os.ReadDir(filepath.Join(dir, "media"))
		if len(entries) != 2 || p.FLAC != strings.HasSuffix(entries[0].Name(), ".flac") {
			t.Errorf("its recordings are %v", entries)
		}
		if r, err := wav.Open(filepath.Join(dir, "media", entries[0].Name())); err == nil && p.HandleS == 0 {
			if used := clips[0].Length + 3000; r.Len() != used {
				t.Errorf("%d samples are kept, %d are used", r.Len(), used)
			}
			r.Close()
		}
		if _, err := export.Pack(context.Background(), s, dir, p, nil); err == nil || !strings.Contains(err.Error(),
			"not empty") {
			t.Errorf("over another: %v", err)
		}
		file := filepath.Join(t.TempDir(), "x.zip")
		if err := export.Zip(context.Background(), dir, file); err != nil {
			t.Fatal(err)
		}
		z, err := zip.OpenReader(file)
		if err != nil || len(z.File) != 3 {
			t.Fatal(err)
		}
		z.Close()
	}
}
