package ambience_test

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
)

// The answer falls by 60 dB in its time, by M. R. Schroeder's integral of what is still to come ("New Method of
// Measuring Reverberation Time", J. Acoust. Soc. Am. 37, 1965), read from -5 to -35 dB (T30 of ISO 3382), and has its
// energy.
func TestAnAnswerDiesAway(t *testing.T) {
	for _, d := range []recipe.Decay{{S: 0.2, LevelDB: -12}, {S: 0.45, LevelDB: -6}, {S: 0.9, LevelDB: 0}} {
		for seed := range uint64(3) {
			a := ambience.ImpulseOf(d, seed, rate)
			left := make([]float64, len(a.Samples)+1)
			for i := len(a.Samples) - 1; i > 0; i-- {
				left[i] = left[i+1] + a.Samples[i]*a.Samples[i]
			}
			begin := 30 * rate / 1000 // behind the single reflections
			var from, to int
			for i := begin; i < len(left)-1; i++ {
				db := level.OfPower(left[i] / left[begin])
				if from == 0 && db < -5 {
					from = i
				}
				if to == 0 && db < -25 {
					to = i
				}
			}
			if got := 3 * float64(to-from) / rate; math.Abs(got/d.S-1) > 0.12 {
				t.Errorf("%+v: it falls by 60 dB in %.2f s", d, got)
			}
			power, count := 0.0, 0.0
			for hz := 250.0; hz < 4000; hz += 7 {
				x := a.At(hz) - 1 // without the sound itself
				power, count = power+real(x)*real(x)+imag(x)*imag(x), count+1
			}
			if got := level.OfPower(power / count); math.Abs(got-d.LevelDB) > 1.5 {
				t.Errorf("%+v: its energy is %.1f dB", d, got)
			}
			if low := level.OfPower(math.Pow(cmplx.Abs(a.At(50)-1), 2)); low > d.LevelDB-15 {
				t.Errorf("%+v: hum of 50 Hz is answered at %.1f dB", d, low)
			}
		}
	}
}

// A recording in a room that answers is the sum of all its echoes, and the same bits for every stretch.
func TestARecordingIsFoldedWithTheAnswer(t *testing.T) {
	d := recipe.Decay{S: 0.4, LevelDB: -6}
	sound := outside.Decode(t, outside.Voices(t)[0], 1)
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: sound}, &recipe.Room{Seed: 3, Decay: &d}, nil)
	all := pcm.Span{From: -3000, To: sound.Len() + rate/2}
	whole, err := pcm.Read(even, all)
	if err != nil {
		t.Fatal(err)
	}
	answer := ambience.ImpulseOf(d, 3, rate).Samples
	rng := rand.New(rand.NewPCG(1, 2))
	for range 200 { // against the sum itself
		at := rng.Int64N(whole.Len())
		want := 0.0
		for k, h := range answer {
			if i := all.From + at - int64(k); i >= 0 && i < sound.Len() {
				want += h * sound[0][i]
			}
		}
		if math.Abs(whole[0][at]-want) > 1e-12 {
			t.Fatalf("sample %d is %g, not %g", all.From+at, whole[0][at], want)
		}
	}
	for range 30 {
		from := all.From + rng.Int64N(all.Len()-1)
		part, err := pcm.Read(even, pcm.Span{From: from, To: min(all.To, from+1+rng.Int64N(20000))})
		if err != nil {
			t.Fatal(err)
		}
		for i, v := range part[0] {
			if w := whole[0][from-all.From+int64(i)]; v != w {
				t.Fatalf("sample %d: %g, in the whole %g", from+int64(i), v, w)
			}
		}
	}
}

// Noise grows in each band by what Powers says.
func TestNoiseGrowsByTheAnswer(t *testing.T) {
	d := recipe.Decay{S: 0.5, LevelDB: -3}
	own := room.Kinds[1]
	own.Hum = nil
	b := own.Sound(30*rate, rate, 1, 5)
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: b}, &recipe.Room{Seed: 3, Decay: &d}, nil)
	got, err := pcm.Read(even, pcm.Span{From: rate, To: 29 * rate})
	if err != nil {
		t.Fatal(err)
	}
	was := ambience.Analyze([][]float64{b[0][rate : 29*rate]}, rate, nil)
	is := ambience.Analyze([][]float64{got[0]}, rate, nil)
	by := ambience.ImpulseOf(d, 3, rate).Powers()
	want := make(ambience.Spectrum, len(was))
	for i := range was {
		want[i] = was[i] * by[i]
	}
	for n := ambience.ThirdLow; n <= ambience.ThirdHigh; n++ {
		low, high := ambience.Third(n)
		if off := level.OfPower(is.Between(low, high) / want.Between(low, high)); math.Abs(off) > 0.5 {
			t.Errorf("third-octave %d lies %+.2f dB from what was said", n, off)
		}
	}
}
