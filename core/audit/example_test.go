package audit_test

import (
	"context"
	"fmt"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// Every place where a track's sound changes is a seam; each is measured in the sound as it is rendered.
func ExampleAll() {
	hum := pcm.NewBlock(1, 96000) // it begins and ends in full swing
	for i := range hum[0] {
		hum[0][i] = 0.25
	}
	s := scene.New("stops dead", timecode.F25, 48000)
	for _, e := range []edit.Edit{
		&edit.Bring{Source: scene.Source{ID: "a", Name: "a", Samples: 96000, Channels: 1}},
		&edit.AddTrack{Name: "Music", Purpose: "music"},
		&edit.Add{Track: "t1", Source: "a", Name: "tune", Length: 96000},
	} {
		next, err := edit.Apply(s, e)
		if err != nil {
			panic(err)
		}
		s = next
	}
	from := meter.NewSources(
		func(scene.Source) (pcm.ReaderAt, error) { return pcm.Memory{Rate: 48000, Sound: hum}, nil },
		nil,
	)
	all, err := audit.All(context.Background(), meter.NewMeter(s, from), 1)
	if err != nil {
		panic(err)
	}
	for _, r := range all {
		fmt.Println(r.Kind, r.Verdict, r.Cause)
	}
	// Output:
	// head rough click
	// tail rough click
}
