package timestretch_test

import (
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/outside"
)

// How many times real time a voice is fitted on one core: go test -bench Fitting -cpu 1.
func BenchmarkFitting(b *testing.B) {
	voice := pcm.NewBlock(1, 0)
	for voice.Len() < 30*rate {
		for _, file := range outside.Voices(b) {
			voice[0] = append(voice[0], outside.Decode(b, file, 1)[0]...)
		}
	}
	for _, kind := range []timing.Kind{timing.Words, timing.Music} {
		b.Run(string(kind), func(b *testing.B) {
			for b.Loop() {
				r, err := timestretch.Open(
					timing.Fit{Parts: []timing.Part{{To: voice.Len(), Length: voice.Len() * 4 / 5, Kind: kind}}},
					pcm.Memory{Rate: rate, Sound: voice},
				)
				if err != nil {
					b.Fatal(err)
				}
				if _, err := pcm.Read(r, pcm.Span{To: r.Len()}); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(voice.Len())/rate*float64(b.N)/b.Elapsed().Seconds(), "xrealtime")
		})
	}
}
