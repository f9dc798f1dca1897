package fill

import (
	"fmt"

	"blendseam/core/audit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// What cannot be filled says what would work.
var (
	errNoHole = refuse.Errorf(
		"There is no hole at this seam. Choose a lull or a gap, or make a range over what is to be filled.",
	)
	errNoTrack = refuse.Errorf("Choose a track of sound for the tone to fill: make the range over its cloth.")
	errNothing = refuse.Errorf(
		"The range covers no gap between two clips and no clip of this track. Lay a bed under it instead.",
	)
)

// HoleAt gives the hole at a seam: a lull, or the gap that a clip ends at or begins behind.
func HoleAt(sc *scene.Scene, x audit.Seam) (scene.Hole, error) {
	if x.Kind == audit.Lull {
		return scene.Hole{Clip: x.Left, Lull: x.Lull}, nil
	}
	t := sc.Track(x.Track)
	for i := 0; i+1 < len(t.Clips); i++ {
		left, right := t.Clips[i], t.Clips[i+1]
		if left.End() < right.Start && (x.Right == "" && left.ID == x.Left || x.Left == "" && right.ID == x.Right) {
			return scene.Hole{Clip: left.ID, Next: right.ID}, nil
		}
	}
	return scene.Hole{}, errNoHole
}

// HoleIn gives the hole that a range of a track covers: a gap of which it covers half, or that covers half of it; else
// a lull of the clip that the range lies on. Where that has none, first is the lull to be made, over what the range
// covers of the clip.
func HoleIn(sc *scene.Scene, track scene.TrackID, span pcm.Span) (h scene.Hole, first *edit.AddLull, err error) {
	t := sc.Track(track)
	if t == nil || t.Kind != scene.Sound {
		return h, nil, errNoTrack
	}
	for i := range t.Clips {
		c := &t.Clips[i]
		if i+1 < len(t.Clips) {
			gap := pcm.Span{From: c.End(), To: t.Clips[i+1].Start}
			if over := gap.Intersect(span); !over.Empty() && over.Len()*2 >= min(gap.Len(), span.Len()) {
				return scene.Hole{Clip: c.ID, Next: t.Clips[i+1].ID}, nil, nil
			}
		}
		on := covers(c, span)
		if on.Empty() {
			continue
		}
		for _, l := range c.Lulls {
			if c.LullSpan(l).Overlaps(on) {
				return scene.Hole{Clip: c.ID, Lull: l.ID}, nil, nil
			}
		}
		first = &edit.AddLull{Clip: c.ID, Lull: scene.LullID(fmt.Sprintf("u%s.%d", c.ID, on.From)), From: on.From, To: on.To}
		return scene.Hole{Clip: c.ID, Lull: first.Lull}, first, nil
	}
	return h, nil, errNothing
}

// Covered gives the clip of a track on which most of a range lies, and the part that does; nil if there is none.
func Covered(t *scene.Track, span pcm.Span) (*scene.Clip, pcm.Span) {
	for i := range t.Clips {
		if on := covers(&t.Clips[i], span); !on.Empty() {
			return &t.Clips[i], on
		}
	}
	return nil, pcm.Span{}
}

// covers is the part of a range that lies on a clip, empty if that is less than half of it.
func covers(c *scene.Clip, span pcm.Span) pcm.Span {
	on := c.Span().Intersect(span)
	if on.Len()*2 < span.Len() {
		return pcm.Span{}
	}
	return on
}
