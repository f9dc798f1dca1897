package measure

import (
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

const rate = 48000

// A piece is a stretch of a 1 kHz sine in both channels.
type piece struct{ dbfs, seconds float64 }

func tones(pieces ...piece) pcm.Block {
	b := pcm.NewBlock(2, 0)
	n := 0
	for _, p := range pieces {
		for range int(math.Round(p.seconds * rate)) {
			v := level.Amplitude(p.dbfs) * math.Sin(2*math.Pi*1000*float64(n)/rate)
			b[0], b[1] = append(b[0], v), append(b[1], v)
			n++
		}
	}
	return b
}

func repeat(times int, pieces ...piece) (all []piece) {
	for range times {
		all = append(all, pieces...)
	}
	return all
}

func near(t *testing.T, what string, got, want, tolerance float64) {
	t.Helper()
	if !(math.Abs(got-want) <= tolerance) {
		t.Errorf("%s: %.3f, want %.3f within %g", what, got, want, tolerance)
	}
}

// Minimum requirements test signals of EBU Tech 3341 (2016), table 1, cases 1 to 5, 9 and 12; case numbers and levels
// from memory. Case 6 has five channels, which scenes do not have.
func TestLoudnessOfEBUTech3341(t *testing.T) {
	for _, c := range []struct {
		name   string
		pieces []piece
		want   float64
	}{
		{"case 1", []piece{{-23, 20}}, -23},
		{"case 2", []piece{{-33, 20}}, -33},
		{"case 3", []piece{{-36, 10}, {-23, 60}, {-36, 10}}, -23},
		{"case 4", []piece{{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}}, -23},
		{"case 5", []piece{{-26, 20}, {-20, 20.1}, {-26, 20}}, -23},
	} {
		near(t, c.name+" integrated", LoudnessOf(tones(c.pieces...), rate).IntegratedLUFS, c.want, 0.1)
	}
	near(
		t,
		"case 9 short-term maximum",
		LoudnessOf(tones(repeat(5, piece{-20, 1.34}, piece{-30, 1.66})...), rate).ShortTermMaxLUFS,
		-23,
		0.1,
	)
	near(
		t,
		"case 12 momentary maximum",
		LoudnessOf(tones(repeat(25, piece{-20, 0.18}, piece{-30, 0.22})...), rate).MomentaryMaxLUFS,
		-23,
		0.1,
	)
}

// EBU Tech 3342 (2016), table 1, cases 1 to 4; from memory.
func TestRangeOfEBUTech3342(t *testing.T) {
	for _, c := range []struct {
		name   string
		pieces []piece
		want   float64
	}{
		{"case 1", []piece{{-20, 20}, {-30, 20}}, 10},
		{"case 2", []piece{{-20, 20}, {-15, 20}}, 5},
		{"case 3", []piece{{-40, 20}, {-20, 20}}, 20},
		{"case 4", []piece{{-50, 20}, {-35, 20}, {-20, 20}, {-35, 20}, {-50, 20}}, 15},
	} {
		near(t, c.name, LoudnessOf(tones(c.pieces...), rate).RangeLU, c.want, 1)
	}
}

// True-peak signals of EBU Tech 3341, cases 15 to 19: tones whose samples miss their peaks; tolerance +0.2, -0.4 dB.
func TestTruePeakOfEBUTech3341(t *testing.T) {
	for _, c := range []struct {
		name      string
		divisor   float64
		degrees   float64
		amplitude float64
		want      float64
	}{
		{"case 15", 4, 0, 0.5, -6}, {"case 16", 4, 45, 0.5, -6}, {"case 17", 6, 60, 0.5, -6}, {"case 18", 8, 67.5, 0.5, -6},
		{"case 19", 4, 45, 1.41, 3},
	} {
		b := pcm.NewBlock(1, rate)
		for i := range b[0] {
			fade := min(1, float64(min(i, rate-1-i))/480) // the test signals fade in and out
			b[0][i] = fade * c.amplitude * math.Sin(2*math.Pi*float64(i)/c.divisor+c.degrees*math.Pi/180)
		}
		if got := truePeakDB(b); got > c.want+0.2 || got < c.want-0.4 {
			t.Errorf("%s: %.2f dBTP, want %.1f +0.2 -0.4", c.name, got, c.want)
		}
	}
}

// ebur128 measures the same file with ffmpeg.
func ebur128(t *testing.T, file string) map[string]float64 {
	t.Helper()
	out := outside.Run(t, "ffmpeg", "-nostats", "-i", file, "-af", "ebur128=peak=sample+true", "-f", "null", "-")
	out = out[strings.LastIndex(out, "Summary:"):]
	got := map[string]float64{}
	for _, m := range regexp.MustCompile(`(?m)^\s+(I|LRA|Peak):\s+(-?[\d.]+|-inf)`).FindAllStringSubmatch(out, -1) {
		name := m[1]
		if _, twice := got[name]; twice {
			name = "True peak"
		}
		got[name], _ = strconv.ParseFloat(m[2], 64)
	}
	return got
}

// The voices joined, in order and backwards in level, so that there is something to gate.
func TestLoudnessOfRealVoicesAsFFmpeg(t *testing.T) {
	voices := outside.Voices(t)
	for _, list := range [][]string{voices[:1], voices[:4], voices} {
		file := t.TempDir() + "/voices.wav"
		args := []string{}
		for range 3 {
			args = append(args, list...)
		}
		outside.Run(t, "sox", append(args, "-c", "2", file, "remix", "1", "1v0.7")...)
		b := outside.Decode(t, file, 2)
		got, want := LoudnessOf(b, rate), ebur128(t, file)
		near(t, "integrated", got.IntegratedLUFS, want["I"], 0.1)
		near(t, "range", got.RangeLU, want["LRA"], 0.15)
		// ffmpeg prints one decimal.
		near(t, "true peak", got.TruePeakDBTP, want["True peak"], 0.15)
		near(t, "sample peak", got.SamplePeakDBFS, want["Peak"], 0.06)
	}
}

func TestLoudnessAtOtherRates(t *testing.T) {
	for _, r := range []int{44100, 96000} {
		b := pcm.NewBlock(2, int64(20*r))
		for i := range b[0] {
			b[0][i] = level.Amplitude(-23) * math.Sin(2*math.Pi*1000*float64(i)/float64(r))
			b[1][i] = b[0][i]
		}
		near(t, fmt.Sprint(r), LoudnessOf(b, r).IntegratedLUFS, -23, 0.1)
	}
}

func TestLevelsOfKnownSounds(t *testing.T) {
	sine := tones(piece{-6, 1})
	near(t, "RMS of a sine is 3.01 dB under its peak", RMSDB(sine), -6-3.0103, 0.001)
	near(t, "peak", SamplePeakDB(sine), -6, 0.001)
	if SamplePeakDB(pcm.NewBlock(1, 10)) != level.Silence || RMSDB(pcm.NewBlock(1, 10)) != level.Silence {
		t.Errorf(
			"silence is %g dB and %g dB, want %g",
			SamplePeakDB(pcm.NewBlock(1, 10)),
			RMSDB(pcm.NewBlock(1, 10)),
			level.Silence,
		)
	}
}

// Words of -20 dBFS over noise of -60: the background is the noise's, as sox measures it where nobody speaks.
func TestBackgroundIsThatBetweenTheWords(t *testing.T) {
	file := t.TempDir() + "/bed.wav"
	outside.Run(
		t,
		"sox",
		"-R",
		"-n",
		"-r",
		"48000",
		"-b",
		"32",
		"-e",
		"float",
		file,
		"synth",
		"4",
		"pinknoise",
		"norm",
		"-48",
	)
	b := outside.Decode(t, file, 1)
	stat := outside.Run(t, "sox", file, "-n", "stats")
	m := regexp.MustCompile(`RMS lev dB\s+(-[\d.]+)`).FindStringSubmatch(stat)
	quiet, _ := strconv.ParseFloat(m[1], 64)
	for i := range b[0] {
		if i/4800%3 == 0 {
			b[0][i] += 0.14 * math.Sin(float64(i)*0.05)
		}
	}
	near(t, "background", Percentile(FrameLevels(b, rate), 0.1), quiet, 1.5)
}

func TestCorrelationOfKnownPairs(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	a, b := make([]float64, rate), make([]float64, rate)
	for i := range a {
		a[i], b[i] = r.NormFloat64(), r.NormFloat64()
	}
	mixed := make([]float64, rate)
	for i := range mixed {
		mixed[i] = 0.6*a[i] + 0.8*b[i] // its correlation with a is 0.6
	}
	opposite := make([]float64, rate)
	for i := range a {
		opposite[i] = -2 * a[i]
	}
	for _, c := range []struct {
		name string
		with []float64
		want float64
	}{{"itself", a, 1}, {"its opposite, louder", opposite, -1}, {"something else", b, 0}, {"a mix", mixed, 0.6},
		{"silence", make([]float64, rate), 0}} {
		near(t, c.name, Correlation(pcm.Block{a}, pcm.Block{c.with}), c.want, 0.015)
	}
	near(
		t,
		"numpy's cosine of a short pair, by hand: (1*2+2*0+3*1)/sqrt(14*5)",
		Correlation(pcm.Block{{1, 2, 3}}, pcm.Block{{2, 0, 1}}),
		5/math.Sqrt(70),
		1e-12,
	)
}

func TestOffsetOfADelayedVoiceIsFound(t *testing.T) {
	voice := outside.Decode(t, outside.Voices(t)[0], 1)[0]
	const n = 20000
	a := voice[10000 : 10000+n]
	for _, delay := range []int{-700, -1, 0, 13, 480} {
		b := voice[10000-delay : 10000-delay+n] // the same words, delay later
		offset, c := BestOffset(a, b, 1000)
		if offset != delay || c < 0.95 {
			t.Errorf("delayed by %d: found %d with correlation %.3f", delay, offset, c)
		}
	}
}

func TestPercentileIsNumpys(t *testing.T) {
	// numpy.percentile([4, 1, 3, 2, 10], [0, 10, 50, 90, 100]) = 1, 1.4, 3, 7.6, 10
	v := []float64{4, 1, 3, 2, 10}
	for p, want := range map[float64]float64{0: 1, 0.1: 1.4, 0.5: 3, 0.9: 7.6, 1: 10} {
		near(t, fmt.Sprint(p), Percentile(v, p), want, 1e-12)
	}
}

// truePeakDB is the true peak of a block that begins after silence, in dBTP.
func truePeakDB(b pcm.Block) float64 {
	var top float64
	for _, ch := range b {
		var t TruePeak
		t.Add(make([]float64, ahead))
		t.Add(ch)
		top = max(top, t.Peak())
	}
	return level.DB(top)
}
