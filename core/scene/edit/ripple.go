package edit

import (
	"fmt"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// ripple moves by a step all clips that start at or after a moment, on every track that follows, but for the clips in
// except; at is the moment that the words name. Clips that lie over the moment stay. Picture moves by whole frames;
// where some would have to move and the step has none, where a locked track would be left behind, or where clips would
// come to overlap, it refuses.
func (d *draft) ripple(at, from int64, x step, except []scene.ClipID) error {
	follows := func(t *scene.Track, c scene.Clip) bool {
		return d.Time(t, c.Start) >= from && !slices.Contains(except, c.ID)
	}
	for ti, t := range d.Tracks {
		first := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return follows(t, c) })
		if t.Stays || first < 0 {
			continue
		}
		if t.Locked {
			return leftBehind(d, t, first, at)
		}
		off := scene.FramesAt(d.Scene, d.Rate.Nearest(from, d.SampleRate), x.frames) - x.samples
		most := scene.Rounding(d.Scene)
		if d.replay {
			most = 2 // so it was once
		}
		if t.Kind == scene.Picture && abs(off) > most {
			return notPossible(
				"Picture follows on track %s and moves by whole frames, which %s is not. Choose a whole number of frames, "+
					"or leave a gap.",
				t.Name,
				scene.LengthWords(d.Scene, x.samples),
			)
		}
		t = d.touch(ti)
		for i := first; i < len(t.Clips); i++ {
			if !slices.Contains(except, t.Clips[i].ID) {
				t.Clips[i].Start += x.on(t)
			}
		}
		moved := t.Clips[first]
		if first > 0 && t.Clips[first-1].End() > moved.Start {
			over := t.Clips[first-1]
			r := inTheWay(d.Scene, t, moved, over, d.Time(t, over.End()-moved.Start))
			if d.Time(t, over.Start) < from {
				r.words = fmt.Sprintf(
					"%s lies over %s on track %s and stays, and %s would run into its tail by %s.",
					over.Name,
					d.Timecode(at),
					t.Name,
					moved.Name,
					scene.LengthWords(d.Scene, r.By),
				)
			}
			return r
		}
		if moved.Start < 0 {
			return notPossible(
				"%s would start %s before the scene.",
				moved.Name,
				scene.LengthWords(d.Scene, d.Time(t, -moved.Start)),
			)
		}
	}
	moveMarkers(d, from, x.samples)
	return nil
}

func moveMarkers(d *draft, from, by int64) {
	moveExceptions(d, from, by)
	d.Markers = slices.Clone(d.Markers)
	for i := range d.Markers {
		switch m := &d.Markers[i]; {
		case m.At >= from:
			m.At = max(0, m.At+by)
		case m.At+m.Length > from: // it grows or shrinks with what it names
			m.Length = max(from-m.At, m.Length+by)
		}
	}
}

// leftBehind refuses to move what follows while a locked track cannot.
func leftBehind(d *draft, t *scene.Track, first int, at int64) error {
	no, yes := false, true
	n := len(t.Clips) - first
	r := &StaysBehind{
		Track: t.ID,
		words: fmt.Sprintf(
			"Track %s is locked, and its %s after %s could not move with all that follows.",
			t.Name,
			phrase.Count(n, "clip"),
			d.Timecode(at),
		),
	}
	r.offer("unlock track "+t.Name, &SetTrack{Track: t.ID, Locked: &no})
	r.offer("let track "+t.Name+" stay where it is from now on", &SetTrack{Track: t.ID, Stays: &yes})
	return r
}

// stayWords names the clips that lie over a moment from which on all that follows moved: they stayed. With more than
// one, and where they were trimmed, nothing is said.
func stayWords(s *scene.Scene, at, from int64, after *scene.Scene) string {
	var names []string
	for _, t := range s.Tracks {
		if t.Stays || t.Locked {
			continue
		}
		i := t.At(s.Unit(t, from))
		if i == len(t.Clips) || s.Time(t, t.Clips[i].Start) >= from {
			continue
		}
		c := t.Clips[i]
		if nt, now := after.Clip(c.ID); now != nil && nt != nil && now.Start == c.Start && now.Length == c.Length {
			names = append(names, fmt.Sprintf("%s on %s", c.Name, t.Name))
		}
	}
	if len(names) == 0 {
		return ""
	}
	over := " lies over it and stays"
	if len(names) > 1 {
		over = " lie over it and stay"
	}
	return "; " + strings.Join(names, ", ") + over
}

// openUp makes room of a length at a moment: clips of the given tracks that lie over it are cut, with the clips linked
// with them, and all that follows moves. It gives the step it opened by.
func openUp(d *draft, tracks []int, at int64, x step) (step, error) {
	if err := d.cut(d.withLinked(d.over(tracks, at), at), at); err != nil {
		return x, err
	}
	x = steadied(d.Scene, at, x)
	return x, d.ripple(at, at, x, nil)
}

func abs(n int64) int64 { return max(n, -n) }
