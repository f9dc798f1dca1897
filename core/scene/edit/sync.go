package edit

import (
	"fmt"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Link makes clips move together from where they lie.
type Link struct {
	Clips []scene.ClipID `json:"clips"`
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

func (e *Link) words(before, after *scene.Scene) string {
	return phrase.Count(len(e.Clips), "clip") + " linked"
}

// Unlink frees clips from those they are linked with.
type Unlink struct {
	Clips []scene.ClipID `json:"clips"`
}

func (e *Unlink) apply(d *draft) error {
	freed := map[scene.ClipID]bool{} // the last of a link goes free with the one before it
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

func linkedBy(s *scene.Scene, link scene.LinkID) (ids []scene.ClipID) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Link == link {
				ids = append(ids, c.ID)
			}
		}
	}
	return ids
}

func (e *Unlink) words(before, after *scene.Scene) string {
	return phrase.Count(len(e.Clips), "clip") + " unlinked"
}

// Resync brings a clip of sound that has slipped out of sync back to its picture: by moving it, or by slipping what
// it shows.
type Resync struct {
	Clip scene.ClipID `json:"clip"`
	By   string       `json:"by"` // "move" or "slip"
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
	case scene.WithinHalfAFrame(d.Scene, off):
		return notPossible("%s is in sync with its picture.", c.Name)
	}
	switch e.By {
	case "move":
		moved := t.Remove(e.Clip)
		moved.Start -= off
		if err := d.place(t, moved); err != nil {
			if r, ok := err.(Refusal); ok {
				d.suggest(optionsOf(r), "slip it back into sync", &Resync{e.Clip, "slip"})
			}
			return err
		}
	case "slip":
		head, tail := d.Handles(t, *c)
		have, side := head, scene.Head
		if off > 0 {
			have, side = tail, scene.Tail
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

func (e *Resync) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clip)
	off, _ := before.Offset(t, *c)
	if e.By == "slip" {
		return fmt.Sprintf("%s slipped back into sync, by %s", c.Name, scene.LengthWords(before, off))
	}
	return fmt.Sprintf("%s moved back into sync, %s", c.Name, scene.MovedWords(before, -off))
}
