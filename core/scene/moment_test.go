package scene

import (
	"encoding/json"
	"os"
	"testing"

	"blendseam/core/sound/timecode"
)

// The vectors are those of the page, which reads the same fields.
func TestMomentsAreReadAsTheyAreTyped(t *testing.T) {
	raw, err := os.ReadFile("testdata/moments.json")
	if err != nil {
		t.Fatal(err)
	}
	var vectors struct {
		Moments []struct {
			Rate, Start, Typed string
			Sample             *int64
		}
	}
	if err := json.Unmarshal(raw, &vectors); err != nil || len(vectors.Moments) < 20 {
		t.Fatal(err, len(vectors.Moments))
	}
	rates := map[string]timecode.Rate{"25": timecode.F25, "30d": timecode.F2997D, "24000/1001": timecode.F23976}
	for _, v := range vectors.Moments {
		rate, ok := rates[v.Rate]
		if !ok {
			t.Fatalf("no rate %q", v.Rate)
		}
		s := New("s", rate, 48000)
		if s.StartFrame, err = rate.Parse(v.Start); err != nil {
			t.Fatal(err)
		}
		got, err := Moment(s, v.Typed)
		switch {
		case v.Sample == nil && err == nil:
			t.Errorf("%q at %s is read as %d, it is no moment", v.Typed, v.Rate, got)
		case v.Sample != nil && (err != nil || got != *v.Sample):
			t.Errorf("%q at %s from %s is read as %d, %v; it is %d", v.Typed, v.Rate, v.Start, got, err, *v.Sample)
		}
	}
}

func TestLongLengthsAreSaidAsTimes(t *testing.T) {
	s := New("s", timecode.F25, 48000)
	for samples, want := range map[int64]string{
		345600000:    "2 h 0 min 0.0 s",
		48000 * 3599: "59 min 59.0 s",
		2880000:      "1 min 0.0 s",
		48000 * 59:   "1475 frames",
		1920:         "1 frame",
		1000:         "0.5 frames (1000 samples)",
	} {
		if got := LengthWords(s, samples); got != want {
			t.Errorf("%d samples are %q, not %q", samples, got, want)
		}
	}
}
