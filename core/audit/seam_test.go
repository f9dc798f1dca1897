package audit_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/audit/keys"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

func TestEverySeamIsFound(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 3, -50), 0)
	s.Lay("b", seamtest.Bed(2, 3, -50), 2)
	s.Lay("c", seamtest.Bed(3, 3, -50), 5)
	s.Do(&edit.FadeEdge{Clip: s.Scene.Tracks[0].Clips[2].ID, Edge: "tail", Length: 4800})
	var kinds []string
	for _, x := range audit.Find(s.Scene) {
		kinds = append(kinds, string(x.Kind))
	}
	if got := strings.Join(kinds, " "); got != "head cut gap_start gap_end fade" {
		t.Errorf("found %s", got)
	}
}

func TestABackgroundStepIsMeasuredInDB(t *testing.T) {
	for _, step := range []float64{0, 1, 3, 8, -8} {
		s := seamtest.New(t)
		s.Lay("a", seamtest.Bed(1, 4, -55), 0)
		s.Lay("b", seamtest.Bed(2, 4, -55+step), 3)
		r := seamtest.Of(t, s.Measure(), audit.Cut)
		if math.Abs(*r.Measures.BackgroundStepDB-step) > 0.5 {
			t.Errorf("a step of %g dB is measured as %.2f", step, *r.Measures.BackgroundStepDB)
		}
		switch {
		case math.Abs(step) >= 5:
			seamtest.Judged(t, r, audit.Rough, audit.BackgroundStep)
		case math.Abs(step) >= 2.6:
			seamtest.Judged(t, r, audit.Audible, audit.BackgroundStep)
		case math.Abs(step) <= 1:
			seamtest.Judged(t, r, audit.Clean, audit.None)
		}
	}
}

// A 100 Hz hum cut at its peak on one side and its trough on the other clicks; the same cut between equal phases does
// not, and a blend of 4 frames takes the click away.
func TestAClickIsHeardWhereTheWaveJumps(t *testing.T) {
	hum := func(phase float64) pcm.Block {
		b := seamtest.Bed(4, 4, -75)
		for i := range b[0] {
			b[0][i] += 0.2 * math.Sin(2*math.Pi*(100*float64(i)/rate+phase))
		}
		return b
	}
	build := func(phase float64) *seamtest.Studio {
		s := seamtest.New(t)
		s.Lay("a", hum(0.25), 0)
		s.Lay("b", hum(phase), 3)
		return s
	}
	jump := build(0.75)
	r := seamtest.Of(t, jump.Measure(), audit.Cut)
	seamtest.Judged(t, r, audit.Rough, audit.Click)
	smooth := seamtest.Of(t, build(0.25).Measure(), audit.Cut)
	if *smooth.Measures.ClickDB > 3 {
		t.Errorf("a cut between equal phases clicks by %.1f dB", *smooth.Measures.ClickDB)
	}
	jump.Blend(3840, 3840)
	if after := seamtest.Of(t, jump.Measure(), audit.Cut); *after.Measures.ClickDB > 3 {
		t.Errorf("blended it still clicks by %.1f dB", *after.Measures.ClickDB)
	}
}

// A consonant that a recording holds at the cut is no click of the cut's.
func TestAConsonantAtTheCutIsNoClick(t *testing.T) {
	a, b := seamtest.Bed(1, 4, -60), seamtest.Bed(2, 4, -60)
	for i := range 480 { // a burst, 10 ms before and after the cut
		b[0][rate/2-240+i] += 0.1 * math.Sin(float64(i)*2.1)
		a[0][7*rate/2-240+i] += 0.1 * math.Sin(float64(i)*1.9)
	}
	s := seamtest.New(t)
	s.Lay("a", a, 0)
	s.Lay("b", b, 3)
	if r := seamtest.Of(t, s.Measure(), audit.Cut); *r.Measures.ClickDB > 3 {
		t.Errorf("called a click of %.1f dB", *r.Measures.ClickDB)
	}
}

