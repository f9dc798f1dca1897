package timestretch_test

import (
	"math"
	"testing"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/internal/outside"
)

const rate = 48000

// reader gives a block, and silence around it.
func reader(b pcm.Block) timestretch.Read {
	return func(span pcm.Span) (pcm.Block, error) {
		out := pcm.NewBlock(len(b), span.Len())
		for c := range b {
			for i := range out[c] {
				if at := span.From + int64(i); at >= 0 && at < b.Len() {
					out[c][i] = b[c][at]
				}
			}
		}
		return out, nil
	}
}

func sine(hz, seconds float64) pcm.Block {
	b := pcm.NewBlock(1, int64(seconds*rate))
	for i := range b[0] {
		b[0][i] = 0.5 * math.Sin(2*math.Pi*hz*float64(i)/rate)
	}
	return b
}

func slower(t *testing.T, b pcm.Block, speed float64) pcm.Block {
	t.Helper()
	hops := int64(math.Round(float64(b.Len()) / speed / float64(timestretch.Hop(rate))))
	out, _, err := timestretch.Slower(reader(b), 0, 0, hops, speed, rate)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// What it should be follows from the sine itself: as many periods a second as before, as loud as before, no step
// between samples larger than its steepest.
func TestASineAtHalfSpeedKeepsPitchAndLevel(t *testing.T) {
	for _, hz := range []float64{60, 110, 440, 1000, 3333} {
		out := slower(t, sine(hz, 2), 0.5)
		if out.Len() != 4*rate {
			t.Fatalf("%d samples, not %d", out.Len(), 4*rate)
		}
		mid := out[0][rate/2 : 7*rate/2]
		var up int
		var power, step float64
		for i := 1; i < len(mid); i++ {
			if mid[i-1] < 0 && mid[i] >= 0 {
				up++
			}
			power += mid[i] * mid[i]
			step = max(step, math.Abs(mid[i]-mid[i-1]))
		}
		if got := float64(up) / 3; math.Abs(got-hz) > hz*0.002+0.4 {
			t.Errorf("%g Hz became %.1f Hz", hz, got)
		}
		if db := level.DB(math.Sqrt(power/float64(len(mid))) / (0.5 / math.Sqrt2)); math.Abs(db) > 0.3 {
			t.Errorf("%g Hz is %.2f dB louder", hz, db)
		}
		if steepest := 0.5 * 2 * math.Pi * hz / rate; step > 1.1*steepest {
			t.Errorf("%g Hz: a step of %.4f, the sine's steepest is %.4f", hz, step, steepest)
		}
	}
}

func TestPiecesOneAfterTheOtherAreOne(t *testing.T) {
	b := outside.Decode(t, outside.Voices(t)[0], 1)
	whole, _, err := timestretch.Slower(reader(b), 0, 0, 200, 0.5, rate)
	if err != nil {
		t.Fatal(err)
	}
	joined := pcm.NewBlock(1, 0)
	goesOn := int64(0)
	for from := int64(0); from < 200; from += 40 {
		out, next, err := timestretch.Slower(reader(b), from*timestretch.Hop(rate)/2, goesOn, 40, 0.5, rate)
		if err != nil {
			t.Fatal(err)
		}
		goesOn, joined[0] = next, append(joined[0], out[0]...)
	}
	outside.Same(t, "pieces and whole", joined, whole)
}

// A real voice of Debian's alsa-utils: its octaves keep their shares of the sound, as near as they do in what ffmpeg's
// atempo makes of the same file.
func TestAVoiceAtHalfSpeedSoundsAsFfmpegsDoes(t *testing.T) {
	file := outside.Voices(t)[0]
	b := outside.Decode(t, file, 1)
	theirs := outside.Decode(t, file, 1, "-af", "atempo=0.5")
	ours := slower(t, b, 0.5)
	if d := math.Abs(float64(ours.Len() - 2*b.Len())); d > float64(timestretch.Hop(rate)) {
		t.Errorf("%d samples became %d", b.Len(), ours.Len())
	}
	was, mine, other := thirds(b), thirds(ours), thirds(theirs)
	var off, offTheirs float64
	n := 0.0
	for i := range was {
		if was[i] < -60 { // hardly anything there
			continue
		}
		off += math.Abs(mine[i] - was[i])
		offTheirs += math.Abs(other[i] - was[i])
		n++
	}
	t.Logf("third-octaves are off by %.2f dB, those of atempo by %.2f dB", off/n, offTheirs/n)
	if n < 10 || off/n > max(1, 1.5*offTheirs/n) {
		t.Errorf("third-octaves are off by %.2f dB, those of atempo by %.2f dB", off/n, offTheirs/n)
	}
}

// thirds are the levels of the third-octaves from 100 Hz to 8 kHz over a whole sound, in dB.
func thirds(b pcm.Block) []float64 {
	bands := measure.NewBands(rate, 4096, 100, 8000)
	sums := make([]float64, len(bands.Centres))
	n := 0.0
	for at := 0; at+bands.Window() <= len(b[0]); at += bands.Window() / 2 {
		for i, p := range bands.Powers(nil, b[0][at:at+bands.Window()]) {
			sums[i] += p
		}
		n++
	}
	for i := range sums {
		sums[i] = 10 * math.Log10(sums[i]/n+1e-12)
	}
	return sums
}

func TestNoWayToListenIsRefused(t *testing.T) {
	for _, speed := range []float64{0, 0.2, 1.5, math.NaN()} {
		if _, _, err := timestretch.Slower(reader(sine(100, 1)), 0, 0, 10, speed, rate); err == nil {
			t.Errorf("%g times as fast is taken", speed)
		}
	}
}
