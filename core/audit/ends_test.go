package audit_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/seamtest"
)

// begins lays out pieces of a sound, each as a clip on a track of its own behind a second of nothing, and gives the
// seams at their heads.
func begins(t *testing.T, purpose scene.Purpose, sound []float64, in ...int64) (*seamtest.Studio, []audit.Result) {
	t.Helper()
	s := seamtest.New(t)
	s.Sound["m"] = pcm.Block{sound}
	n := int64(len(sound))
	s.Do(&edit.Bring{Source: scene.Source{ID: "m", Name: "m", URL: "m.wav", Samples: n, Channels: 1}})
	for _, at := range in {
		s.Do(&edit.AddTrack{Name: "M", Purpose: purpose})
		track := s.Scene.Tracks[len(s.Scene.Tracks)-1].ID
		s.Do(&edit.Add{Track: track, Source: "m", In: at, Start: rate, Length: min(2*rate, n-at)})
	}
	var heads []audit.Result
	all := s.Measure()
	for _, t := range s.Scene.Tracks {
		for _, r := range all {
			if r.Track == t.ID && r.Kind == audit.Head {
				heads = append(heads, r)
			}
		}
	}
	return s, heads
}

// begin is begins of one piece.
func begin(t *testing.T, purpose scene.Purpose, sound []float64, in int64) (*seamtest.Studio, audit.Result) {
	t.Helper()
	s, heads := begins(t, purpose, sound, in)
	if len(heads) != 1 {
		t.Fatalf("%d heads", len(heads))
	}
	return s, heads[0]
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
		hard, soft := m.Between(), m.Attacks()
		hard, soft = hard[:min(2, want-planted, len(hard))], soft[:min(2, want-entered, len(soft))]
		_, heads := begins(t, purpose, m.Sound, append(append([]int64(nil), hard...), soft...)...)
		if len(heads) != len(hard)+len(soft) {
			t.Fatalf("%d heads of %d", len(heads), len(hard)+len(soft))
		}
		planted, entered = planted+len(hard), entered+len(soft)
		for k, seam := range heads {
			switch is := seam.Cause == audit.AbruptStart; {
			case is && k < len(hard):
				found++
			case is:
				said++
			}
		}
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
	s.Do(&edit.FadeEdge{Clip: s.Scene.Tracks[1].Clips[0].ID, Edge: "head", Length: rate / 2,
		Curve: blend.Curve{Shape: blend.QuarterSine}})
	seamtest.Judged(t, seamtest.Of(t, s.Measure(), audit.Fade), audit.Clean, audit.None)
}
