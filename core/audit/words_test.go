package audit_test

import (
	"context"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
)

// A recording that ends in the middle of a loud word, and has no handle to show what is missing, is cut into all the
// same; one that ends behind its words is not. Real voices, from Debian's alsa-utils.
func TestAWordThatStopsWithItsRecordingIsCutInto(t *testing.T) {
	m := seamtest.NewMaker(t, 5)
	for i := range 6 {
		take := m.Take(m.Room(), -56, 0, 0)
		in := m.InAWord(take.Sound, take.First)
		for _, c := range []struct {
			name string
			end  int64
			want audit.Cause
		}{{"in a word", in, audit.WordCut}, {"in the pause", take.First.To + rate/3, audit.None}} {
			s := seamtest.New(t)
			s.Sound["l"], s.Sound["r"] = pcm.Block{take.Sound[:c.end]}, pcm.Block{take.Sound}
			for _, id := range []string{"l", "r"} {
				s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.Sound[id].Len(), Channels: 1}})
			}
			s.Do(&edit.Add{Track: "t1", Source: "l", Length: c.end})
			s.Do(
				&edit.Add{
					Track:  "t1",
					Source: "r",
					In:     take.First.To + rate/3,
					Start:  c.end,
					Length: take.Second.To - take.First.To,
				},
			)
			if r := seamtest.Of(
				t,
				s.Measure(),
				audit.Cut,
			); r.Cause != c.want &&
				!(c.want == audit.None && r.Verdict == audit.Clean) {
				t.Errorf("case %d, cut %s: %s (%s)", i, c.name, r.Cause, r.Why)
			}
		}
	}
}

// The words say what a blend covers, and a lean that would not cover it.
func TestWhatABlendCoversOfAWordIsSaid(t *testing.T) {
	m := seamtest.NewMaker(t, 6)
	k := m.Room()
	left, right := m.Take(k, -56, 0, 0), m.Take(k, -56, 0, 0)
	s := seamtest.New(t)
	s.Sound["l"], s.Sound["r"] = pcm.Block{left.Sound}, pcm.Block{right.Sound}
	for _, id := range []string{"l", "r"} {
		s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.Sound[id].Len(), Channels: 1}})
	}
	out, in := left.First.To+rate/4, right.Second.From-rate/20 // the cut lies just before a word
	s.Do(&edit.Add{Track: "t1", Source: "l", In: 0, Length: out})
	s.Do(&edit.Add{Track: "t1", Source: "r", In: in, Start: out, Length: right.Second.To - in})
	look := func() (audit.Seam, *meter.Meter, [2][]speech.Part) {
		mt := s.Meter()
		x := seamtest.Of(t, s.Measure(), audit.Cut).Seam
		words, err := audit.WordsBeside(context.Background(), mt, x)
		if err != nil || len(words[0]) == 0 || len(words[1]) == 0 {
			t.Fatal(err, words)
		}
		return x, mt, words
	}
	x, _, words := look()
	if got := seamtest.Of(t, s.Measure(), audit.Cut).Measures.BlendWordsMS; got != nil {
		t.Errorf("%.0f ms of words lie in a blend that is none", *got)
	}
	onset := int64(math.MaxInt64)
	for _, w := range words[1] {
		if w.Span.From > x.At {
			onset = min(onset, w.Span.From)
		}
	}
	s.Do(&edit.PlaceCut{Left: x.Left, Right: x.Right, To: onset - rate/50})
	s.Blend(rate/20, rate/20)
	x, mt, words := look()
	covers := audit.CoveredWords(mt, x, words)
	// the true onset is the corpus maker's, who laid the voice there
	truth := float64(x.To-out-(right.Second.From-in)) * 1000 / rate
	if got := seamtest.Of(t, s.Measure(), audit.Cut).Measures.BlendWordsMS; got == nil || math.Abs(*got-truth) > 15 {
		t.Errorf("%v ms of words lie in the blend, %.0f do", got, truth)
	}
	if len(covers) != 1 ||
		!regexp.MustCompile(`^The blend covers the first (2[5-9]|3[0-5]) ms of a word of r; with \d+ ms before the cut `+
			`and \d+ ms after it, it would not\.$`).
			MatchString(covers[0]) {
		t.Errorf("%q", covers)
	}
}

// The audit works at any rate: the same scene at 44.1 kHz and 16 kHz gives the same chief causes (resampled with
// ffmpeg).
func TestCausesAreTheSameAtOtherRates(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	voice := outside.Voices(t)[0]
	for _, hz := range []int{16000, 44100, 96000} {
		v := outside.Decode(t, voice, 1, "-af", "aresample="+strconv.Itoa(hz))[0]
		build := func(left, right float64) audit.Result {
			s := seamtest.New(t)
			s.Scene.SampleRate = int64(hz)
			for i, id := range []string{"l", "r"} {
				b := pcm.NewBlock(1, int64(4*hz))
				db := []float64{left, right}[i]
				for k := range b[0] {
					b[0][k] = level.Amplitude(db) * r.NormFloat64()
				}
				for k, x := range v {
					b[0][hz+k] += x * 0.5
				}
				s.Sound[id] = b
				s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: b.Len(), Channels: 1}})
			}
			n := int64(len(v)) + int64(hz)*3/2
			s.Do(&edit.Add{Track: "t1", Source: "l", In: int64(hz) / 2, Length: n - int64(hz)/2})
			s.Do(&edit.Add{Track: "t1", Source: "r", In: int64(hz) / 2, Start: n - int64(hz)/2, Length: n - int64(hz)/2})
			open := func(src scene.Source) (pcm.ReaderAt, error) { return pcm.Memory{Rate: hz, Sound: s.Sound[src.ID]}, nil }
			all, err := audit.All(context.Background(), meter.NewMeter(s.Scene, meter.NewSources(open, nil)), 0)
			if err != nil {
				t.Fatal(err)
			}
			return seamtest.Of(t, all, audit.Cut)
		}
		seamtest.Judged(t, build(-55, -55), audit.Clean, audit.None)
		seamtest.Judged(t, build(-58, -50), audit.Rough, audit.BackgroundStep)
	}
}
