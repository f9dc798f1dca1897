package seam_test

import (
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/seam"
	"blendseam/core/speech"
	"blendseam/internal/outside"
)

// A recording that ends in the middle of a loud word, and has no handle to show what is missing, is cut into all the same; one
// that ends behind its words is not. Real voices, from Debian's alsa-utils.
func TestAWordThatStopsWithItsRecordingIsCutInto(t *testing.T) {
	m := newMaker(t, 5)
	for i := range 6 {
		take := m.take(m.room(), -56, 0, 0)
		in := m.inAWord(take.sound, take.first)
		for _, c := range []struct {
			name string
			end  int64
			want seam.Cause
		}{{"in a word", in, seam.WordCut}, {"in the pause", take.first.To + rate/3, seam.None}} {
			s := newStudio(t)
			s.sound["l"], s.sound["r"] = pcm.Block{take.sound[:c.end]}, pcm.Block{take.sound}
			for _, id := range []string{"l", "r"} {
				s.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.sound[id].Len(), Channels: 1}})
			}
			s.do(&scene.Add{Track: "t1", Source: "l", Length: c.end})
			s.do(&scene.Add{Track: "t1", Source: "r", In: take.first.To + rate/3, Start: c.end, Length: take.second.To - take.first.To})
			if r := of(t, s.measure(), seam.Cut); r.Cause != c.want && !(c.want == seam.None && r.Verdict == seam.Clean) {
				t.Errorf("case %d, cut %s: %s (%s)", i, c.name, r.Cause, r.Why)
			}
		}
	}
}

// The words say what a blend covers, and a lean that would not cover it.
func TestWhatABlendCoversOfAWordIsSaid(t *testing.T) {
	m := newMaker(t, 6)
	k := m.room()
	left, right := m.take(k, -56, 0, 0), m.take(k, -56, 0, 0)
	s := newStudio(t)
	s.sound["l"], s.sound["r"] = pcm.Block{left.sound}, pcm.Block{right.sound}
	for _, id := range []string{"l", "r"} {
		s.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: s.sound[id].Len(), Channels: 1}})
	}
	out, in := left.first.To+rate/4, right.second.From-rate/20 // the cut lies just before a word
	s.do(&scene.Add{Track: "t1", Source: "l", In: 0, Length: out})
	s.do(&scene.Add{Track: "t1", Source: "r", In: in, Start: out, Length: right.second.To - in})
	look := func() (seam.Seam, *seam.Meter, [2][]speech.Stretch) {
		mt, err := seam.NewMeter(s.scene, s.open)
		if err != nil {
			t.Fatal(err)
		}
		x := of(t, s.measure(), seam.Cut).Seam
		words, err := mt.Words(x)
		if err != nil || len(words[0]) == 0 || len(words[1]) == 0 {
			t.Fatal(err, words)
		}
		return x, mt, words
	}
	x, _, words := look()
	onset := int64(math.MaxInt64)
	for _, w := range words[1] {
		if w.Span.From > x.At {
			onset = min(onset, w.Span.From)
		}
	}
	s.do(&scene.PlaceCut{Left: x.Left, Right: x.Right, To: onset - rate/50})
	s.blend(rate/20, rate/20)
	x, mt, words := look()
	covers := mt.Covers(x, words)
	if len(covers) != 1 || !regexp.MustCompile(`^The blend covers the first (2[5-9]|3[0-5]) ms of a word of r; with \d+ ms before the cut and \d+ ms after it, it would not\.$`).MatchString(covers[0]) {
		t.Errorf("%q", covers)
	}
}

// The audit works at any rate: the same scene at 44.1 kHz and 16 kHz gives the same chief causes (resampled with ffmpeg).
func TestCausesAreTheSameAtOtherRates(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	voice := outside.Voices(t)[0]
	for _, hz := range []int{16000, 44100, 96000} {
		v := outside.Decode(t, voice, 1, "-af", "aresample="+strconv.Itoa(hz))[0]
		build := func(left, right float64) seam.Result {
			s := newStudio(t)
			s.scene.SampleRate = int64(hz)
			for i, id := range []string{"l", "r"} {
				b := pcm.NewBlock(1, int64(4*hz))
				level := []float64{left, right}[i]
				for k := range b[0] {
					b[0][k] = measure.Amplitude(level) * r.NormFloat64()
				}
				for k, x := range v {
					b[0][hz+k] += x * 0.5
				}
				s.sound[id] = b
				s.do(&scene.Bring{Source: scene.Source{ID: id, Name: id, Samples: b.Len(), Channels: 1}})
			}
			n := int64(len(v)) + int64(hz)*3/2
			s.do(&scene.Add{Track: "t1", Source: "l", In: int64(hz) / 2, Length: n - int64(hz)/2})
			s.do(&scene.Add{Track: "t1", Source: "r", In: int64(hz) / 2, Start: n - int64(hz)/2, Length: n - int64(hz)/2})
			open := func(src scene.Source) (pcm.ReaderAt, error) { return pcm.Memory{Rate: hz, Sound: s.sound[src.ID]}, nil }
			all, err := seam.All(s.scene, open, 0)
			if err != nil {
				t.Fatal(err)
			}
			return of(t, all, seam.Cut)
		}
		verdict(t, build(-55, -55), seam.Clean, seam.None)
		verdict(t, build(-58, -50), seam.Rough, seam.BackgroundStep)
	}
}
