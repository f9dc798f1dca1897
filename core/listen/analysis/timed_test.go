package analysis_test

import (
	"math"
	"testing"

	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
)

// What is said of a fitted recording without listening is what is found in it by listening: where its words begin and
// end, and how loud its seconds are.
func TestAFittedRecordingSaysWhatIsHeardInIt(t *testing.T) {
	sound := spoken(t, 1)
	sound.Sound = sound.Sound.Slice(0, 20*int64(sound.Rate))
	n := sound.Len()
	f := &timing.Fit{Parts: []timing.Part{
		{From: n / 10, To: n / 2, Length: n / 3, Kind: timing.Words},
		{From: n / 2, To: n, Length: n * 6 / 10, Kind: timing.Words},
	}}
	r, err := timestretch.Open(*f, sound)
	if err != nil {
		t.Fatal(err)
	}
	heard, said := analysed(t, r), analysed(t, sound).Timed(f)
	if heard.Length != said.Length || len(said.Stretches) < 5 {
		t.Fatalf("%d and %d samples, %d words", heard.Length, said.Length, len(said.Stretches))
	}
	far, off := 0, []float64{}
	for _, w := range said.Stretches {
		near := int64(math.MaxInt64)
		for _, h := range heard.Stretches {
			near = min(near, max(h.Span.From-w.Span.From, w.Span.From-h.Span.From))
		}
		if near > int64(sound.Rate)*25/1000 {
			far++
		}
	}
	second := int64(sound.Rate)
	for at := int64(0); at+second < heard.Length; at += second {
		span := pcm.Span{From: at, To: at + second}
		a, b := frames(t, heard, span), frames(t, said, span)
		x, y := 0.0, 0.0
		for i := range a.Count {
			x, y = x+float64(a.Loud[i]), y+float64(b.Loud[i])
		}
		off = append(off, math.Abs(10*math.Log10(x/y)))
	}
	t.Logf("%d of %d words begin elsewhere; the loudness of seconds is off by %.2f dB", far, len(said.Stretches),
		measure.Percentile(off, 0.5))
	if far > len(said.Stretches)/8 || measure.Percentile(off, 0.5) > 0.5 || measure.Percentile(off, 0.9) > 1.5 {
		t.Errorf("%d of %d words begin elsewhere; seconds are off by %.2f", far, len(said.Stretches), off)
	}
}
