package scene

import "slices"

// A Side is which end of a clip an edge is.
type Side string

// The sides of a clip.
const (
	Head Side = "head"
	Tail Side = "tail"
)

// farthestLead is how far, in seconds, sound may reach out beyond its picture and still count as leading or
// trailing its edge.
const farthestLead = 10

// opposite is the other edge of a clip.
func opposite(side Side) Side {
	if side == Head {
		return Tail
	}
	return Head
}

// edge is where a clip's head or tail lies on its track.
func (c Clip) edge(which Side) int64 {
	if which == Head {
		return c.Start
	}
	return c.End()
}

// beside is the index of the clip that touches clip i at an edge, -1 if none does.
func (t *Track) beside(i int, edge Side) int {
	switch {
	case edge == Head && t.Touches(i-1):
		return i - 1
	case edge == Tail && t.Touches(i):
		return i + 1
	}
	return -1
}

// outermost is the index of the first (for Head) or last (for Tail) clip of a link on a track, -1 if there is none.
func (t *Track) outermost(link LinkID, edge Side) int {
	of := func(c Clip) bool { return c.Link == link }
	if edge == Head {
		return slices.IndexFunc(t.Clips, of)
	}
	for i, c := range slices.Backward(t.Clips) {
		if of(c) {
			return i
		}
	}
	return -1
}

// edgesSharing gives the clips whose edge goes along with that of the named one, which comes first: on every other
// track the outermost clip of its link, if its edge lies at the same moment, or at the same cut with sound leading or
// trailing, or reaches out as sound beyond its picture. Alone leaves out all but the named clip.
func edgesSharing(s *Scene, id ClipID, edge Side, alone bool) []ClipID {
	ids := []ClipID{id}
	ti, ci, ok := s.Find(id)
	if alone || !ok {
		return ids
	}
	t := s.Tracks[ti]
	link := t.Clips[ci].Link
	if link == "" || t.outermost(link, edge) != ci {
		return ids
	}
	for _, other := range s.Tracks {
		if other == t {
			continue
		}
		if i := other.outermost(link, edge); i >= 0 && sameEdge(s, t, ci, other, i, edge) {
			ids = append(ids, other.Clips[i].ID)
		}
	}
	return ids
}

func sameEdge(s *Scene, t *Track, i int, other *Track, k int, edge Side) bool {
	later := s.Time(other, other.Clips[k].edge(edge)) - s.Time(t, t.Clips[i].edge(edge))
	if withinHalfAFrame(s, later) {
		return true
	}
	n, m := t.beside(i, edge), other.beside(k, edge)
	if n >= 0 && m >= 0 && t.Clips[n].Link != "" && t.Clips[n].Link == other.Clips[m].Link {
		return true
	}
	if t.Kind == other.Kind {
		return false
	}
	out := later // how far sound reaches out beyond its picture
	if (edge == Head) == (other.Kind == Sound) {
		out = -later
	}
	return out > 0 && out <= farthestLead*s.SampleRate
}

// withinHalfAFrame tells whether a difference is less than half a frame.
func withinHalfAFrame(s *Scene, samples int64) bool {
	half := s.Rate.SampleOf(1, s.SampleRate) / 2
	return samples < half && samples > -half
}

// onFrame moves a moment to the nearest frame if any of the clips is picture.
func onFrame(s *Scene, at int64, clips []ClipID) int64 {
	if anyPicture(s, clips) {
		return s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate), s.SampleRate)
	}
	return at
}

func anyPicture(s *Scene, clips []ClipID) bool {
	return slices.ContainsFunc(clips, func(id ClipID) bool {
		t, _ := s.Clip(id)
		return t != nil && t.Kind == Picture
	})
}

// A step is how far something moves in time: in samples, and in frames where that is whole.
type step struct{ samples, frames int64 }

// on is the step in a track's unit.
func (x step) on(t *Track) int64 {
	if t.Kind == Picture {
		return x.frames
	}
	return x.samples
}

// stepTo is the step from one moment to another; to whole frames if any of the clips is picture.
func stepTo(s *Scene, from, to int64, clips []ClipID) step {
	at := s.Rate.Nearest(from, s.SampleRate)
	n := s.Rate.Nearest(to, s.SampleRate) - at
	if !anyPicture(s, clips) {
		return step{to - from, n}
	}
	return step{framesAt(s, at, n), n}
}

// framesAt is the length in samples of n frames from frame at on.
func framesAt(s *Scene, at, n int64) int64 {
	return s.Rate.SampleOf(at+n, s.SampleRate) - s.Rate.SampleOf(at, s.SampleRate)
}

// drift is up to how many samples linked sound and picture may lie apart where frames are no whole number of
// samples; beyond it they do so on purpose.
const drift = 8

// steadied corrects by at most a sample a step by which all that starts at or after a moment is to move, so that where
// frames are no whole number of samples linked sound and picture do not drift apart over many edits.
func steadied(s *Scene, at int64, x step) step {
	if x.samples != framesAt(s, s.Rate.Nearest(at, s.SampleRate), x.frames) ||
		x.samples == framesAt(s, 0, x.frames) && framesAt(s, 0, 1)*s.Rate.Num == s.SampleRate*s.Rate.Den {
		return x
	}
	picture := map[LinkID]struct{ was, is int64 }{} // origins by link
	for _, t := range s.Tracks {
		if t.Kind != Picture || t.Stays || t.Locked {
			continue
		}
		for _, c := range t.Clips {
			if c.Link != "" && s.Time(t, c.Start) >= at {
				moved := c
				moved.Start += x.frames
				picture[c.Link] = struct{ was, is int64 }{originOf(s, t, c), originOf(s, t, moved)}
			}
		}
	}
	var sum [3]int64 // of squares, for a sample less, none, a sample more
	for _, t := range s.Tracks {
		if t.Kind != Sound || t.Stays || t.Locked {
			continue
		}
		for _, c := range t.Clips {
			p, ok := picture[c.Link]
			if was := originOf(s, t, c) - p.was; !ok || c.Start < at || was > drift || was < -drift {
				continue
			}
			for k := range sum {
				off := originOf(s, t, c) + x.samples + int64(k-1) - p.is
				sum[k] += off * off
			}
		}
	}
	best := 1
	for _, k := range []int{0, 2} {
		if sum[k] < sum[best] {
			best = k
		}
	}
	x.samples += int64(best - 1)
	return x
}