func TestAHoleIsDeadSilenceOfItsLength(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 3, -55), 0)
	s.Lay("b", seamtest.Bed(2, 3, -55), 2.64)
	all := s.Measure()
	for _, kind := range []audit.Kind{audit.GapStart, audit.GapEnd} {
		r := seamtest.Of(t, all, kind)
		seamtest.Judged(t, r, audit.Rough, audit.DeadSilence)
		if math.Abs(*r.Measures.DeadSilenceMS-640) > 20 {
			t.Errorf("a hole of 640 ms is measured as %.0f", *r.Measures.DeadSilenceMS)
		}
	}
	// A bed on another track fills it.
	s.Do(&edit.AddTrack{Name: "T", Purpose: "tone"})
	s.Sound["bed"] = seamtest.Bed(9, 6, -50)
	s.Do(&edit.Bring{Source: scene.Source{ID: "bed", Name: "bed", Samples: 6 * rate, Channels: 1}})
	s.Do(&edit.Add{Track: s.Scene.Tracks[1].ID, Source: "bed", Length: s.Scene.Length()})
	if r := seamtest.Of(t, s.Measure(), audit.GapStart); *r.Measures.DeadSilenceMS != 0 {
		t.Errorf("under a bed there is still dead silence of %.0f ms", *r.Measures.DeadSilenceMS)
	}
}

// Real voices: the same words 8 dB down are 8 LU quieter (ITU-R BS.1770 loudness is linear in gain).
func TestTheStepBetweenTwoVoicesIsItsGain(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[0], 1)
	long := func(gain float64) pcm.Block {
		b := seamtest.Bed(7, 4, -75)
		for at := rate / 2; at < len(b[0]); at += int(voice.Len()) + 4800 {
			for i, v := range voice[0] {
				if at+i < len(b[0]) {
					b[0][at+i] += v * gain
				}
			}
		}
		return b
	}
	s := seamtest.New(t)
	s.Lay("close", long(1), 0)
	s.Lay("far", long(level.Amplitude(-8)), 3)
	r := seamtest.Of(t, s.Measure(), audit.Cut)
	if r.Measures.LevelStepLU == nil || math.Abs(*r.Measures.LevelStepLU+8) > 1 {
		t.Fatalf("8 dB down is measured as %v", r.Measures.LevelStepLU)
	}
	seamtest.Judged(t, r, audit.Rough, audit.LevelStep)
	if !strings.Contains(r.Why, "LU quieter") {
		t.Errorf("said as %q", r.Why)
	}
}

func TestAnEndThatStopsDeadAndOneThatFades(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("music", seamtest.Bed(5, 5, -20), 0)
	seamtest.Judged(t, seamtest.Of(t, s.Measure(), audit.Tail), audit.Rough, audit.AbruptEnd)
	s.Do(
		&edit.FadeEdge{
			Clip:   s.Scene.Tracks[0].Clips[0].ID,
			Edge:   "tail",
			Length: rate,
			Curve:  blend.Curve{Shape: blend.QuarterSine},
		},
	)
	seamtest.Judged(t, seamtest.Of(t, s.Measure(), audit.Fade), audit.Clean, audit.None)
}

