package edit

import (
	"fmt"
	"strings"

	"blendseam/core/scene"
)

// RenameSource gives a recording another name in this scene. Its clips keep theirs, and its file is not touched.
type RenameSource struct {
	Source string `json:"source"`
	Name   string `json:"name"`
}

func (e *RenameSource) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	if strings.TrimSpace(e.Name) == "" {
		return notPossible("The recording %s needs a name of at least one letter.", src.Name)
	}
	if name := shortName(e.Name); name != src.Name || d.replay {
		src.Name = name
	} else {
		return notPossible("The recording is named %s already.", src.Name)
	}
	d.Sources[e.Source] = src
	return nil
}

func (e *RenameSource) words(before, after *scene.Scene) string {
	return fmt.Sprintf("recording %s named %s", before.Sources[e.Source].Name, after.Sources[e.Source].Name)
}

// SetStart says which source timecode a recording begins at. Its clips show what they showed; cut lists are written
// and read by it.
type SetStart struct {
	Source string `json:"source"`
	Offset int64  `json:"offset"` // samples from midnight
}

func (e *SetStart) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	switch {
	case src.Made():
		return notPossible("%s is made from another recording, which has the timecode.", src.Name)
	case e.Offset < 0 || e.Offset >= 24*3600*d.SampleRate:
		return notPossible("A recording begins within a day: from 00:00:00:00 on.")
	case e.Offset == src.Offset && !d.replay:
		return notPossible("%s begins at %s already.", src.Name, d.Rate.Format(d.Rate.FrameOf(src.Offset, d.SampleRate)))
	}
	src.Offset = e.Offset
	d.Sources[e.Source] = src
	for id, x := range d.Sources { // it is said of what is fitted, too
		if x.Fit != nil && x.Fit.Of == e.Source {
			x.Offset = e.Offset
			d.Sources[id] = x
		}
	}
	return nil
}

func (e *SetStart) words(before, after *scene.Scene) string {
	return fmt.Sprintf("recording %s begins at source timecode %s", before.Sources[e.Source].Name,
		after.Rate.Format(after.Rate.FrameOf(e.Offset, after.SampleRate)))
}
