package mix_test

import (
	"math"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/pcm"
)

func chain() *effects.Chain {
	return &effects.Chain{
		Compressor: &effects.Compressor{ThresholdDB: -30, Ratio: 4, AttackMS: 3, ReleaseMS: 60, MakeUpDB: 2},
		Echo:       &effects.Echo{DelayMS: 100, DownDB: 9, Times: 3},
	}
}

// A treated range is, inside, the treated clip bit for bit, outside the clip as it was, and goes over between them as
// constant gain has it.
func TestATreatedRangeIsTheTreatedClipInside(t *testing.T) {
	sound := noise(1, 2, 8*48000)
	s, open := one(t, sound)
	id := s.Tracks[0].Clips[0].ID
	all := apply(t, s, &edit.SetTreatments{Clips: []scene.ClipID{id}, Treatments: chain()})
	part := apply(t, s, &edit.TreatRange{From: 2 * 48000, To: 5 * 48000, Slope: 960, Treatments: chain()})
	whole := pcm.Span{To: sound.Len()}
	plain, treated := render(t, s, open, mix.Options{}, whole), render(t, all, open, mix.Options{}, whole)
	got := render(t, part, open, mix.Options{}, whole)
	for c := range got {
		for i, v := range got[c] {
			want := treated[c][i]
			switch {
			case i < 2*48000-480 || i >= 5*48000+480:
				want = plain[c][i]
			case i < 2*48000+480:
				x := (float64(i-2*48000+480) + 0.5) / 960
				want = (1-x)*plain[c][i] + x*treated[c][i]
			case i >= 5*48000-480:
				x := (float64(i-5*48000+480) + 0.5) / 960
				want = (1-x)*treated[c][i] + x*plain[c][i]
			}
			if i >= 2*48000+480 && i < 5*48000-480 && v != want || math.Abs(v-want) > 2e-7 {
				t.Fatalf("sample %d: %g, not %g", i, v, want)
			}
		}
	}
	alone := render(t, part, open, mix.Options{}, pcm.Span{From: 3*48000 + 7, To: 3*48000 + 99})
	for i, v := range alone[0] {
		if v != got[0][3*48000+7+i] {
			t.Fatalf("sample %d differs when it is rendered alone", i)
		}
	}
}

// A treated track treats the sum of its clips, before its gain: echoes go on in its gaps. Any stretch is the same bits
// alone, also by a mixer of that stretch.
func TestATreatedTrackTreatsTheSumOfItsClips(t *testing.T) {
	sound := noise(2, 2, 4*48000)
	s, open := one(t, sound)
	s = apply(t, s, &edit.Add{Track: "t1", Source: "n", In: 48000, Start: 6 * 48000, Length: 2 * 48000})
	whole := pcm.Span{To: s.Length()}
	plain := render(t, s, open, mix.Options{}, whole)
	gain := -6.0
	s = apply(t, s, &edit.SetTrack{Track: "t1", GainDB: &gain})
	s = apply(t, s, &edit.SetTreatments{Tracks: []scene.TrackID{"t1"}, Treatments: chain()})
	got := render(t, s, open, mix.Options{}, whole)
	by, err := effects.New(pcm.Memory{Rate: 48000, Sound: plain}, chain(), nil)
	if err != nil {
		t.Fatal(err)
	}
	want, err := pcm.Read(by, whole)
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range got[0] {
		if w := want[0][i] * math.Pow(10, -6.0/20); math.Abs(v-w) > 1e-6 {
			t.Fatalf("sample %d: %g, not %g", i, v, w)
		}
	}
	if got[0][4*48000+4700] == 0 {
		t.Error("the echo stops where the clip ends")
	}
	near := pcm.Span{From: 7 * 48000, To: 7*48000 + 500}
	for _, opt := range []mix.Options{{}, {Within: near}} {
		for i, v := range render(t, s, open, opt, near)[0] {
			if v != got[0][near.From+int64(i)] {
				t.Fatalf("sample %d differs when it is rendered alone (%v)", i, opt.Within)
			}
		}
	}
}

// The recording of an impulse is opened by the scene; a bypassed chain opens nothing and changes nothing.
func TestAnImpulseOfTheSceneSounds(t *testing.T) {
	sound := noise(3, 1, 2*48000)
	s, _ := one(t, sound)
	s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "ir", Name: "ir", Samples: 4800, Channels: 1}})
	impulse := pcm.NewBlock(1, 4800)
	impulse[0][960] = 0.5
	open := sources(48000, map[string]pcm.Block{"n": sound, "ir": impulse})
	c := &effects.Chain{Reverb: &effects.Reverb{Source: "ir", Alone: true}}
	id := s.Tracks[0].Clips[0].ID
	wet := apply(t, s, &edit.SetTreatments{Clips: []scene.ClipID{id}, Treatments: c})
	got := render(t, wet, open, mix.Options{}, pcm.Span{To: sound.Len()})
	for i := 960; i < len(sound[0]); i++ {
		if math.Abs(got[0][i]-sound[0][i-960]) > 1e-6 {
			t.Fatalf("sample %d is not that of 20 ms before", i)
		}
	}
	off := *c
	off.Off = true
	dry := apply(t, wet, &edit.SetTreatments{Clips: []scene.ClipID{id}, Treatments: &off})
	only := sources(48000, map[string]pcm.Block{"n": sound})
	for i, v := range render(t, dry, only, mix.Options{}, pcm.Span{To: sound.Len()})[0] {
		if v != sound[0][i] {
			t.Fatalf("sample %d is changed by a bypassed chain", i)
		}
	}
}
