package analysis_test

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// Every clean recording of a voice has words, though it has no background that they could stand out of: they hold
// nearly all of its power. Noise and silence have none.
func TestVoicesWithoutABackgroundHaveWords(t *testing.T) {
	spoken := func(b pcm.Block) []pcm.Span {
		a, err := analysis.Analyze(context.Background(), pcm.Memory{Rate: 48000, Sound: b})
		if err != nil {
			t.Fatal(err)
		}
		list, err := a.Spoken(pcm.Span{To: b.Len()})
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	for _, file := range outside.Voices(t) {
		b := outside.Decode(t, file, 1)
		if measure.Percentile(measure.FrameLevels(b, 48000), 0.5) > -20 && b.Len() > 3*48000 {
			continue // "Noise" is no voice
		}
		inside, all := 0.0, 0.0
		for _, v := range b[0] {
			all += v * v
		}
		for _, w := range spoken(b) {
			for _, v := range b[0][w.From:w.To] {
				inside += v * v
			}
		}
		if inside < 0.95*all {
			t.Errorf("%s: words hold %.0f %% of its power", file, 100*inside/all)
		}
	}
	r := rand.New(rand.NewPCG(1, 1))
	noise, quiet := pcm.NewBlock(1, 3*48000), pcm.NewBlock(1, 3*48000)
	for i := range noise[0] {
		noise[0][i] = level.Amplitude(-30) * r.NormFloat64()
		quiet[0][i] = level.Amplitude(-75) * r.NormFloat64() * math.Abs(math.Sin(float64(i)/9000))
	}
	for name, b := range map[string]pcm.Block{
		"noise": noise, "next to nothing": quiet, "silence": pcm.NewBlock(1, 96000),
	} {
		if got := spoken(b); len(got) > 0 {
			t.Errorf("%s has words at %v", name, got)
		}
	}
}
