package roommatch_test

import (
	"context"
	"testing"
	"time"

	"blendseam/core/mend/roommatch"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/seamtest"
)

// long is a scene of 500 clips on two tracks, every other one 5 dB softer, with its analyses there.
func long(b *testing.B) (*scene.Scene, *meter.Sources) {
	s, open := seamtest.Long(b, 250)
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if t.Purpose == scene.ForDialogue && i%2 == 0 {
				t.Clips[i].GainDB = -5
			}
		}
	}
	from := meter.NewSources(open, nil)
	for _, src := range s.Sources {
		if _, err := from.Analysis(context.Background(), s, src); err != nil {
			b.Fatal(err)
		}
	}
	return s, from
}

// BenchmarkEveningOf500 measures how long it takes to plan it and to do it.
func BenchmarkEveningOf500(b *testing.B) {
	s, from := long(b)
	for b.Loop() {
		p, err := roommatch.NewPlan(context.Background(), meter.NewMeter(s, from), roommatch.Options{HushDB: 3}, 0)
		if err != nil {
			b.Fatal(err)
		}
		if _, err := edit.Apply(s, p.Edit); err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(p.Takes)), "takes")
	}
}

// BenchmarkRenderEvened measures how many times faster than it sounds one evened track is rendered, on one core.
func BenchmarkRenderEvened(b *testing.B) {
	s, from := long(b)
	p, err := roommatch.NewPlan(
		context.Background(),
		meter.NewMeter(s, from),
		roommatch.Options{Target: roommatch.Quiet, HushDB: 3},
		0,
	)
	if err != nil {
		b.Fatal(err)
	}
	after, err := edit.Apply(s, p.Edit)
	if err != nil {
		b.Fatal(err)
	}
	x, err := mix.New(after, from.Mix(after), mix.Options{Track: after.Tracks[0].ID})
	if err != nil {
		b.Fatal(err)
	}
	const seconds = 60
	begun, n := time.Now(), 0
	for b.Loop() {
		if _, err := meter.Render(x, pcm.Span{To: seconds * seamtest.Rate}); err != nil {
			b.Fatal(err)
		}
		n++
	}
	b.ReportMetric(float64(n*seconds)/time.Since(begun).Seconds(), "times_real_time")
}
