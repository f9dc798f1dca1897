package mix_test

import (
	"math"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// paired lays two recordings on two tracks that overlap by a second, as a pair.
func paired(t *testing.T, a, b pcm.Block, law blend.Law) (*scene.Scene, mix.Open) {
	s := scene.New("pair", timecode.F25, 48000)
	s.Channels = 1
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: a.Len(), Channels: 1}},
		&edit.Bring{Source: scene.Source{ID: "b", Name: "b", Samples: b.Len(), Channels: 1}},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"}, &edit.AddTrack{Name: "E", Purpose: "effects"},
		&edit.Add{Track: "t1", Source: "a", Length: 96000},
		&edit.Add{Track: "t2", Source: "b", In: 72000, Start: 96000, Length: 72000},
	} {
		s = apply(t, s, e)
	}
	// They touch; each is extended by half a second.
	return apply(
			t,
			s,
			&edit.SetPair{Out: s.Tracks[0].Clips[0].ID, In: s.Tracks[1].Clips[0].ID, From: 72000, To: 120000, Law: law},
		), sources(
			48000,
			map[string]pcm.Block{"a": a, "b": b},
		)
}

// Two noises that are not alike go over from one track to the other at constant power, without a dip; two of one sound
// by the matched law, without a bulge, where constant power would bulge by 3.01 dB.
func TestAPairHoldsThePowerAcrossTwoTracks(t *testing.T) {
	one, two := noise(1, 1, 200000), noise(2, 1, 200000)
	for _, c := range []struct {
		name string
		b    pcm.Block
		law  blend.Law
		want float64
	}{{"unlike, constant power", two, blend.ConstantPower, 0}, {"unlike, constant gain", two, blend.ConstantGain, -3.01},
		{"alike, matched", one, blend.Matched, 0}, {"alike, constant power", one, blend.ConstantPower, 3.01}} {
		s, open := paired(t, one, c.b, c.law)
		if len(s.Pairs) != 1 {
			t.Fatal("no pair was made")
		}
		if c.b[0][0] == one[0][0] { // let the second run in step with the first
			in := s.Tracks[1].Clips[0]
			s = apply(t, s, &edit.Slip{Clip: in.ID, By: in.Start - in.In})
		}
		whole := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()})
		ends, middle := measure.RMSDB(whole.Slice(0, 60000)), measure.RMSDB(whole.Slice(94000, 98000))
		if math.Abs(middle-ends-c.want) > 0.25 {
			t.Errorf("%s: the middle lies %.2f dB off the ends, want %.2f", c.name, middle-ends, c.want)
		}
	}
}

// A level line is straight in dB between its points and stays on its moment of the recording when the clip is trimmed.
func TestALevelLineStaysOnItsSound(t *testing.T) {
	flat := pcm.NewBlock(1, 48000)
	for i := range flat[0] {
		flat[0][i] = 0.5
	}
	s := scene.New("line", timecode.F25, 48000)
	s.Channels = 1
	for _, e := range []edit.Edit{&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 48000, Channels: 1}},
		&edit.AddTrack{Name: "D", Purpose: "dialogue"},
		&edit.Add{Track: "t1", Source: "a", Length: 48000}} {
		s = apply(t, s, e)
	}
	id := s.Tracks[0].Clips[0].ID
	s = apply(t, s, &edit.SetLevel{Clip: id, Points: []scene.LevelPoint{{At: 12000, DB: 0}, {At: 24000, DB: -12}}})
	open := sources(48000, map[string]pcm.Block{"a": flat})
	whole := render(t, s, open, mix.Options{}, pcm.Span{To: 48000})
	for at, db := range map[int]float64{0: 0, 12000: 0, 15000: -3, 18000: -6, 24000: -12, 40000: -12} {
		if got := 20 * math.Log10(whole[0][at]/0.5); math.Abs(got-db) > 1e-6 {
			t.Errorf("at %d it is %.4f dB, want %g", at, got, db)
		}
	}
	trimmed := apply(t, s, &edit.Trim{Clip: id, Edge: "head", To: 9600})
	part := render(t, trimmed, open, mix.Options{}, pcm.Span{From: 9600, To: 48000})
	for i, v := range part[0] {
		if v != whole[0][9600+i] {
			t.Fatalf("trimmed it differs at %d", i)
		}
	}
}
