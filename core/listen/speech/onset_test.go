package speech_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"testing"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/outside"
)

const rate = 48000

// room is noise of an empty room: falling by 3 dB an octave, with some hum.
func room(r *rand.Rand, n int) []float64 {
	v := make([]float64, n)
	var b [3]float64 // Paul Kellet's three-pole filter for pink noise, from memory
	hum := 0.3 * r.Float64()
	for i := range v {
		w := r.NormFloat64()
		b[0] = 0.99765*b[0] + w*0.0990460
		b[1] = 0.96300*b[1] + w*0.2965164
		b[2] = 0.57000*b[2] + w*1.0526913
		v[i] = b[0] + b[1] + b[2] + w*0.1848 + hum*math.Sin(2*math.Pi*100*float64(i)/rate)
	}
	return v
}

func db(v []float64) float64 { return measure.RMSDB(pcm.Block{v}) }

// audible is where a clean voice first stands above the room: where 10 ms of it reach the room's level in any
// third-octave from 200 Hz to 8 kHz, and go on doing so for 10 ms.
func audible(voice, room []float64) int64 {
	b := measure.NewBands(rate, rate/100, 200, 8000)
	n := b.Window()
	floor := make([]float64, len(b.Centres))
	windows := 0
	for at := 0; at+n <= len(room); at += n {
		for i, p := range b.Powers(nil, room[at:at+n]) {
			floor[i] += p
		}
		windows++
	}
	held := 0
	const hop = 48
	for at := 0; at+n <= len(voice); at += hop {
		above := false
		for i, p := range b.Powers(nil, voice[at:at+n]) {
			above = above || p > floor[i]/float64(windows)
		}
		if held++; !above {
			held = 0
		}
		if held == 10 {
			return int64(at - 9*hop + n/2)
		}
	}
	return -1
}

// Real voices (Debian's alsa-utils) over room noise 10 to 30 dB below them: each onset is found within 15 ms of where
// the voice comes out of the noise.
func TestOnsetsOfRealVoicesAreFoundWithin15MS(t *testing.T) {
	r := rand.New(rand.NewPCG(10+corpus.Seed(), 1))
	found, cases := 0, 100
	files := outside.Voices(t)
	voices := make([][]float64, len(files))
	for i, f := range files {
		voices[i] = outside.Decode(t, f, 1)[0]
	}
	var misses []string
	var errors []float64
	for i := range cases {
		file, voice := filepath.Base(files[i%len(files)]), voices[i%len(files)]
		snr := 10 + 20*r.Float64()
		lead := rate/2 + r.IntN(rate)
		noise := room(r, lead+len(voice)+rate/2)
		gain := level.Amplitude(speechLevel(voice) - snr - db(noise))
		for i := range noise {
			noise[i] *= gain
		}
		clean := append(make([]float64, lead), voice...)
		want := audible(clean, noise)
		mixed := slices.Clone(noise)
		for i, v := range clean {
			mixed[i] += v
		}
		heard, _ := speech.Find(mixed, rate)
		words := heard.Words()
		if len(words) == 0 {
			misses = append(misses, fmt.Sprintf("%s at %.0f dB: no word", file, snr))
			continue
		}
		off := 1000 * float64(words[0].Span.From-want) / rate
		errors = append(errors, off)
		if math.Abs(off) <= 15 {
			found++
		} else {
			misses = append(misses, fmt.Sprintf("%s at %.0f dB: %.0f ms off", file, snr, off))
		}
	}
	t.Logf(
		"%d of %d onsets within 15 ms; median %.1f ms late, 5 %% earlier than %.1f, 5 %% later than %.1f",
		found,
		cases,
		measure.Percentile(errors, 0.5),
		measure.Percentile(errors, 0.05),
		measure.Percentile(errors, 0.95),
	)
	if found < 95 {
		t.Errorf("only %d of %d within 15 ms: %v", found, cases, misses)
	}
}

// speechLevel is the level of a voice while it speaks: of its frames within 20 dB of the loudest.
func speechLevel(voice []float64) float64 {
	levels := measure.FrameLevels(pcm.Block{voice}, rate)
	top := slices.Max(levels)
	sum, n := 0.0, 0
	for _, l := range levels {
		if l > top-20 {
			sum += math.Pow(10, l/10)
			n++
		}
	}
	return 10 * math.Log10(sum/float64(n))
}

// A sound of any length, down to none, can be looked at: what is too short for one frame has no words.
func TestSoundsOfAnyLengthAreLookedAt(t *testing.T) {
	for _, rate := range []int{8000, 44100, 48000, 192000} {
		for n := 0; n < rate/20; n += 1 + rate/3000 {
			v := make([]float64, n)
			for i := range v {
				v[i] = 0.1 * math.Sin(float64(i))
			}
			if h, _ := speech.Find(v, rate); h.Length != int64(n) {
				t.Fatalf("%d samples at %d Hz: %+v", n, rate, h)
			}
		}
	}
}
