package edit

import (
	"slices"

	"blendseam/core/scene"
)

// A Doing is what a hand does with a clip, or with an edge of it.
type Gesture string

// What a hand may do for which limits are given; Alone leaves linked clips where they are.
const (
	TrimsGap   Gesture = "trim_gap"   // an edge is trimmed and leaves a gap
	TrimsClose Gesture = "trim_close" // an edge is trimmed and all that follows moves
	Rolls      Gesture = "roll"       // the cut at an edge moves
	Splits     Gesture = "split"      // the cut at an edge moves alone: sound leads or trails its picture
	Slips      Gesture = "slip"       // the clip shows a later part of its recording
	Slides     Gesture = "slide"      // the clip moves between its neighbours
)

// A Reach is how far what is in hand may go, and all that goes with it. Times are samples of the scene.
type Reach struct {
	Low   int64    `json:"low"` // by how much earlier, as a negative number; of a slip, in its recording
	High  int64    `json:"high"`
	Goes  []Effect `json:"goes"`
	Rest  int64    `json:"rest"`  // the moment from which on all that follows moves as well; -1 if nothing does
	Turns bool     `json:"turns"` // what follows moves earlier when the hand goes later
}

// Effect says what of a clip goes with the hand: its edges, and what it shows of its recording, each by as much (1), by
// as much the other way (-1), or not at all (0).
type Effect struct {
	Clip  scene.ClipID `json:"clip"`
	Head  int          `json:"head"`
	Tail  int          `json:"tail"`
	Shows int          `json:"shows"`
}

// ReachOf gives the limits within which an edit of the scene is possible that is made by a hand, as far as recordings,
// neighbours and the clips' own lengths set them; locks are not looked at. A clip that is not there has none, nor has
// an edge at which nothing touches a cut to roll.
func ReachOf(s *scene.Scene, clip scene.ClipID, edge scene.Side, doing Gesture) (r Reach, ok bool) {
	r = Reach{Low: -scene.Unbounded, High: scene.Unbounded, Goes: []Effect{}, Rest: -1}
	_, c := s.Clip(clip)
	if c == nil || edge != scene.Head && edge != scene.Tail && doing != Slips && doing != Slides {
		return r, false
	}
	switch doing {
	case Slips:
		for _, id := range s.Linked(clip) {
			t, c := s.Clip(id)
			head, tail := s.Handles(t, *c)
			r.within(s, t, c.In, -head, tail)
			r.Goes = append(r.Goes, Effect{Clip: id, Shows: 1})
		}
	case Slides:
		r.slides(s, clip)
	case Rolls, Splits:
		ti, ci, _ := s.Find(clip)
		other := s.Tracks[ti].Beside(ci, edge)
		if other < 0 {
			return r, false
		}
		roll := &Roll{Left: s.Tracks[ti].Clips[other].ID, Right: clip, Alone: doing == Splits}
		if edge == scene.Tail {
			roll.Left, roll.Right = roll.Right, roll.Left
		}
		pairs, err := roll.pairs(newDraft(s))
		if err != nil {
			return r, false
		}
		for _, p := range pairs {
			r.trims(s, p[0], scene.Tail, true)
			r.trims(s, p[1], scene.Head, true)
			r.Goes = append(r.Goes, Effect{Clip: p[0], Tail: 1}, Effect{Clip: p[1], Head: 1, Shows: 1})
		}
	case TrimsGap, TrimsClose:
		trim := &Trim{Clip: clip, Edge: edge}
		targets := edgesSharing(s, clip, edge, false)
		for _, id := range targets {
			r.trims(s, id, edge, doing == TrimsClose)
			switch {
			case edge == scene.Tail:
				r.Goes = append(r.Goes, Effect{Clip: id, Tail: 1})
			case doing == TrimsClose: // it keeps its start, and gets shorter
				r.Goes = append(r.Goes, Effect{Clip: id, Tail: -1, Shows: 1})
			default:
				r.Goes = append(r.Goes, Effect{Clip: id, Head: 1, Shows: 1})
			}
		}
		if doing == TrimsClose {
			_, r.Rest = trim.follows(s, targets)
			r.Turns = edge == scene.Head
		}
	default:
		return r, false
	}
	r.Low, r.High = min(r.Low, 0), max(r.High, 0)
	return r, true
}

