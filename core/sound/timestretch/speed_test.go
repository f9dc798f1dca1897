package timestretch_test

import (
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/internal/outside"
)

// fittedBy is all of a sound as it is fitted.
func fittedBy(t *testing.T, sound pcm.Block, f timing.Fit) pcm.Block {
	t.Helper()
	r, err := timestretch.Open(f, pcm.Memory{Rate: 48000, Sound: sound})
	if err != nil {
		t.Fatal(err)
	}
	b, err := pcm.Read(r, pcm.Span{To: r.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// A voice that runs faster or slower as a tape does is that of sox's speed, which resamples by its own filters: both
// are the same to -60 dB of the voice, and as long.
func TestATapeRunsAsInSox(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[0], 1)
	voice = outside.Sox(t, voice, 48000, "sinc", "-5000") // below what either takes off, at any of these speeds
	for _, speed := range []float64{0.25, 0.5, 0.8, 1.25, 2, 4} {
		n := voice.Len()
		length := int64(math.Round(float64(n) / speed))
		part := timing.Part{From: 0, To: n, Length: length, Kind: timing.Tape}
		got := fittedBy(t, voice, timing.Fit{Of: "v", Parts: []timing.Part{part}})[0]
		padded := pcm.NewBlock(1, max(n, length)+48000) // Sox gives as much as it is given
		copy(padded[0], voice[0])
		speed := strconv.FormatFloat(float64(n)/float64(length), 'f', 12, 64)
		want := outside.Sox(t, padded, 48000, "speed", speed, "rate", "-v", "48000")
		var diff, all float64
		for i := 2000; i < int(length)-2000; i++ {
			d := got[i] - want[0][i]
			diff, all = diff+d*d, all+want[0][i]*want[0][i]
		}
		if db := 10 * math.Log10(diff/all); db > -60 {
			t.Errorf("at %s times the speed the difference from sox's lies at %.1f dB", speed, db)
		}
	}
}

// A sine of 1 kHz has its pitch times the speed, at its level; what would fold over half the rate is gone.
func TestATapesPitchGoesAlong(t *testing.T) {
	for _, x := range []struct{ hz, speed, db float64 }{
		{1000, 0.125, 0}, {1000, 0.5, 0}, {1000, 3, 0}, {1000, 8, 0}, {10000, 3, -90}, {9000, 8, -90},
	} {
		sine := pcm.NewBlock(1, 4*48000)
		for i := range sine[0] {
			sine[0][i] = math.Sin(2 * math.Pi * x.hz * float64(i) / 48000)
		}
		length := int64(float64(sine.Len()) / x.speed)
		part := timing.Part{To: sine.Len(), Length: length, Kind: timing.Tape}
		out := fittedBy(t, sine, timing.Fit{Of: "s", Parts: []timing.Part{part}})[0]
		middle := out[len(out)/4 : len(out)*3/4]
		if x.db < -80 {
			if peak := measure.SamplePeakDB(pcm.Block{middle}); peak > x.db {
				t.Errorf("%g Hz at %g times the speed folds over at %.1f dB", x.hz, x.speed, peak)
			}
			continue
		}
		speed := float64(sine.Len()) / float64(length)
		worst := 0.0
		for i, v := range middle {
			at := float64(i+len(out)/4) * speed
			worst = max(worst, math.Abs(v-math.Sin(2*math.Pi*x.hz*at/48000)))
		}
		if worst > 1e-3 {
			t.Errorf("at %g times the speed a sample is %.2g off", x.speed, worst)
		}
	}
}

// With ease the pitch goes over from its own to that of the middle, each moment where Forward says it lies; any stretch
// is the same bits alone.
func TestATapeEases(t *testing.T) {
	const n = 6 * 48000
	ramp := pcm.NewBlock(1, n) // says by its value which moment sounds
	for i := range ramp[0] {
		ramp[0][i] = float64(i) / n
	}
	for _, part := range []timing.Part{
		{From: 48000, To: 5 * 48000, Length: 2 * 48000, Kind: timing.Tape, Ease: 48000},
		{From: 48000, To: 5 * 48000, Length: 10 * 48000, Kind: timing.Tape, Ease: 90000},
	} {
		f := timing.Fit{Of: "r", Parts: []timing.Part{part}}
		out := fittedBy(t, ramp, f)
		for at := part.From + 200; at < part.To-200; at += 997 {
			if got := out[0][f.Forward(at)] * n; math.Abs(got-float64(at)) > 2.5 {
				t.Fatalf("moment %d sounds %.2f samples beside where it should", at, got-float64(at))
			}
		}
		r, err := timestretch.Open(f, pcm.Memory{Rate: 48000, Sound: ramp})
		if err != nil {
			t.Fatal(err)
		}
		rng := rand.New(rand.NewPCG(1, 2))
		for range 40 {
			from := rng.Int64N(out.Len() - 700)
			b, err := pcm.Read(r, pcm.Span{From: from, To: from + 1 + rng.Int64N(699)})
			if err != nil {
				t.Fatal(err)
			}
			for i, v := range b[0] {
				if v != out[0][from+int64(i)] {
					t.Fatalf("sample %d differs when it is read alone", from+int64(i))
				}
			}
		}
	}
}

// Backwards is what ffmpeg's areverse makes, bit for bit; twice is nothing.
func TestBackwardsIsThatOfFFmpeg(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[1], 1)
	f := timing.Fit{Of: "v", Reversed: voice.Len()}
	got := fittedBy(t, voice, f)
	outside.Same(t, "backwards", got, outside.FFmpeg(t, voice, 48000, "areverse"))
	if f.Forward(0) != voice.Len() || f.Back(voice.Len()) != 0 || f.Back(f.Forward(777)) != 777 {
		t.Error("moments do not come back")
	}
	later := timing.Fit{Of: "v", Reversed: voice.Len() + 100}
	if b := fittedBy(t, voice, later); b[0][99] != 0 || b[0][100] != got[0][0] {
		t.Error("with a later end silence comes first")
	}
}
