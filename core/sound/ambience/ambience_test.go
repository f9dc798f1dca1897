package ambience_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
)

const rate = 48000

// A room with all that one can have: noise of a spectrum that falls, hum, and a hush that is not the same everywhere.
func full() recipe.Room {
	r := recipe.Room{
		Seed: 7, Width: 0.4,
		Hum:  []recipe.Sine{{Hz: 50.03, LevelDB: -60}},
		Lead: []recipe.Lead{{At: rate / 2, By: 30}, {At: rate, By: 150}},
		Hush: &recipe.Hush{},
	}
	for b := range recipe.FineBands {
		r.FillDB = append(r.FillDB, -70-float64(b)/10)
		r.Hush.RoomDB = append(r.Hush.RoomDB, -75-float64(b)/10)
		r.Hush.GainDB = append(r.Hush.GainDB, -float64(b)/20)
	}
	return r
}

// Pink noise of ffmpeg's anoisesrc has equal power in all bands of equal ratio; that is what pink means.
func TestPinkNoiseIsLevelInTwelfthOctaves(t *testing.T) {
	b := outside.Filter(t, 1, "anoisesrc=color=pink:r=48000:d=20:seed=3:a=0.2")
	got := ambience.Analyze([][]float64{b[0]}, rate, nil)
	mean := 0.0
	// from 60 Hz on, where twelfths of an octave are wider than a hundredth of what is looked at, up to 12 kHz
	const first, last = 11, recipe.FineBands - 6
	for _, p := range got[first:last] {
		mean += p / (last - first)
	}
	for i, p := range got[first:last] {
		if d := level.OfPower(p / mean); math.Abs(d) > 1.2 {
			t.Errorf("%.0f Hz lies %.2f dB from the mean", recipe.FineHz(i+first), d)
		}
	}
	sum := 0.0
	for _, v := range b[0] {
		sum += v * v / float64(len(b[0]))
	}
	// The bands have nine octaves and a twelfth of the ten and more that ffmpeg's filter makes pink, down to below 20
	// Hz.
	if d := level.OfPower(got.Power() / sum); d < -2 || d > 0 {
		t.Errorf("the bands have %.2f dB of all that sounds", d)
	}
}

// What is made sounds as it was asked for: in each third-octave, by the filters of core/sound/measure that tones are
// measured with, and in whole.
func TestNoiseHasTheSpectrumAskedFor(t *testing.T) {
	r := full()
	r.Hum = nil
	b := pcm.NewBlock(1, 30*rate)
	ambience.NewNoise(r, rate, nil).Add(b, 12345)
	want := ambience.FromDB(r.FillDB)
	bands := measure.GetBands(rate, 8192, 100, 12500)
	defer bands.Done()
	sum := make([]float64, 22)
	count := 0.0
	for at := int64(0); at+8192 <= b.Len(); at += 4096 {
		for i, p := range bands.Powers(nil, b[0][at:at+8192]) {
			sum[i] += p
		}
		count++
	}
	for i := range sum {
		middle := 1000 * math.Pow(10, float64(i-10)/10)
		w := want.Between(middle*math.Pow(10, -0.05), middle*math.Pow(10, 0.05))
		if d := level.OfPower(sum[i] / count / w); math.Abs(d) > 0.4 {
			t.Errorf("third-octave of %.0f Hz: %+.2f dB", middle, d)
		}
	}
	again := ambience.Analyze([][]float64{b[0]}, rate, nil)
	if d := level.OfPower(again.Power() / want.Power()); math.Abs(d) > 0.3 {
		t.Errorf("in whole it lies %+.2f dB from what was asked for", d)
	}
	// Noise of a room is normal: its fourth moment is three times the square of its second (a property of the normal
	// distribution).
	two, four := 0.0, 0.0
	for _, v := range b[0] {
		two, four = two+v*v, four+v*v*v*v
	}
	if k := four * float64(len(b[0])) / (two * two); math.Abs(k-3) > 0.1 {
		t.Errorf("its kurtosis is %.2f, not 3", k)
	}
}

