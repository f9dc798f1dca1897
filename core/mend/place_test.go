package mend_test

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/outside"
	"blendseam/internal/seamtest"
)

// twoTakes lays one real voice phrase twice, the second by offset samples later in its recording, cut in the middle of
// the phrase as if both began together.
func twoTakes(t *testing.T, r *rand.Rand, voice []float64, offset int64) *seamtest.Studio {
	s := seamtest.New(t)
	lead := int64(rate)
	for i, id := range []string{"l", "r"} {
		v := seamtest.Bed(r.Uint64(), float64(len(voice))/rate+2, -70)
		at := lead + int64(i)*offset
		for k, x := range voice {
			v[0][at+int64(k)] += x
		}
		s.Sound[id] = v
		s.Do(&edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: v.Len(), Channels: 1}})
	}
	cut := lead + int64(len(voice))*2/5 + r.Int64N(int64(len(voice))/5)
	s.Do(&edit.Add{Track: "t1", Source: "l", In: lead / 2, Length: cut - lead/2})
	s.Do(
		&edit.Add{Track: "t1", Source: "r", In: cut, Start: cut - lead/2, Length: lead + int64(len(voice)) + lead/2 - cut},
	)
	return s
}

// Two takes of a real voice (Debian's alsa-utils) that lie apart by up to 20 ms: the offset is found to the sample, and
// the splice there does not click.
func TestTheBestPlaceFindsTheOffsetOfTwoTakesToTheSample(t *testing.T) {
	r := rand.New(rand.NewPCG(corpus.Seed(), 5))
	files := outside.Voices(t)
	cases, found := 0, 0
	for i := range corpus.Cases(10, 40) {
		voice := seamtest.Trimmed(outside.Decode(t, files[i%len(files)], 1)[0])
		if len(voice) > 3*rate { // noise
			continue
		}
		cases++
		offset := r.Int64N(2*959+1) - 959
		s := twoTakes(t, r, voice, offset)
		m := mend.New(s.Meter())
		cut := seamtest.Of(t, s.Measure(), audit.Cut).Seam
		p, err := m.Places(context.Background(), cut, 250)
		if err != nil {
			t.Fatal(err)
		}
		if p.Kind != "one take" || len(p.List) == 0 || p.List[0].Slip != offset {
			t.Errorf("%s, %d samples apart: %s, %+v", files[i%len(files)], offset, p.Kind, p.List)
			continue
		}
		found++
		s.Do(p.List[0].Cut(cut))
		s.Do(
			&edit.SetBlend{
				Left:   cut.Left,
				Right:  cut.Right,
				Before: p.List[0].Length / 2,
				After:  p.List[0].Length / 2,
				Law:    blend.ConstantGain,
			},
		)
		if r := seamtest.Of(t, s.Measure(), audit.Cut); *r.Measures.ClickDB > 0.5 || r.Verdict == audit.Rough {
			t.Errorf("spliced it is %s: %s", r.Verdict, r.Why)
		}
	}
	t.Logf("%d of %d offsets found to the sample", found, cases)
}

func TestUnlikeSidesAreToldThatOnlyAFadeWillDo(t *testing.T) {
	s := seamtest.New(t)
	s.Lay("a", seamtest.Bed(1, 4, -50), 0)
	s.Lay("b", seamtest.Bed(2, 4, -50), 3)
	m := mend.New(s.Meter())
	p, err := m.Places(context.Background(), seamtest.Of(t, s.Measure(), audit.Cut).Seam, 200)
	if err != nil || p.Kind != "unlike" || !strings.Contains(p.Why, "only a fade") || len(p.List) == 0 || !p.List[0].Fade {
		t.Errorf("%+v, %v", p, err)
	}
}

// A tone of 220 Hz in two recordings, at any phases: a place is found where both run together, and the plain splice is
// smooth.
func TestATonalSpliceIsFoundAtAnyPhase(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	tone := func() pcm.Block {
		b, phase := seamtest.Bed(r.Uint64(), 4, -75), r.Float64()
		for i := range b[0] {
			b[0][i] += 0.1 * sine(220*float64(i)/rate+phase)
		}
		return b
	}
	for range 8 {
		s := seamtest.New(t)
		s.Lay("a", tone(), 0)
		s.Lay("b", tone(), 3)
		m := mend.New(s.Meter())
		cut := seamtest.Of(t, s.Measure(), audit.Cut).Seam
		p, err := m.Places(context.Background(), cut, 100)
		if err != nil || len(p.List) == 0 || p.List[0].Fade {
			t.Fatalf("%+v, %v", p, err)
		}
		s.Do(p.List[0].Cut(cut))
		if r := seamtest.Of(t, s.Measure(), audit.Cut); *r.Measures.ClickDB > 1 {
			t.Errorf("it clicks by %.1f dB", *r.Measures.ClickDB)
		}
	}
}

func sine(turns float64) float64 { return math.Sin(2 * math.Pi * turns) }