// within narrows the limits to a step from a moment of a track by low to high, in the track's unit.
func (r *Reach) within(s *scene.Scene, t *scene.Track, at, low, high int64) {
	if low > -scene.Unbounded {
		r.Low = max(r.Low, s.Time(t, at+low)-s.Time(t, at))
	}
	if high < scene.Unbounded {
		r.High = min(r.High, s.Time(t, at+high)-s.Time(t, at))
	}
}

// trims narrows the limits to those of an edge; free leaves its neighbour out, which moves as well.
func (r *Reach) trims(s *scene.Scene, id scene.ClipID, edge scene.Side, free bool) {
	ti, ci, _ := s.Find(id)
	t := s.Tracks[ti]
	c := t.Clips[ci]
	head, tail := s.Handles(t, c)
	if edge == scene.Head {
		low := -head
		if !free {
			before := int64(0)
			if ci > 0 {
				before = t.Clips[ci-1].End()
			}
			low = max(low, before-c.Start)
		}
		r.within(s, t, c.Start, low, c.Length-1)
		return
	}
	high := tail
	if !free && ci+1 < len(t.Clips) {
		high = min(high, t.Clips[ci+1].Start-c.End())
	}
	r.within(s, t, c.End(), 1-c.Length, high)
}

// slides narrows the limits to those of a clip and all linked with it, between their neighbours.
func (r *Reach) slides(s *scene.Scene, clip scene.ClipID) {
	group := s.Linked(clip)
	for _, t := range s.Tracks {
		for first, last := range t.Runs(group) {
			for _, c := range t.Clips[first : last+1] {
				r.Goes = append(r.Goes, Effect{Clip: c.ID, Head: 1, Tail: 1})
			}
			r.between(s, t, first, last, group)
		}
	}
}

// goes says how far an edge of a clip goes along; what was said of it before is added to.
func (r *Reach) goes(g Effect) {
	for i := range r.Goes {
		if was := &r.Goes[i]; was.Clip == g.Clip {
			was.Head, was.Tail, was.Shows = was.Head+g.Head, was.Tail+g.Tail, was.Shows+g.Shows
			return
		}
	}
	r.Goes = append(r.Goes, g)
}

// between narrows the limits to those of clips first to last of a track, which touch. A clip that lies between two of
// the group gives at one side what it takes at the other.
func (r *Reach) between(s *scene.Scene, t *scene.Track, first, last int, group []scene.ClipID) {
	at, end := t.Clips[first].Start, t.Clips[last].End()
	low, high := -at, scene.Unbounded
	if first > 0 {
		before := t.Clips[first-1]
		if slices.Contains(group, before.ID) { // it goes ahead
			low = -scene.Unbounded
		} else if low = before.End() - at; low == 0 { // it touches, and gives or takes at its tail
			_, tail := s.Handles(t, before)
			low, high = 1-before.Length, tail
			if first > 1 && t.Touches(first-2) && slices.Contains(group, t.Clips[first-2].ID) {
				low = -scene.Unbounded
			}
			r.goes(Effect{Clip: before.ID, Tail: 1})
		}
	}
	if last+1 < len(t.Clips) {
		after := t.Clips[last+1]
		if room := after.Start - end; room > 0 {
			high = min(high, room)
		} else {
			head, _ := s.Handles(t, after)
			low, high = max(low, -head), min(high, after.Length-1)
			r.goes(Effect{Clip: after.ID, Head: 1, Shows: 1})
		}
	}
	r.within(s, t, at, low, high)
}
