package scene

// Offset is by how many samples a clip of sound lies later than its picture from the same source: that it is linked
// with or, if it has no link, one that it lies over and is no more than offsetReach away from. ok is false if there
// is none.
func (s *Scene) Offset(t *Track, c Clip) (samples int64, ok bool) {
	if t.Kind != Sound {
		return 0, false
	}
	for _, pt := range s.Tracks {
		if pt.Kind != Picture {
			continue
		}
		for i := pt.At(s.Unit(pt, c.Start)); i < len(pt.Clips) && s.Time(pt, pt.Clips[i].Start) < c.End(); i++ {
			p := pt.Clips[i]
			if p.Source == FirstTake(c).Source && p.Link == c.Link {
				off := SyncOrigin(s, t, c) - SyncOrigin(s, pt, p)
				if far := offsetReach * s.SampleRate; c.Link != "" || off <= far && off >= -far {
					return off, true
				}
			}
		}
	}
	return 0, false
}

// offsetReach is how many seconds a clip without link may be out of sync and still count as having slipped.
const offsetReach = 2

// Offsets gives the clips that are out of sync by half a frame or more; see Offset.
func (s *Scene) Offsets() map[ClipID]int64 {
	out := map[ClipID]int64{}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if off, ok := s.Offset(t, c); ok && !WithinHalfAFrame(s, off) {
				out[c.ID] = off
			}
		}
	}
	return out
}

// LeadAt is by how many samples the sound of an edge is cut earlier than its picture. ok is false if it has none.
func (s *Scene) LeadAt(x Edge) (samples int64, ok bool) {
	t, at, picture, ok := PictureEdge(s, x)
	if !ok {
		return 0, false
	}
	return picture - s.Time(t, at), true
}

// PictureEdge finds the picture's edge that belongs to one of sound: that of the incoming clip's link, else of the
// outgoing one's. at is the sound's edge in its track's unit, picture the picture's in samples.
func PictureEdge(s *Scene, x Edge) (t *Track, at, picture int64, ok bool) {
	for _, side := range []struct {
		id   ClipID
		edge Side
	}{{x.Right, Head}, {x.Left, Tail}} {
		ti, ci, found := s.Find(side.id)
		if !found || s.Tracks[ti].Kind != Sound {
			continue
		}
		t = s.Tracks[ti]
		c := t.Clips[ci]
		if c.Link == "" || t.Outermost(c.Link, side.edge) != ci {
			continue
		}
		for _, pt := range s.Tracks {
			if pt.Kind != Picture {
				continue
			}
			if i := pt.Outermost(c.Link, side.edge); i >= 0 {
				return t, c.EdgeAt(side.edge), s.Time(pt, pt.Clips[i].EdgeAt(side.edge)), true
			}
		}
	}
	return nil, 0, 0, false
}

// Leads gives the lead of every edge of sound that has picture, in samples; see LeadAt.
func (s *Scene) Leads() map[Edge]int64 {
	type ends struct{ head, tail int64 } // of a link's picture
	pictures := map[LinkID]ends{}
	for _, t := range s.Tracks {
		if t.Kind != Picture {
			continue
		}
		seen := map[LinkID]bool{} // the first picture track that a link has counts
		for _, c := range t.Clips {
			if c.Link == "" {
				continue
			}
			at := ClipTime(s, t, c)
			if p, ok := pictures[c.Link]; ok && seen[c.Link] {
				pictures[c.Link] = ends{p.head, at.To}
			} else if !ok {
				pictures[c.Link] = ends{at.From, at.To}
				seen[c.Link] = true
			}
		}
	}
	leads := map[Edge]int64{}
	for _, t := range s.Tracks {
		if t.Kind != Sound {
			continue
		}
		first, last := map[LinkID]int{}, map[LinkID]int{} // clip of a link
		for i, c := range t.Clips {
			if _, ok := first[c.Link]; !ok {
				first[c.Link] = i
			}
			last[c.Link] = i
		}
		for i, c := range t.Clips {
			p, ok := pictures[c.Link]
			head, tail := ok && first[c.Link] == i, ok && last[c.Link] == i
			x := Edge{Right: c.ID}
			if t.Touches(i - 1) {
				x.Left = t.Clips[i-1].ID
			}
			if head {
				leads[x] = p.head - c.Start
			}
			if !t.Touches(i) {
				x = Edge{Left: c.ID}
			} else {
				x = Edge{c.ID, t.Clips[i+1].ID}
			}
			if tail {
				leads[x] = p.tail - c.End() // the incoming clip's picture, if it has one, takes its place
			}
		}
	}
	return leads
}
