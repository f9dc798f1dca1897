package timecode

import (
	"encoding/json"
	"math/big"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
)

// SMPTE ST 12-1: drop-frame counting at 29.97 has 107892 frames an hour and 17982 in ten minutes;
// 00:01:00;00 and ;01 do not exist (figures quoted from memory of the standard).
func TestDropFrameCountsFollowST12(t *testing.T) {
	for _, c := range []struct {
		rate  Rate
		tc    string
		frame int64
	}{
		{F2997D, "01:00:00;00", 107892}, {F2997D, "00:10:00;00", 17982}, {F2997D, "00:01:00;02", 1800},
		{F2997D, "00:00:59;29", 1799}, {F2997D, "23:59:59;29", 2589407}, {F5994D, "00:01:00;04", 3600},
		{F5994D, "01:00:00;00", 215784}, {F2997, "01:00:00:00", 108000}, {F25, "01:00:00:00", 90000},
		{F23976, "01:00:00:00", 86400}, {F24, "00:00:01:23", 47},
	} {
		if got := c.rate.Format(c.frame); got != c.tc {
			t.Errorf("%s: frame %d prints as %s, want %s", c.rate, c.frame, got, c.tc)
		}
		if got, err := c.rate.Parse(c.tc); err != nil || got != c.frame {
			t.Errorf("%s: %s is frame %d (%v), want %d", c.rate, c.tc, got, err, c.frame)
		}
	}
}

func TestEveryFrameOfADayPrintsAndParsesBack(t *testing.T) {
	for _, r := range Rates {
		day, _ := r.Parse("24:00:00:00")
		for f := int64(0); f < day; f += 37 {
			if back, err := r.Parse(r.Format(f)); err != nil || back != f {
				t.Fatalf("%s: frame %d prints as %s, which reads as %d (%v)", r, f, r.Format(f), back, err)
			}
		}
	}
}

func TestTimecodesThatDoNotExistAreRefused(t *testing.T) {
	for _, c := range []struct {
		rate Rate
		tc   string
	}{{F2997D, "00:01:00;00"}, {F2997D, "00:09:00;01"}, {F25, "00:00:00:25"}, {F25, "00:60:00:00"}, {F25, "a:b"},
		{F25, ""}, {F25, "1::2"}, {F25, "1:2:3:4:5"}} {
		if f, err := c.rate.Parse(c.tc); err == nil {
			t.Errorf("%s at %s was read as %d", c.tc, c.rate, f)
		}
	}
}

// The definition itself, in big rationals, against the integer arithmetic.
func TestFrameStartsRoundHalvesUp(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for i := 0; i < 20000; i++ {
		r := Rates[rng.IntN(len(Rates))]
		sr := []int64{44100, 48000, 88200, 96000, 192000}[rng.IntN(5)]
		f := rng.Int64N(20_000_000) - 1000
		exact := new(big.Rat).SetFrac(new(big.Int).Mul(big.NewInt(f*r.Den), big.NewInt(sr)), big.NewInt(r.Num))
		exact.Add(exact, big.NewRat(1, 2))
		want := new(big.Int).Div(exact.Num(), exact.Denom()) // Euclidean: floor for a positive denominator
		s := r.SampleOf(f, sr)
		if s != want.Int64() {
			t.Fatalf("%s at %d: frame %d starts at %d, want %s", r, sr, f, s, want)
		}
		if back := r.FrameOf(s, sr); back != f {
			t.Fatalf("%s at %d: frame %d -> sample %d -> frame %d", r, sr, f, s, back)
		}
		if r.FrameOf(s-1, sr) != f-1 || r.Nearest(s+1, sr) != f || r.Nearest(s-1, sr) != f {
			t.Fatalf("%s at %d: neighbours of sample %d are not in frames %d and %d", r, sr, s, f-1, f)
		}
	}
}

func TestRatesSurviveJSONAndText(t *testing.T) {
	for _, r := range Rates {
		b, _ := json.Marshal(r)
		var back Rate
		if err := json.Unmarshal(b, &back); err != nil || back != r {
			t.Errorf("%s: JSON %s reads as %v (%v)", r, b, back, err)
		}
		if back, err := ParseRate(r.String()); err != nil || back != r {
			t.Errorf("%s reads as %v (%v)", r, back, err)
		}
	}
	for _, bad := range []string{"26", "x", "25 drop", "30/0"} {
		if r, err := ParseRate(bad); err == nil {
			t.Errorf("%q was read as %s", bad, r)
		}
	}
}

// The vectors are read by the page's tests as well, for both print and read timecodes.
func TestTimecodesAndSamplesAreThoseOfTheVectors(t *testing.T) {
	raw, err := os.ReadFile("testdata/vectors.json")
	if err != nil {
		t.Fatal(err)
	}
	var vectors struct {
		Frames []struct {
			Rate     string
			Num, Den int64
			Drop     bool
			Nominal  int64
			Frame    int64
			Timecode string
			Samples  map[string]int64
		}
		No []struct{ Rate, Text string } `json:"no_timecodes"`
	}
	if err := json.Unmarshal(raw, &vectors); err != nil || len(vectors.Frames) < 100 {
		t.Fatal(len(vectors.Frames), err)
	}
	rates := map[string]Rate{}
	for _, v := range vectors.Frames {
		r := Rate{v.Num, v.Den, v.Drop}
		rates[v.Rate] = r
		if r.Nominal() != v.Nominal || r.Format(v.Frame) != v.Timecode {
			t.Errorf("%s: frame %d is %s, want %s", v.Rate, v.Frame, r.Format(v.Frame), v.Timecode)
		}
		if f, err := r.Parse(v.Timecode); err != nil || f != v.Frame {
			t.Errorf("%s: %s is frame %d, %v", v.Rate, v.Timecode, f, err)
		}
		for sr, want := range v.Samples {
			rate, _ := strconv.ParseInt(sr, 10, 64)
			if got := r.SampleOf(v.Frame, rate); got != want || r.FrameOf(got, rate) != v.Frame {
				t.Errorf("%s: frame %d begins at sample %d of %s, want %d", v.Rate, v.Frame, got, sr, want)
			}
		}
	}
	for _, no := range vectors.No {
		if f, err := rates[no.Rate].Parse(no.Text); err == nil {
			t.Errorf("%s: %q is no timecode, and was read as %d", no.Rate, no.Text, f)
		}
	}
}
