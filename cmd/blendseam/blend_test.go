package main

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/outside"
	"blendseam/media"
)

// twoClips is a scene file as somebody else would write it: no field of ours but the law.
const twoClips = `{"OTIO_SCHEMA":"Timeline.1","name":"two","global_start_time":null,
  "tracks":{"OTIO_SCHEMA":"Stack.1","name":"","children":[
{"OTIO_SCHEMA":"Track.1","name":"A1","kind":"Audio","children":[
 {"OTIO_SCHEMA":"Clip.1","name":"a","source_range":{"OTIO_SCHEMA":"TimeRange.1",
  "start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":0},
  "duration":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":%[2]d}},
  "media_reference":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"a-%[1]d.wav"}},
 {"OTIO_SCHEMA":"Transition.1","name":"","transition_type":"SMPTE_Dissolve",
  "in_offset":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":%[3]d},
  "out_offset":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":%[4]d},"metadata":{"blendseam":{"law":"%[5]s"}}},
 {"OTIO_SCHEMA":"Clip.1","name":"b","source_range":{"OTIO_SCHEMA":"TimeRange.1",
  "start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":%[6]d},
  "duration":{"OTIO_SCHEMA":"RationalTime.1","rate":%[1]d,"value":%[2]d}},
  "media_reference":{"OTIO_SCHEMA":"ExternalReference.1","target_url":"b-%[1]d.wav"}}]}]}}`

// A file written by hand, every law, 40 ms, 200 ms and 2 s, leaning both ways, at three rates: the rendered file is
// what the formulas of the laws give, within 1e-6, and a range rendered alone is the slice of the whole.
func TestAHandWrittenSceneFileRendersToTheFormulas(t *testing.T) {
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(11, 12))
	for _, rate := range []int64{44100, 48000, 96000}[:min(corpus.Cases(1, 3), 3)] {
		sound := map[string][]float64{}
		for _, name := range []string{"a", "b"} {
			v := make([]float64, 5*rate)
			for i := range v {
				v[i] = float64(float32(r.Float64() - 0.5))
				if name == "b" {
					v[i] = float64(float32(0.8*v[i] + 0.3*sound["a"][i])) // somewhat alike
				}
			}
			sound[name] = v
			f, err := media.Create(filepath.Join(dir, fmt.Sprintf("%s-%d.wav", name, rate)), int(rate), 1, "32f", false)
			if err != nil {
				t.Fatal(err)
			}
			raw := make([]byte, f.Encoder.Size(5*rate))
			f.Encoder.Encode(raw, pcm.Block{v}, 0)
			f.Write(raw)
			if err := f.Close(); err != nil {
				t.Fatal(err)
			}
		}
		a, b := sound["a"], sound["b"]
		length, in := 5*rate/2, 5*rate/2 // the first half of a, the second of b: 2.5 s of handle on both sides
		for _, law := range []string{"constant_power", "constant_gain", "matched"} {
			for _, ms := range []int64{40, 200, 2000} {
				n := rate * ms / 1000
				for _, before := range []int64{n / 2, n / 4, n * 7 / 8} {
					path, out := filepath.Join(dir, "two.otio"), filepath.Join(dir, "out.wav")
					os.WriteFile(path, fmt.Appendf(nil, twoClips, rate, length, before, n-before, law, in), 0o644)
					if err := (&renderCmd{Scene: path, Out: out, Depth: "32f"}).Run(context.Background()); err != nil {
						t.Fatal(err)
					}
					got := outside.Decode(t, out, 2)
					from := length - before
					var ab, aa, bb float64
					for i := range n {
						x, y := a[from+i], b[in-before+i]
						ab, aa, bb = ab+x*y, aa+x*x, bb+y*y
					}
					likeness := max(-0.5, ab/math.Sqrt(aa*bb))
					want := make([]float64, 2*length)
					for i := range want {
						switch p := int64(i); {
						case p < from:
							want[i] = a[p]
						case p >= from+n:
							want[i] = b[p-length+in]
						default:
							x := (float64(p-from) + 0.5) / float64(n)
							out, into := math.Cos(math.Pi*x/2), math.Sin(math.Pi*x/2)
							if law == "constant_gain" {
								out, into = 1-x, x
							} else if law == "matched" {
								k := math.Sqrt(1 + likeness*math.Sin(math.Pi*x))
								out, into = out/k, into/k
							}
							want[i] = out*a[p] + into*b[p-length+in]
						}
					}
					if d, at := outside.Furthest(t, got, pcm.Block{want, want}); d > 1e-6 {
						t.Errorf("%s, %d ms, %d before, %d Hz: off by %g, %s", law, ms, before, rate, d, at)
					}
				}
			}
		}
		part := filepath.Join(dir, "part.wav")
		if err := (&renderCmd{Scene: filepath.Join(dir, "two.otio"), Out: part, Depth: "32f", From: "00:00:01:07",
			To: "00:00:03:11"}).Run(
			context.Background(),
		); err != nil {
			t.Fatal(err)
		}
		outside.Same(
			t,
			"a range alone",
			outside.Decode(t, part, 2),
			outside.Decode(t, filepath.Join(dir, "out.wav"), 2).Slice(32*rate/25, 86*rate/25),
		)
	}
}
