package seam_test

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/blend"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/core/timecode"
	"blendseam/internal/outside"
)

const rate = 48000

// bed is noise at an RMS level, in dBFS.
func bed(seed uint64, seconds, db float64) pcm.Block {
	r := rand.New(rand.NewPCG(seed, 3))
	b := pcm.NewBlock(1, int64(seconds*rate))
	for i := range b[0] {
		b[0][i] = measure.Amplitude(db) * r.NormFloat64()
	}
	return b
}

// A studio builds scenes of sounds that are laid one after the other.
type studio struct {
	t     testing.TB
	scene *scene.Scene
	sound map[string]pcm.Block
}

func newStudio(t testing.TB) *studio {
	s := &studio{t, scene.New("studio", timecode.F25, rate), map[string]pcm.Block{}}
	s.scene.Channels = 1
	s.do(&scene.AddTrack{Name: "D", Purpose: "dialogue"})
	return s
}

func (s *studio) do(e scene.Edit) {
	s.t.Helper()
	next, err := scene.Apply(s.scene, e)
	if err != nil {
		s.t.Fatal(scene.Message(err))
	}
	s.scene = next
}

// lay adds a sound at a moment, without half a second of it on both sides, which is its handle.
func (s *studio) lay(name string, b pcm.Block, at float64) {
	s.t.Helper()
	s.sound[name] = b
	s.do(&scene.Bring{Source: scene.Source{ID: name, Name: name, Samples: b.Len(), Channels: 1}})
	s.do(&scene.Add{Track: "t1", Source: name, In: rate / 2, Start: int64(at * rate), Length: b.Len() - rate})
}

func (s *studio) open(src scene.Source) (pcm.ReaderAt, error) {
	return pcm.Memory{Rate: rate, Sound: s.sound[src.ID]}, nil
}

func (s *studio) measure() []seam.Result {
	s.t.Helper()
	m, err := seam.NewMeter(s.scene, s.open)
	if err != nil {
		s.t.Fatal(err)
	}
	var all []seam.Result
	for _, x := range seam.Find(s.scene) {
		r, err := m.Seam(x)
		if err != nil {
			s.t.Fatal(err)
		}
		all = append(all, r)
	}
	return all
}

func (s *studio) blend(before, after int64) {
	s.t.Helper()
	c := s.scene.Tracks[0].Clips
	s.do(&scene.SetBlend{Left: c[0].ID, Right: c[1].ID, Before: before, After: after, Law: blend.ConstantPower})
}

func of(t *testing.T, all []seam.Result, kind seam.Kind) seam.Result {
	t.Helper()
	for _, r := range all {
		if r.Kind == kind {
			return r
		}
	}
	t.Fatalf("no seam of kind %s in %v", kind, all)
	return seam.Result{}
}

func verdict(t *testing.T, r seam.Result, v seam.Verdict, c seam.Cause) {
	t.Helper()
	if r.Verdict != v || r.Cause != c {
		t.Errorf("%s seam is %s because of %s (%s), want %s because of %s", r.Kind, r.Verdict, r.Cause, r.Why, v, c)
	}
}

func TestEverySeamIsFound(t *testing.T) {
	s := newStudio(t)
	s.lay("a", bed(1, 3, -50), 0)
	s.lay("b", bed(2, 3, -50), 2)
	s.lay("c", bed(3, 3, -50), 5)
	s.do(&scene.FadeEdge{Clip: s.scene.Tracks[0].Clips[2].ID, Edge: "tail", Length: 4800})
	var kinds []string
	for _, x := range seam.Find(s.scene) {
		kinds = append(kinds, string(x.Kind))
	}
	if got := strings.Join(kinds, " "); got != "head cut gap_start gap_end fade" {
		t.Errorf("found %s", got)
	}
}

