package mix_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// tune is the track that makes way.
var tune scene.TrackID

// under is a scene of words on one track and of nothing but ones on another, which makes way for them.
func under(t *testing.T, rate int64, r *rand.Rand) (*scene.Scene, mix.Open, scene.Duck) {
	t.Helper()
	s, _ := ones(t, rate, 2)
	s = apply(t, s, &edit.AddTrack{Name: "Tune", Purpose: scene.ForMusic})
	s = apply(t, s, &edit.Bring{Source: scene.Source{ID: "m", Name: "m", Samples: 12 * rate, Channels: 1}})
	tune = s.Tracks[1].ID
	s = apply(t, s, &edit.Add{Track: tune, Source: "m", Length: 12 * rate})
	words := map[string][]pcm.Span{}
	for _, id := range []string{"s0", "s1"} {
		for at := r.Int64N(rate); at < 4*rate-rate/3; at += r.Int64N(rate) + rate/2 {
			words[id] = append(words[id], pcm.Span{From: at, To: at + 1 + r.Int64N(rate/3)})
		}
	}
	s = apply(t, s, &edit.SetSpeech{Words: words})
	duck := scene.Duck{
		Under: []scene.TrackID{"t1"}, DB: 3 + 12*r.Float64(), Down: rate/20 + r.Int64N(rate/4),
		Up: rate/20 + r.Int64N(rate/2), Before: r.Int64N(rate / 8), After: r.Int64N(rate / 8), Hold: r.Int64N(rate),
	}
	s = apply(t, s, &edit.SetDucks{Track: tune, Ducks: []scene.Duck{duck}})
	full := pcm.NewBlock(1, 12*rate)
	for i := range full[0] {
		full[0][i] = 1
	}
	return s, sources(rate, map[string]pcm.Block{"m": full}), duck
}

// said are the words of a scene, by looking at every clip.
func said(s *scene.Scene) (list []pcm.Span) {
	for _, c := range s.Tracks[0].Clips {
		for _, w := range s.Sources[c.Source].Speech.Words {
			if on := w.Add(c.Start - c.In).Intersect(c.Span()); !on.Empty() {
				list = append(list, on)
			}
		}
	}
	slices.SortFunc(list, func(a, b pcm.Span) int { return int(a.From - b.From) })
	return list
}

// course is what a duck asks for at a moment, in dB: as deep as the deepest of the windows around runs of words.
func course(d scene.Duck, words []pcm.Span, at int64) (db float64) {
	for i := 0; i < len(words); {
		k := i
		for k+1 < len(words) && (words[k+1].From-words[k].To < d.Hold || words[k+1].From-d.Before <= words[k].To+d.After) {
			k++
		}
		down := float64(at-(words[i].From-d.Before-d.Down)) / float64(d.Down)
		up := float64(words[k].To+d.After+d.Up-at) / float64(d.Up)
		db = min(db, -d.DB*max(0, min(1, down, up)))
		i = k + 1
	}
	return db
}

// A track makes way for words to the formula at every sample, after every edit of the words, and any stretch of it is
// the same alone as in the whole.
func TestATrackMakesWayForWordsToTheFormula(t *testing.T) {
	for _, rate := range []int64{44100, 48000, 96000} {
		r := rand.New(rand.NewPCG(uint64(rate), 7))
		s, open, duck := under(t, rate, r)
		for edit := range 51 {
			words := said(s)
			whole := render(t, s, open, mix.Options{Track: tune}, pcm.Span{To: 12 * rate})
			for i := int64(0); i < 12*rate; i += 1 + int64(edit%17) {
				if want := math.Pow(10, course(duck, words, i)/20); math.Abs(whole[0][i]-want) > 3e-6 {
					t.Fatalf("%d Hz, after %d edits, sample %d: %g, not %g", rate, edit, i, whole[0][i], want)
				}
			}
			from := r.Int64N(11 * rate)
			part := pcm.Span{From: from, To: from + 1 + r.Int64N(rate/4)}
			outside.Same(t, "part alone", render(t, s, open, mix.Options{Track: tune}, part), whole.Slice(part.From, part.To))
			s = shuffled(t, s, r, rate)
		}
	}
}

