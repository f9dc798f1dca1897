package mix_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
)

// ones is a scene of one or two clips of nothing but ones, which touch.
func ones(t *testing.T, rate int64, clips int) (*scene.Scene, mix.Open) {
	t.Helper()
	s := scene.New("ones", timecode.F25, rate)
	s.Channels = 1
	s = apply(t, s, &edit.AddTrack{Name: "D", Purpose: scene.ForDialogue})
	sound := pcm.NewBlock(1, 4*rate)
	for i := range sound[0] {
		sound[0][i] = 1
	}
	all := map[string]pcm.Block{}
	for i := range clips {
		id := fmt.Sprint("s", i)
		all[id] = sound
		s = apply(t, s, &edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: 4 * rate, Channels: 1}})
		s = apply(t, s, &edit.Add{Track: "t1", Source: id, In: rate / 2, Start: int64(i) * 3 * rate, Length: 3 * rate})
	}
	return s, sources(rate, all)
}

// rise is what a Raise asks for at a moment, in dB: nothing, all of it, or a share on the way, straight.
func rise(e *edit.Raise, at int64) float64 {
	up := (float64(at-e.From) + float64(e.In)) / float64(e.In)
	down := (float64(e.To-at) + float64(e.Out)) / float64(e.Out)
	return e.DB * max(0, min(1, up, down))
}

// Ranges that are turned up and down, one over the other and over a cut, sound as the sum of what was asked for says at
// every sample; turned back they leave nothing behind.
func TestARangeIsTurnedUpAndDownToTheFormula(t *testing.T) {
	for _, rate := range []int64{44100, 48000, 96000} {
		r := rand.New(rand.NewPCG(uint64(rate), 1))
		s, open := ones(t, rate, 2)
		var done []*edit.Raise
		for range 6 {
			from := r.Int64N(5 * rate)
			e := &edit.Raise{
				From: from, To: from + 1 + r.Int64N(2*rate), DB: math.Round(100*(r.Float64()-0.6)*20) / 100,
				In: rate/200 + r.Int64N(rate/4), Out: rate/200 + r.Int64N(rate/4),
			}
			done = append(done, e)
			s = apply(t, s, e)
		}
		whole := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()})
		for i, v := range whole[0] {
			db := 0.0
			for _, e := range done {
				db += rise(e, int64(i))
			}
			if want := math.Pow(10, db/20); math.Abs(v-want) > 1e-6 {
				t.Fatalf("%d Hz, sample %d: %g, not %g", rate, i, v, want)
			}
		}
		for range 20 {
			from := r.Int64N(s.Length() - 1)
			span := pcm.Span{From: from, To: min(s.Length(), from+1+r.Int64N(9000))}
			for i, v := range render(t, s, open, mix.Options{}, span)[0] {
				if v != whole[0][from+int64(i)] {
					t.Fatalf("%d Hz: sample %d is another where it is rendered alone", rate, from+int64(i))
				}
			}
		}
		for _, e := range done {
			back := *e
			back.DB = -e.DB
			s = apply(t, s, &back)
		}
		for _, c := range s.Tracks[0].Clips {
			if c.Level != nil {
				t.Errorf("%d Hz: turned back, %s has a level line of %+v", rate, c.ID, c.Level)
			}
		}
	}
}

// ffmpeg's volume, given the same course as an expression, makes the same of a real voice.
func TestARangeIsTurnedDownAsByFFmpegsVolume(t *testing.T) {
	voice := outside.Voices(t)[0]
	sound := outside.Decode(t, voice, 1)
	s, _ := ones(t, 48000, 1)
	s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "v", Name: "v", Samples: sound.Len(), Channels: 1}})
	at := s.Length()
	s = apply(t, s, &edit.Add{Track: "t1", Source: "v", Start: at, Length: 48000})
	e := &edit.Raise{From: at + 12000, To: at + 24000, DB: -9, In: 3840, Out: 4800}
	s = apply(t, s, e)
	got := render(t, s, sources(48000, map[string]pcm.Block{"v": sound, "s0": pcm.NewBlock(1, 4*48000)}), mix.Options{},
		pcm.Span{From: at, To: at + 48000})
	want := outside.Filter(t, 1, "[0]aformat=dbl,atrim=end_sample=48000,asetnsamples=1,"+
		"volume=eval=frame:precision=double:volume='pow(10,-9/20*"+
		"clip(min((t*48000-12000+3840)/3840,(24000-t*48000+4800)/4800),0,1))'", voice)
	if off, where := outside.Furthest(t, got, want); off > 1e-4 {
		t.Errorf("it lies %g from ffmpeg's at %s", off, where)
	}
}
