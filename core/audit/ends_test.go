package audit_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/blend"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/seamtest"
)

// begin lays out a piece of a sound as a clip on a track of a purpose, behind a second of nothing, and gives the seam
// at its head.
func begin(t *testing.T, purpose scene.Purpose, sound []float64, in int64) (*seamtest.Studio, audit.Result) {
	t.Helper()
	s := seamtest.New(t)
	s.Do(&scene.AddTrack{Name: "M", Purpose: purpose})
	s.Sound["m"] = pcm.Block{sound}
	n := int64(len(sound))
	s.Do(&scene.Bring{Source: scene.Source{ID: "m", Name: "m", URL: "m.wav", Samples: n, Channels: 1}})
	s.Do(&scene.Add{Track: "t2", Source: "m", In: in, Start: rate, Length: min(2*rate, n-in)})
	return s, seamtest.Of(t, s.Measure(), audit.Head)
}

// Of music and location sound that is cut into while it sounds, 95 of 100 are found; of what enters on a beat, a note
// or a knock, at most 3 of 100 are said to begin abruptly. Every second kind of sound is one on which nothing was set.
func TestWhatBeginsHardIsFound(t *testing.T) {
	r := rand.New(rand.NewPCG(corpus.Seed(), 35))
	kinds := append(append([]string(nil), eartest.MusicKinds...), eartest.HeldOut...)
	want := corpus.Cases(36, 100)
	planted, found, entered, said := 0, 0, 0, 0
	for i := 0; planted < want || entered < want; i++ {
		m := eartest.NewMusic(r, kinds[i%len(kinds)], 8)
		purpose := []scene.Purpose{scene.ForMusic, scene.ForEffects}[i%2]
		look := func(list []int64, n, over *int) {
			for k, at := range list {
				if k == 2 || *n == want {
					return
				}
				*n++
				_, seam := begin(t, purpose, m.Sound, at)
				if seam.Cause == audit.AbruptStart {
					*over++
				}
			}
		}
		look(m.Between(), &planted, &found)
		look(m.Attacks(), &entered, &said)
	}
	t.Logf("%d of %d hard beginnings found, %d of %d entries said to be one", found, planted, said, entered)
	if found*100 < 95*planted || said > max(1, 3*entered/100) {
		t.Errorf("%d of %d hard beginnings found, %d of %d entries said to be one", found, planted, said, entered)
	}
}

// A recording that begins with the clip tells by its first samples whether it was cut there; a fade mends it.
func TestTheHeadOfARecordingItself(t *testing.T) {
	_, rough := begin(t, scene.ForEffects, seamtest.Bed(5, 3, -20)[0], 0)
	seamtest.Judged(t, rough, audit.Rough, audit.AbruptStart)
	struck := make([]float64, 2*rate)
	for i := range struck {
		struck[i] = 0.3 * math.Sin(float64(i)/9) / float64(1+i/2000)
	}
	_, clean := begin(t, scene.ForEffects, struck, 0)
	if clean.Cause == audit.AbruptStart {
		t.Errorf("what is struck and dies away: %s", clean.Why)
	}
	s, _ := begin(t, scene.ForEffects, seamtest.Bed(5, 3, -20)[0], rate/2)
	s.Do(&scene.FadeEdge{Clip: s.Scene.Tracks[1].Clips[0].ID, Edge: "head", Length: rate / 2,
		Curve: blend.Curve{Shape: blend.QuarterSine}})
	seamtest.Judged(t, seamtest.Of(t, s.Measure(), audit.Fade), audit.Clean, audit.None)
}
