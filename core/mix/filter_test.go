package mix_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
)

// thirds are the third-octaves of a sound from 100 Hz to 10 kHz, in dB.
func thirds(sound []float64, rate int) (list []float64) {
	b := measure.NewBands(rate, rate/4, 100, 10000)
	sum := []float64{}
	for from := 0; from+b.Window() <= len(sound); from += b.Window() / 2 {
		for k, p := range b.Powers(nil, sound[from:from+b.Window()]) {
			if len(sum) <= k {
				sum = append(sum, 0)
			}
			sum[k] += p
		}
	}
	for _, p := range sum {
		list = append(list, 10*math.Log10(p))
	}
	return list
}

// Filters set by hand have the response of ffmpeg's own, which follow R. Bristow-Johnson's cookbook: noise comes out of
// both within 0.3 dB in every third-octave from 100 Hz to 10 kHz that is not 40 dB down. A slope of 1 is a q of 0.5 to
// ffmpeg (sox says 1s for the same).
func TestFiltersHaveTheResponseOfFFmpegs(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	noise := pcm.NewBlock(1, 10*48000)
	for i := range noise[0] {
		noise[0][i] = 0.1 * r.NormFloat64()
	}
	for _, x := range []struct {
		name    string
		filters eq.Filters
		ffmpeg  string
	}{
		{"low cut", eq.Filters{LowCutHz: 150}, "highpass=f=150"},
		{"high cut", eq.Filters{HighCutHz: 3000}, "lowpass=f=3000"},
		{"shelves", eq.Filters{LowShelf: &eq.Shelf{Hz: 300, DB: -9}, HighShelf: &eq.Shelf{Hz: 4000, DB: 6}},
			"bass=f=300:g=-9:t=q:w=0.5,treble=f=4000:g=6:t=q:w=0.5"},
		{"bells", eq.Filters{
			Bells: []eq.Bell{{Hz: 500, DB: 8, Q: 1}, {Hz: 1200, DB: -12, Q: 2}, {Hz: 5000, DB: 4, Q: 0.7}},
		},
			"equalizer=f=500:g=8:t=q:w=1,equalizer=f=1200:g=-12:t=q:w=2,equalizer=f=5000:g=4:t=q:w=0.7"},
	} {
		s, open := one(t, noise)
		s = apply(t, s, &edit.SetFilters{Clips: []scene.ClipID{s.Tracks[0].Clips[0].ID}, Filters: &x.filters})
		got := thirds(render(t, s, open, mix.Options{}, pcm.Span{To: noise.Len()})[0], 48000)
		want := thirds(outside.FFmpeg(t, noise, 48000, x.ffmpeg)[0], 48000)
		top := want[0]
		for _, v := range want {
			top = max(top, v)
		}
		for k := range want {
			if d := got[k] - want[k]; math.Abs(d) > 0.3 && want[k] > top-40 {
				t.Errorf("%s: third-octave %d of 100 Hz on is %+.2f dB from ffmpeg's", x.name, k, d)
			}
		}
	}
}

// one is a scene of one recording as it is.
func one(t *testing.T, sound pcm.Block) (*scene.Scene, mix.Open) {
	t.Helper()
	s, _ := ones(t, 48000, 0)
	s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "n", Name: "n", Samples: sound.Len(), Channels: len(sound)}})
	s = apply(t, s, &edit.Add{Track: "t1", Source: "n", Length: sound.Len()})
	return s, sources(48000, map[string]pcm.Block{"n": sound})
}

