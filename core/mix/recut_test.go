package mix_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/internal/outside"
)

// cutScene is a scene of so many shots from a few takes, each with its own sound linked to it, blends on many cuts, and
// two tracks whose clips lie anywhere.
func cutScene(t *testing.T, rng *rand.Rand, rate timecode.Rate, shots int) (*scene.Scene, mix.Open) {
	t.Helper()
	const takes = 4
	all := map[string]pcm.Block{}
	s := scene.New("cut", rate, 8000)
	s.Channels = 1
	frame := func(f int64) int64 { return rate.SampleOf(f, 8000) }
	for i := range takes {
		id := fmt.Sprint("s", i)
		all[id] = noise(uint64(i), 1, frame(2000))
		s = apply(t, s, &edit.Bring{Source: scene.Source{ID: id, Name: id, Samples: frame(2000), Frames: 2000, Channels: 1}})
	}
	for _, p := range []scene.Purpose{"picture", "dialogue", "effects", "music"} {
		s = apply(t, s, &edit.AddTrack{Name: string(p), Purpose: p})
	}
	at := int64(0)
	used := map[string]int64{}
	for k := range shots {
		id, n := fmt.Sprint("s", rng.IntN(takes)), 10+rng.Int64N(40)
		in := used[id] + 15 + rng.Int64N(10)
		if in+n+20 > 2000 {
			continue
		}
		used[id] = in + n
		link := scene.LinkID(fmt.Sprint("l", k))
		pic, snd := s.Tracks[0], s.Tracks[1]
		pic.Clips = append(pic.Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: id, Name: id, In: in, Start: at,
			Length: n, Link: link})
		snd.Clips = append(snd.Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: id, Name: id, In: frame(in),
			Start: frame(at), Length: frame(at+n) - frame(at), Link: link})
		if i := len(snd.Clips) - 1; i > 0 && rng.IntN(2) == 0 {
			snd.Blends = append(snd.Blends, scene.Blend{Left: snd.Clips[i-1].ID, Right: snd.Clips[i].ID,
				Law:    blend.ConstantPower,
				Before: rng.Int64N(frame(4)), After: 1 + rng.Int64N(frame(4))})
		}
		at += n
	}
	for _, track := range s.Tracks[2:] {
		for from := rng.Int64N(5000); from < frame(at)-100; {
			n := min(2000+rng.Int64N(30000), frame(at)-from)
			track.Clips = append(track.Clips, scene.Clip{ID: scene.NewID(s, scene.AClip), Source: "s0", Name: "free",
				In:    rng.Int64N(20000),
				Start: from, Length: n, GainDB: -float64(rng.IntN(9))})
			from += n + rng.Int64N(9000)
		}
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	return s, sources(8000, all)
}

// newCut changes a picture cut in so many places: shots are moved, swapped, trimmed at both ends and both ways, lifted,
// inserted, slipped.
func newCut(rng *rand.Rand, s *scene.Scene, changes int) *edit.Recut {
	e := &edit.Recut{}
	for _, c := range s.Tracks[0].Clips {
		e.Shots = append(e.Shots, scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Length: c.Length})
	}
	for range changes {
		if len(e.Shots) < 3 {
			break
		}
		i := rng.IntN(len(e.Shots) - 1)
		x := &e.Shots[i]
		n := 1 + rng.Int64N(6)
		switch rng.IntN(8) {
		case 0:
			shot := *x
			e.Shots = append(e.Shots[:i], e.Shots[i+1:]...)
			to := rng.IntN(len(e.Shots))
			e.Shots = append(e.Shots[:to], append([]scene.NewShot{shot}, e.Shots[to:]...)...)
		case 1:
			e.Shots[i], e.Shots[i+1] = e.Shots[i+1], e.Shots[i]
		case 2:
			if x.Length > n {
				x.In, x.Length = x.In+n, x.Length-n
			}
		case 3:
			if x.Length > n {
				x.Length -= n
			}
		case 4:
			if x.In > n {
				x.In, x.Length = x.In-n, x.Length+n
			}
		case 5:
			e.Shots = append(e.Shots[:i], e.Shots[i+1:]...)
		case 6:
			shot := scene.NewShot{Source: "s1", Name: "new", In: 1950, Length: 5 + rng.Int64N(40)}
			e.Shots = append(e.Shots[:i], append([]scene.NewShot{shot}, e.Shots[i:]...)...)
		default:
			if x.In > n {
				x.In -= n
			}
		}
	}
	at := int64(0)
	for i := range e.Shots {
		e.Shots[i].Start = at
		at += e.Shots[i].Length
	}
	return e
}

