package roommatch_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/mend/roommatch"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

// clattering are two takes of a voice, one over a quiet even room, one over another that clatters some ten times a
// second and is louder; so many seconds of it lie on each side of the voice.
func clattering(t *testing.T, seconds float64) *seamtest.Studio {
	t.Helper()
	s := seamtest.New(t)
	word := roomtest.Words(t)[0]
	at := 0.0
	for i, name := range []string{"even", "loud"} {
		own := []float64{5, seconds}[i]
		sound := noise(uint64(4+i), 2*own+float64(len(word))/rate, []float64{-66, -55}[i], 1)
		if i == 1 {
			r := rand.New(rand.NewPCG(1, 2))
			for from := 0; from+rate/20 < len(sound); from += rate/20 + r.IntN(rate/10) {
				for k := range rate / 20 {
					sound[from+k] *= 1 + math.Sin(math.Pi*float64(k)*20/rate)
				}
			}
		}
		for k, v := range word {
			sound[int(own*rate)+k] += 0.3 * v
		}
		s.Lay(name, pcm.Block{sound}, at)
		at = float64(len(sound))/rate - 1
	}
	return s
}

// spreadDB is the standard deviation of the levels of 20 ms.
func spreadDB(v []float64) float64 {
	levels := measure.FrameLevels(pcm.Block{v}, rate)
	sum, square := 0.0, 0.0
	for _, l := range levels {
		sum, square = sum+l, square+l*l
	}
	n := float64(len(levels))
	return math.Sqrt(square/n - sum*sum/n/n)
}

// Where little of a recording lies in the scene, what is laid under others comes from the rest of it as well.
func TestAFillIsMadeFromPausesFartherOff(t *testing.T) {
	s := clattering(t, 6)
	loud := s.Scene.Tracks[0].Clips[1]
	s.Do(&edit.Trim{Clip: loud.ID, Edge: scene.Tail, To: loud.Start + rate})
	if p := plan(t, s, roommatch.Options{Target: "loud"}); p.From != "loud" {
		t.Errorf("made from %q, of %.1f s of pauses", p.From, p.Takes[1].S)
	}
}

// What is laid under a take comes from the pauses of the target's room where there is enough of them: where that
// crackles, so does it.
func TestFillsAreMadeFromTheTargetsRoom(t *testing.T) {
	for _, c := range []struct {
		seconds float64
		from    string
	}{{6, "loud"}, {1.5, ""}} {
		s := clattering(t, c.seconds)
		p := plan(t, s, roommatch.Options{Target: "loud"})
		if p.From != c.from {
			t.Errorf("%g s of pauses: made from %q, not %q", c.seconds, p.From, c.from)
		}
		was := s.Render(s.Scene)
		after, err := edit.Apply(s.Scene, p.Edit)
		if err != nil {
			t.Fatal(err)
		}
		is := s.Render(after)
		end := int64(len(was[0])) - rate/2
		target := pcm.Span{From: end - int64(0.3*c.seconds*rate), To: end}
		wanted, filled := spreadDB(was[0][target.From:target.To]), spreadDB(is[0][rate/2:3*rate])
		t.Logf("%g s: spread of the target %.2f, of what was filled %.2f, as it was %.2f dB", c.seconds, wanted, filled,
			spreadDB(was[0][rate/2:3*rate]))
		if c.from != "" && math.Abs(filled-wanted) > 0.4 {
			t.Errorf("levels of 20 ms are spread by %.2f dB, those of the target by %.2f", filled, wanted)
		}
		_, thirds := heard(is, pcm.Span{From: rate / 2, To: 3 * rate})
		_, goal := heard(was, target)
		if d := apart(thirds, goal); d > 2 {
			t.Errorf("%g s: colour %.1f dB apart", c.seconds, d)
		}
	}
}
