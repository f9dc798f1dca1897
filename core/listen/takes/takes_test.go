package takes_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/takes"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

const rate = 48000

// faster is how much faster a line is said again.
const faster = 1.06

// roomed is sounds one after the other with pauses between them, in a room of its own, and where each begins.
func roomed(rng *rand.Rand, noise float64, list ...pcm.Block) (pcm.Block, []int64) {
	n := int64(rate)
	var at []int64
	for _, b := range list {
		at = append(at, n)
		n += b.Len() + int64(rng.IntN(rate/2)) + rate/3
	}
	out := pcm.NewBlock(1, n+rate)
	for i := range out[0] {
		out[0][i] = noise * rng.NormFloat64()
	}
	for k, b := range list {
		for i, v := range b[0] {
			out[0][at[k]+int64(i)] += v
		}
	}
	return out, at
}

func recording(t *testing.T, b pcm.Block) takes.Recording {
	t.Helper()
	sound := pcm.Memory{Rate: rate, Sound: b}
	a, err := analysis.Analyze(context.Background(), sound)
	if err != nil {
		t.Fatal(err)
	}
	return takes.Recording{Analysis: a, Sound: sound}
}

// lines are what is said by one speaker each: the eight places of alsa-utils, or five letters of a language of
// klettres.
func lines(t *testing.T) (list [][]pcm.Block) {
	t.Helper()
	var one []pcm.Block
	for _, f := range outside.Voices(t) {
		if !strings.Contains(f, "Noise") {
			one = append(one, outside.Decode(t, f, 1))
		}
	}
	list = append(list, one)
	if testing.Short() {
		return list
	}
	by := map[string][]pcm.Block{}
	for _, f := range outside.ManyVoices(t) {
		dir := filepath.Dir(f)
		if len(by[dir]) < 40 {
			by[dir] = append(by[dir], outside.Decode(t, f, 1, "-ar", "48000"))
		}
	}
	for _, letters := range by {
		var said []pcm.Block
		for len(letters) >= 5 {
			line := pcm.NewBlock(1, 0)
			for _, l := range letters[:5] {
				line[0] = append(append(line[0], l[0]...), make([]float64, rate/8)...)
			}
			said, letters = append(said, line), letters[5:]
		}
		if len(said) > 3 {
			list = append(list, said)
		}
	}
	return list
}

// Of real voices, a line is found among others of the same speaker: heard by another microphone (ffmpeg's low-pass,
// gain and echo, another noise) it is in step to a millisecond, to the sample where nothing but gain and noise differ;
// said again (sox's tempo and pitch, for want of real second takes) its first word sets in within 10 ms of where that
// tempo puts it, which itself moves by up to its search of 15 ms, so that half of them is what is asked.
func TestALineIsFoundAndPutInStep(t *testing.T) {
	rng := rand.New(rand.NewPCG(17, 4))
	found, exact, near, again, set, all := 0, 0, 0, 0, 0, 0
	for n, speaker := range lines(t) {
		each := 8
		if testing.Short() {
			each = 5
		}
		if n > 0 {
			each = 1
		}
		for k := range min(len(speaker), 8, each) {
			first, at := roomed(rng, 0.0006, speaker[k])
			a := recording(t, first)
			said := pcm.Span{From: at[0], To: at[0] + speaker[k].Len()}
			all++
			for kind, change := range []func(pcm.Block) pcm.Block{
				func(b pcm.Block) pcm.Block { return gained(b, 0.4) },
				func(b pcm.Block) pcm.Block {
					return outside.FFmpeg(t, b, rate, "lowpass=f=5000:p=1,aecho=1:0.7:17|31:0.25|0.12")
				},
				func(b pcm.Block) pcm.Block {
					return outside.Sox(t, b, rate, "tempo", "-s", fmt.Sprint(faster), "pitch", "70")
				},
			} {
				others := append([]pcm.Block{}, speaker...)
				others[k] = change(speaker[k])
				order := rng.Perm(len(others))
				var laid []pcm.Block
				for _, o := range order {
					laid = append(laid, others[o])
				}
				sound, places := roomed(rng, 0.0015, laid...)
				want := places[index(order, k)] - at[0]
				list, err := takes.Find(context.Background(), a, said, recording(t, sound), false, 3)
				if err != nil {
					t.Fatal(err)
				}
				if kind == 2 { // where the first word begins goes with the tempo
					words, err := a.Analysis.Spoken(said)
					if err != nil || len(words) == 0 {
						t.Fatalf("no word is found in line %d: %v", k, err)
					}
					want -= int64(float64(words[0].From-at[0]) * (1 - 1/faster))
				}
				off := int64(1 << 40)
				if len(list) > 0 {
					off = max(list[0].Shift-want, want-list[0].Shift)
				}
				switch {
				case kind == 0:
					found += count(off < rate/2)
					exact += count(off == 0 && list[0].Same)
				case kind == 1:
					found += count(off < rate/2)
					near += count(off <= rate/1000)
				default:
					again += count(off < rate/2)
					set += count(off <= rate/100)
				}
			}
		}
	}
	t.Logf("of %d lines: by another microphone %d of %d found, %d to the sample, %d filtered ones within 1 ms; "+
		"said again %d, %d within 10 ms", all, found, 2*all, exact, near, again, set)
	if found < 2*all*95/100 || exact < all*80/100 || near < all*85/100 || again < all*85/100 || set < all/2 {
		t.Error("that is too few")
	}
}

// What nobody says is not found, and silence finds nothing.
func TestWhatIsNotSaidIsNotFound(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	voices := lines(t)[0]
	first, at := roomed(rng, 0.0006, voices[0])
	sound, _ := roomed(rng, 0.001, outside.Sox(t, voices[1], rate, "reverse"), outside.Sox(t, voices[2], rate, "reverse"))
	a := recording(t, first)
	list, err := takes.Find(context.Background(), a, pcm.Span{From: at[0], To: at[0] + voices[0].Len()},
		recording(t, sound), false, 3)
	if err != nil || len(list) > 0 {
		t.Errorf("found %+v, %v", list, err)
	}
	quiet := recording(t, pcm.NewBlock(1, 5*rate))
	for _, b := range []takes.Recording{quiet, a} {
		list, err := takes.Find(context.Background(), quiet, pcm.Span{To: 2 * rate}, b, false, 3)
		if err != nil || len(list) > 0 {
			t.Errorf("of silence %+v is found, %v", list, err)
		}
	}
}

func count(is bool) int {
	if is {
		return 1
	}
	return 0
}

func index(list []int, of int) int {
	for i, v := range list {
		if v == of {
			return i
		}
	}
	return -1
}

func gained(b pcm.Block, gain float64) pcm.Block {
	out := pcm.NewBlock(1, b.Len())
	for i, v := range b[0] {
		out[0][i] = gain * v
	}
	return out
}
