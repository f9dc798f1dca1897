package edit

import (
	"fmt"

	"blendseam/core/scene"
)

// PlaceCut rolls the cut of sound between two touching clips, alone, and slips the incoming sound by less than half a
// frame, so that both sides run into each other. Slip is by how many samples the incoming recording is shown from
// later on.
type PlaceCut struct {
	Left  scene.ClipID `json:"left"`
	Right scene.ClipID `json:"right"`
	To    int64        `json:"to"`
	Slip  int64        `json:"slip,omitempty"`
}

func (e *PlaceCut) apply(d *draft) error {
	t, right, err := d.open(e.Right)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound {
		return notPossible("%s is picture, whose cuts lie on whole frames; roll it.", right.Name)
	}
	if e.Slip != 0 {
		if !scene.WithinHalfAFrame(d.Scene, e.Slip) {
			return notPossible(
				"%s would slip by %s, half a frame or more, and be seen out of sync. Slip it by frames, or find a place nearer by.",
				right.Name,
				scene.LengthWords(d.Scene, e.Slip),
			)
		}
		head, tail := d.Handles(t, *right)
		if have, side := tail, scene.Tail; e.Slip > have {
			return needHandle(d.Scene, t, *right, side, have, e.Slip)
		}
		if -e.Slip > head {
			return needHandle(d.Scene, t, *right, scene.Head, head, -e.Slip)
		}
		right.In += e.Slip
		if off, ok := d.Offset(t, *right); ok && right.Link != "" && !scene.WithinHalfAFrame(d.Scene, off) {
			r := notPossible(
				"%s has been slipped before, and would lie %s beside its picture then.",
				right.Name,
				scene.LengthWords(d.Scene, off),
			)
			d.suggest(
				&r.options,
				"bring it back into sync and roll the cut alone",
				NewBatch("", &PlaceCut{e.Left, e.Right, e.To, e.Slip + off}),
			)
			return r
		}
		if right.Link != "" {
			d.free[right.Link] = true
		}
	}
	if e.To == right.Start {
		if e.Slip == 0 && !d.replay {
			return notPossible("The cut to %s lies there already.", right.Name)
		}
		return nil
	}
	return (&Roll{e.Left, e.Right, e.To, true}).apply(d)
}

func (e *PlaceCut) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Right)
	words := fmt.Sprintf(
		"sound's cut from %s to %s moved %s",
		scene.ClipName(before, e.Left),
		c.Name,
		scene.MovedWords(before, e.To-c.Start),
	)
	if e.To == c.Start {
		words = fmt.Sprintf("sound's cut from %s to %s", scene.ClipName(before, e.Left), c.Name)
	}
	if e.Slip != 0 {
		words += fmt.Sprintf(
			", %s slipped by %.1f ms against its picture",
			c.Name,
			float64(e.Slip)*1000/float64(before.SampleRate),
		)
	}
	return words
}