// A filter moves next to nothing in time, what brings a voice near another nothing at all; any stretch of it is the
// same alone as in the whole, and off it is nothing.
func TestFiltersMoveNothingAndAreTheSameAlone(t *testing.T) {
	for _, rate := range []int64{44100, 48000, 96000} {
		sound := pcm.NewBlock(2, 4*rate)
		r := rand.New(rand.NewPCG(uint64(rate), 2))
		for i := range sound[0] {
			sound[0][i], sound[1][i] = r.NormFloat64()*0.01, r.NormFloat64()*0.01
		}
		click := 2 * rate
		sound[0][click], sound[1][click] = 1, -1
		s := scene.New("f", timecode.F25, rate)
		s = apply(t, s, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue})
		s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "n", Name: "n", Samples: sound.Len(), Channels: 2}})
		s = apply(t, s, &edit.Add{Track: "t1", Source: "n", Length: sound.Len()})
		open := sources(rate, map[string]pcm.Block{"n": sound})
		plain := render(t, s, open, mix.Options{}, pcm.Span{To: 4 * rate})
		s = apply(t, s, &edit.SetFilters{Tracks: []scene.TrackID{"t1"}, Filters: &eq.Filters{
			LowCutHz: 90, HighCutHz: 7000, Bells: []eq.Bell{{Hz: 2000, DB: 6, Q: 1}},
		}})
		whole := render(t, s, open, mix.Options{}, pcm.Span{To: 4 * rate})
		for c, sign := range []float64{1, -1} {
			at, most := int64(0), 0.0
			for i, v := range whole[c] {
				if v*sign > most {
					at, most = int64(i), v*sign
				}
			}
			if at < click || at > click+rate/10000 {
				t.Errorf("%d Hz: the click of channel %d lies %d samples off", rate, c, at-click)
			}
		}
		for range 20 {
			from := r.Int64N(4*rate - 1)
			part := pcm.Span{From: from, To: min(4*rate, from+1+r.Int64N(rate))}
			outside.Same(t, "part alone", render(t, s, open, mix.Options{}, part), whole.Slice(part.From, part.To))
		}
		like := &eq.Like{ThirdsDB: make([]float64, eq.Thirds), GainDB: 3}
		for i := range like.ThirdsDB {
			like.ThirdsDB[i] = 8 * math.Sin(float64(i))
		}
		alike := apply(t, s, &edit.SetFilters{Tracks: []scene.TrackID{"t1"}})
		alike = apply(t, alike, &edit.SetLike{Clips: []scene.ClipID{s.Tracks[0].Clips[0].ID}, Like: like})
		near := render(t, alike, open, mix.Options{}, pcm.Span{To: 4 * rate})
		for i, v := range near[0] {
			if int64(i) != click && v >= near[0][click] {
				t.Errorf("%d Hz: brought near another, the click lies %d samples off", rate, int64(i)-click)
			}
		}
		for range 10 {
			from := r.Int64N(4*rate - 1)
			part := pcm.Span{From: from, To: min(4*rate, from+1+r.Int64N(rate))}
			outside.Same(t, "part alone", render(t, alike, open, mix.Options{}, part), near.Slice(part.From, part.To))
		}
		off := *s.Tracks[0].Filters
		off.Off = true
		s = apply(t, s, &edit.SetFilters{Tracks: []scene.TrackID{"t1"}, Filters: &off})
		outside.Same(t, "off", render(t, s, open, mix.Options{}, pcm.Span{To: 4 * rate}), plain)
	}
}

// A blend on a divided clip goes over from one treatment to the other: each side by its own gain.
func TestABlendGoesOverFromOneTreatmentToTheOther(t *testing.T) {
	tone := pcm.NewBlock(1, 4*48000)
	for i := range tone[0] {
		tone[0][i] = 0.5 * math.Sin(2*math.Pi*1000*float64(i)/48000)
	}
	s, open := one(t, tone)
	s = apply(t, s, &edit.Divide{Clips: []scene.ClipID{s.Tracks[0].Clips[0].ID}, At: 96000})
	left, right := s.Tracks[0].Clips[0].ID, s.Tracks[0].Clips[1].ID
	s = apply(t, s, &edit.SetFilters{Clips: []scene.ClipID{right}, Filters: &eq.Filters{
		Bells: []eq.Bell{{Hz: 1000, DB: -12, Q: 0.5}},
	}})
	s = apply(t, s, &edit.SetBlend{Left: left, Right: right, Before: 9600, After: 9600, Law: blend.ConstantGain})
	got := render(t, s, open, mix.Options{}, pcm.Span{To: 4 * 48000})
	low := math.Pow(10, -12.0/20)
	for i := int64(60000); i < 140000; i++ {
		x := max(0, min(1, (float64(i-(96000-9600))+0.5)/19200))
		if want := tone[0][i] * (1 - x + x*low); math.Abs(got[0][i]-want) > 2e-3 {
			t.Fatalf("sample %d: %g, not %g", i, got[0][i], want)
		}
	}
}
