package openings_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/openings"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

const rate = 48000

// music is noise whose level follows a line in dB over its seconds.
func music(db func(s float64) float64, seconds float64) []float64 {
	r := rand.New(rand.NewPCG(1, 2))
	v := make([]float64, int(seconds*rate))
	for i := range v {
		v[i] = 0.3 * math.Pow(10, db(float64(i)/rate)/20) * r.NormFloat64()
	}
	return v
}

func find(t *testing.T, v []float64) []openings.Opening {
	t.Helper()
	a, err := analysis.Analyze(t.Context(), pcm.Memory{Rate: rate, Sound: pcm.Block{v}})
	if err != nil {
		t.Fatal(err)
	}
	list, err := openings.Find(a, pcm.Span{To: int64(len(v))})
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// Three quiet places of a piece are found where they are, a short one is none, and a long rise is one; steady music has
// none.
func TestQuietPlacesAndRisesAreFound(t *testing.T) {
	quiet := [][2]float64{{5, 8}, {14, 16}, {22, 26}}
	list := find(t, music(func(s float64) float64 {
		for _, q := range append(quiet, [2]float64{18, 18.6}) {
			if s >= q[0] && s < q[1] {
				return -12
			}
		}
		return 0
	}, 30))
	if len(list) != len(quiet) {
		t.Fatalf("%+v", list)
	}
	for i, o := range list {
		from, to := float64(o.From)/rate, float64(o.To)/rate
		if o.Kind != openings.Quiet || math.Abs(from-quiet[i][0]) > 0.25 || math.Abs(to-quiet[i][1]) > 0.25 ||
			math.Abs(o.DB-12) > 2 {
			t.Errorf("%s of %.1f dB from %.2f to %.2f, want %v", o.Kind, o.DB, from, to, quiet[i])
		}
	}
	rising := find(t, music(func(s float64) float64 {
		return map[bool]float64{true: 0, false: -5 + math.Min(12, math.Max(0, 2*(s-10)))}[s < 10 || s > 18]
	}, 30))
	if len(rising) != 1 || rising[0].Kind != openings.Rise || rising[0].DB < 9 {
		t.Errorf("a rise is found as %+v", rising)
	}
	if steady := find(t, music(func(float64) float64 { return 0 }, 20)); len(steady) > 0 {
		t.Errorf("steady music has %+v", steady)
	}
}

// Where somebody speaks over music, what lies between is without a voice; the voices are real.
func TestPlacesWithoutAVoiceAreFound(t *testing.T) {
	v := music(func(float64) float64 { return -40 }, 20)
	for i, at := range []int{2, 4, 12} {
		word := outside.Decode(t, outside.Voices(t)[i], 1)[0]
		for k, x := range word {
			v[at*rate+k] += x
		}
	}
	var found [][2]float64
	for _, o := range find(t, v) {
		if o.Kind == openings.NoVoice || o.Kind == openings.Quiet {
			found = append(found, [2]float64{float64(o.From) / rate, float64(o.To) / rate})
		}
	}
	want := [][2]float64{{0, 2}, {5.5, 12}, {13.5, 20}} // each word is between one and two seconds long
	for i := range want {
		if len(found) != len(want) || math.Abs(found[i][0]-want[i][0]) > 0.6 || math.Abs(found[i][1]-want[i][1]) > 0.6 {
			t.Fatalf("places without a voice: %.2f, want about %.1f", found, want)
		}
	}
}
