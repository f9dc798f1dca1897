// Package seamtest builds scenes for tests: of sounds laid one after the other, and a corpus of real voices over made
// rooms in which one trouble each is planted.
package seamtest

import (
	"context"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/interchange/otio"
	"blendseam/media"
)

// Rate is that of all its sounds.
const Rate = 48000

// Bed is noise at an RMS level, in dBFS.
func Bed(seed uint64, seconds, db float64) pcm.Block {
	r := rand.New(rand.NewPCG(seed, 3))
	b := pcm.NewBlock(1, int64(seconds*Rate))
	for i := range b[0] {
		b[0][i] = level.Amplitude(db) * r.NormFloat64()
	}
	return b
}

// A Studio builds scenes of sounds that are laid one after the other.
type Studio struct {
	T     testing.TB
	Scene *scene.Scene
	Sound map[string]pcm.Block
	from  *meter.Sources
}

func New(t testing.TB) *Studio {
	s := &Studio{T: t, Scene: scene.New("studio", timecode.F25, Rate), Sound: map[string]pcm.Block{}}
	s.Scene.Channels = 1
	s.Do(&edit.AddTrack{Name: "D", Purpose: scene.ForDialogue})
	return s
}

func (s *Studio) Do(e edit.Edit) {
	s.T.Helper()
	next, err := edit.Apply(s.Scene, e)
	if err != nil {
		s.T.Fatal(edit.Message(err))
	}
	s.Scene = next
}

// Lay adds a sound at a moment, without half a second of it on both sides, which is its handle.
func (s *Studio) Lay(name string, b pcm.Block, at float64) {
	s.T.Helper()
	s.Sound[name] = b
	s.Do(&edit.Bring{Source: scene.Source{ID: name, Name: name, URL: name + ".wav", Samples: b.Len(), Channels: 1}})
	s.Do(&edit.Add{Track: "t1", Source: name, In: Rate / 2, Start: int64(at * Rate), Length: b.Len() - Rate})
}

func (s *Studio) Open(src scene.Source) (pcm.ReaderAt, error) {
	return pcm.Memory{Rate: Rate, Sound: s.Sound[src.ID]}, nil
}

func (s *Studio) Measure() []audit.Result {
	s.T.Helper()
	all, err := audit.All(context.Background(), s.Meter(), 1)
	if err != nil {
		s.T.Fatal(err)
	}
	return all
}

// Meter measures the scene as it is now.
func (s *Studio) Meter() *meter.Meter { return meter.NewMeter(s.Scene, s.Sources()) }

// Sources are those of the studio; what was found of a sound is kept.
func (s *Studio) Sources() *meter.Sources {
	if s.from == nil {
		s.from = meter.NewSources(s.Open, nil)
	}
	return s.from
}

func (s *Studio) Blend(before, after int64) {
	s.T.Helper()
	c := s.Scene.Tracks[0].Clips
	s.Do(&edit.SetBlend{Left: c[0].ID, Right: c[1].ID, Before: before, After: after, Law: blend.ConstantPower})
}

func Of(t *testing.T, all []audit.Result, kind audit.Kind) audit.Result {
	t.Helper()
	for _, r := range all {
		if r.Kind == kind {
			return r
		}
	}
	t.Fatalf("no seam of kind %s in %v", kind, all)
	return audit.Result{}
}

func Judged(t *testing.T, r audit.Result, v audit.Verdict, c audit.Cause) {
	t.Helper()
	if r.Verdict != v || r.Cause != c {
		t.Errorf("%s seam is %s because of %s (%s), want %s because of %s", r.Kind, r.Verdict, r.Cause, r.Why, v, c)
	}
}

// Render is the mix of a scene of the studio's sounds.
func (s *Studio) Render(sc *scene.Scene) pcm.Block {
	s.T.Helper()
	x, err := mix.New(sc, s.Sources().Mix(sc), mix.Options{})
	if err != nil {
		s.T.Fatal(err)
	}
	b, err := meter.Render(x, pcm.Span{To: sc.Length()})
	if err != nil {
		s.T.Fatal(err)
	}
	return b
}

// File writes the scene, and its sounds beside it, and gives the scene file's path.
func (s *Studio) File() string {
	s.T.Helper()
	dir := s.T.TempDir()
	for name, sound := range s.Sound {
		f, err := media.Create(filepath.Join(dir, name+".wav"), Rate, len(sound), "24", false)
		if err != nil {
			s.T.Fatal(err)
		}
		if err := f.Copy(pcm.Memory{Rate: Rate, Sound: sound}, pcm.Span{To: sound.Len()}); err != nil {
			s.T.Fatal(err)
		}
		if err := f.Close(); err != nil {
			s.T.Fatal(err)
		}
	}
	raw, err := otio.Write(s.Scene)
	if err != nil {
		s.T.Fatal(err)
	}
	file := filepath.Join(dir, "scene.otio")
	if err := os.WriteFile(file, raw, 0o644); err != nil {
		s.T.Fatal(err)
	}
	return file
}
