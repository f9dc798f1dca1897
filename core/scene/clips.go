package scene

import (
	"fmt"

	"blendseam/core/limit"
	"blendseam/core/sound/blend"
)

// Gain sets the gain of clips in dB.
type Gain struct {
	Clips []ClipID `json:"clips"`
	DB    float64  `json:"db"`
}

func (e *Gain) apply(d *draft) error {
	if !sane(e.DB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", e.DB)
	}
	for _, id := range e.Clips {
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		if t.Kind != Sound {
			return notPossible("%s is picture and has no level.", c.Name)
		}
		c.GainDB = e.DB
	}
	return nil
}

func (e *Gain) words(before, after *Scene) string {
	if len(e.Clips) != 1 {
		return fmt.Sprintf("%s at %+.1f dB", count(len(e.Clips), "clip"), e.DB)
	}
	_, c := before.Clip(e.Clips[0])
	return fmt.Sprintf("%s at %+.1f dB", c.Name, e.DB)
}

// FadeEdge sets the fade at a clip's head or tail; a length of 0 takes it off.
type FadeEdge struct {
	Clip   ClipID      `json:"clip"`
	Edge   Side        `json:"edge"`
	Length int64       `json:"length"`
	Curve  blend.Curve `json:"curve"`
}

func (e *FadeEdge) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != Sound || e.Edge != Head && e.Edge != Tail || e.Length < 0 {
		return notPossible(`A fade needs a clip of sound, the edge "head" or "tail", and a length of 0 or more.`)
	}
	if e.Curve.Shape == "" {
		e.Curve.Shape = blend.Straight
	}
	if err := e.Curve.Check(); err != nil {
		return notPossible("%s.", err)
	}
	head, tail := t.blendsOf(e.Clip)
	on, other := head, c.FadeOut.Length
	if e.Edge == Tail {
		on, other = tail, c.FadeIn.Length
	}
	if on != nil && e.Length > 0 {
		r := notPossible("The %s of %s is blended with its neighbour.", e.Edge, c.Name)
		d.suggest(&r.options, "take the blend off and fade", NewBatch("", &RemoveBlend{on.Left, on.Right}, e))
		return r
	}
	if room := c.Length - other; e.Length > room {
		r := notPossible(
			"%s has room for a fade of %s at its %s, not of %s.",
			c.Name,
			LengthWords(d.Scene, room),
			e.Edge,
			LengthWords(d.Scene, e.Length),
		)
		if room > 0 {
			d.suggest(&r.options, "fade over "+LengthWords(d.Scene, room), &FadeEdge{e.Clip, e.Edge, room, e.Curve})
		}
		return r
	}
	fade := Fade{}
	if e.Length > 0 {
		fade = Fade{e.Length, e.Curve}
	}
	if e.Edge == Head {
		c.FadeIn = fade
	} else {
		c.FadeOut = fade
	}
	return nil
}

func (e *FadeEdge) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	if e.Length == 0 {
		return fmt.Sprintf("fade taken off the %s of %s", e.Edge, c.Name)
	}
	return fmt.Sprintf("%s of %s faded over %s", e.Edge, c.Name, LengthWords(before, e.Length))
}

// SetClip changes what is said of a clip; what is nil stays.
type SetClip struct {
	Clip  ClipID  `json:"clip"`
	Name  *string `json:"name,omitempty"`
	Muted *bool   `json:"muted,omitempty"`
	Note  *string `json:"note,omitempty"`
}

func (e *SetClip) apply(d *draft) error {
	_, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	setText(&c.Name, e.Name, limit.Names)
	set(&c.Muted, e.Muted)
	setText(&c.Note, e.Note, limit.Notes)
	return nil
}

func (e *SetClip) words(before, after *Scene) string {
	_, c := after.Clip(e.Clip)
	if e.Muted != nil && *e.Muted {
		return c.Name + " muted"
	}
	return c.Name + " changed"
}