// Sound under picture that a new cut still has is the same bits, in sync to the sample, but where blends came off that
// lay over an edge; the picture is that of the new cut; every clip is where it was, moved, or aside; what is done is
// taken back by going back to the scene before, which has not changed.
func TestSoundFollowsANewPictureCut(t *testing.T) {
	rounds := 500
	if testing.Short() {
		rounds = 30
	}
	for n := range rounds {
		rng := rand.New(rand.NewPCG(18, uint64(n)))
		rate := timecode.Rates[n%len(timecode.Rates)]
		s, open := cutScene(t, rng, rate, 12+rng.IntN(20))
		e := newCut(rng, s, 10+rng.IntN(50))
		before := reflect.ValueOf(*s.Tracks[1]).Interface()
		_, pieces := edit.RecutChanges(s, e)
		after := apply(t, s, e)
		if err := after.Check(); err != nil {
			t.Fatalf("%d: %v", n, err)
		}
		if !reflect.DeepEqual(before, *s.Tracks[1]) {
			t.Fatalf("%d: the scene before has changed", n)
		}
		samePicture(t, n, after, e)
		one, two := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()}), render(t, after, open, mix.Options{},
			pcm.Span{To: after.Length()})
		for _, p := range pieces {
			from, to := rate.SampleOf(p.Old.From, 8000), rate.SampleOf(p.Old.To, 8000)
			shift := rate.SampleOf(p.New.From, 8000) - from
			if 8000*rate.Den%rate.Num > 0 {
				to -= 2 // the sample that its neighbour may take
			}
			span := pcm.Span{From: from, To: to}.Intersect(pcm.Span{To: one.Len()})
			span = span.Intersect(pcm.Span{To: two.Len() - shift})
			if span.Empty() {
				continue
			}
			a, b := one.Slice(span.From, span.To), two.Slice(span.From+shift, span.To+shift)
			quiet(a, b, s, after, span)
			outside.Same(t, fmt.Sprintf("recut %d, %v", n, p), a, b)
		}
		nothingLost(t, n, s, after)
	}
}

// quiet silences what blends sounded like that are gone, in both.
func quiet(a, b pcm.Block, s, after *scene.Scene, span pcm.Span) {
	for i, t := range s.Tracks {
		for _, x := range t.Blends {
			_, left := s.Clip(x.Left)
			if has(after.Tracks[i], x) {
				continue
			}
			at := pcm.Span{From: left.End() - x.Before, To: left.End() + x.After}.Intersect(span)
			for k := at.From; k < at.To; k++ {
				a[0][k-span.From], b[0][k-span.From] = 0, 0
			}
		}
	}
}

func has(t *scene.Track, x scene.Blend) bool {
	for _, o := range t.Blends {
		if (o.Right == x.Right || o.Left == x.Left) && o.Before == x.Before && o.After == x.After {
			return true
		}
	}
	return false
}

func samePicture(t *testing.T, n int, after *scene.Scene, e *edit.Recut) {
	t.Helper()
	type shown struct {
		source string
		frame  int64
	}
	var want, got []shown
	for _, s := range e.Shots {
		for f := range s.Length {
			want = append(want, shown{s.Source, s.In + f})
		}
	}
	for _, c := range after.Tracks[0].Clips {
		for f := range c.Length {
			got = append(got, shown{c.Source, c.In + f})
		}
	}
	if !reflect.DeepEqual(want, got) {
		t.Fatalf("%d: the picture is not that of the new cut", n)
	}
}

// nothingLost adds up the sound of every source: what there was is there, or aside.
func nothingLost(t *testing.T, n int, s, after *scene.Scene) {
	t.Helper()
	sum := func(tracks []*scene.Track) (samples int64) {
		for _, t := range tracks {
			if t.Kind == scene.Sound {
				for _, c := range t.Clips {
					samples += c.Length
				}
			}
		}
		return samples
	}
	had, has := sum(s.Tracks), sum(after.Tracks)
	for _, a := range after.Aside {
		has += sum(a.Tracks)
	}
	// Where frames are no whole number of samples, a cut may take or give one.
	if d := had - has; d != 0 && (8000*s.Rate.Den%s.Rate.Num == 0 || max(d, -d) > 300) {
		t.Fatalf("%d: there were %d samples in clips, there are %d", n, had, has)
	}
}

// What a cut lifted comes back with the picture, with its sound, gains and blends.
func TestWhatWasLiftedComesBack(t *testing.T) {
	for n := range 40 {
		rng := rand.New(rand.NewPCG(81, uint64(n)))
		s, open := cutScene(t, rng, timecode.Rates[n%len(timecode.Rates)], 20)
		was := &edit.Recut{}
		for _, c := range s.Tracks[0].Clips {
			was.Shots = append(was.Shots, scene.NewShot{Source: c.Source, Name: c.Name, In: c.In, Start: c.Start,
				Length: c.Length})
		}
		e := newCut(rng, s, 12)
		cut := apply(t, s, e)
		again := apply(t, cut, was)
		if len(again.Aside) > 0 {
			t.Errorf("%d: %d stretches are aside still", n, len(again.Aside))
		}
		one, two := render(t, s, open, mix.Options{}, pcm.Span{To: s.Length()}), render(t, again, open, mix.Options{},
			pcm.Span{To: s.Length()})
		span := pcm.Span{To: s.Length()}
		quiet(one, two, s, again, span)
		differ := 0
		for i := range one[0] {
			if one[0][i] != two[0][i] {
				differ++
			}
		}
		// Where frames are no whole number of samples, an edge may have lost one on its way.
		if differ > 0 && (8000*s.Rate.Den%s.Rate.Num == 0 || differ > len(s.Tracks[0].Clips)) {
			t.Errorf("recut %d and back: %d samples differ", n, differ)
		}
	}
}

// A change that is not ticked is not made: with none ticked the picture is as it was.
func TestChangesThatAreNotTickedAreNotMade(t *testing.T) {
	for n := range 60 {
		rng := rand.New(rand.NewPCG(82, uint64(n)))
		s, _ := cutScene(t, rng, timecode.F25, 14)
		e := newCut(rng, s, 1+rng.IntN(4))
		changes, _ := edit.RecutChanges(s, e)
		var all []int
		for i := range changes {
			all = append(all, i)
		}
		none := e.Without(s, all)
		left, _ := edit.RecutChanges(s, none)
		if len(left) > 0 {
			t.Errorf("%d: of %+v there is left %+v", n, changes, left)
		}
	}
}