func TestABackgroundStepIsMeasuredInDB(t *testing.T) {
	for _, step := range []float64{0, 1, 3, 8, -8} {
		s := newStudio(t)
		s.lay("a", bed(1, 4, -55), 0)
		s.lay("b", bed(2, 4, -55+step), 3)
		r := of(t, s.measure(), seam.Cut)
		if math.Abs(*r.Measures.BackgroundStepDB-step) > 0.5 {
			t.Errorf("a step of %g dB is measured as %.2f", step, *r.Measures.BackgroundStepDB)
		}
		switch {
		case math.Abs(step) >= 5:
			verdict(t, r, seam.Rough, seam.BackgroundStep)
		case math.Abs(step) >= 2.6:
			verdict(t, r, seam.Audible, seam.BackgroundStep)
		case math.Abs(step) <= 1:
			verdict(t, r, seam.Clean, seam.None)
		}
	}
}

// A 100 Hz hum cut at its peak on one side and its trough on the other clicks; the same cut between equal phases does
// not, and a blend of 4 frames takes the click away.
func TestAClickIsHeardWhereTheWaveJumps(t *testing.T) {
	hum := func(phase float64) pcm.Block {
		b := bed(4, 4, -75)
		for i := range b[0] {
			b[0][i] += 0.2 * math.Sin(2*math.Pi*(100*float64(i)/rate+phase))
		}
		return b
	}
	build := func(phase float64) *studio {
		s := newStudio(t)
		s.lay("a", hum(0.25), 0)
		s.lay("b", hum(phase), 3)
		return s
	}
	jump := build(0.75)
	r := of(t, jump.measure(), seam.Cut)
	verdict(t, r, seam.Rough, seam.Click)
	smooth := of(t, build(0.25).measure(), seam.Cut)
	if *smooth.Measures.ClickDB > 3 {
		t.Errorf("a cut between equal phases clicks by %.1f dB", *smooth.Measures.ClickDB)
	}
	jump.blend(3840, 3840)
	if after := of(t, jump.measure(), seam.Cut); *after.Measures.ClickDB > 3 {
		t.Errorf("blended it still clicks by %.1f dB", *after.Measures.ClickDB)
	}
}

// A consonant that a recording holds at the cut is no click of the cut's.
func TestAConsonantAtTheCutIsNoClick(t *testing.T) {
	a, b := bed(1, 4, -60), bed(2, 4, -60)
	for i := range 480 { // a burst, 10 ms before and after the cut
		b[0][rate/2-240+i] += 0.1 * math.Sin(float64(i)*2.1)
		a[0][7*rate/2-240+i] += 0.1 * math.Sin(float64(i)*1.9)
	}
	s := newStudio(t)
	s.lay("a", a, 0)
	s.lay("b", b, 3)
	if r := of(t, s.measure(), seam.Cut); *r.Measures.ClickDB > 3 {
		t.Errorf("called a click of %.1f dB", *r.Measures.ClickDB)
	}
}

func TestAHoleIsDeadSilenceOfItsLength(t *testing.T) {
	s := newStudio(t)
	s.lay("a", bed(1, 3, -55), 0)
	s.lay("b", bed(2, 3, -55), 2.64)
	all := s.measure()
	for _, kind := range []seam.Kind{seam.GapStart, seam.GapEnd} {
		r := of(t, all, kind)
		verdict(t, r, seam.Rough, seam.DeadSilence)
		if math.Abs(*r.Measures.DeadSilenceMS-640) > 20 {
			t.Errorf("a hole of 640 ms is measured as %.0f", *r.Measures.DeadSilenceMS)
		}
	}
	// A bed on another track fills it.
	s.do(&scene.AddTrack{Name: "T", Purpose: "tone"})
	s.sound["bed"] = bed(9, 6, -50)
	s.do(&scene.Bring{Source: scene.Source{ID: "bed", Name: "bed", Samples: 6 * rate, Channels: 1}})
	s.do(&scene.Add{Track: s.scene.Tracks[1].ID, Source: "bed", Length: s.scene.Length()})
	if r := of(t, s.measure(), seam.GapStart); *r.Measures.DeadSilenceMS != 0 {
		t.Errorf("under a bed there is still dead silence of %.0f ms", *r.Measures.DeadSilenceMS)
	}
}

