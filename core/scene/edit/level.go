package edit

import (
	"fmt"
	"math"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// SetLevel gives a clip another level line; one without points takes it off.
type SetLevel struct {
	Clip   scene.ClipID       `json:"clip"`
	Points []scene.LevelPoint `json:"points"`
}

func (e *SetLevel) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound {
		return notPossible("%s is picture and has no level line.", c.Name)
	}
	if len(e.Points) > limit.LevelPoints {
		return notPossible("A level line of %d points is too long; %d are the most.", len(e.Points), limit.LevelPoints)
	}
	for i, p := range e.Points {
		if !scene.SaneDB(p.DB) || math.Abs(float64(p.At)) > float64(scene.Unbounded) {
			return notPossible("Point %d of the level line has %g dB; -120 to 40 are possible.", i+1, p.DB)
		}
		if i > 0 && p.At <= e.Points[i-1].At {
			return notPossible("Point %d of the level line does not lie behind the one before it.", i+1)
		}
	}
	c.Level = e.Points
	return nil
}

func (e *SetLevel) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	if len(e.Points) == 0 {
		return "level line taken off " + c.Name
	}
	return fmt.Sprintf("level line of %s set, %s", c.Name, phrase.Count(len(e.Points), "point"))
}

// Accept lets the seam at a cut, or at a clip's head (no Left) or tail (no Right), be as it sounds; without a Sound
// it is not accepted any more.
type Accept struct {
	Left  scene.ClipID `json:"left,omitempty"`
	Right scene.ClipID `json:"right,omitempty"`
	Sound string       `json:"sound"`
	Note  string       `json:"note,omitempty"`
}

func (e *Accept) apply(d *draft) error {
	if e.Left == "" && e.Right == "" {
		return notPossible("No seam is named that could be accepted.")
	}
	id := e.Left
	if id == "" {
		id = e.Right
	}
	t, c, err := d.open(id)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound {
		return notPossible("%s is picture; seams are places in sound.", c.Name)
	}
	var a *scene.Accepted
	if e.Sound != "" {
		note, _ := limit.Cut(e.Note, limit.Notes)
		a = &scene.Accepted{Sound: e.Sound, Note: note}
	}
	if e.Left == "" {
		c.AcceptedHead = a
	} else {
		c.AcceptedTail = a
	}
	return nil
}

func (e *Accept) words(before, after *scene.Scene) string {
	what := "cut from " + scene.ClipName(before, e.Left) + " to " + scene.ClipName(before, e.Right)
	if e.Right == "" {
		what = "tail of " + scene.ClipName(before, e.Left)
	} else if e.Left == "" {
		what = "head of " + scene.ClipName(before, e.Right)
	}
	return what + phrase.Either(e.Sound == "", " not accepted any more", " accepted as it is")
}
