package tone_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/listen/tone"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/room"
	"blendseam/internal/corpus"
	"blendseam/internal/outside"
)

const rate = 48000

// built is tone made of one recording.
func built(b pcm.Block, t recipe.Tone) *tone.Reader {
	if t.Left == nil {
		t.Left = []recipe.Material{{Source: "a", To: b.Len()}}
	}
	return tone.Open(
		t,
		rate,
		len(b),
		24*3600*rate,
		func(m recipe.Material) (pcm.Block, error) { return b.Slice(m.From, m.To), nil },
	)
}

func read(t testing.TB, r *tone.Reader, from, n int64) pcm.Block {
	t.Helper()
	b, err := pcm.Read(r, pcm.Span{From: from, To: from + n})
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// thirds are the third-octave levels of a sound, measured in long windows.
func thirds(b pcm.Block, low, high float64) []float64 {
	bands := measure.NewBands(rate, 8192, low, high)
	sum := make([]float64, len(bands.Centres))
	n := 0
	for at := int64(0); at+int64(bands.Window()) <= b.Len(); at += int64(bands.Window()) / 4 {
		for i, p := range bands.Powers(nil, b[0][at:at+int64(bands.Window())]) {
			sum[i] += p
		}
		n++
	}
	for i := range sum {
		sum[i] = 10 * math.Log10(sum[i]/float64(n))
	}
	return sum
}

// spread is the standard deviation of the levels of 20 ms, in dB.
func spread(b pcm.Block) float64 {
	levels := measure.FrameLevels(b, rate)
	mean, square := 0.0, 0.0
	for _, l := range levels {
		mean += l / float64(len(levels))
	}
	for _, l := range levels {
		square += (l - mean) * (l - mean) / float64(len(levels))
	}
	return math.Sqrt(square)
}

// autocorrelation gives the normalised autocorrelation at every lag up to most, by FFT.
func autocorrelation(v []float64, most int) []float64 {
	size := 1
	for size < 2*len(v) {
		size *= 2
	}
	mean := 0.0
	for _, x := range v {
		mean += x / float64(len(v))
	}
	padded := make([]float64, size)
	for i, x := range v {
		padded[i] = x - mean
	}
	fft := fourier.NewFFT(size)
	c := fft.Coefficients(nil, padded)
	for i, x := range c {
		c[i] = complex(real(x)*real(x)+imag(x)*imag(x), 0)
	}
	r := fft.Sequence(nil, c)
	out := make([]float64, most)
	for lag := range out {
		out[lag] = r[lag] / r[0] * float64(len(v)) / float64(len(v)-lag)
	}
	return out
}

func furthest(v []float64, from int) (most float64, at int) {
	for i := from; i < len(v); i++ {
		if a := math.Abs(v[i]); a > most {
			most, at = a, i
		}
	}
	return most, at
}

// A minute of tone from 0.7 s of a room is as that room is: third-octaves within 1 dB, levels of 20 ms as spread within
// 0.5 dB, no repeat (autocorrelation of wave and envelope at most 0.15 beyond 60 ms where the room's own is lower), no
// step.
func TestAMinuteFromSevenTenthsOfASecondIsLikeTheRoom(t *testing.T) {
	t.Parallel()
	for ki, k := range room.Kinds[:min(corpus.Cases(2, 6), len(room.Kinds))] {
		for seed := range uint64(1) {
			material := k.Sound(rate*7/10, rate, 1, 100*uint64(ki)+seed)
			began := time.Now()
			b := read(t, built(material, recipe.Tone{Seed: seed + 1}), 12*3600*rate, 60*rate)
			took := time.Since(began)
			about := fmt.Sprintf("%s, seed %d", k.Name, seed)
			want, got := thirds(material, 63, 10000), thirds(b, 63, 10000)
			worst, band := 0.0, 0
			for i := range want {
				if d := got[i] - want[i]; math.Abs(d) > math.Abs(worst) {
					worst, band = d, i
				}
			}
			if math.Abs(worst) > 1 {
				t.Errorf("%s: third-octave %d is off by %.2f dB", about, band, worst)
			}
			apart := spread(b) - spread(material)
			if len(k.Hum) > 0 { // how noise and a few sines come together in 0.7 s says little of a minute
				apart = spread(b) - spread(k.Sound(20*rate, rate, 1, 100*uint64(ki)+seed))
			}
			if math.Abs(apart) > 0.5 {
				t.Errorf("%s: levels of 20 ms are spread by %.2f dB, the room's by %.2f", about, spread(b), spread(material))
			}
			wave, lag := furthest(autocorrelation(b[0][:20*rate], 4*rate), rate*60/1000)
			envelope, _ := furthest(autocorrelation(envelopeOf(b[0]), 800), 12)
			if len(k.Hum) == 0 && (wave > 0.15 || envelope > 0.15) {
				t.Errorf("%s: autocorrelation %.3f at %d ms, of the envelope %.3f", about, wave, lag*1000/rate, envelope)
			}
			step, own := steepest(b[0]), steepest(material[0])
			if step > 1.5*own {
				t.Errorf("%s: a step of %.4f, the room's steepest is %.4f", about, step, own)
			}
			t.Logf(
				"%s: third-octaves (%d) %.2f dB, spread %+.2f dB, autocorrelation %.3f, envelope %.3f, steepest %.2f times, %v",
				about,
				band,
				worst,
				apart,
				wave,
				envelope,
				step/own,
				took,
			)
		}
	}
}

func steepest(v []float64) (most float64) {
	for i := 1; i < len(v); i++ {
		most = max(most, math.Abs(v[i]-v[i-1]))
	}
	return most
}

// envelopeOf is the level of every 5 ms.
func envelopeOf(v []float64) (out []float64) {
	for at := 0; at+240 <= len(v); at += 240 {
		out = append(out, level.Amplitude(measure.RMSDB(pcm.Block{v[at : at+240]})))
	}
	return out
}

func TestAnyStretchOfToneIsTheSameBits(t *testing.T) {
	t.Parallel()
	for _, k := range []room.Kind{room.Kinds[0], room.Kinds[2]} {
		material := k.Sound(rate, rate, 2, 5)
		tuned := recipe.Tone{Seed: 9}
		whole := read(t, built(material, tuned), 1000000, 5*rate)
		for _, s := range []pcm.Span{{From: 0, To: 1}, {From: 777, To: 778}, {From: 12345, To: 99999},
			{From: 200000, To: 5 * rate}} {
			outside.Same(t, k.Name, read(t, built(material, tuned), 1000000+s.From, s.Len()), whole.Slice(s.From, s.To))
		}
		other := read(t, built(material, recipe.Tone{Seed: 10}), 1000000, rate)
		if other[0][5000] == whole[0][5000] {
			t.Error("another seed gives the same sound")
		}
	}
}

// Under half a second the noise is shaped, and is still like the room.
func TestTooLittleMaterialIsShapedNoise(t *testing.T) {
	t.Parallel()
	for i, k := range room.Kinds[1:] {
		material := k.Sound(rate*3/10, rate, 1, uint64(i))
		r := built(material, recipe.Tone{Seed: 3})
		if tone.Method(material.Len(), rate) != tone.Shaped {
			t.Fatal("0.3 s are said to be enough for grains")
		}
		b := read(t, r, 0, 20*rate)
		want, got := thirds(material, 250, 8000), thirds(b, 250, 8000)
		for n := range want {
			if d := got[n] - want[n]; math.Abs(d) > 1.5 {
				t.Errorf("%s: third-octave %d is off by %.2f dB", k.Name, n, d)
			}
		}
		if d := measure.RMSDB(b) - measure.RMSDB(material); math.Abs(d) > 0.7 {
			t.Errorf("%s: %.2f dB off", k.Name, d)
		}
	}
}

// Hum goes on from that of the recording, a quarter turn off, so that both together at constant power hold its level.
func TestHumGoesOnInPhase(t *testing.T) {
	t.Parallel()
	b := pcm.NewBlock(1, 3*rate)
	for i := range b[0] {
		b[0][i] = 0.1 * math.Sin(2*math.Pi*50.3*float64(i)/rate)
	}
	noise := room.Kinds[3].Sound(3*rate, rate, 1, 1)
	for i := range noise[0] {
		b[0][i] += noise[0][i]
	}
	r := built(
		b,
		recipe.Tone{Seed: 1, Left: []recipe.Material{{Source: "a", From: rate / 2, To: rate * 3 / 2}}, Phase: 7000},
	)
	got := read(t, r, 7000+2*rate, rate/2) // where the recording would be from 2 s on
	var sum pcm.Block = pcm.NewBlock(1, rate/2)
	for i := range sum[0] {
		sum[0][i] = math.Sqrt(0.5) * (got[0][i] + b[0][2*rate+i])
	}
	if d := measure.RMSDB(sum) - measure.RMSDB(b.Slice(2*rate, 2*rate+rate/2)); math.Abs(d) > 0.2 {
		t.Errorf("both at constant power are %.2f dB off the room alone", d)
	}
	hum := tone.Partials(b, rate)
	if len(hum) != 1 || math.Abs(hum[0].Hz-50.3) > 0.02 || math.Abs(hum[0].LevelDB-level.DB(0.1/math.Sqrt2)) > 0.3 {
		t.Errorf("the hum found is %+v", hum)
	}
}

// No room without hum is said to have one, and those that have one show its partials.
func TestHumIsNamedWhereThereIsOne(t *testing.T) {
	t.Parallel()
	for i, k := range room.Kinds {
		for seed := range uint64(10) {
			found := tone.Partials(k.Sound(rate, rate, 1, 50+10*uint64(i)+seed), rate)
			if len(k.Hum) == 0 && len(found) > 0 {
				t.Errorf("%s has no hum, and %+v were found", k.Name, found)
			}
			for _, p := range found {
				near := false
				for _, h := range k.Hum {
					near = near || math.Abs(h.Hz-p.Hz) < 0.5
				}
				if !near && len(k.Hum) > 0 {
					t.Errorf("%s has no partial at %.1f Hz", k.Name, p.Hz)
				}
			}
			if len(k.Hum) > 0 && len(found) == 0 {
				t.Errorf("no hum was found in %s", k.Name)
			}
		}
	}
}

// From a room to another one, 6 dB louder and coloured otherwise: every 400 ms lie within 1.5 dB of the straight line
// between both, as a whole and at both ends in every third-octave.
func TestTonePassesFromOneSideToTheOther(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(corpus.Seed(), 10))
	for i := range corpus.Cases(4, 12) {
		from, to := room.Kinds[i%6], room.Kinds[(i+1+i/6)%6]
		to.Level = from.Level + 6
		a, b := from.Sound(3*rate/2, rate, 1, r.Uint64()), to.Sound(3*rate/2, rate, 1, r.Uint64())
		length := int64(1+i%4) * rate
		tuned := recipe.Tone{
			Seed:  1,
			Left:  []recipe.Material{{Source: "a", To: a.Len()}},
			Right: []recipe.Material{{Source: "b", To: b.Len()}},
			LeftDB: tone.Thirds(
				a,
				[]pcm.Span{{To: a.Len()}},
				rate,
			),
			RightDB: tone.Thirds(b, []pcm.Span{{To: b.Len()}}, rate),
			From:    5 * rate,
			To:      5*rate + length,
		}
		open := func(m recipe.Material) (pcm.Block, error) {
			return map[string]pcm.Block{"a": a, "b": b}[m.Source].Slice(m.From, m.To), nil
		}
		left, right := tone.LevelDB(a, rate), tone.LevelDB(b, rate)
		tuned, gain, err := tone.Settle(
			tuned,
			rate,
			1,
			24*3600*rate,
			tone.Options{Span: pcm.Span{From: tuned.From, To: tuned.To}, Left: left, Right: right},
			open,
		)
		if err != nil {
			t.Fatal(err)
		}
		passing := tone.Open(tuned, rate, 1, 24*3600*rate, open)
		worst, plain := 0.0, 0.0
		for at := int64(0); at+rate*4/10 <= length; at += rate / 10 {
			x, b400 := float64(at+rate*2/10)/float64(length), read(t, passing, 5*rate+at, rate*4/10)
			worst = max(worst, math.Abs(gain+tone.LevelDB(b400, rate)-(left+(right-left)*x)))
			plain = max(plain, math.Abs(gain+measure.RMSDB(b400)-(measure.RMSDB(a)*(1-x)+measure.RMSDB(b)*x)))
		}
		if worst > 1.5 || plain > 1.5 {
			t.Errorf(
				"%s to %s in %d s: %.2f dB off the line, %.2f dB with what lies below 30 Hz",
				from.Name,
				to.Name,
				length/rate,
				worst,
				plain,
			)
		}
		for _, end := range []struct {
			at   int64
			like pcm.Block
		}{{rate, a}, {5*rate + length, b}} {
			want, got := thirds(end.like, 125, 8000), thirds(read(t, passing, end.at, 4*rate), 125, 8000)
			for i := range want {
				if math.Abs(got[i]-want[i]) > 1.5 {
					t.Errorf("%s to %s: a third-octave at an end is off by %.2f dB", from.Name, to.Name, got[i]-want[i])
				}
			}
		}
		t.Logf(
			"%s to %s in %d s: at most %.2f dB off the line, %.2f dB with what lies below 30 Hz",
			from.Name,
			to.Name,
			length/rate,
			worst,
			plain,
		)
	}
}
