package scene

import (
	"fmt"

	"blendseam/core/curve"
)

// SetFilters gives clips, or tracks, filters set by hand; nil takes them off.
type SetFilters struct {
	Clips   []ClipID       `json:"clips,omitempty"`
	Tracks  []TrackID      `json:"tracks,omitempty"`
	Filters *curve.Filters `json:"filters"`
}

func (e *SetFilters) apply(d *draft) error {
	if len(e.Clips)+len(e.Tracks) == 0 {
		return notPossible("No clip and no track is named that is to be filtered.")
	}
	if why := e.Filters.Wrong(); why != "" {
		return notPossible("Such filters cannot be: %s.", why)
	}
	for _, id := range e.Clips {
		c, err := d.openSound(id)
		if err != nil {
			return err
		}
		c.Filters = e.Filters
	}
	for _, id := range e.Tracks {
		i := trackIndex(d.Scene, id)
		switch {
		case i < 0:
			return notPossible("There is no track %q in this scene.", id)
		case d.Tracks[i].Kind != Sound:
			return notPossible("%s is a track of pictures, on which nothing is heard to be filtered.", d.Tracks[i].Name)
		}
		if err := d.unlocked(d.Tracks[i]); err != nil {
			return err
		}
		d.touch(i).Filters = e.Filters
	}
	return nil
}

// openSound gives a clip of sound that may be changed.
func (d *draft) openSound(id ClipID) (*Clip, error) {
	t, c, err := d.open(id)
	if err == nil && t.Kind != Sound {
		err = notPossible("%s is picture; nothing is heard of it.", c.Name)
	}
	return c, err
}

func (e *SetFilters) words(before, after *Scene) string {
	what := count(len(e.Clips), "clip")
	switch {
	case len(e.Clips) == 1:
		what = nameOf(before, e.Clips[0])
	case len(e.Clips) == 0:
		what = "track " + before.Track(e.Tracks[0]).Name
		if len(e.Tracks) > 1 {
			what = count(len(e.Tracks), "track")
		}
	}
	switch {
	case e.Filters == nil:
		return "filters taken off " + what
	case e.Filters.Off:
		return "filters of " + what + " switched off"
	}
	return what + " filtered"
}

// SetLike brings clips as near as they come to another's voice; nil takes that off.
type SetLike struct {
	Clips []ClipID    `json:"clips"`
	Like  *curve.Like `json:"like"`
}

func (e *SetLike) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip is named that is to be brought near another.")
	}
	if why := e.Like.Wrong(); why != "" {
		return notPossible("No voice can be brought near another like that: %s.", why)
	}
	for _, id := range e.Clips {
		c, err := d.openSound(id)
		if err != nil {
			return err
		}
		c.Like = e.Like
	}
	return nil
}

func (e *SetLike) words(before, _ *Scene) string {
	what := nameOf(before, e.Clips[0])
	if len(e.Clips) > 1 {
		what = count(len(e.Clips), "clip")
	}
	switch {
	case e.Like == nil:
		return what + " sounds as it was recorded again"
	case e.Like.As == "":
		return what + " brought near another voice"
	}
	return fmt.Sprintf("%s brought as near as it comes to %s", what, e.Like.As)
}

// CurveOf is all that is done to the colour of a clip, by itself and by the track that it lies on.
func CurveOf(s *Scene, c Clip) curve.Curve {
	all := curve.Curve{Clip: c.Filters, Like: c.Like}
	for _, t := range s.Tracks {
		if t.Filters == nil {
			continue
		}
		if i := t.At(c.Start); i < len(t.Clips) && t.Clips[i].ID == c.ID {
			all.Track = t.Filters
		}
	}
	return all
}
