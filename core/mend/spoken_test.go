package mend_test

import (
	"context"
	"math/rand/v2"
	"testing"

	"blendseam/core/mend"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/seamtest"
)

// Scenes of voices that nothing was tuned on, fluent and paused, near and far, cut anywhere between words and within
// them, are mended. Not one 100 ms of what is said is 6 dB lower afterwards.
func TestMendingTakesNothingThatIsSaid(t *testing.T) {
	t.Parallel()
	speakers := eartest.Speakers(t, eartest.Fresh)
	if len(speakers) == 0 {
		t.Skip("no voices are installed")
	}
	cases := corpus.Cases(3, 200)
	seconds := make([]float64, cases)
	err := parallel.Each(context.Background(), cases, 0, func(i int) error {
		r := rand.New(rand.NewPCG(corpus.Seed()+500, uint64(i)))
		s, said := cutScene(t, r, speakers[r.IntN(len(speakers))])
		{
			mending, err := mend.New(s.Meter()).Mend(t.Context(), s.Measure(), mend.MendOptions{Threads: 1})
			if err != nil {
				return err
			}
			before, after := s.Render(s.Scene), s.Render(mending.Scene)
			for _, w := range said {
				for at := w.From; at+rate/10 <= w.To && at+rate/10 <= after.Len(); at += rate / 20 {
					was, is := rms(before, at), rms(after, at)
					if was-is > 6 {
						seconds[i] += 0.1
						t.Logf("case %d: %.2f s is %.1f dB lower than before", i, float64(at)/rate, was-is)
					}
				}
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	sum := 0.0
	for _, s := range seconds {
		sum += s
	}
	if sum > 0 {
		t.Errorf("%.1f s of what is said went in %d scenes", sum, cases)
	}
}

func rms(b pcm.Block, at int64) float64 { return max(-100, measure.RMSDB(b.Slice(at, at+rate/10))) }

// cutScene lays two or three takes one after the other, each cut at a moment of its own, and says where in the scene
// somebody speaks: the 100 ms that lie in spoken frames, no nearer than 100 ms to a cut, where a blend is.
func cutScene(t *testing.T, r *rand.Rand, speaker eartest.Speaker) (*seamtest.Studio, []pcm.Span) {
	s := seamtest.New(t)
	var said []pcm.Span
	start := int64(0)
	for i := range 2 + r.IntN(2) {
		w := eartest.Draw(r)
		w.Seconds = 8
		rec := eartest.New(r, speaker, w)
		turn := level.Amplitude(-r.Float64() * 4)
		for k := range rec.Sound {
			rec.Sound[k] *= turn
		}
		name := string(rune('a' + i))
		s.Sound[name] = pcm.Block{rec.Sound}
		s.Do(&edit.Bring{Source: scene.Source{ID: name, Name: name, Samples: int64(len(rec.Sound)), Channels: 1}})
		in, out := r.Int64N(2*rate), int64(len(rec.Sound))-r.Int64N(2*rate)
		s.Do(&edit.Add{Track: "t1", Source: name, In: in, Start: start, Length: out - in})
		for k, is := range rec.Spoken {
			f := pcm.Span{From: int64(k) * eartest.Hop, To: int64(k+1) * eartest.Hop}
			if !is || f.From < in+rate/10 || f.To > out-rate/10 {
				continue
			}
			f = f.Add(start - in)
			if n := len(said); n > 0 && said[n-1].To == f.From {
				said[n-1].To = f.To
			} else {
				said = append(said, f)
			}
		}
		start += out - in
	}
	return s, said
}
