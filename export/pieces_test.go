package export_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/export"
	"blendseam/internal/outside"
	"blendseam/internal/scenetest"
	"blendseam/media"
)

// Ten marked stretches of a real voice are ten files, which hold what ffmpeg cuts out of it there; a clip is a file as
// it sounds by itself, at its gain.
func TestStretchesAndClipsAreFilesOfTheirOwn(t *testing.T) {
	voice := outside.Voices(t)[0]
	whole := outside.Decode(t, voice, 1)
	s := scene.New("Kiln", timecode.F25, 48000)
	s.Channels = 1
	list := []edit.Edit{
		&edit.AddTrack{Name: "D", Purpose: scene.ForDialogue},
		&edit.Bring{Source: scene.Source{ID: "v", Name: "voice", URL: voice, Samples: whole.Len(), Channels: 1}},
		&edit.Add{Track: "t1", Source: "v", In: 5000, Start: 96000, Length: 40000},
	}
	for i := range int64(10) {
		name := []string{"line", "Line/2", "pause"}[min(i, 2)] + strings.Repeat("x", int(max(0, i-2)))
		list = append(list, &edit.SetStretch{Source: "v", Name: name, From: 3000 * i, To: 3000*i + 2500 + i})
	}
	s = scenetest.Must(t, s, list...)
	clip := s.Tracks[0].Clips[0].ID
	s = scenetest.Must(t, s, &edit.Gain{Clips: []scene.ClipID{clip}, DB: -6})
	from := meter.NewSources(func(scene.Source) (pcm.ReaderAt, error) {
		return media.Open(context.Background(), voice, 48000)
	}, nil)
	pieces, err := export.Stretches(s, from, "")
	if err != nil || len(pieces) != 10 {
		t.Fatal(len(pieces), err)
	}
	files := export.Files{Dir: t.TempDir(), Kind: "wav", Form: media.Form{Depth: "32f"},
		Pattern: "{number} {recording} {name}", Naming: export.Naming{Scene: "Kiln"}}
	made, err := files.Write(t.Context(), pieces, nil)
	if err != nil || len(made) != 10 || filepath.Base(made[1].Path) != "02 voice Line-2.wav" {
		t.Fatal(made, err)
	}
	for i, f := range made {
		span := pieces[i].Span
		cut := fmt.Sprintf("atrim=start_sample=%d:end_sample=%d,asetpts=N/SR/TB", span.From, span.To)
		outside.Same(t, f.Name, outside.Decode(t, f.Path, 1), outside.Decode(t, voice, 1, "-af", cut))
	}
	// Every kind of file holds them, and two of one name are told apart.
	files.Kind, files.Form, files.Pattern, files.Dir = "mp3", media.Form{}, "{recording}", t.TempDir()
	if made, err = files.Write(t.Context(), pieces, nil); err != nil || filepath.Base(made[9].Path) != "voice 10.mp3" {
		t.Fatal(made, err)
	}
	clips, err := export.Clips(s, from, []scene.ClipID{clip})
	if err != nil {
		t.Fatal(err)
	}
	files.Kind, files.Form.Depth = "wav", "32f"
	if made, err = files.Write(t.Context(), clips, nil); err != nil || len(made) != 1 || made[0].LengthS != 40000./48000 {
		t.Fatal(made, err)
	}
	want := whole.Slice(5000, 45000)
	for i := range want[0] {
		want[0][i] *= level.Amplitude(-6)
	}
	if diff, at := outside.Furthest(t, outside.Decode(t, made[0].Path, 1), want); diff > 1e-6 {
		t.Errorf("the clip differs by %g at %s", diff, at)
	}
}

// What cannot be made is said before anything is, and what fails leaves nothing behind.
func TestPiecesThatCannotBeLeaveNothing(t *testing.T) {
	s := scene.New("Kiln", timecode.F25, 48000)
	from := meter.NewSources(func(scene.Source) (pcm.ReaderAt, error) { return nil, os.ErrNotExist }, nil)
	if _, err := export.Stretches(s, from, ""); err != export.ErrNoStretch {
		t.Error(err)
	}
	s = scenetest.Must(t, s,
		&edit.Bring{Source: scene.Source{ID: "v", Name: "voice", URL: "v.wav", Samples: 9000, Channels: 1}},
		&edit.SetStretch{Source: "v", Name: "a", From: 0, To: 4000})
	pieces, err := export.Stretches(s, from, "v")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	for says, f := range map[string]export.Files{
		"{reel} stands for nothing":   {Kind: "wav", Pattern: "{reel}"},
		"{stem} stands for nothing":   {Kind: "wav", Pattern: "{stem} {name}"},
		"cannot write files":          {Kind: "doc"},
		"choose another rate or kind": {Kind: "opus", Form: media.Form{Rate: 44100}},
	} {
		if f.Form.Rate == 0 {
			f.Form.Rate = 48000
		}
		if err := f.Check(pieces); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v, want %q", f, err, says)
		}
	}
	if _, err := (export.Files{Dir: dir, Kind: "wav"}).Write(t.Context(), pieces, nil); err == nil {
		t.Error("a recording that is not there was written")
	}
	if left, _ := os.ReadDir(dir); len(left) > 0 {
		t.Errorf("%v was left behind", left)
	}
}