// Hum that is laid under comes out as the sine that it is, at its frequency and level, and is not noise to Of.
func TestHumIsASine(t *testing.T) {
	r := recipe.Room{Seed: 3, Hum: []recipe.Sine{{Hz: 100.1, LevelDB: -40}}}
	b := pcm.NewBlock(1, 10*rate)
	ambience.NewNoise(r, rate, nil).Add(b, 777)
	var s, c, all float64
	for i, v := range b[0] {
		y, x := math.Sincos(2 * math.Pi * 100.1 * float64(i) / rate)
		s, c, all = s+v*y, c+v*x, all+v*v
	}
	n := float64(len(b[0]))
	own := 2 * (s*s + c*c) / n / n
	if d := level.OfPower(own) + 40; math.Abs(d) > 0.05 {
		t.Errorf("the sine lies %+.2f dB from what was asked for", d)
	}
	if rest := level.OfPower(math.Abs(all/n-own) / own); rest > -50 {
		t.Errorf("beside the sine there is %.1f dB", rest)
	}
	quiet := room.Kinds[0].Sound(10*rate, rate, 1, 5)
	before := ambience.Analyze([][]float64{quiet[0]}, rate, []float64{100.1})
	for i := range quiet[0] {
		quiet[0][i] += b[0][i]
	}
	with := ambience.Analyze([][]float64{quiet[0]}, rate, []float64{100.1})
	if d := level.OfPower(with.Between(70, 140) / before.Between(70, 140)); math.Abs(d) > 0.5 {
		t.Errorf("hum of -40 dBFS changes the noise about it by %+.2f dB", d)
	}
}

// Hum that is led is where the same hum unled would be so many samples later, and gets there without a step.
func TestHumIsLed(t *testing.T) {
	r := recipe.Room{Hum: []recipe.Sine{{Hz: 50, LevelDB: -20}, {Hz: 150, LevelDB: -30, Phase: 0.3}}}
	plain, led := pcm.NewBlock(1, 4*rate), pcm.NewBlock(1, 4*rate)
	ambience.NewNoise(r, rate, nil).Add(plain, 0)
	r.Lead = []recipe.Lead{{At: rate, By: 0}, {At: 2 * rate, By: 400}}
	ambience.NewNoise(r, rate, nil).Add(led, 0)
	for i := range 2 * rate {
		want := plain[0][i]
		if i > rate {
			// 400 samples in a second are 50 Hz + 0.83 %
			x := float64(i) + 400*float64(i-rate)/rate
			want = math.Sqrt2 * (level.Amplitude(-20)*math.Sin(2*math.Pi*50*x/rate) +
				level.Amplitude(-30)*math.Sin(2*math.Pi*(150*x/rate+0.3)))
		}
		if math.Abs(led[0][i]-want) > 1e-9 {
			t.Fatalf("sample %d is %g, not %g", i, led[0][i], want)
		}
	}
	for i := 2 * rate; i < 4*rate-400; i++ {
		if math.Abs(led[0][i]-plain[0][i+400]) > 1e-9 {
			t.Fatalf("sample %d is not what would come 400 later", i)
		}
	}
}

// Noise of some width has that share of another noise in each channel, and the levels asked for in their mean.
func TestNoiseMayDifferBetweenChannels(t *testing.T) {
	r := full()
	for _, width := range []float64{0, 0.3, 1} {
		b := pcm.NewBlock(2, 20*rate)
		r := recipe.Room{Seed: 5, Width: width, FillDB: r.FillDB}
		ambience.NewNoise(r, rate, nil).Add(b, 4321)
		if c := measure.Correlation(b[:1], b[1:]); math.Abs(c-(1-width)) > 0.03 {
			t.Errorf("width %g: the channels' correlation is %.3f", width, c)
		}
		got := ambience.Analyze([][]float64{measure.Mono(b)}, rate, nil)
		if d := level.OfPower(got.Power() / ambience.FromDB(r.FillDB).Power()); math.Abs(d) > 0.3 {
			t.Errorf("width %g: the mean lies %+.2f dB from what was asked for", width, d)
		}
	}
}

