package scene

import "fmt"

// Link makes clips move together from where they lie.
type Link struct {
	Clips []ClipID `json:"clips"`
}

func (e *Link) apply(d *draft) error {
	if len(e.Clips) < 2 {
		return notPossible("Linking needs two clips or more; select them together.")
	}
	link := d.newLink()
	d.free[link] = true
	for _, id := range e.Clips {
		_, c, err := d.open(id)
		if err != nil {
			return err
		}
		c.Link = link
	}
	return nil
}

func (e *Link) words(before, after *Scene) string { return count(len(e.Clips), "clip") + " linked" }

// Unlink frees clips from those they are linked with.
type Unlink struct {
	Clips []ClipID `json:"clips"`
}

func (e *Unlink) apply(d *draft) error {
	freed := map[ClipID]bool{} // the last of a link goes free with the one before it
	for _, id := range e.Clips {
		_, c, err := d.open(id)
		if err != nil {
			return err
		}
		link := c.Link
		if freed[id] {
			continue
		}
		if c.Fills != nil { // a patch lies where it is from now on
			if c.Fills = nil; link == "" {
				continue
			}
		}
		if link == "" {
			return notPossible("%s is not linked to another clip.", c.Name)
		}
		c.Link = ""
		if rest := linkedBy(d.Scene, link); len(rest) == 1 {
			if _, last, err := d.open(rest[0]); err == nil {
				last.Link = ""
				freed[rest[0]] = true
			}
		}
	}
	return nil
}

func linkedBy(s *Scene, link LinkID) (ids []ClipID) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Link == link {
				ids = append(ids, c.ID)
			}
		}
	}
	return ids
}

func (e *Unlink) words(before, after *Scene) string { return count(len(e.Clips), "clip") + " unlinked" }

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
			if p.Source == firstTake(c).Source && p.Link == c.Link {
				off := originOf(s, t, c) - originOf(s, pt, p)
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
			if off, ok := s.Offset(t, c); ok && !withinHalfAFrame(s, off) {
				out[c.ID] = off
			}
		}
	}
	return out
}

// Resync brings a clip of sound that has slipped out of sync back to its picture: by moving it, or by slipping what
// it shows.
type Resync struct {
	Clip ClipID `json:"clip"`
	By   string `json:"by"` // "move" or "slip"
}

func (e *Resync) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	off, ok := d.Offset(t, *c)
	switch {
	case !ok:
		return notPossible("%s lies over no picture of its own recording, so there is no sync to bring it back to.", c.Name)
	case withinHalfAFrame(d.Scene, off):
		return notPossible("%s is in sync with its picture.", c.Name)
	}
	switch e.By {
	case "move":
		moved := t.take(e.Clip)
		moved.Start -= off
		if err := d.place(t, moved); err != nil {
			if r, ok := err.(Refusal); ok {
				d.suggest(optionsOf(r), "slip it back into sync", &Resync{e.Clip, "slip"})
			}
			return err
		}
	case "slip":
		head, tail := d.Handles(t, *c)
		have, side := head, Head
		if off > 0 {
			have, side = tail, Tail
		}
		if max(off, -off) > have {
			r := needHandle(d.Scene, t, *c, side, have, max(off, -off))
			d.suggest(&r.options, "move it back into sync", &Resync{e.Clip, "move"})
			return r
		}
		c.In += off
	default:
		return notPossible(`A clip comes back into sync by "move" or "slip", not by %q.`, e.By)
	}
	return nil
}

func (e *Resync) words(before, after *Scene) string {
	t, c := before.Clip(e.Clip)
	off, _ := before.Offset(t, *c)
	if e.By == "slip" {
		return fmt.Sprintf("%s slipped back into sync, by %s", c.Name, LengthWords(before, off))
	}
	return fmt.Sprintf("%s moved back into sync, %s", c.Name, movedWords(before, -off))
}
