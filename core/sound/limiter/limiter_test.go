package limiter_test

import (
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"blendseam/core/sound/level"
	"blendseam/core/sound/limiter"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

const rate = 48000

// hot is a mix of a real voice, tones, noise, clicks and a square, brought to peak some dB over full scale.
func hot(t *testing.T, rng *rand.Rand, over float64) pcm.Block {
	voices := outside.Voices(t)
	voice := outside.Decode(t, voices[rng.IntN(len(voices))], 1)[0]
	b := pcm.NewBlock(2, 2*rate)
	f, g := 40*math.Pow(450, rng.Float64()), 40*math.Pow(450, rng.Float64())
	weights := [5]float64{0.3, rng.Float64() * rng.Float64(), 0.1 * rng.Float64(), rng.Float64(), rng.Float64() * 0.5}
	for c := range b {
		for i := range b[c] {
			x := weights[0]*voice[(i+c*7)%len(voice)] +
				weights[1]*math.Sin(2*math.Pi*f*float64(i)/rate+float64(c)) +
				weights[2]*rng.NormFloat64()
			if math.Sin(2*math.Pi*g*float64(i)/rate) > 0.9 {
				x += weights[4]
			}
			if rng.IntN(9000) == 0 {
				x += weights[3]
			}
			b[c][i] = x
		}
	}
	var top float64
	for _, ch := range b {
		var m measure.TruePeak
		m.Add(ch)
		top = max(top, m.Peak())
	}
	for _, ch := range b {
		for i := range ch {
			ch[i] *= level.Amplitude(over) / top
		}
	}
	return b
}

func plan(t *testing.T, b pcm.Block, from int64, dbtp float64) *limiter.Plan {
	t.Helper()
	f, err := limiter.NewFinder(rate, len(b), from, dbtp)
	if err != nil {
		t.Fatal(err)
	}
	for at := int64(0); at < b.Len(); at += 7001 {
		f.Add(b.Slice(at, min(b.Len(), at+7001)))
	}
	return f.Plan()
}

func copied(b pcm.Block) pcm.Block {
	out := pcm.NewBlock(len(b), b.Len())
	for c := range b {
		copy(out[c], b[c])
	}
	return out
}

var peakLine = regexp.MustCompile(`Peak:\s+(-?[0-9.]+|-inf) dBFS`)

// outsidePeak is the true peak by libebur128, as ffmpeg's filter has it.
func outsidePeak(t *testing.T, file string) float64 {
	said := peakLine.FindStringSubmatch(outside.Run(t, "ffmpeg", "-hide_banner", "-nostats", "-f", "f64le", "-ar",
		strconv.Itoa(rate), "-ac", "2", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-"))
	if said == nil {
		t.Fatal("ffmpeg says no peak")
	}
	v, _ := strconv.ParseFloat(said[1], 64)
	return v
}

// Mixes of 1 to 12 dB too much stay under the ceiling by our meter and by libebur128's, which says tenths; what needs
// no turning is not turned, and what is turned is not turned more than the peaks near it ask for.
func TestHotMixesStayUnderTheCeiling(t *testing.T) {
	rng := rand.New(rand.NewPCG(18, 1))
	worst := math.Inf(-1)
	mixes := 50
	if testing.Short() {
		mixes = 8
	}
	for n := range mixes {
		over := 1 + 11*rng.Float64()
		dbtp := -3 * rng.Float64()
		b := hot(t, rng, over)
		p := plan(t, b, 0, dbtp)
		out := copied(b)
		p.Apply(out, 0)
		for _, ch := range out {
			var m measure.TruePeak
			m.Add(ch)
			worst = max(worst, level.DB(m.Peak())-dbtp)
		}
		if peak := outsidePeak(t, outside.Written(t, out)); peak > dbtp+0.05+0.05 {
			t.Errorf("mix %d: libebur128 finds %.1f dBTP under a ceiling of %.2f", n, peak, dbtp)
		}
		untouched, deepest := 0, 0.0
		for i := range b[0] {
			if out[0][i] == b[0][i] {
				untouched++
			} else if b[0][i] != 0 {
				deepest = max(deepest, -level.DB(out[0][i]/b[0][i]))
			}
		}
		if most := over - dbtp; deepest > most+0.5 {
			t.Errorf("mix %d is turned down by %.2f dB where %.2f are too much", n, deepest, most)
		}
		if len(p.Places(pcm.Span{To: b.Len()})) == 0 {
			t.Errorf("mix %d: it is not said where the limiter worked", n)
		}
	}
	t.Logf("at most %+.3f dB from the ceiling", worst)
	if worst > 0.05 {
		t.Error("that is over it")
	}
}

// Any range is the same bits as of the whole, found from the range and what Reach says alone.
func TestARangeIsTheSameBits(t *testing.T) {
	rng := rand.New(rand.NewPCG(18, 2))
	b := hot(t, rng, 6)
	whole := copied(b)
	plan(t, b, 0, -1).Apply(whole, 0)
	before, after := limiter.Reach(rate)
	for range 40 {
		from := rng.Int64N(b.Len() - 100)
		span := pcm.Span{From: from, To: from + 1 + rng.Int64N(min(20000, b.Len()-from))}
		known := pcm.Span{From: span.From - before, To: span.To + after}.Intersect(pcm.Span{To: b.Len()})
		p := plan(t, b.Slice(known.From, known.To), known.From, -1)
		part := copied(b.Slice(span.From, span.To))
		p.Apply(part, span.From)
		outside.Same(t, "a range", part, whole.Slice(span.From, span.To))
	}
}

// One click is met ahead, is as low as it must be, and the gain comes back within its fall's worth of release; nothing
// else is touched.
func TestOneClickIsTurnedDownAndNothingElse(t *testing.T) {
	b := pcm.NewBlock(1, rate)
	for i := range b[0] {
		b[0][i] = 0.1
	}
	b[0][rate/2] = 1.5
	p := plan(t, b, 0, -1)
	out := copied(b)
	p.Apply(out, 0)
	places := p.Places(pcm.Span{To: rate})
	need := 20 * math.Log10(1.5/level.Amplitude(-1))
	if len(places) != 1 || math.Abs(places[0].ReducedDB-need) > 0.1 || math.Abs(float64(places[0].At-rate/2)) > 16 {
		t.Errorf("it works at %+v, %.2f dB are needed", places, need)
	}
	first, last := rate, 0
	for i := range out[0] {
		if out[0][i] != b[0][i] {
			first, last = min(first, i), max(last, i)
		}
	}
	if ahead := rate/2 - first; ahead > rate*(limiter.AttackMS+2)/1000 || ahead < rate*(limiter.AttackMS-2)/1000 {
		t.Errorf("it begins %d samples ahead", ahead)
	}
	if behind := float64(last-rate/2) / rate; behind > need/limiter.ReleaseDB+0.02 {
		t.Errorf("it takes %.3f s to come back", behind)
	}
	for i := rate/2 + 1; i < rate; i++ { // no step
		if d := math.Abs(out[0][i] - out[0][i-1]); i > rate/2+1 && d > 0.1*0.01 {
			t.Fatalf("the gain jumps at %d by %g", i, d)
		}
	}
}

func TestWhatIsNoCeilingIsRefused(t *testing.T) {
	for _, db := range []float64{0.1, -31, math.NaN(), math.Inf(-1)} {
		if _, err := limiter.NewFinder(rate, 1, 0, db); err == nil {
			t.Errorf("%g is taken", db)
		}
	}
	p := plan(t, pcm.NewBlock(2, 100), 0, 0)
	if !p.Quiet() || p.Places(pcm.Span{To: 100}) != nil {
		t.Error("silence is limited")
	}
}
