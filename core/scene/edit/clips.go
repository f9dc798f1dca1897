package edit

import (
	"fmt"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/blend"
)

// Gain sets the gain of clips in dB.
type Gain struct {
	Clips []scene.ClipID `json:"clips"`
	DB    float64        `json:"db"`
}

func (e *Gain) apply(d *draft) error {
	if !scene.SaneDB(e.DB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", e.DB)
	}
	for _, id := range e.Clips {
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		if t.Kind != scene.Sound {
			return notPossible("%s is picture and has no level.", c.Name)
		}
		c.GainDB = e.DB
	}
	return nil
}

func (e *Gain) words(before, after *scene.Scene) string {
	if len(e.Clips) != 1 {
		return fmt.Sprintf("%s at %+.1f dB", phrase.Count(len(e.Clips), "clip"), e.DB)
	}
	_, c := before.Clip(e.Clips[0])
	return fmt.Sprintf("%s at %+.1f dB", c.Name, e.DB)
}

// FadeEdge sets the fade at a clip's head or tail; a length of 0 takes it off.
type FadeEdge struct {
	Clip   scene.ClipID `json:"clip"`
	Edge   scene.Side   `json:"edge"`
	Length int64        `json:"length"`
	Curve  blend.Curve  `json:"curve"`
}

func (e *FadeEdge) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound || e.Edge != scene.Head && e.Edge != scene.Tail || e.Length < 0 {
		return notPossible(`A fade needs a clip of sound, the edge "head" or "tail", and a length of 0 or more.`)
	}
	if e.Curve.Shape == "" {
		e.Curve.Shape = blend.Straight
	}
	if err := e.Curve.Check(); err != nil {
		return notPossible("%s.", err)
	}
	head, tail := t.BlendsOf(e.Clip)
	on, other := head, c.FadeOut.Length
	if e.Edge == scene.Tail {
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
			scene.LengthWords(d.Scene, room),
			e.Edge,
			scene.LengthWords(d.Scene, e.Length),
		)
		if room > 0 {
			d.suggest(&r.options, "fade over "+scene.LengthWords(d.Scene, room), &FadeEdge{e.Clip, e.Edge, room, e.Curve})
		}
		return r
	}
	fade := scene.Fade{}
	if e.Length > 0 {
		fade = scene.Fade{Length: e.Length, Curve: e.Curve}
	}
	if e.Edge == scene.Head {
		c.FadeIn = fade
	} else {
		c.FadeOut = fade
	}
	return nil
}

func (e *FadeEdge) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	if e.Length == 0 {
		return fmt.Sprintf("fade taken off the %s of %s", e.Edge, c.Name)
	}
	return fmt.Sprintf("%s of %s faded over %s", e.Edge, c.Name, scene.LengthWords(before, e.Length))
}

// SetClip changes what is said of a clip; what is nil stays.
type SetClip struct {
	Clip  scene.ClipID `json:"clip"`
	Name  *string      `json:"name,omitempty"`
	Muted *bool        `json:"muted,omitempty"`
	Note  *string      `json:"note,omitempty"`
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

func (e *SetClip) words(before, after *scene.Scene) string {
	_, c := after.Clip(e.Clip)
	if e.Muted != nil && *e.Muted {
		return c.Name + " muted"
	}
	return c.Name + " changed"
}
