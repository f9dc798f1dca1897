package mix_test

import (
	"math"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// shaped is a scene of two sources of nothing but ones, with a fade, a blend, a level line, a lull and gains.
func shaped(t *testing.T) (*scene.Scene, mix.Open) {
	s := scene.New("shaped", timecode.F25, 48000)
	s.Channels = 1
	half := 0.5
	fade := int64(960)
	for _, e := range []edit.Edit{
		&edit.AddTrack{Name: "D", Purpose: "dialogue"},
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 200000, Channels: 1}},
		&edit.Bring{Source: scene.Source{ID: "b", Name: "b", Samples: 200000, Channels: 1}},
		&edit.Add{Track: "t1", Source: "a", In: 20000, Start: 0, Length: 96000},
		&edit.Add{Track: "t1", Source: "b", In: 20000, Start: 96000, Length: 96000},
	} {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatal(err)
		}
		s = next
	}
	l, r := s.Tracks[0].Clips[0].ID, s.Tracks[0].Clips[1].ID
	for _, e := range []edit.Edit{
		&edit.SetBlend{Left: l, Right: r, Before: 3000, After: 5000, Law: blend.ConstantGain},
		&edit.FadeEdge{Clip: l, Edge: "head", Length: 7000, Curve: blend.Curve{Shape: blend.QuarterSine}},
		&edit.Gain{Clips: []scene.ClipID{r}, DB: -3},
		&edit.SetLevel{Clip: l, Points: []scene.LevelPoint{{At: 40000, DB: 0}, {At: 60000, DB: -12}}},
		&edit.AddLull{Clip: r, Lull: "u1", From: 130000, To: 150000, DepthDB: 6 + half, FadeIn: &fade, FadeOut: &fade},
	} {
		next, err := edit.Apply(s, e)
		if err != nil {
			t.Fatal(edit.Message(err))
		}
		s = next
	}
	ones := pcm.NewBlock(1, 200000)
	for i := range ones[0] {
		ones[0][i] = 1
	}
	return s, func(scene.Source) (pcm.ReaderAt, error) { return pcm.Memory{Rate: 48000, Sound: ones}, nil }
}

// A source of ones sounds as loud as its voices say: what they say of gains is what is rendered.
func TestVoicesSayTheGainThatIsRendered(t *testing.T) {
	s, open := shaped(t)
	m, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	b := pcm.NewBlock(1, s.Length())
	if err := m.Render(b, 0); err != nil {
		t.Fatal(err)
	}
	for at := int64(0); at < s.Length(); at += 97 {
		sum := 0.0
		for _, v := range m.Voices(pcm.Span{From: at, To: at + 1}) {
			g, err := v.Gain(at)
			if err != nil {
				t.Fatal(err)
			}
			sum += g
		}
		if math.Abs(sum-b[0][at]) > 1e-7 {
			t.Fatalf("sample %d is rendered as %.6f, the voices say %.6f", at, b[0][at], sum)
		}
	}
}

// A mixer of a stretch gives the same bits inside it as one of the whole.
func TestAMixerOfAStretchSoundsTheSameThere(t *testing.T) {
	s, open := shaped(t)
	whole, err := mix.New(s, open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for _, within := range []pcm.Span{{From: 0, To: 100}, {From: 94000, To: 95000}, {From: 95990, To: 96010},
		{From: 100000, To: 101500}, {From: 140000, To: 192000}} {
		part, err := mix.New(s, open, mix.Options{Within: within})
		if err != nil {
			t.Fatal(err)
		}
		a, b := pcm.NewBlock(1, within.Len()), pcm.NewBlock(1, within.Len())
		if err := whole.Render(a, within.From); err != nil {
			t.Fatal(err)
		}
		if err := part.Render(b, within.From); err != nil {
			t.Fatal(err)
		}
		for i := range a[0] {
			if a[0][i] != b[0][i] {
				t.Fatalf("%v: sample %d is %g, in the whole %g", within, i, b[0][i], a[0][i])
			}
		}
	}
}
