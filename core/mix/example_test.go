package mix_test

import (
	"fmt"
	"math"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// A sound cut in two and blended with itself: constant gain leaves no trace, constant power bulges by 3 dB.
func ExampleNew() {
	steady := pcm.NewBlock(1, 96000)
	for i := range steady[0] {
		steady[0][i] = 0.5
	}
	open := func(scene.Source) (pcm.ReaderAt, error) { return pcm.Memory{Rate: 48000, Sound: steady}, nil }
	for _, law := range []blend.Law{blend.ConstantGain, blend.ConstantPower} {
		s := scene.New("cut", timecode.F25, 48000)
		for _, e := range []edit.Edit{
			&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 96000, Channels: 1}},
			&edit.AddTrack{Name: "D", Purpose: "dialogue"},
			&edit.Add{Track: "t1", Source: "a", Length: 48000},
			&edit.Add{Track: "t1", Source: "a", In: 48000, Start: 48000, Length: 48000},
			&edit.SetBlend{Left: "c2", Right: "c3", Before: 960, After: 960, Law: law},
		} {
			next, err := edit.Apply(s, e)
			if err != nil {
				panic(err)
			}
			s = next
		}
		m, err := mix.New(s, open, mix.Options{})
		if err != nil {
			panic(err)
		}
		b := pcm.NewBlock(m.Channels(), 1)
		if err := m.Render(b, 48000); err != nil { // the middle of the blend
			panic(err)
		}
		fmt.Printf("%s: %+.2f dB\n", law.Name(), math.Round(2000*math.Log10(b[0][0]/0.5))/100+0)
	}
	// Output:
	// Constant gain: +0.00 dB
	// Constant power: +3.01 dB
}