// Constant gain over unlike material dips by 3.01 dB in the middle; constant power over like material bulges by as
// much.
func TestBlendLevelFollowsTheLawAndTheLikeness(t *testing.T) {
	like := seamtest.Bed(6, 5, -30)
	for _, c := range []struct {
		name  string
		right pcm.Block
		law   blend.Law
		want  float64
	}{
		{"gain, unlike", seamtest.Bed(8, 5, -30), blend.ConstantGain, -3.01},
		{"power, unlike", seamtest.Bed(8, 5, -30), blend.ConstantPower, 0},
		{"power, alike", like, blend.ConstantPower, 3.01}, {"gain, alike", like, blend.ConstantGain, 0},
		{"matched, alike", like, blend.Matched, 0},
	} {
		s := seamtest.New(t)
		s.Lay("a", like, 0)
		s.Sound["b"] = c.right
		s.Do(&edit.Bring{Source: scene.Source{ID: "b", Name: "b", Samples: 5 * rate, Channels: 1}})
		// The right clip goes on in its recording exactly where the left one ends.
		s.Do(&edit.Add{Track: "t1", Source: "b", In: 5*rate - rate/2 - 0, Start: 4 * rate, Length: rate / 2})
		clips := s.Scene.Tracks[0].Clips
		s.Do(&edit.SetBlend{Left: clips[0].ID, Right: clips[1].ID, Before: 9600, After: 9600, Law: c.law})
		r := seamtest.Of(t, s.Measure(), audit.Cut)
		if math.Abs(*r.Measures.BlendLevelDB-c.want) > 0.25 {
			t.Errorf("%s: %.2f dB, want %.2f", c.name, *r.Measures.BlendLevelDB, c.want)
		}
	}
}

func TestKeysChangeWithWhatSoundsAroundASeamAlone(t *testing.T) {
	s := seamtest.New(t)
	for i, name := range []string{"a", "b", "c", "d", "e", "f", "g", "h"} {
		s.Lay(name, seamtest.Bed(uint64(i), 4, -50), float64(3*i))
	}
	before := s.Scene
	keys := func(sc *scene.Scene) map[audit.SeamID]string {
		m := map[audit.SeamID]string{}
		for _, x := range audit.Find(sc) {
			m[x.ID] = keys.New(sc).Of(x)
		}
		return m
	}
	was := keys(before)
	s.Do(&edit.Gain{Clips: []scene.ClipID{before.Tracks[0].Clips[0].ID}, DB: -3})
	changed := 0
	for id, k := range keys(s.Scene) {
		if was[id] != k {
			changed++
		}
	}
	if changed < 2 || changed > 4 {
		t.Errorf("a gain at the start changes %d of %d seams, want those within 5 s", changed, len(was))
	}
	if _, err := mix.New(s.Scene, s.Open, mix.Options{}); err != nil {
		t.Fatal(err)
	}
}

// What was accepted stays so where a clip is fitted elsewhere, and is asked again where the sound beside it takes
// another length.
func TestAcceptedSeamsStayWhereAClipIsFittedElsewhere(t *testing.T) {
	s := seamtest.New(t)
	for i, name := range []string{"a", "b"} {
		s.Lay(name, seamtest.Bed(uint64(i), 8, -50), float64(10*i))
	}
	clip := s.Scene.Tracks[0].Clips[0]
	end := float64(clip.Length) / seamtest.Rate
	accepted := func(sc *scene.Scene) (list []bool) {
		for _, x := range audit.SeamsOf(sc, clip.ID) {
			list = append(list, audit.Acceptance(sc, x) != nil)
		}
		return list
	}
	for _, x := range audit.SeamsOf(s.Scene, clip.ID) {
		s.Do(&edit.Accept{Left: x.Left, Right: x.Right, Sound: audit.Sound(s.Scene, x)})
	}
	fitted := func(from, to float64) *scene.Scene {
		span := pcm.Span{From: clip.In + int64(from*seamtest.Rate), To: clip.In + int64(to*seamtest.Rate)}
		next, err := edit.Apply(s.Scene, &edit.Fit{Clip: clip.ID, Parts: []timing.Part{
			{From: span.From, To: span.To, Length: span.Len() * 3 / 4, Kind: timing.Pause}}})
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		return next
	}
	for _, c := range []struct {
		sc   *scene.Scene
		want []bool
	}{{s.Scene, []bool{true, true}}, {fitted(3, 5), []bool{true, true}}, {fitted(0.2, 0.9), []bool{false, true}},
		{fitted(end-0.8, end-0.1), []bool{true, false}}} {
		if got := accepted(c.sc); !slices.Equal(got, c.want) {
			t.Errorf("accepted are %v, want %v", got, c.want)
		}
	}
}
