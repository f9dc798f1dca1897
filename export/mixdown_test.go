package export_test

import (
	"context"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

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
)

// hot is a scene of two real voices and a loud stereo sound, which reaches over full scale.
func hot(t *testing.T) (*scene.Scene, *mix.Mixer) {
	t.Helper()
	sounds := map[string]pcm.Block{}
	var voice []float64
	for i, file := range outside.Voices(t)[:2] {
		one := outside.Decode(t, file, 1)
		voice = append(voice, one[0]...)
		sounds[string(rune('a'+i))] = one
	}
	wide := pcm.NewBlock(2, 6*48000)
	for c := range wide {
		for i := range wide[c] {
			wide[c][i] = 0.05*math.Sin(float64(i)*(0.011+0.003*float64(c))) + 0.1*voice[(i+9000*c)%len(voice)]
		}
	}
	sounds["m"] = wide
	s := scene.New("Hot one", timecode.F25, 48000)
	for i, x := range []struct{ id, purpose, track string }{
		{"a", "dialogue", "Oda"}, {"b", "dialogue", "Pell"}, {"m", "music", "Tune"},
	} {
		b := sounds[x.id]
		s = scenetest.Must(t, s,
			&edit.Bring{Source: scene.Source{ID: x.id, Name: x.id, Samples: b.Len(), Channels: len(b)}},
			&edit.AddTrack{Name: x.track, Purpose: scene.Purpose(x.purpose)})
		track := s.Tracks[i].ID
		s = scenetest.Must(t, s, &edit.Add{Track: track, Source: x.id, Start: int64(i) * 24000, Length: b.Len()})
		s = scenetest.Must(t, s, &edit.Gain{Clips: []scene.ClipID{s.Tracks[i].Clips[0].ID}, DB: 9})
	}
	m, err := mix.New(s, func(src scene.Source) (pcm.ReaderAt, error) {
		return pcm.Memory{Sound: sounds[src.ID], Rate: 48000}, nil
	}, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return s, m
}

// ebur128 is what libebur128 says of a file, through ffmpeg.
func ebur128(t *testing.T, file string) (lufs, dbtp float64) {
	t.Helper()
	out := outside.Run(t, "ffmpeg", "-hide_banner", "-nostats", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-")
	out = out[strings.LastIndex(out, "Summary:"):]
	for name, to := range map[string]*float64{`I:\s+(\S+) LUFS`: &lufs, `Peak:\s+(\S+) dBFS`: &dbtp} {
		said := regexp.MustCompile(name).FindStringSubmatch(out)
		if said == nil {
			t.Fatalf("ffmpeg says nothing of %s:\n%s", name, out)
		}
		*to, _ = strconv.ParseFloat(said[1], 64)
	}
	return lufs, dbtp
}

func ptr(v float64) *float64 { return &v }

// Mixdowns of every kind, at other rates, in one channel and two, come to the loudness and stay under the ceiling that
// was asked for, by libebur128; of a kind that does not keep samples the coder adds what it adds.
func TestMixdownsComeToTheirLoudnessUnderTheirCeiling(t *testing.T) {
	s, m := hot(t)
	dir := t.TempDir()
	for name, x := range map[string]struct {
		form         media.Form
		lufs, dbtp   *float64
		looser, hold float64
	}{
		"ebu.wav":    {media.Form{Depth: "24"}, ptr(-23), ptr(-1), 0, 0},
		"loud.wav":   {media.Form{Depth: "32f"}, ptr(-8), ptr(-1), 0, 0},
		"web.flac":   {media.Form{Rate: 44100, Depth: "16"}, ptr(-16), ptr(-2), 0, 0},
		"mono.wav":   {media.Form{Rate: 96000, Channels: 1}, ptr(-24), ptr(-1), 0, 0},
		"only.wav":   {media.Form{}, nil, ptr(-3), 0, 0},
		"coded.opus": {media.Form{}, ptr(-18), ptr(-2), 0.3, 1},
		"coded.m4a":  {media.Form{Rate: 44100}, ptr(-18), ptr(-2), 0.3, 1},
		"coded.mp3":  {media.Form{KBits: 320}, ptr(-18), ptr(-2), 0.3, 1},
	} {
		path := filepath.Join(dir, name)
		made, err := export.Make(context.Background(), s, m, export.Order{
			Span: pcm.Span{To: s.Length()}, Form: x.form, TargetLUFS: x.lufs, CeilingDBTP: x.dbtp, Limit: true, Mix: path,
		}, nil)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		lufs, dbtp := ebur128(t, path)
		if x.lufs != nil && math.Abs(lufs-*x.lufs) > 0.1+0.05+x.looser {
			t.Errorf("%s: libebur128 finds %.1f LUFS, %.1f are asked for", name, lufs, *x.lufs)
		}
		if dbtp > *x.dbtp+0.05+0.05+x.hold { // it says tenths
			t.Errorf("%s: libebur128 finds a peak of %.1f dBTP under %.1f", name, dbtp, *x.dbtp)
		}
		if name == "loud.wav" && !made.Limited || name == "ebu.wav" && made.Limited {
			t.Errorf("%s was limited at %d places", name, len(made.Passes))
		}
	}
}

// Stems, under a ceiling that works, at another rate, add to the mix within 1e-6, and are all as long.
func TestStemsOfATreatedMixAddToIt(t *testing.T) {
	s, m := hot(t)
	for _, rate := range []int{48000, 44100} {
		dir := t.TempDir()
		o := export.Order{
			Span: pcm.Span{From: 1000, To: s.Length()}, Form: media.Form{Rate: rate, Depth: "32f"},
			TargetLUFS: ptr(-8), CeilingDBTP: ptr(-1), Limit: true, Mix: filepath.Join(dir, "mix.wav"),
			Stems: export.StemsBy(s, "purpose"),
		}
		for i := range o.Stems {
			o.Stems[i].File = filepath.Join(dir, o.Stems[i].Name+".wav")
		}
		made, err := export.Make(context.Background(), s, m, o, nil)
		if err != nil {
			t.Fatal(err)
		}
		if len(made.Files) != 3 || made.Files[1].Name != "dialogue" || !made.Limited {
			t.Fatalf("made %+v", made)
		}
		whole := outside.Decode(t, o.Mix, 2)
		sum := pcm.NewBlock(2, whole.Len())
		for _, f := range made.Files[1:] {
			part := outside.Decode(t, f.Path, 2)
			for c := range sum {
				for i := range sum[c] {
					sum[c][i] += part[c][i]
				}
			}
		}
		if d, at := outside.Furthest(t, whole, sum); d > 1e-6 {
			t.Errorf("at %d Hz stems are %g from the mix: %s", rate, d, at)
		}
	}
}

// A part of the scene is limited as it is in the whole.
func TestAPartIsLimitedAsInTheWhole(t *testing.T) {
	s, m := hot(t)
	dir := t.TempDir()
	render := func(name string, span pcm.Span) pcm.Block {
		path := filepath.Join(dir, name)
		o := export.Order{Span: span, Form: media.Form{Depth: "32f"}, CeilingDBTP: ptr(-6), Limit: true, Mix: path}
		if _, err := export.Make(context.Background(), s, m, o, nil); err != nil {
			t.Fatal(err)
		}
		return outside.Decode(t, path, 2)
	}
	whole := render("whole.wav", pcm.Span{To: s.Length()})
	for _, span := range []pcm.Span{{From: 50001, To: 90007}, {From: 3, To: 20000}, {From: 100000, To: s.Length()}} {
		outside.Same(t, "a part", render("part.wav", span), whole.Slice(span.From, span.To))
	}
}

// A broadcast WAV file says where in the scene it begins, at its own rate, and what it was made by.
func TestAMixdownSaysWhereItBelongs(t *testing.T) {
	s, m := hot(t)
	path := filepath.Join(t.TempDir(), "x.wav")
	o := export.Order{
		Span: pcm.Span{From: 48000, To: 96000}, Form: media.Form{Rate: 96000, Depth: "16"}, Mix: path,
		Made: time.Date(2026, 11, 27, 8, 30, 1, 0, time.UTC),
	}
	if _, err := export.Make(context.Background(), s, m, o, nil); err != nil {
		t.Fatal(err)
	}
	r, err := wav.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	b := r.Bext
	if b == nil || b.TimeReference != (3600+1)*96000 || b.Date != "2026-11-27" || b.Time != "08:30:01" ||
		b.CodingHistory != "A=PCM,F=96000,W=16,M=stereo,T=Blend Seam\r\n" ||
		b.Description != "Hot one, 01:00:01:00 to 01:00:02:00" {
		t.Errorf("it says %+v", b)
	}
}

// What cannot be made leaves nothing behind.
func TestWhatCannotBeMadeLeavesNothing(t *testing.T) {
	s, m := hot(t)
	dir := t.TempDir()
	span := pcm.Span{To: s.Length()}
	stopped, cancel := context.WithCancel(context.Background())
	cancel()
	for what, x := range map[string]struct {
		ctx context.Context
		o   export.Order
	}{
		"a stop": {stopped, export.Order{Span: span, Mix: filepath.Join(dir, "a.wav")}},
		"an odd ceiling": {context.Background(), export.Order{Span: span, Mix: filepath.Join(dir, "a.wav"),
			CeilingDBTP: ptr(3)}},
		"nothing": {context.Background(), export.Order{Span: span}},
		"a stem of no kind": {context.Background(), export.Order{
			Span: span, Mix: filepath.Join(dir, "a.wav"), Stems: []export.Stem{{Name: "x", File: filepath.Join(dir,
				"x.doc")}}}},
		"silence to a loudness": {context.Background(), export.Order{
			Span: pcm.Span{From: s.Length() + 1e6, To: s.Length() + 2e6}, Mix: filepath.Join(dir, "a.wav"),
			TargetLUFS: ptr(-23)}},
	} {
		if _, err := export.Make(x.ctx, s, m, x.o, nil); err == nil {
			t.Errorf("%s: it was made", what)
		}
		if left, _ := os.ReadDir(dir); len(left) > 0 {
			t.Fatalf("%s leaves %v", what, left)
		}
	}
}

func TestNamesFollowTheirPattern(t *testing.T) {
	n := export.Naming{
		Scene: "Kiln/Night", Range: "01:00:00:00 to 01:00:05:00", Stem: "dialogue", Version: 42,
		Date: time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC),
	}
	for pattern, want := range map[string]string{
		"":                                 "Kiln-Night 01-00-00-00 to 01-00-05-00 dialogue",
		"{scene} {range}":                  "Kiln-Night 01-00-00-00 to 01-00-05-00",
		"{date}_{scene}_{stem}_v{version}": "2026-11-27_Kiln-Night_dialogue_v42",
		"../{scene}":                       "-Kiln-Night",
	} {
		if got, err := n.File(pattern); err != nil || got != want {
			t.Errorf("%q gives %q (%v), want %q", pattern, got, err, want)
		}
	}
	if _, err := n.File("{scene} {reel}"); err == nil || !strings.Contains(err.Error(), "{reel}") {
		t.Errorf("an unknown word: %v", err)
	}
	if got := export.Distinct([]string{"a.wav", "A.wav", "b.wav", "a.wav"}); strings.Join(got,
		" ") != "a.wav A 2.wav b.wav a 3.wav" {
		t.Errorf("names apart are %q", got)
	}
}
