package roommatch_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/mend/roommatch"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/seamtest"
)

func sounds() []string {
	all := []string{"line-up tone", "swelling engine", "beeps", "chords", "bells"}
	return all[:corpus.Cases(3, len(all))]
}

// A line-up tone, beeps, a swelling engine or a held chord in front of the words of one take are no room: the noise of
// no take rises by more than 1 dB over the loudest one.
func TestNoOtherSoundBecomesRoom(t *testing.T) {
	for i, name := range sounds() {
		r := rand.New(rand.NewPCG(uint64(i), 41))
		loud := eartest.NewOther(r, name, 6)
		s := seamtest.New(t)
		first := said(t, 0, noise(uint64(2*i+1), 15, -60, 1))
		for k, x := range loud.Sound[:6*rate] {
			if k < len(first)-9*rate {
				first[9*rate+k] += x
			}
		}
		s.Lay("first", pcm.Block{first}, 0)
		s.Lay("second", pcm.Block{said(t, 1, noise(uint64(2*i+2), 15, -57, 1))}, 14)
		p := plan(t, s, roommatch.Options{Target: roommatch.Natural, HushDB: roommatch.AsNeeded})
		if p.RiseOverLoudestDB > 1 || math.Abs(p.Target.LevelDB+57) > 2 {
			t.Errorf("%s: the room is brought to %.1f dBFS, %.1f dB over the loudest take",
				name, p.Target.LevelDB, p.RiseOverLoudestDB)
		}
	}
}
