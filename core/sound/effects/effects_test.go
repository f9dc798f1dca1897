package effects_test

import (
	"math"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"blendseam/core/sound/effects"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

const rate = 48000

// treated returns all of a sound as a chain makes it.
func treated(t *testing.T, sound pcm.Block, c effects.Chain, impulse pcm.ReaderAt) pcm.Block {
	t.Helper()
	if why := c.Wrong(); why != "" {
		t.Fatal(why)
	}
	r, err := effects.New(pcm.Memory{Rate: rate, Sound: sound}, &c, impulse)
	if err != nil {
		t.Fatal(err)
	}
	b, err := pcm.Read(r, pcm.Span{To: sound.Len()})
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// steps are sines of 1 kHz, a second and a half each, at some peaks in dBFS, one channel.
func steps(peaksDB ...float64) pcm.Block {
	const each = rate * 3 / 2
	b := pcm.NewBlock(1, each*int64(len(peaksDB)))
	for i := range b[0] {
		b[0][i] = math.Pow(10, peaksDB[i/each]/20) * math.Sin(2*math.Pi*1000*float64(i)/rate)
	}
	return b
}

// settledDB are the peaks of the last 100 ms of each step.
func settledDB(b pcm.Block, n int) (list []float64) {
	each := len(b[0]) / n
	for k := range n {
		end := b[0][(k+1)*each-rate/10 : (k+1)*each]
		list = append(list, measure.SamplePeakDB(pcm.Block{end}))
	}
	return list
}

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if !(math.Abs(got-want) <= within) {
		t.Errorf("%s: %.3f, not %.3f", what, got, want)
	}
}

// Steady tones come out of the compressor at the levels of ffmpeg's acompressor, and of the static curve in D.
// Giannoulis, M. Massberg, J. Reiss, JAES 60 (2012), equations 3 and 4.
func TestTheCompressorHasTheLevelsOfFFmpegsAndOfThePaper(t *testing.T) {
	levels := []float64{-40, -24, -21, -19, -15, -8, -2}
	sound := steps(levels...)
	for _, x := range []struct {
		c      effects.Compressor
		ffmpeg string // "": by the formula alone, for ffmpeg bends its knee by another
	}{
		{effects.Compressor{ThresholdDB: -20, Ratio: 4, AttackMS: 1, ReleaseMS: 300},
			"acompressor=threshold=0.1:ratio=4:attack=0.02:release=1500:knee=1:detection=peak:link=maximum"},
		{effects.Compressor{ThresholdDB: -20, Ratio: 2, AttackMS: 5, ReleaseMS: 300, MakeUpDB: 6.0206},
			"acompressor=threshold=0.1:ratio=2:attack=0.02:release=1500:knee=1:detection=peak:makeup=2"},
		{effects.Compressor{ThresholdDB: -20, Ratio: 3, KneeDB: 10, AttackMS: 1, ReleaseMS: 300}, ""},
	} {
		got := settledDB(treated(t, sound, effects.Chain{Compressor: &x.c}, nil), len(levels))
		var theirs []float64
		if x.ffmpeg != "" {
			theirs = settledDB(outside.FFmpeg(t, sound, rate, x.ffmpeg), len(levels))
		}
		for k, in := range levels {
			want, over, w := in, in-x.c.ThresholdDB, x.c.KneeDB
			switch {
			case 2*over > w:
				want = x.c.ThresholdDB + over/x.c.Ratio
			case 2*over > -w:
				want = in + (1/x.c.Ratio-1)*(over+w/2)*(over+w/2)/(2*w)
			}
			near(t, "formula", got[k], want+x.c.MakeUpDB, 0.1)
			if theirs != nil {
				near(t, "ffmpeg "+x.ffmpeg, got[k], theirs[k], 0.1)
			}
		}
	}
}

// After a rise, a compressor has come 63 % of the way within its attack, and after a fall, 63 % of the way back within
// its attack and release; a gate opens by its attack after the hold and closes by its release. A constant is its own
// peak.
func TestTimesAreThoseThatAreAskedFor(t *testing.T) {
	sound := pcm.NewBlock(1, 3*rate)
	for i := range sound[0] {
		sound[0][i] = 0.01
		if i >= rate && i < 2*rate {
			sound[0][i] = 1
		}
	}
	c := effects.Compressor{ThresholdDB: -20, Ratio: 2, AttackMS: 30, ReleaseMS: 200}
	out := treated(t, sound, effects.Chain{Compressor: &c}, nil)[0]
	down := func(at int) float64 { return -20 * math.Log10(out[at]/sound[0][at]) }
	near(t, "compressor after its attack", down(rate+rate*30/1000), 10*(1-1/math.E), 0.05)
	near(t, "compressor at rest", down(2*rate-1), 10, 0.01)
	// of two filters of the first order one after the other, with a step down
	left := func(s, a, r float64) float64 { return (r*math.Exp(-s/r) - a*math.Exp(-s/a)) / (r - a) }
	near(t, "compressor 100 ms into its release", down(2*rate+rate/10), 10*left(0.1, 0.03, 0.2), 0.05)
	near(t, "compressor 400 ms into its release", down(2*rate+rate*4/10), 10*left(0.4, 0.03, 0.2), 0.05)

	g := effects.Gate{ThresholdDB: -20, Ratio: 3, RangeDB: 30, AttackMS: 10, HoldMS: 150, ReleaseMS: 100}
	out = treated(t, sound, effects.Chain{Gate: &g}, nil)[0]
	near(t, "gate closed", down(rate-1), 30, 0.01) // 20 dB below, (3-1) * 20 = 40, its range is 30
	near(t, "gate after its attack", down(rate+rate*10/1000), 30/math.E, 0.05)
	near(t, "gate held open", down(2*rate+rate*149/1000), 0, 0.01)
	near(t, "gate closing", down(2*rate+rate*250/1000), 30*(1-left(0.1, 0.01, 0.1)), 0.05)
	near(t, "gate closed again", down(3*rate-1), 30, 0.1)
}

// Steady tones come out of the gate at the levels of ffmpeg's agate.
func TestTheGateHasTheLevelsOfFFmpegs(t *testing.T) {
	levels := []float64{-60, -40, -30, -22, -18, -6}
	sound := steps(levels...)
	g := effects.Gate{ThresholdDB: -20, Ratio: 2, RangeDB: 24, AttackMS: 0, ReleaseMS: 3000}
	got := settledDB(treated(t, sound, effects.Chain{Gate: &g}, nil), len(levels))
	theirs := settledDB(outside.FFmpeg(t, sound, rate, "agate=threshold=0.1:ratio=2:range=0.0630957:attack=0.02:"+
		"release=1500:knee=1:detection=peak:link=maximum"), len(levels))
	for k, in := range levels {
		near(t, "formula", got[k], in-min(24, max(0, -20-in)), 0.1)
		near(t, "ffmpeg", got[k], theirs[k], 0.1)
	}
}

// Echoes are those of ffmpeg's aecho, sample by sample.
func TestEchoesAreThoseOfFFmpegs(t *testing.T) {
	sound := noise(3, 1, 2*rate)
	for i := range sound[0] {
		sound[0][i] /= 8 // aecho clips
	}
	e := effects.Echo{DelayMS: 250, DownDB: 6, Times: 3}
	got := treated(t, sound, effects.Chain{Echo: &e}, nil)[0]
	want := outside.FFmpeg(t, sound, rate, "aecho=1:1:250|500|750:0.501187234|0.251188643|0.125892541")[0]
	for i := range got {
		if math.Abs(got[i]-want[i]) > 2e-6 {
			t.Fatalf("sample %d: %g, ffmpeg says %g", i, got[i], want[i])
		}
	}
}

// A recorded impulse sounds as with ffmpeg's afir, sample by sample.
func TestAnImpulseSoundsAsWithFFmpegsAfir(t *testing.T) {
	sound, impulse := noise(4, 1, 3*rate), noise(5, 1, rate)
	energy := 0.0
	for i := range impulse[0] {
		impulse[0][i] *= math.Pow(10, -3*float64(i)/rate) // falls by 60 dB in a second
		energy += impulse[0][i] * impulse[0][i]
	}
	c := effects.Chain{Reverb: &effects.Reverb{Source: "i", Alone: true}}
	got := treated(t, sound, c, pcm.Memory{Rate: rate, Sound: impulse})[0]
	var files []string
	for _, b := range []pcm.Block{sound, impulse} {
		files = append(files, filepath.Join(t.TempDir(), "in.wav"))
		outside.Run(t, "ffmpeg", "-v", "error", "-f", "f64le", "-ar", "48000", "-ac", "1", "-i", outside.Written(t, b),
			"-c:a", "pcm_f64le", files[len(files)-1])
	}
	want := outside.Filter(t, 1, "[0:a][1:a]afir=gtype=none:dry=1:wet=1:precision=double", files...)[0]
	var diff, all float64
	for i := range got {
		w := want[i] / 2 / math.Sqrt(energy) // without a gain of its own afir comes out twice as loud as the sum below
		diff, all = diff+(got[i]-w)*(got[i]-w), all+w*w
	}
	if db := 10 * math.Log10(diff/all); db > -100 {
		t.Errorf("the difference from ffmpeg's is at %.1f dB", db)
	}
	for _, at := range []int{0, 1, 4095, 4096, 50000, 3*rate - 1} {
		sum := 0.0
		for k := 0; k < len(impulse[0]) && k <= at; k++ {
			sum += impulse[0][k] * sound[0][at-k]
		}
		near(t, "convolution by its definition", got[at], sum/math.Sqrt(energy), 1e-9)
	}
}

// The made-up rooms die away in the times that they have in the list, by Schroeder's integral (M. R. Schroeder, JASA
// 37, 1965; ISO 3382-2 reads it from -5 to -25 dB), and a level of 0 dB has the energy of the sound itself.
func TestRoomsDieAwayInTheirTime(t *testing.T) {
	for _, room := range effects.Rooms {
		sound := pcm.NewBlock(1, 7*rate)
		sound[0][0] = 1
		c := effects.Chain{Reverb: &effects.Reverb{Room: room.Name, Alone: true}}
		out := treated(t, sound, c, nil)[0]
		left := make([]float64, len(out)+1)
		for i := len(out) - 1; i >= 0; i-- {
			left[i] = left[i+1] + out[i]*out[i]
		}
		near(t, room.Name+": energy", 10*math.Log10(left[0]), 0, 0.01)
		when := func(db float64) int {
			i := 0
			for left[i] > left[0]*math.Pow(10, db/10) {
				i++
			}
			return i
		}
		t20 := 3 * float64(when(-25)-when(-5)) / rate
		if math.Abs(t20-room.S) > max(0.03, 0.12*room.S) {
			t.Errorf("%s dies away in %.2f s, not %.2f", room.Name, t20, room.S)
		}
	}
}

func noise(seed uint64, channels int, n int64) pcm.Block {
	r := rand.New(rand.NewPCG(seed, 9))
	b := pcm.NewBlock(channels, n)
	for c := range b {
		for i := range b[c] {
			loud := 0.05
			if i/20000%3 == 1 { // so that dynamics have something to do
				loud = 0.3
			}
			b[c][i] = float64(float32(loud * r.NormFloat64()))
		}
	}
	return b
}

// Any stretch is the same bits alone, first or last, as in the whole, whoever asked before.
func TestAnyStretchIsTheSameBitsAlone(t *testing.T) {
	sound := noise(1, 2, 8*rate)
	chain := effects.Chain{
		Gate:       &effects.Gate{ThresholdDB: -30, Ratio: 4, RangeDB: 20, AttackMS: 1, HoldMS: 20, ReleaseMS: 80},
		Compressor: &effects.Compressor{ThresholdDB: -25, Ratio: 3, KneeDB: 6, AttackMS: 5, ReleaseMS: 60},
		Echo:       &effects.Echo{DelayMS: 333, DownDB: 4, Times: 5},
		Reverb:     &effects.Reverb{Room: "bathroom", LevelDB: -6, DelayMS: 20},
	}
	whole := treated(t, sound, chain, nil)
	r := rand.New(rand.NewPCG(2, 2))
	for range 5 {
		own, err := effects.New(pcm.Memory{Rate: rate, Sound: sound}, &chain, nil)
		if err != nil {
			t.Fatal(err)
		}
		for range 2 {
			from := r.Int64N(sound.Len() - 9000)
			b, err := pcm.Read(own, pcm.Span{From: from, To: from + 1 + r.Int64N(9000)})
			if err != nil {
				t.Fatal(err)
			}
			for c := range b {
				for i, v := range b[c] {
					if v != whole[c][from+int64(i)] {
						t.Fatalf("sample %d of channel %d differs when it is read alone", from+int64(i), c)
					}
				}
			}
		}
	}
}

// A recording without its beginning comes out the same as with it, to 0.01 dB, behind the run-up: nothing farther away
// is heard.
func TestWhatLiesBeforeTheRunUpIsNotHeard(t *testing.T) {
	chain := effects.Chain{
		Gate:       &effects.Gate{ThresholdDB: -30, Ratio: 4, RangeDB: 20, AttackMS: 1, HoldMS: 20, ReleaseMS: 20},
		Compressor: &effects.Compressor{ThresholdDB: -25, Ratio: 3, AttackMS: 5, ReleaseMS: 20},
		Echo:       &effects.Echo{DelayMS: 100, DownDB: 6, Times: 5},
	}
	reach := effects.RunUp(&chain, rate)
	sound := noise(1, 1, reach+2*rate)
	cut := sound.Clone()
	clear(cut[0][:2*rate])
	a, b := treated(t, sound, chain, nil)[0], treated(t, cut, chain, nil)[0]
	for i := int(reach) + 2*rate - rate/2; i < len(a); i++ {
		if math.Abs(a[i]-b[i]) > 0.001*math.Abs(a[i])+1e-9 {
			t.Fatalf("sample %d still depends on what lies %d samples before it", i, reach)
		}
	}
}

func TestAnImpulseThatIsNotThereOrSilentIsSaid(t *testing.T) {
	r := pcm.Memory{Rate: rate, Sound: pcm.NewBlock(1, 100)}
	chain := &effects.Chain{Reverb: &effects.Reverb{Source: "x"}}
	if _, err := effects.New(r, chain, nil); err == nil || !strings.Contains(err.Error(), "is not there") {
		t.Errorf("an impulse that is not there: %v", err)
	}
	if _, err := effects.New(r, chain, r); err == nil || !strings.Contains(err.Error(), "is silent") {
		t.Errorf("a silent impulse: %v", err)
	}
	chain.Off = true
	if got, err := effects.New(r, chain, nil); err != nil || got.Len() != 100 {
		t.Errorf("a bypassed chain asks for nothing, but: %v", err)
	}
}
