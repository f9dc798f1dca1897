package mix

import (
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A bus is what is done to a track as a whole, after its clips are summed: it makes way for words, and lies more to one
// side.
type bus struct {
	duck  []scene.LevelPoint // over the scene's time; no points: nothing
	sides []float64          // a gain for each channel; none: 1
}

func busOf(s *scene.Scene, t *scene.Track) bus {
	b := bus{duck: scene.DuckLine(s, t)}
	if t.Balance != 0 && s.Channels == 2 {
		left, right := scene.BalanceGains(t.Balance)
		b.sides = []float64{left, right}
	}
	return b
}

func (b *bus) does() bool { return len(b.duck) > 0 || b.sides != nil }

// gain is that of all channels at a moment of the scene, without sides.
func (b *bus) gain(at int64) float64 {
	if len(b.duck) == 0 {
		return 1
	}
	return level.Amplitude(scene.LevelAt(b.duck, at))
}

// apply works on what a track sounds like from sample at on.
func (b *bus) apply(sound pcm.Block, at int64) {
	turnBy(sound, b.duck, at)
	for c, by := range b.sides {
		for i := range sound[c] {
			sound[c][i] *= by
		}
	}
}
