package mix_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// aClick is a recording of a minute, silent but for one sample.
type aClick struct{ at int64 }

func (c aClick) Format() pcm.Format {
	return pcm.Format{Rate: 48000, Channels: 1, Bits: 32, Float: true}
}
func (c aClick) Len() int64 { return 60 * 48000 }

func (c aClick) ReadSamplesAt(dst pcm.Block, at int64) error {
	for _, ch := range dst {
		clear(ch)
		if i := c.at - at; i >= 0 && i < int64(len(ch)) {
			ch[i] = 1
		}
	}
	return nil
}

// Clicks at the same moments on four tracks of sound and one of picture, moved about by 200 edits that close up or
// open: whatever was edited on whichever track, the clicks of all tracks are heard at the same samples.
func TestClicksOnAllTracksStayTogetherThroughRippleEdits(t *testing.T) {
	for _, rate := range []timecode.Rate{timecode.F25, timecode.F2997D, timecode.F23976} {
		s, click := clicks(t, rate)
		open := func(src scene.Source) (pcm.ReaderAt, error) { return aClick{click}, nil }
		heard := func() (list []int64) {
			for i, track := range s.Tracks[1:] {
				var at []int64
				const step = 1 << 20
				for from := int64(0); from < s.Length(); from += step {
					b := render(t, s, open, mix.Options{Track: track.ID}, pcm.Span{From: from, To: min(from+step, s.Length())})
					for k, v := range b[0] {
						if v > 0.5 {
							at = append(at, from+int64(k))
						}
					}
				}
				if i > 0 && !slices.Equal(at, list) {
					t.Fatalf("%s: on %s clicks are heard at %v, on the track before at %v", rate, track.Name, at, list)
				}
				list = at
			}
			return list
		}
		begun := heard()
		if len(begun) != 16 {
			t.Fatalf("%s: %d clicks to begin with", rate, len(begun))
		}
		rng := rand.New(rand.NewPCG(11, uint64(rate.Num)))
		did := map[string]int{}
		for done, tried := 0, 0; done < 200; tried++ {
			if tried > 4000 {
				t.Fatalf("%s: only %d edits could be done", rate, done)
			}
			e := rippleEdit(s, rng, click)
			next, err := edit.Apply(s, e)
			if err != nil || len(next.Tracks[1].Clips) < 8 {
				continue
			}
			s = next
			done++
			did[fmt.Sprintf("%T", e)]++
			if done%50 == 0 {
				heard()
			}
		}
		now := heard()
		if slices.Equal(now, begun) || len(now) < 8 {
			t.Errorf("%s: clicks at %v after the edits, %v before", rate, now, begun)
		}
		for _, kind := range []string{"*edit.Trim", "*edit.RemoveRange", "*edit.Remove", "*edit.Duplicate",
			"*edit.CloseGap", "*edit.Nudge"} {
			if did[kind] == 0 {
				t.Errorf("%s: no %s among the edits: %v", rate, kind, did)
			}
		}
		checked := 0 // and the picture is where its sound is
		for _, c := range s.Tracks[1].Clips {
			for _, id := range s.Linked(c.ID) {
				if track, p := s.Clip(id); track.Kind == scene.Picture {
					checked++
					if off := c.Start - c.In - s.Time(
						track,
						p.Start,
					) + s.Time(
						track,
						p.In,
					); off > 8 ||
						off < -8 { // a sixth of a millisecond, where frames are no whole number of samples
						t.Errorf("%s: sound and picture are %d samples apart", rate, off)
					}
				}
			}
		}
		if checked < 8 {
			t.Errorf("%s: %d clips with picture are left", rate, checked)
		}
		t.Logf("%s: %v", rate, did)
	}
}

// clicks lays 16 groups out with gaps between them: in each, a clip on every track, linked, its click at the same
// moment.
func clicks(t *testing.T, rate timecode.Rate) (s *scene.Scene, click int64) {
	s = scene.New("clicks", rate, 48000)
	frame := func(f int64) int64 { return rate.SampleOf(f, 48000) }
	click = frame(700) + 100
	s = apply(
		t,
		s,
		&edit.Bring{Source: scene.Source{ID: "p", Name: "picture", Samples: 60 * 48000, Frames: 1400, Channels: 1}},
	)
	s = apply(t, s, &edit.AddTrack{Name: "P", Purpose: "picture"})
	for range 4 {
		s = apply(t, s, &edit.AddTrack{Name: fmt.Sprint("S", len(s.Tracks)), Purpose: "dialogue"})
	}
	tracks := slices.Clone(s.Tracks)
	for g := range int64(16) {
		start := 120 * g
		var clips []scene.ClipID
		for i, track := range tracks {
			e := &edit.Add{
				Track:  track.ID,
				Source: "p",
				In:     frame(675),
				Start:  frame(start),
				Length: frame(start+50+6*int64(i)) - frame(start),
			}
			if i > 0 { // at 29.97 what lies at frames does not lie at the same distances: the clicks shall
				e.In = click - (frame(start+25) + 100 - frame(start))
			}
			s = apply(t, s, e)
			list := s.Track(track.ID).Clips
			clips = append(clips, list[len(list)-1].ID)
		}
		s = apply(t, s, &edit.Link{Clips: clips})
	}
	return s, click
}

// rippleEdit is an edit after which something has moved on every track; it takes no click away from one track alone.
func rippleEdit(s *scene.Scene, rng *rand.Rand, click int64) edit.Edit {
	track := s.Tracks[1+rng.IntN(len(s.Tracks)-1)]
	i := rng.IntN(len(track.Clips))
	c := track.Clips[i]
	frames := func(at, n int64) int64 { return s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate)+n, s.SampleRate) }
	clickAt := c.Start - c.In + click
	switch rng.IntN(7) {
	case 0, 1: // a tail, never past the click
		return &edit.Trim{
			Clip:  c.ID,
			Edge:  "tail",
			To:    max(frames(c.End(), rng.Int64N(30)-15), frames(clickAt, 3)),
			Close: true,
		}
	case 2: // the heads of all that are linked, never past the click
		return &edit.Trim{
			Clip:  c.ID,
			Edge:  "head",
			To:    min(frames(c.Start, rng.Int64N(16)-8), frames(clickAt, -3)),
			Close: true,
		}
	case 3: // a range between clicks, out of every track
		if i+1 == len(track.Clips) {
			return &edit.CloseGap{Track: track.ID, At: c.End()}
		}
		next := track.Clips[i+1].Start - track.Clips[i+1].In + click
		from := frames(clickAt, 3+rng.Int64N(10))
		return &edit.RemoveRange{From: from, To: min(from+frames(0, 1+rng.Int64N(20)), frames(next, -3)), Close: true}
	case 4:
		if rng.IntN(3) > 0 {
			return &edit.CloseGap{Track: track.ID, At: c.End()}
		}
		return &edit.Remove{Clips: []scene.ClipID{c.ID}, Close: true}
	case 5:
		return &edit.Duplicate{Clips: []scene.ClipID{c.ID}}
	}
	return &edit.Nudge{Edges: []scene.Edge{{Left: c.ID}}, Frames: rng.Int64N(9) + 1, Close: true}
}
