package analysis_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A second of a tone in ten seconds of a quiet room is the one thing that stands out.
func ExampleAnalyze() {
	r := rand.New(rand.NewPCG(1, 2))
	sound := pcm.NewBlock(1, 10*48000)
	for i := range sound[0] {
		sound[0][i] = 0.001 * r.NormFloat64()
		if i >= 4*48000 && i < 5*48000 {
			sound[0][i] += 0.1 * math.Sin(2*math.Pi*440*float64(i)/48000)
		}
	}
	a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: 48000, Sound: sound})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, s := range a.Stretches {
		fmt.Printf("from %.1f s to %.1f s, %.0f dBFS\n", float64(s.Span.From)/48000, float64(s.Span.To)/48000, s.PeakDB)
	}
	f, err := a.Frames(pcm.Span{From: 48000, To: 48000 + 2*480})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("the room is at %.0f dBFS\n", level.OfPower(float64(f.Level[0])))
	// Output:
	// from 4.0 s to 5.0 s, -23 dBFS
	// the room is at -60 dBFS
}
