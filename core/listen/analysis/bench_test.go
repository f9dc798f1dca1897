package analysis_test

import (
	"context"
	"io"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/roomtest"
)

const rate = 48000

// spoken is minutes of words over a room, a pause of a second or so after each.
func spoken(t testing.TB, minutes int) pcm.Memory {
	words, rooms := roomtest.Words(t), room.Kinds
	sound := rooms[0].Sound(int64(minutes)*60*rate, rate, 1, 4)
	for at, i := rate, 0; at < minutes*60*rate; i++ {
		w := words[i%len(words)]
		for k, v := range w {
			if at+k < len(sound[0]) {
				sound[0][at+k] += v
			}
		}
		at += len(w) + rate/2 + i%5*rate/3
	}
	return pcm.Memory{Rate: rate, Sound: sound}
}

func BenchmarkAnalysis(b *testing.B) {
	sound := spoken(b, 5)
	b.ResetTimer()
	for b.Loop() {
		if err := analysis.Write(context.Background(), io.Discard, sound, nil); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(300*float64(b.N)/b.Elapsed().Seconds(), "x")
}