// shuffled is the scene after an edit of the words that can be done.
func shuffled(t *testing.T, s *scene.Scene, r *rand.Rand, rate int64) *scene.Scene {
	t.Helper()
	for range 200 {
		if len(s.Tracks[0].Clips) == 0 {
			return s
		}
		c := s.Tracks[0].Clips[r.IntN(len(s.Tracks[0].Clips))]
		at := c.Start + r.Int64N(c.Length)
		e := []edit.Edit{
			&edit.Move{Clip: c.ID, To: r.Int64N(9 * rate)},
			&edit.Trim{Clip: c.ID, Edge: scene.Tail, To: at},
			&edit.Trim{Clip: c.ID, Edge: scene.Head, To: at},
			&edit.Slip{Clip: c.ID, By: r.Int64N(rate) - rate/2},
			&edit.Divide{Clips: []scene.ClipID{c.ID}, At: at},
			&edit.Duplicate{Clips: []scene.ClipID{c.ID}},
			&edit.Add{
				Track: "t1", Source: []string{"s0", "s1"}[r.IntN(2)], Start: at, In: rate / 2, Length: rate, How: scene.Over,
			},
		}[r.IntN(7)]
		if next, err := edit.Apply(s, e); err == nil && len(next.Tracks[0].Clips) < 9 {
			return next
		}
	}
	t.Fatal("no edit of the words can be done any more")
	return nil
}

// Turned into plain lines it sounds the same, and stays when the words go.
func TestALineOfHowATrackMakesWaySoundsTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 7))
	s, open, _ := under(t, 48000, r)
	line := []scene.LevelPoint{{At: 9000, DB: 2}, {At: 300000, DB: -3}}
	s = apply(t, s, &edit.SetLevel{Clip: s.Tracks[1].Clips[0].ID, Points: line})
	whole := pcm.Span{To: 12 * 48000}
	was := render(t, s, open, mix.Options{Track: tune}, whole)
	plain := apply(t, s, &edit.DuckToLine{Track: tune})
	if off, at := outside.Furthest(t, was, render(t, plain, open, mix.Options{Track: tune}, whole)); off > 1e-6 {
		t.Errorf("it lies %g from it at %s", off, at)
	}
	for _, c := range s.Tracks[0].Clips {
		plain = apply(t, plain, &edit.Remove{Clips: []scene.ClipID{c.ID}})
	}
	if off, at := outside.Furthest(t, was, render(t, plain, open, mix.Options{Track: tune}, whole)); off > 1e-6 {
		t.Errorf("without words it lies %g from it at %s", off, at)
	}
}

// Exceptions stay at their own level, and follow what is closed up before them.
func TestWhereItNeverAppliesATrackMakesNoWay(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 7))
	s, open, duck := under(t, 48000, r)
	duck.Except = []pcm.Span{{From: 3 * 48000, To: 4 * 48000}}
	s = apply(t, s, &edit.SetDucks{Track: tune, Ducks: []scene.Duck{duck}})
	check := func(s *scene.Scene, from int64) {
		t.Helper()
		for i, v := range render(t, s, open, mix.Options{Track: tune}, pcm.Span{From: from, To: from + 48000})[0] {
			if math.Abs(v-1) > 1e-9 {
				t.Fatalf("sample %d of what is excepted: %g", i, v)
			}
		}
	}
	check(s, 3*48000)
	yes := true
	s = apply(t, s, &edit.SetTrack{Track: tune, Stays: &yes})
	s = apply(t, s, &edit.RemoveRange{From: 48000, To: 2 * 48000, Close: true})
	check(s, 2*48000)
}

// A balance keeps the power of both channels together: -3.01 dB on both sides of a full turn's middle, as handbooks of
// panning at constant power have it (common practice, no source).
func TestABalanceKeepsPower(t *testing.T) {
	s, open := ones(t, 48000, 1)
	s.Channels = 2
	for _, balance := range []float64{-1, -0.5, 0, 0.25, 1} {
		balance := balance
		b := render(t, apply(t, s, &edit.SetTrack{Track: "t1", Balance: &balance}), open, mix.Options{}, pcm.Span{To: 100})
		left, right := b[0][50], b[1][50]
		if p := left*left + right*right; math.Abs(p-2) > 1e-9 {
			t.Errorf("at %g the power is %g", balance, p)
		}
		if angle := math.Atan2(right, left); math.Abs(angle-(balance+1)*math.Pi/4) > 1e-9 {
			t.Errorf("at %g it lies at %g", balance, angle)
		}
	}
}
