package edit

import (
	"slices"

	"blendseam/core/scene"
)

// farthestLead is how far, in seconds, sound may reach out beyond its picture and still count as leading or
// trailing its edge.
const farthestLead = 10

// opposite is the other edge of a clip.
func opposite(side scene.Side) scene.Side {
	if side == scene.Head {
		return scene.Tail
	}
	return scene.Head
}

// edgesSharing gives the clips whose edge goes along with that of the named one, which comes first: on every other
// track the outermost clip of its link, if its edge lies at the same moment, or at the same cut with sound leading or
// trailing, or reaches out as sound beyond its picture. Alone leaves out all but the named clip.
func edgesSharing(s *scene.Scene, id scene.ClipID, edge scene.Side, alone bool) []scene.ClipID {
	ids := []scene.ClipID{id}
	ti, ci, ok := s.Find(id)
	if alone || !ok {
		return ids
	}
	t := s.Tracks[ti]
	link := t.Clips[ci].Link
	if link == "" || t.Outermost(link, edge) != ci {
		return ids
	}
	for _, other := range s.Tracks {
		if other == t {
			continue
		}
		if i := other.Outermost(link, edge); i >= 0 && sameEdge(s, t, ci, other, i, edge) {
			ids = append(ids, other.Clips[i].ID)
		}
	}
	return ids
}

func sameEdge(s *scene.Scene, t *scene.Track, i int, other *scene.Track, k int, edge scene.Side) bool {
	later := s.Time(other, other.Clips[k].EdgeAt(edge)) - s.Time(t, t.Clips[i].EdgeAt(edge))
	if scene.WithinHalfAFrame(s, later) {
		return true
	}
	n, m := t.Beside(i, edge), other.Beside(k, edge)
	if n >= 0 && m >= 0 && t.Clips[n].Link != "" && t.Clips[n].Link == other.Clips[m].Link {
		return true
	}
	if t.Kind == other.Kind {
		return false
	}
	out := later // how far sound reaches out beyond its picture
	if (edge == scene.Head) == (other.Kind == scene.Sound) {
		out = -later
	}
	return out > 0 && out <= farthestLead*s.SampleRate
}

// onFrame moves a moment to the nearest frame if any of the clips is picture.
func onFrame(s *scene.Scene, at int64, clips []scene.ClipID) int64 {
	if anyPicture(s, clips) {
		return s.Rate.SampleOf(s.Rate.Nearest(at, s.SampleRate), s.SampleRate)
	}
	return at
}

func anyPicture(s *scene.Scene, clips []scene.ClipID) bool {
	return slices.ContainsFunc(clips, func(id scene.ClipID) bool {
		t, _ := s.Clip(id)
		return t != nil && t.Kind == scene.Picture
	})
}

// A step is how far something moves in time: in samples, and in frames where that is whole.
type step struct{ samples, frames int64 }

// on is the step in a track's unit.
func (x step) on(t *scene.Track) int64 {
	if t.Kind == scene.Picture {
		return x.frames
	}
	return x.samples
}

// stepTo is the step from one moment to another; to whole frames if any of the clips is picture.
func stepTo(s *scene.Scene, from, to int64, clips []scene.ClipID) step {
	at := s.Rate.Nearest(from, s.SampleRate)
	n := s.Rate.Nearest(to, s.SampleRate) - at
	if !anyPicture(s, clips) {
		return step{to - from, n}
	}
	return step{scene.FramesAt(s, at, n), n}
}

// drift is up to how many samples linked sound and picture may lie apart where frames are no whole number of
// samples; beyond it they do so on purpose.
const drift = 8

// steadied corrects by at most a sample a step by which all that starts at or after a moment is to move, so that where
// frames are no whole number of samples linked sound and picture do not drift apart over many edits.
func steadied(s *scene.Scene, at int64, x step) step {
	if x.samples != scene.FramesAt(s, s.Rate.Nearest(at, s.SampleRate), x.frames) ||
		x.samples == scene.FramesAt(s, 0, x.frames) && scene.FramesAt(s, 0, 1)*s.Rate.Num == s.SampleRate*s.Rate.Den {
		return x
	}
	picture := map[scene.LinkID]struct{ was, is int64 }{} // origins by link
	for _, t := range s.Tracks {
		if t.Kind != scene.Picture || t.Stays || t.Locked {
			continue
		}
		for _, c := range t.Clips {
			if c.Link != "" && s.Time(t, c.Start) >= at {
				moved := c
				moved.Start += x.frames
				picture[c.Link] = struct{ was, is int64 }{scene.SyncOrigin(s, t, c), scene.SyncOrigin(s, t, moved)}
			}
		}
	}
	var sum [3]int64 // of squares, for a sample less, none, a sample more
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound || t.Stays || t.Locked {
			continue
		}
		for _, c := range t.Clips {
			p, ok := picture[c.Link]
			if was := scene.SyncOrigin(s, t, c) - p.was; !ok || c.Start < at || was > drift || was < -drift {
				continue
			}
			for k := range sum {
				off := scene.SyncOrigin(s, t, c) + x.samples + int64(k-1) - p.is
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
