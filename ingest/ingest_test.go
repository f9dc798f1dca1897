package ingest_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/ingest"
	_ "blendseam/interchange/formats"
	"blendseam/interchange/otio"
	"blendseam/internal/outside"
	"blendseam/internal/scenetest"
	"blendseam/media"
	"blendseam/store"
	"blendseam/store/server"
	"blendseam/store/server/servertest"
)

var private *server.Server

func TestMain(m *testing.M) { servertest.Main(m, &private) }

var ctx = context.Background()

func open(t *testing.T) ingest.Ingester {
	t.Helper()
	s, err := store.Open(ctx, private.DSN)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	l, err := media.OpenLibrary(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	return ingest.Ingester{Store: s, Library: l}
}

// sceneFile writes a scene of two voices, which lie beside it; the room of the first is made from the second.
func sceneFile(t *testing.T) (dir, path string, s *scene.Scene) {
	t.Helper()
	dir = t.TempDir()
	s = scene.New("from a file", timecode.F24, 44100)
	edits := []edit.Edit{&edit.AddTrack{Name: "D", Purpose: "dialogue"}}
	for i, v := range outside.Voices(t)[:2] {
		raw, _ := os.ReadFile(v)
		name := filepath.Base(v)
		os.WriteFile(filepath.Join(dir, name), raw, 0o644)
		edits = append(
			edits,
			&edit.Bring{Source: scene.Source{ID: name, Name: name, URL: name, Samples: 60000, Channels: 1}},
			&edit.Add{Track: "t1", Source: name, In: 100, Start: int64(i) * 40000, Length: 40000},
		)
	}
	for _, e := range edits {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		s = next
	}
	clips, room := s.Tracks[0].Clips, scenetest.Room(3)
	made := scenetest.MadeFrom(s, &room, recipe.Material{Source: clips[1].Source, From: 50, To: 30000})
	s = scenetest.Must(t, s, &edit.SetRoom{
		Tones: []recipe.Tone{made}, Rooms: []recipe.Room{room}, Clips: map[scene.ClipID]int{clips[0].ID: 0},
	})
	raw, err := otio.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	path = filepath.Join(dir, "scene.otio")
	os.WriteFile(path, raw, 0o644)
	return dir, path, s
}

func TestASceneFileComesInWithItsRecordingsAtItsRate(t *testing.T) {
	in := open(t)
	_, path, want := sceneFile(t)
	id, _, err := in.SceneFile(ctx, path, "", store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	st, err := in.Store.Scene(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if st.Scene.Name != want.Name || st.Scene.SampleRate != 44100 {
		t.Errorf("%s at %d", st.Scene.Name, st.Scene.SampleRate)
	}
	clips := st.Scene.Tracks[0].Clips
	if tone := st.Scene.Sources[clips[0].Room.Tone].Tone; tone == nil || tone.Left[0].Source != clips[1].Source {
		t.Errorf("the room of the first is made from %+v", tone)
	}
	for i, c := range clips {
		w := want.Tracks[0].Clips[i]
		if c.In != w.In || c.Start != w.Start || c.Length != w.Length {
			t.Errorf("clip %d is %+v, want %+v", i, c, w)
		}
		// The voices are of 48000 Hz; the scene hears them at its own rate.
		r, err := in.Library.Sound(c.Source, 44100)
		if err != nil {
			t.Fatal(err)
		}
		if r.Format().Rate != 44100 || st.Scene.Sources[c.Source].Samples != r.Len() {
			t.Errorf("source %+v, its sound %d at %d Hz", st.Scene.Sources[c.Source], r.Len(), r.Format().Rate)
		}
		r.Close()
	}
}

func TestNothingIsHalfBroughtIn(t *testing.T) {
	in := open(t)
	dir, path, _ := sceneFile(t)
	before, _ := in.Store.Scenes(ctx)
	os.Remove(filepath.Join(dir, filepath.Base(outside.Voices(t)[1])))
	_, _, err := in.SceneFile(ctx, path, "", store.FirstProduction)
	if err == nil || !strings.Contains(err.Error(), filepath.Base(outside.Voices(t)[1])) ||
		strings.Contains(err.Error(), "\n") {
		t.Errorf("%v, want one line that names the recording", err)
	}
	if after, _ := in.Store.Scenes(ctx); len(after) != len(before) {
		t.Error("a scene was made all the same")
	}
	if _, err := in.File(ctx, dir, 48000, timecode.F25); err == nil || !strings.Contains(err.Error(), "folder") {
		t.Errorf("a folder: %v", err)
	}
	stopped, stop := context.WithCancel(ctx)
	stop()
	if _, err := in.File(stopped, outside.Voices(t)[0], 48000, timecode.F25); err == nil {
		t.Error("a stopped intake went on")
	}
}

func TestRecordingsComeIntoASceneOnce(t *testing.T) {
	in := open(t)
	id, err := in.Store.Create(ctx, scene.New("s", timecode.F25, 48000), store.FirstProduction)
	if err != nil {
		t.Fatal(err)
	}
	var infos []media.Info
	for _, v := range outside.Voices(t)[:3] {
		info, err := in.File(ctx, v, 48000, timecode.F25)
		if err != nil {
			t.Fatal(err)
		}
		infos = append(infos, info)
	}
	for range 2 {
		if err := in.Into(ctx, id, infos); err != nil {
			t.Fatal(err)
		}
	}
	st, err := in.Store.Scene(ctx, id)
	if err != nil || len(st.Scene.Sources) != 3 || st.Revision != 1 || st.Undo != "brought in 3 recordings" {
		t.Errorf("%d sources at revision %d: %q, %v", len(st.Scene.Sources), st.Revision, st.Undo, err)
	}
	for _, info := range infos {
		if n := st.Scene.Sources[info.ID].Samples; n != outside.Decode(t,
			filepath.Join("/usr/share/sounds/alsa", info.Name), 1).
			Len() {
			t.Errorf("%s is %d samples long", info.Name, n)
		}
	}
}

// clocked is a recording under another name, which begins at a source timecode, as ffmpeg writes it.
func clocked(t *testing.T, voice, name string, hour int) string {
	file := filepath.Join(t.TempDir(), name)
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", voice, "-write_bext", "1", "-metadata",
		fmt.Sprintf("time_reference=%d", hour*3600*48000), file).CombinedOutput()
	if err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	return file
}

const reels = `FCM: NON-DROP FRAME
001  TAKE01   A     C        10:00:00:05 10:00:01:00 01:00:00:00 01:00:00:20
002  TAKE02   A     C        11:00:00:10 11:00:01:00 01:00:00:20 01:00:01:10
`

// A cut list names reels that no recording is called; what covers their source timecodes is them, if that is one.
func TestRecordingsAreFoundByTimecode(t *testing.T) {
	in := open(t)
	voices := outside.Voices(t)
	bring := func(voice, name string, hour int) media.Info {
		t.Helper()
		info, err := in.File(ctx, clocked(t, voice, name, hour), 48000, timecode.F25)
		if err != nil {
			t.Fatal(err)
		}
		return info
	}
	first := bring(voices[0], "monday.wav", 10)
	// The second is missing, and is linked once it comes.
	id, warnings, err := in.Uploaded(ctx, []byte(reels), "reels.edl", nil, store.FirstProduction)
	if err != nil || !strings.Contains(strings.Join(warnings, "\n"), "TAKE01 was found by its timecode: monday.wav") {
		t.Fatal(warnings, err)
	}
	clips := func() []scene.Clip {
		t.Helper()
		st, err := in.Store.Scene(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		return st.Scene.Tracks[0].Clips
	}
	c := clips()
	if c[0].Source != first.ID || c[0].In != 5*1920 || !scene.IsMissing(c[1].Source) {
		t.Fatalf("%+v", c)
	}
	second := bring(voices[1], "tuesday.wav", 11)
	if err := in.Into(ctx, id, []media.Info{second}); err != nil {
		t.Fatal(err)
	}
	if c = clips(); c[1].Source != second.ID || c[1].In != 10*1920 {
		t.Errorf("%+v", c[1])
	}
	// Two that ran at the same time: somebody has to say.
	other := bring(voices[2], "boom.wav", 10)
	var choices *ingest.Choices
	if _, _, err = in.Uploaded(ctx, []byte(reels), "reels.edl", nil, store.FirstProduction); !errors.As(err, &choices) ||
		len(choices.List) != 1 || len(choices.List[0].Candidates) != 2 {
		t.Fatal(err)
	}
	chosen := map[string]string{choices.List[0].URL: other.ID}
	if id, _, err = in.Uploaded(ctx, []byte(reels), "reels.edl", chosen, store.FirstProduction); err != nil {
		t.Fatal(err)
	}
	if c = clips(); c[0].Source != other.ID || c[0].In != 5*1920 {
		t.Errorf("%+v", c[0])
	}
}