// Real voices: the same words 8 dB down are 8 LU quieter (ITU-R BS.1770 loudness is linear in gain).
func TestTheStepBetweenTwoVoicesIsItsGain(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[0], 1)
	long := func(gain float64) pcm.Block {
		b := bed(7, 4, -75)
		for at := rate / 2; at < len(b[0]); at += int(voice.Len()) + 4800 {
			for i, v := range voice[0] {
				if at+i < len(b[0]) {
					b[0][at+i] += v * gain
				}
			}
		}
		return b
	}
	s := newStudio(t)
	s.lay("close", long(1), 0)
	s.lay("far", long(measure.Amplitude(-8)), 3)
	r := of(t, s.measure(), seam.Cut)
	if r.Measures.LevelStepLU == nil || math.Abs(*r.Measures.LevelStepLU+8) > 1 {
		t.Fatalf("8 dB down is measured as %v", r.Measures.LevelStepLU)
	}
	verdict(t, r, seam.Rough, seam.LevelStep)
	if !strings.Contains(r.Why, "LU quieter") {
		t.Errorf("said as %q", r.Why)
	}
}

func TestAnEndThatStopsDeadAndOneThatFades(t *testing.T) {
	s := newStudio(t)
	s.lay("music", bed(5, 5, -20), 0)
	verdict(t, of(t, s.measure(), seam.Tail), seam.Rough, seam.AbruptEnd)
	s.do(&scene.FadeEdge{Clip: s.scene.Tracks[0].Clips[0].ID, Edge: "tail", Length: rate, Curve: blend.Curve{Shape: blend.QuarterSine}})
	verdict(t, of(t, s.measure(), seam.Fade), seam.Clean, seam.None)
}

// Constant gain over unlike material dips by 3.01 dB in the middle; constant power over like material bulges by as much.
func TestBlendLevelFollowsTheLawAndTheLikeness(t *testing.T) {
	like := bed(6, 5, -30)
	for _, c := range []struct {
		name  string
		right pcm.Block
		law   blend.Law
		want  float64
	}{
		{"gain, unlike", bed(8, 5, -30), blend.ConstantGain, -3.01}, {"power, unlike", bed(8, 5, -30), blend.ConstantPower, 0},
		{"power, alike", like, blend.ConstantPower, 3.01}, {"gain, alike", like, blend.ConstantGain, 0}, {"matched, alike", like, blend.Matched, 0},
	} {
		s := newStudio(t)
		s.lay("a", like, 0)
		s.sound["b"] = c.right
		s.do(&scene.Bring{Source: scene.Source{ID: "b", Name: "b", Samples: 5 * rate, Channels: 1}})
		// The right clip goes on in its recording exactly where the left one ends.
		s.do(&scene.Add{Track: "t1", Source: "b", In: 5*rate - rate/2 - 0, Start: 4 * rate, Length: rate / 2})
		clips := s.scene.Tracks[0].Clips
		s.do(&scene.SetBlend{Left: clips[0].ID, Right: clips[1].ID, Before: 9600, After: 9600, Law: c.law})
		r := of(t, s.measure(), seam.Cut)
		if math.Abs(*r.Measures.BlendLevelDB-c.want) > 0.25 {
			t.Errorf("%s: %.2f dB, want %.2f", c.name, *r.Measures.BlendLevelDB, c.want)
		}
	}
}

func TestKeysChangeWithWhatSoundsAroundASeamAlone(t *testing.T) {
	s := newStudio(t)
	for i, name := range []string{"a", "b", "c", "d", "e", "f", "g", "h"} {
		s.lay(name, bed(uint64(i), 4, -50), float64(3*i))
	}
	before := s.scene
	keys := func(sc *scene.Scene) map[string]string {
		m := map[string]string{}
		for _, x := range seam.Find(sc) {
			m[x.ID] = seam.NewKeys(sc).Of(x)
		}
		return m
	}
	was := keys(before)
	s.do(&scene.Gain{Clips: []string{before.Tracks[0].Clips[0].ID}, DB: -3})
	changed := 0
	for id, k := range keys(s.scene) {
		if was[id] != k {
			changed++
		}
	}
	if changed < 2 || changed > 4 {
		t.Errorf("a gain at the start changes %d of %d seams, want those within 5 s", changed, len(was))
	}
	if _, err := mix.New(s.scene, s.open, mix.Options{}); err != nil {
		t.Fatal(err)
	}
}
