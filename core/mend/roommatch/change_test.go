package roommatch_test

import (
	"math"
	"testing"

	"blendseam/core/mend/roommatch"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

// said is a real voice (Debian's alsa-utils) said at 3, 7 and 11 s over a sound.
func said(t *testing.T, voice int, sound []float64) []float64 {
	words := roomtest.Words(t)
	v := words[voice%len(words)]
	for _, from := range []int{3 * rate, 7 * rate, 11 * rate} {
		for k, x := range v[:min(len(v), 2*rate)] {
			sound[from+k] += 0.3 * x
		}
	}
	return sound
}

// evened is the sound of a scene of which all takes were brought to one room, as natural as can be.
func evened(t *testing.T, s *seamtest.Studio) (*roommatch.Plan, pcm.Block) {
	t.Helper()
	p := plan(t, s, roommatch.Options{Target: roommatch.Natural, HushDB: roommatch.AsNeeded})
	after, err := edit.Apply(s.Scene, p.Edit)
	if err != nil {
		t.Fatal(edit.Message(err))
	}
	return p, s.Render(after)
}

// Rain that begins under a take is met by less and less of what is laid under it: the background is one all along, and
// that of the take beside it.
func TestRainThatBeginsIsMet(t *testing.T) {
	s := seamtest.New(t)
	dry, rain := noise(1, 15, -60, 1), noise(2, 15, -52, 0)
	for i := range dry { // from 5 s on, over 4 s: it begins within words and is whole within others
		dry[i] += rain[i] * max(0, min(1, float64(i-5*rate)/(4*rate)))
	}
	s.Lay("rain", pcm.Block{said(t, 0, dry)}, 0)
	s.Lay("dry", pcm.Block{said(t, 1, noise(3, 15, -60, 1))}, 14)
	p, b := evened(t, s)
	if p.RiseOverLoudestDB > 1 || len(p.Takes) != 2 || p.Takes[0].ThenDB-p.Takes[0].WasDB < 5 {
		t.Errorf("%.1f dB over the loudest take; takes: %+v", p.RiseOverLoudestDB, p.Takes)
	}
	whole, colour := heard(b, pcm.Span{From: 9 * rate, To: 10 * rate})
	for _, at := range []float64{0.2, 1.2, 5, 5.7, 9.5, 13, 13.6, 14.5, 15.5, 19, 23} {
		span := pcm.Span{From: int64(at * rate), To: int64((at + 0.7) * rate)}
		db, thirds := heard(b, span)
		if math.Abs(db-whole) > 1.2 {
			t.Errorf("%.1f dB at %.1f s, %.1f where it rains", db, at, whole)
		}
		if d := apart(colour, thirds); d > 2 {
			t.Errorf("colour %.1f dB apart at %.1f s", d, at)
		}
	}
}

// A background that stays as it is has one room, however long it is looked at.
func TestASteadyRoomDoesNotChange(t *testing.T) {
	for seed := range uint64(corpus.Cases(1, 3)) {
		s := seamtest.New(t)
		s.Lay("one", pcm.Block{said(t, int(seed), noise(2*seed+1, 15, -60, int(seed%3)))}, 0)
		s.Lay("two", pcm.Block{said(t, int(seed)+1, noise(2*seed+2, 15, -54, int(seed%3)))}, 14)
		for _, take := range plan(t, s, roommatch.Options{}).Takes {
			if take.ThenDB != take.WasDB {
				t.Errorf("%s is said to go from %.1f to %.1f dBFS", take.Clip, take.WasDB, take.ThenDB)
			}
		}
	}
}

// What is laid under a stereo take is as wide as the room that it is brought to.
func TestStereoTakesAreAsWideAsTheTarget(t *testing.T) {
	s := seamtest.New(t)
	s.Scene.Channels = 2
	wide := func(db float64, seed uint64) pcm.Block {
		b := pcm.NewBlock(2, 11*rate)
		both, left, right := noise(seed, 11, db, 1), noise(seed+1, 11, db, 1), noise(seed+2, 11, db, 1)
		for i := range both { // correlation 0.36
			b[0][i] = 0.6*both[i] + 0.8*left[i]
			b[1][i] = 0.6*both[i] + 0.8*right[i]
		}
		return b
	}
	for i, db := range []float64{-52, -64} {
		name := []string{"loud", "low"}[i]
		s.Sound[name] = wide(db, uint64(10*i+1))
		src := scene.Source{ID: name, Name: name, URL: name + ".wav", Samples: 11 * rate, Channels: 2}
		s.Do(&edit.Bring{Source: src})
		s.Do(&edit.Add{Track: "t1", Source: name, In: rate / 2, Start: int64(i) * 10 * rate, Length: 10 * rate})
	}
	_, b := evened(t, s)
	for _, at := range []int64{2, 13} {
		part := b.Slice(at*rate, (at+5)*rate)
		if c := measure.Correlation(part[:1], part[1:]); math.Abs(c-0.36) > 0.06 {
			t.Errorf("at %d s the channels' correlation is %.2f, not 0.36", at, c)
		}
	}
	before, _ := heard(b[:1], pcm.Span{From: 2 * rate, To: 7 * rate})
	after, _ := heard(b[:1], pcm.Span{From: 13 * rate, To: 18 * rate})
	if math.Abs(after-before) > 0.7 {
		t.Errorf("the left channel is at %.1f dB, then at %.1f", before, after)
	}
}

// The hum of one take alone is laid under the other so that its cycle runs on over both cuts, and over a gap.
func TestHumRunsOnOverCuts(t *testing.T) {
	s := seamtest.New(t)
	hums := said(t, 0, noise(1, 15, -60, 1))
	const hz = 50.02
	for k, a := range []float64{1, 0.7, 0.5, 0.6, 0.3, 0.4} {
		for i := range hums {
			hums[i] += 2e-3 * a * math.Sin(2*math.Pi*(hz*float64(k+1)*float64(i)/rate+0.37*float64(k)))
		}
	}
	s.Lay("hums", pcm.Block{hums}, 0)
	s.Lay("still", pcm.Block{said(t, 1, noise(2, 15, -60, 1))}, 14)
	s.Lay("again", pcm.Block{hums[:len(hums):len(hums)]}, 28)
	s.Lay("after a gap", pcm.Block{said(t, 2, noise(3, 15, -60, 1))}, 43.123)
	_, b := evened(t, s)
	// phase is that of a multiple of the hum in 0.4 s about a moment, in cycles.
	phase := func(k int, at float64) float64 {
		var re, im float64
		from := int((at - 0.2) * rate)
		const n = 0.4 * rate
		for i := range int(n) {
			w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/n)
			y, x := math.Sincos(2 * math.Pi * hz * float64(k) * float64(from+i) / rate)
			re, im = re+w*y*b[0][from+i], im+w*x*b[0][from+i]
		}
		return math.Atan2(im, re) / (2 * math.Pi)
	}
	for _, cut := range []float64{14, 28, 42, 42.5, 43.2} {
		for k := 1; k <= 4; k++ {
			d := phase(k, cut+0.3) - phase(k, cut-0.3)
			// between the two moments the hum may run 0.2 % faster or slower
			if d -= math.Round(d); math.Abs(d) > 0.06*float64(k)+0.03 {
				t.Errorf("%d times %.2f Hz: %.2f cycles on after %.1f s", k, hz, d, cut)
			}
		}
	}
}
