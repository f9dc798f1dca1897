package measure

import (
	"math/rand/v2"
	"testing"

	"blendseam/core/sound/pcm"
)

func BenchmarkLoudnessOfNoise(b *testing.B) {
	rng := rand.New(rand.NewPCG(1, 1))
	block := pcm.NewBlock(2, 48000*10)
	for _, ch := range block {
		for i := range ch {
			ch[i] = rng.Float64()*0.2 - 0.1
		}
	}
	for b.Loop() {
		LoudnessOf(block, 48000)
	}
}
