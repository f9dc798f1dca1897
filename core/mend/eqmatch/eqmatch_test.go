package eqmatch_test

import (
	"context"
	"math"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"testing"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/mend/eqmatch"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
	"blendseam/internal/outside"
	"blendseam/internal/roomtest"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

// response is a random one: up to 10 dB up or down at each octave from 62.5 Hz to 16 kHz, straight between them on the
// scale of octaves, as a filter of sox's fir effect would have it: here by a transform of the whole sound.
func response(r *rand.Rand) func(hz float64) float64 {
	points := make([]float64, 9)
	for i := range points {
		points[i] = 20*r.Float64() - 10
	}
	return func(hz float64) float64 {
		x := max(0, min(7.999, math.Log2(max(hz, 1)/62.5)))
		k := int(x)
		return points[k] + (x-float64(k))*(points[k+1]-points[k])
	}
}

// thirdsOf are the third-octaves of a sound from 125 Hz to 6.3 kHz, in dB, by scipy's convention of mean squares.
func thirdsOf(sound []float64) (list []float64) {
	b := measure.NewBands(rate, rate/50, 125, 6400)
	sum := make([]float64, 18)
	for from := 0; from+b.Window() <= len(sound); from += b.Window() / 2 {
		for k, p := range b.Powers(nil, sound[from:from+b.Window()]) {
			sum[k] += p
		}
	}
	for _, p := range sum {
		list = append(list, level.OfPower(p))
	}
	return list
}

// colour is how far two sounds lie apart in third-octaves, root mean square about their mean, in those that are heard
// in both.
func colour(a, b []float64, heard func(band int) bool) float64 {
	x, y := thirdsOf(a), thirdsOf(b)
	mean, sum, count := 0.0, 0.0, 0.0
	for k := range x {
		if heard(k) {
			mean, count = mean+x[k]-y[k], count+1
		}
	}
	mean /= count
	for k := range x {
		if heard(k) {
			sum += (x[k] - y[k] - mean) * (x[k] - y[k] - mean)
		}
	}
	return math.Sqrt(sum / count)
}

// A pair is two recordings of one speaker, of different words.
type pair struct{ as, take []float64 }

// speakers are pairs of recordings of as many speakers as there are: those of Debian's alsa-utils, and klettres-data
// with longer tests.
func speakers(t *testing.T) (list []pair) {
	words := roomtest.Words(t)
	list = append(list, pair{slices.Concat(words[:3]...), slices.Concat(words[3:]...)})
	list = append(list, pair{slices.Concat(words[4:]...), slices.Concat(words[:4]...)})
	if testing.Short() {
		return list
	}
	files := outside.ManyVoices(t)
	var kin []string
	for i, f := range files {
		if kin = append(kin, f); i+1 < len(files) && filepath.Dir(files[i+1]) == filepath.Dir(f) {
			continue
		}
		for from := 0; from+24 <= len(kin) && from < 96; from += 24 {
			var p pair
			for k, f := range kin[from : from+24] {
				v := append(outside.Decode(t, f, 1, "-ac", "1", "-ar", "48000")[0], make([]float64, rate/4)...)
				if k%2 == 0 {
					p.as = append(p.as, v...)
				} else {
					p.take = append(p.take, v...)
				}
			}
			list = append(list, p)
		}
		kin = nil
	}
	return list
}

// A trial brings a voice that was recorded through a random response, 12 dB softer, over a room 20 dB below it, to the
// level and colour of other words of the same speaker.
type trial struct {
	lu, colourDB, wasDB float64 // how far the voice without its room lies from the other's then, and did
	plan                *eqmatch.Plan
}

// try makes the two takes, number i of them, with silence of padS seconds before and after their words.
func try(t *testing.T, r *rand.Rand, i int, p pair, padS float64) (trial, error) {
	pad := func(v []float64) []float64 {
		silence := make([]float64, int(padS*rate))
		return slices.Concat(silence, v, silence)
	}
	as := pad(p.as)
	clean := filtered(pad(p.take), response(r))
	down := level.Amplitude(loudness(as) - 12 - loudness(clean))
	for k := range clean {
		clean[k] *= down
	}
	s := seamtest.New(t)
	over := map[string][]float64{} // of each third-octave over its room
	lay := func(name string, voice []float64, room int) scene.ClipID {
		sound := roomtest.All()[room%len(roomtest.All())].Sound(int64(len(voice)), rate, 1, r.Uint64())[0]
		by := level.Amplitude(loudness(voice) - 20 - measure.LoudnessOf(pcm.Block{sound}, rate).IntegratedLUFS)
		over[name] = thirdsOf(voice)
		for k, db := range thirdsOf(sound) {
			over[name][k] -= db + level.DB(by)
		}
		for k := range sound {
			sound[k] = by*sound[k] + voice[k]
		}
		at := s.Scene.Length()
		s.Sound[name] = pcm.Block{sound}
		n := int64(len(sound))
		s.Do(&edit.Bring{Source: scene.Source{ID: name, Name: name, URL: name + ".wav", Samples: n, Channels: 1}})
		s.Do(&edit.Add{Track: "t1", Source: name, Start: at, Length: n})
		clips := s.Scene.Tracks[0].Clips
		return clips[len(clips)-1].ID
	}
	near := lay("near", as, 2*i)
	far := lay("far", clean, 2*i+1)
	plan, err := eqmatch.NewPlan(context.Background(), s.Meter(), far, near, 100)
	if err != nil {
		return trial{}, err
	}
	s.Do(plan.Edit())
	_, c := s.Scene.Clip(far)
	voice, err := mix.WithRoom(s.Scene, *c, func(scene.Source) (pcm.ReaderAt, error) {
		return pcm.Memory{Rate: rate, Sound: pcm.Block{clean}}, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	b, err := pcm.Read(voice, pcm.Span{To: int64(len(clean))})
	if err != nil {
		t.Fatal(err)
	}
	heard := func(band int) bool { return min(over["near"][band], over["far"][band]) > 6 }
	return trial{loudness(b[0]) - loudness(as), colour(b[0], as, heard), colour(clean, as, heard), plan}, nil
}

// triesOf tries all pairs and counts those that end more than mostLU or mostDB from themselves.
func triesOf(t *testing.T, pairs []pair, padS, mostLU, mostDB float64) (off int) {
	t.Helper()
	r := rand.New(rand.NewPCG(corpus.Seed(), 21))
	worst := 0.0
	for i, p := range pairs {
		got, err := try(t, r, i, p, padS)
		if err != nil {
			t.Errorf("voice %d: %v", i, err)
			continue
		}
		if worst = max(worst, got.colourDB); math.Abs(got.lu) > mostLU || got.colourDB > mostDB {
			off++
			t.Logf("voice %d: %+.2f LU and %.2f dB of colour from itself, was %.2f; it says %+v, then %+v, %d bands tapered",
				i, got.lu, got.colourDB, got.wasDB, got.plan.Before, got.plan.After, got.plan.Tapered)
		}
	}
	t.Logf("%d of %d voices are off, the worst by %.2f dB of colour", off, len(pairs), worst)
	return off
}

// A voice comes back to itself within 0.5 LU, and 1.5 dB in the third-octaves that stand 6 dB over the rooms. One of
// ten may be off, most of them in level: where much of the voice lies under its room.
func TestAVoiceComesBackToItself(t *testing.T) {
	pairs := speakers(t)
	pairs = pairs[:min(50, len(pairs))]
	if off := triesOf(t, pairs, 2, 0.5, 1.5); off*10 > len(pairs) {
		t.Errorf("%d of %d voices are off", off, len(pairs))
	}
}

// So does one whose take has no pause at all, within 1 LU and 2 dB; one of twenty may be off.
func TestAVoiceWithoutPausesComesBackToItself(t *testing.T) {
	speakers := eartest.Speakers(t, eartest.Fresh)
	if len(speakers) == 0 {
		t.Skip("no voices are installed")
	}
	r := rand.New(rand.NewPCG(corpus.Seed(), 22))
	var pairs []pair
	for i := range corpus.Cases(2, 60) {
		as, take := speakers[i%len(speakers)].Halves(r)
		pairs = append(pairs, pair{as, take})
	}
	if off := triesOf(t, pairs, 0, 1, 2); off*20 > len(pairs) {
		t.Errorf("%d of %d voices are off", off, len(pairs))
	}
}

// loudness is that of a voice without a room.
func loudness(v []float64) float64 { return measure.LoudnessOf(pcm.Block{v}, rate).IntegratedLUFS }

// filtered is a sound through a response, given in dB, by one transform of all of it.
func filtered(v []float64, db func(hz float64) float64) []float64 {
	n := 1
	for n < len(v) {
		n *= 2
	}
	fft := fourier.NewFFT(n)
	bins := fft.Coefficients(nil, slices.Concat(v, make([]float64, n-len(v))))
	for k := range bins {
		bins[k] *= complex(level.Amplitude(db(float64(k)*rate/float64(n)))/float64(n), 0)
	}
	return fft.Sequence(nil, bins)[:len(v)]
}

// What cannot be brought near another says why.
func TestWhatCannotBeBroughtNearSaysWhy(t *testing.T) {
	s := seamtest.New(t)
	room := roomtest.All()[0].Sound(4*rate, rate, 1, 1)
	s.Lay("room", room, 0)
	s.Lay("more", room, 4)
	ids := s.Scene.Tracks[0].Clips
	for _, c := range []struct {
		clip, as scene.ClipID
		strength float64
		want     string
	}{
		{ids[0].ID, ids[1].ID, 100,
			"more has 0.0 s of words; 0.4 s are needed to know its voice. Take a clip with more of it"},
		{ids[0].ID, ids[0].ID, 100, "room is like itself already; take another clip in hand as well"},
		{ids[0].ID, ids[1].ID, 101, "the strength is 0 to 100 per cent, not 101"},
		{"c99", ids[1].ID, 100, `there is no clip "c99" in this scene`},
	} {
		_, err := eqmatch.NewPlan(context.Background(), s.Meter(), c.clip, c.as, c.strength)
		if err == nil || err.Error() != c.want {
			t.Errorf("it says %v, want %s", err, c.want)
		}
	}
}
