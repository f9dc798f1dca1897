package fit_test

import (
	"math/rand/v2"
	"testing"

	"blendseam/core/fit"
	"blendseam/core/fit/timing"
	"blendseam/core/pcm"
	"blendseam/internal/outside"
)

// fitted is a sound of which all is fitted.
func fitted(t testing.TB, b pcm.Block, length int64, kind timing.Kind) (*fit.Reader, pcm.Block) {
	t.Helper()
	all := []timing.Part{{To: b.Len(), Length: length, Kind: kind}}
	r, err := fit.Open(timing.Fit{Parts: all}, pcm.Memory{Rate: rate, Sound: b})
	if err != nil {
		t.Fatal(err)
	}
	whole, err := pcm.Read(r, pcm.Span{To: r.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return r, whole
}

func TestAnyStretchOfWhatIsFittedIsTheSameBits(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	voice := outside.Decode(t, outside.Voices(t)[0], 1)
	for _, kind := range []timing.Kind{timing.Words, timing.Pause, timing.Music} {
		for _, length := range []int64{voice.Len() * 7 / 10, voice.Len() * 13 / 10} {
			_, whole := fitted(t, voice, length, kind)
			if whole.Len() != length {
				t.Errorf("%s: %d samples, not %d", kind, whole.Len(), length)
			}
			for range 12 {
				again, _ := fit.Open(
					timing.Fit{Parts: []timing.Part{{To: voice.Len(), Length: length, Kind: kind}}},
					pcm.Memory{Rate: rate, Sound: voice},
				)
				from := rng.Int64N(length - 100)
				span := pcm.Span{From: from, To: from + 1 + rng.Int64N(min(9000, length-from))}
				part, err := pcm.Read(again, span)
				if err != nil {
					t.Fatal(err)
				}
				outside.Same(t, string(kind), part, whole.Slice(span.From, span.To))
			}
		}
	}
}