// A room that changes has at every moment the power that lies between those of its two states.
func TestARoomGoesOverInPower(t *testing.T) {
	r := full()
	r = recipe.Room{Seed: 7, FillDB: r.FillDB, Change: &recipe.Change{
		FillDB: make([]float64, recipe.FineBands),
		Course: []recipe.Share{{At: 0, Share: 0}, {At: 40 * rate, Share: 1}},
	}}
	for b := range r.FillDB {
		r.Change.FillDB[b] = r.FillDB[b] + 6
	}
	b := pcm.NewBlock(1, 45*rate)
	ambience.NewNoise(r, rate, nil).Add(b, 0)
	before := ambience.FromDB(r.FillDB).Between(500, 8000)
	for at := 0; at < 44*rate; at += 4 * rate {
		got := ambience.Analyze([][]float64{b[0][at : at+rate]}, rate, nil).Between(500, 8000)
		share := min(1, (float64(at)+rate/2)/(40*rate))
		want := before * (1 + share*(level.Power(6)-1))
		if d := level.OfPower(got / want); math.Abs(d) > 0.35 {
			t.Errorf("at %d s it lies %+.2f dB from what lies between", at/rate, d)
		}
	}
}

// broken is a tone that cannot be read.
type broken struct{ pcm.Memory }

func (broken) ReadSamplesAt(pcm.Block, int64) error { return errors.New("gone") }

// Noise that is made from a tone has the levels asked for, whatever the tone has, and is as wide as the tone; what the
// tone cannot give is an error.
func TestNoiseIsMadeFromATone(t *testing.T) {
	own := room.Kinds[0]
	own.Hum = nil
	for _, channels := range []int{1, 2} {
		tone := pcm.Memory{Rate: rate, Sound: own.Sound(40*rate, rate, channels, 3)}
		r := recipe.Room{Seed: 77, Tone: "t", FillDB: full().FillDB}
		r.ToneDB = ambience.Analyze([][]float64{measure.Mono(tone.Sound)}, rate, nil).DB()
		b := pcm.NewBlock(2, 20*rate)
		if err := ambience.NewNoise(r, rate, tone).Add(b, 54321); err != nil {
			t.Fatal(err)
		}
		got, want := ambience.Analyze([][]float64{measure.Mono(b)}, rate, nil), ambience.FromDB(r.FillDB)
		for n := ambience.ThirdLow; n <= ambience.ThirdHigh; n++ {
			low, high := ambience.Third(n)
			if d := level.OfPower(got.Between(low, high) / want.Between(low, high)); math.Abs(d) > 0.5 {
				t.Errorf("%d channels, third-octave %d: %+.2f dB", channels, n, d)
			}
		}
		alike := measure.Correlation(b[:1], b[1:])
		if channels == 1 && alike < 1-1e-9 || channels == 2 && math.Abs(alike) > 0.1 {
			t.Errorf("%d channels: their correlation is %.3f", channels, alike)
		}
		if err := ambience.NewNoise(r, rate, broken{tone}).Add(b, 0); err == nil {
			t.Error("a tone that cannot be read is silence")
		}
	}
}

// Every stretch is the same bits as in the whole, wherever it begins and however long it is.
func TestAStretchIsTheSameAsInTheWhole(t *testing.T) {
	for channels := 1; channels <= 2; channels++ {
		for _, made := range []bool{false, true} {
			r := full()
			r.Change = &recipe.Change{
				FillDB: r.Hush.RoomDB, Hush: &recipe.Hush{RoomDB: r.FillDB, GainDB: r.Hush.GainDB},
				Course: []recipe.Share{{At: rate, Share: 0}, {At: 2 * rate, Share: 1}},
			}
			var tone pcm.ReaderAt
			if made {
				tone = pcm.Memory{Rate: rate, Sound: room.Kinds[2].Sound(11*rate, rate, 2, 4)}
				r.Tone, r.ToneDB = "t", r.FillDB
			}
			sameInTheWhole(t, channels, &r, tone)
		}
	}
}

