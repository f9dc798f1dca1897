package timing_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// random gives a fit of a recording of n samples.
func random(rng *rand.Rand, n int64) timing.Fit {
	f := timing.Fit{Of: "o"}
	for at := rng.Int64N(1000); ; {
		p := timing.Part{From: at, To: at + 1000 + rng.Int64N(40000), Kind: timing.Words}
		if p.To > n {
			return f
		}
		p.Length = int64(float64(p.To-p.From) * (0.6 + 1.2*rng.Float64()))
		if rng.IntN(3) == 0 {
			p.Ease = rng.Int64N((p.To - p.From) / 3)
		}
		f.Parts = append(f.Parts, p)
		at = p.To + rng.Int64N(3)*rng.Int64N(20000)
	}
}

// Whatever the fit: it is as long as it says, time never goes back, what is not fitted passes sample by sample, and
// there and back again is the same moment, but for what a sample of the one is in samples of the other.
func TestThereAndBackAgainIsTheSameMoment(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	const n = 400000
	for range 60 {
		f := random(rng, n)
		if err := f.Check(n); err != nil {
			t.Fatal(err)
		}
		if f.Forward(n) != f.Len(n) {
			t.Errorf("its end lies at %d, and it is %d long", f.Forward(n), f.Len(n))
		}
		last := int64(-1)
		for at := int64(0); at < n; at += 1 + rng.Int64N(900) {
			to := f.Forward(at)
			if to < last {
				t.Fatalf("%d lies at %d, what is before it at %d", at, to, last)
			}
			last = to
			if back := f.Back(to); back < at-3 || back > at+3 {
				t.Fatalf("%d lies at %d, where %d lies: %+v", at, to, back, f.Parts)
			}
		}
		for i, p := range f.Parts {
			if i > 0 && f.Forward(p.From)-f.Forward(f.Parts[i-1].To) != p.From-f.Parts[i-1].To {
				t.Errorf("what lies before part %d has another length", i)
			}
			if got := f.Forward(p.To) - f.Forward(p.From); got != p.Length {
				t.Errorf("part %d takes %d samples, not %d", i, got, p.Length)
			}
		}
	}
}

// A speed that eases in is 1 at both ends, and symmetric.
func TestASpeedThatEasesInIsOneAtBothEnds(t *testing.T) {
	p := timing.Part{From: 0, To: 100000, Length: 140000, Ease: 30000, Kind: timing.Words}
	if at := p.Forward(500); at < 500 || at > 503 { // g - 1 is 40000 / 70000: 500 + 4/7 500^2 / 60000 = 502.4
		t.Errorf("500 lies at %d", at)
	}
	if a, b := p.Forward(20000), p.Length-p.Forward(80000); a != b {
		t.Errorf("20000 from its start are %d, from its end %d", a, b)
	}
	if got := p.Forward(50000); got != 70000 {
		t.Errorf("its middle lies at %d", got)
	}
}

func TestAFitHasOneStretchInThePlaceOfAnother(t *testing.T) {
	f := timing.Fit{Of: "o", Parts: []timing.Part{{From: 100, To: 300, Length: 400, Kind: timing.Words}}}
	now := f.With(pcm.Span{From: 200, To: 500}, []timing.Part{{From: 400, To: 500, Length: 60, Kind: timing.Pause}})
	want := []timing.Part{
		{From: 100, To: 200, Length: 200, Kind: timing.Words}, {From: 400, To: 500, Length: 60, Kind: timing.Pause},
	}
	if !reflect.DeepEqual(now.Parts, want) || now.Len(1000) != 1060 {
		t.Errorf("%+v", now)
	}
	if none := f.With(pcm.Span{From: 0, To: 1000}, nil); len(none.Parts) != 0 {
		t.Errorf("taken off, it is %+v", none)
	}
}

func TestWhatCannotBeHeardIsNoFit(t *testing.T) {
	ok := timing.Part{From: 100, To: 300, Length: 300, Kind: timing.Words}
	for name, change := range map[string]func(*timing.Part){
		"too fast":         func(p *timing.Part) { p.Length = 90 },
		"too slow":         func(p *timing.Part) { p.Length = 500 },
		"beyond the end":   func(p *timing.Part) { p.To = 1001 },
		"of no kind":       func(p *timing.Part) { p.Kind = "" },
		"without a length": func(p *timing.Part) { p.To = p.From },
		"eased too long":   func(p *timing.Part) { p.Ease = 150 },
		"a pause to eight": func(p *timing.Part) { p.Kind, p.Length = timing.Pause, 1700 },
	} {
		p := ok
		change(&p)
		f := timing.Fit{Parts: []timing.Part{p}}
		if f.Check(1000) == nil {
			t.Errorf("%s is taken", name)
		}
	}
	f := timing.Fit{Parts: []timing.Part{ok, ok}}
	if f.Check(1000) == nil || (&timing.Fit{}).Check(1000) == nil {
		t.Error("one twice, or none, is taken")
	}
}

func ExampleFit_Forward() {
	f := timing.Fit{Parts: []timing.Part{{From: 48000, To: 96000, Length: 60000, Kind: timing.Words}}}
	fmt.Println(f.Forward(0), f.Forward(72000), f.Forward(96000), f.Len(144000))
	// Output: 0 78000 108000 156000
}
