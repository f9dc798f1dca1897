package edit

import (
	"fmt"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/blend"
)

// Dissolve lets one picture go over into the next on the cut between two touching clips of picture, in a straight line.
// The sound under it stays as it is.
type Dissolve struct {
	Left   scene.ClipID `json:"left"`
	Right  scene.ClipID `json:"right"`
	Before int64        `json:"before"` // frames ahead of the cut
	After  int64        `json:"after"`  // and behind it; with both 0 the cut is plain again
}

func (e *Dissolve) apply(d *draft) error {
	t, left, right, l, err := openCut(d, e.Left, e.Right)
	if err != nil {
		return err
	}
	switch {
	case t.Kind != scene.Picture:
		return notPossible("%s is sound, and a dissolve is for picture. Blend the cut instead.", left.Name)
	case !t.Touches(l) || t.Clips[l+1].ID != e.Right:
		return notPossible("%s and %s do not touch, so there is no cut to dissolve. Move one up to the other first.",
			left.Name, right.Name)
	case e.Before < 0 || e.After < 0 || e.Before > scene.Unbounded || e.After > scene.Unbounded:
		return notPossible("A dissolve has 0 frames or more on either side of the cut.")
	case e.Before+e.After == 0:
		if t.Blend(e.Left, e.Right) == nil {
			return notPossible("The picture is cut plain from %s to %s already.", left.Name, right.Name)
		}
		t.DropBlend(e.Left, e.Right)
		return nil
	}
	before, after := d.Reach(t, *left, *right)
	if e.Before > before || e.After > after {
		r := notPossible(
			"There are %s before and %s after the cut from %s to %s to dissolve over.",
			phrase.Count(
				int(min(before, limitFrames)),
				"frame",
			),
			phrase.Count(int(min(after, limitFrames)), "frame"),
			left.Name,
			right.Name,
		)
		has := min(e.Before, before) + min(e.After, after)
		if own := (&Dissolve{e.Left, e.Right, min(e.Before, before), min(e.After, after)}); has > 0 {
			d.suggest(&r.options, "dissolve over "+phrase.Count(int(has), "frame"), own)
		}
		if total := e.Before + e.After; total <= before {
			d.suggest(&r.options, "end it on the cut", &Dissolve{e.Left, e.Right, total, 0})
		} else if total <= after {
			d.suggest(&r.options, "begin it on the cut", &Dissolve{e.Left, e.Right, 0, total})
		}
		return r
	}
	now := scene.Blend{Left: e.Left, Right: e.Right, Before: e.Before, After: e.After, Law: blend.ConstantGain}
	t.SetBlend(now)
	return nil
}

// limitFrames keeps the handle of a recording whose length is not known from being told as frames.
const limitFrames = 1_000_000

func (e *Dissolve) words(before, _ *scene.Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	if e.Before+e.After == 0 {
		return fmt.Sprintf("picture cut plain from %s to %s", left.Name, right.Name)
	}
	return fmt.Sprintf("picture dissolves from %s to %s over %s", left.Name, right.Name,
		phrase.Count(int(e.Before+e.After), "frame"))
}