func sameInTheWhole(t *testing.T, channels int, r *recipe.Room, tone pcm.ReaderAt) {
	t.Helper()
	rng := rand.New(rand.NewPCG(1, 2))
	sound := room.Kinds[1].Sound(3*rate, rate, channels, 9)
	for i := range 4000 {
		sound[0][70000+i] += 0.1 * math.Sin(float64(i)/9)
	}
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: sound}, r, tone)
	all := pcm.Span{From: -5000, To: 3*rate + 5000}
	whole, err := pcm.Read(even, all)
	if err != nil {
		t.Fatal(err)
	}
	for range 40 {
		from := all.From + rng.Int64N(all.Len()-1)
		part, err := pcm.Read(even, pcm.Span{From: from, To: min(all.To, from+1+rng.Int64N(20000))})
		if err != nil {
			t.Fatal(err)
		}
		for c := range part {
			for i, v := range part[c] {
				if w := whole[c][from-all.From+int64(i)]; v != w {
					t.Fatalf("%d channels, sample %d: %g, in the whole %g", channels, from+int64(i), v, w)
				}
			}
		}
	}
}

// Outside of the recording nothing is laid under it, and a room without anything is the recording itself.
func TestNothingIsLaidOutsideTheRecording(t *testing.T) {
	r := full()
	r.Hush = nil
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: pcm.NewBlock(1, 1000)}, &r, nil)
	b, err := pcm.Read(even, pcm.Span{From: -100, To: 1100})
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range b[0] {
		if inside := i >= 100 && i < 1100; (v != 0) != inside {
			t.Fatalf("sample %d is %g", i-100, v)
		}
	}
	m := pcm.Memory{Rate: rate, Sound: pcm.NewBlock(1, 10)}
	if _, ok := ambience.WithRoom(m, &recipe.Room{Seed: 4}, nil).(pcm.Memory); !ok {
		t.Error("a room that adds nothing makes a recording something else")
	}
}

// hushed is what a hush by so many dB makes of a sound over a room.
func hushed(t *testing.T, background, sound []float64, db float64) []float64 {
	t.Helper()
	h := &recipe.Hush{RoomDB: ambience.Analyze([][]float64{background}, rate, nil).Smooth().DB()}
	for range h.RoomDB {
		h.GainDB = append(h.GainDB, -db)
	}
	r := &recipe.Room{Hush: h}
	even := ambience.WithRoom(pcm.Memory{Rate: rate, Sound: pcm.Block{sound}}, r, nil)
	b, err := pcm.Read(even, pcm.Span{To: int64(len(sound))})
	if err != nil {
		t.Fatal(err)
	}
	return b[0]
}

func rms(v []float64) float64 {
	sum := 0.0
	for _, x := range v {
		sum += x * x
	}
	return level.OfPower(sum / float64(len(v)))
}

// kurtosis is that of the magnitudes of a spectrogram, 21 ms at a time: isolated peaks, which are heard as tones that
// come and go, raise it.
func kurtosis(v []float64) float64 {
	bands := measure.GetBands(rate, 1024, 200, 8000)
	defer bands.Done()
	var all [][]float64
	for at := 0; at+1024 <= len(v); at += 512 {
		all = append(all, bands.Powers(nil, v[at:at+1024]))
	}
	sum := 0.0
	for b := range all[0] {
		m1, m2, m4 := 0.0, 0.0, 0.0
		for _, p := range all {
			m1 += math.Sqrt(p[b]) / float64(len(all))
		}
		for _, p := range all {
			d := math.Sqrt(p[b]) - m1
			m2, m4 = m2+d*d/float64(len(all)), m4+d*d*d*d/float64(len(all))
		}
		sum += m4 / m2 / m2 / float64(len(all[0]))
	}
	return sum
}

// A background goes down by what is asked for, in every kind of room, without tones that come and go.
func TestBackgroundsAreHushedEvenly(t *testing.T) {
	for _, kind := range room.Kinds {
		own := kind.Sound(8*rate, rate, 1, 21)[0]
		got := hushed(t, own, own, 6)
		if d := rms(got[rate:7*rate]) - rms(own[rate:7*rate]); d < -6.3 || d > -4.5 && kind.Drops == 0 && kind.Swell == 0 {
			t.Errorf("%s goes down by %.2f dB, not 6", kind.Name, -d)
		}
		was, is := kurtosis(own[rate:7*rate]), kurtosis(got[rate:7*rate])
		if kind.Drops == 0 && kind.Swell == 0 && math.Abs(is/was-1) > 0.1 {
			t.Errorf("%s: the kurtosis of its spectrogram goes from %.2f to %.2f", kind.Name, was, is)
		}
	}
}

// The words of real voices (Debian's alsa-utils), 6 to 30 dB over a room, keep their loudness within 0.3 LU and their
// bands within 1 dB where the room is hushed by 6 dB.
func TestWordsStayAsTheyAreUnderAHush(t *testing.T) {
	for n, file := range outside.Voices(t) {
		overs := []float64{6, 12, 20, 30}
		if testing.Short() {
			overs = []float64{6, []float64{12, 20, 30}[n%3]}
		}
		for _, over := range overs {
			for _, fault := range underAHush(outside.Decode(t, file, 1)[0], n, over, t) {
				t.Errorf("%s: %s", file, fault)
			}
		}
	}
}

// The same of 100 voices of many speakers (Debian's klettres-data).
func TestAHundredVoicesStayAsTheyAreUnderAHush(t *testing.T) {
	files := outside.ManyVoices(t)
	r := rand.New(rand.NewPCG(8, 8))
	cases, off := 0, 0
	for n := 0; n < 100; {
		file := files[r.IntN(len(files))]
		voice := outside.Decode(t, file, 1, "-ac", "1", "-ar", "48000")[0]
		if len(voice) < rate/2 || rms(voice) < -50 {
			continue // too short to be measured, or silent
		}
		n++
		for _, over := range []float64{6, 12, 20, 30} {
			cases++
			faults := underAHush(voice, n, over, t)
			for _, fault := range faults {
				t.Logf("%s: %s", file, fault)
			}
			if len(faults) > 0 {
				off++
			}
		}
	}
	t.Logf("%d of %d cases are off", off, cases)
	if off*100 > cases {
		t.Errorf("%d of %d cases are off", off, cases)
	}
}

// underAHush says what a hush of 6 dB does to a voice that lies so many dB over the n-th kind of room, beyond 0.3 LU of
// its loudness and 1 dB of its bands.
func underAHush(voice []float64, n int, over float64, t *testing.T) (faults []string) {
	kind := room.Kinds[n%len(room.Kinds)]
	own := kind.Sound(int64(len(voice))+4*rate, rate, 1, uint64(n))[0]
	gain := level.Amplitude(rms(own) + over - rms(voice))
	sound := append([]float64(nil), own...)
	for i, v := range voice {
		sound[2*rate+i] += v * gain
	}
	got := hushed(t, own, sound, 6)
	span := func(v []float64) []float64 { return v[2*rate : 2*rate+len(voice)] }
	was, is := loud(span(sound), voice), loud(span(got), voice)
	if math.Abs(is-was) > 0.3 {
		faults = append(faults, fmt.Sprintf("%.0f dB over %s: %.2f LU", over, kind.Name, is-was))
	}
	a := ambience.Analyze([][]float64{span(sound)}, rate, nil)
	b := ambience.Analyze([][]float64{span(got)}, rate, nil)
	voiced := ambience.Analyze([][]float64{voice}, rate, nil)
	for third := -9; third <= 6; third++ {
		low, high := ambience.Third(third)
		room := a.Between(low, high) - voiced.Between(low, high)*gain*gain
		if voiced.Between(low, high)*gain*gain < 3*room {
			continue // nothing of the voice is heard there
		}
		if d := level.OfPower(b.Between(low, high) / a.Between(low, high)); math.Abs(d) > 1 {
			faults = append(faults, fmt.Sprintf("%.0f dB over %s: %+.1f dB in third-octave %d", over, kind.Name, d, third))
		}
	}
	return faults
}

// loud is the K-weighted level of a sound where a voice is loudest: in those of its 100 ms that lie at most 10 LU below
// its mean, as the gate of ITU-R BS.1770-4 has it.
func loud(v, voice []float64) float64 {
	parts := func(v []float64) (list []float64) {
		k := measure.NewKFilter(rate)
		for at := 0; at+4800 <= len(v); at += 4800 {
			list = append(list, k.Energy(v[at:at+4800])/4800)
		}
		return list
	}
	own, said := parts(v), parts(voice)
	mean := 0.0
	for _, p := range said {
		mean += p / float64(len(said))
	}
	sum, n := 0.0, 0.0
	for i, p := range said {
		if p >= mean/10 {
			sum, n = sum+own[i], n+1
		}
	}
	return level.OfPower(sum / n)
}
