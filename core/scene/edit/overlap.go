package edit

import (
	"fmt"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
)

// Overlap lays two neighbours of a sound track over one another by a length, and blends them there: the cut lies in the
// middle of the overlap, and what of each is heard beyond it is the blend. One of them moves, with what is linked with
// it; with Close the right one does, and all that follows with it, by whole frames.
type Overlap struct {
	Left      scene.ClipID `json:"left"`
	Right     scene.ClipID `json:"right"`
	Length    int64        `json:"length"`               // samples
	MovesLeft bool         `json:"moves_left,omitempty"` // the left one moves, and not the right one
	Close     bool         `json:"close,omitempty"`
	Law       blend.Law    `json:"law"`
	CurveOut  *blend.Curve `json:"curve_out,omitempty"`
	CurveIn   *blend.Curve `json:"curve_in,omitempty"`
}

func (e *Overlap) apply(d *draft) error {
	t, left, right, l, err := openCut(d, e.Left, e.Right)
	if err != nil {
		return err
	}
	switch {
	case l+1 >= len(t.Clips) || t.Clips[l+1].ID != e.Right:
		return notPossible("%s and %s are not neighbours on one track, so they cannot overlap there.", left.Name, right.Name)
	case t.Kind != scene.Sound:
		return notPossible("Blends are for sound; %s is picture.", left.Name)
	case e.Length <= 0:
		return notPossible("An overlap needs a length above 0.")
	case e.Length >= left.Length || e.Length >= right.Length:
		short := left
		if right.Length < left.Length {
			short = right
		}
		return notPossible(
			"%s is %s long, so it cannot overlap its neighbour by %s. Take less.",
			short.Name, scene.LengthWords(d.Scene, short.Length), scene.LengthWords(d.Scene, e.Length),
		)
	}
	set := &SetBlend{Left: e.Left, Right: e.Right, Law: e.Law, CurveOut: e.CurveOut, CurveIn: e.CurveIn}
	if e.Close {
		set.Before, set.After, set.Pull = e.Length-e.Length/2, e.Length/2, true
		list := NewBatch("", set)
		if gap := right.Start - left.End(); gap > 0 {
			list = NewBatch("", &CloseGap{Track: t.ID, At: left.End()}, set)
		}
		return list.apply(d)
	}
	return e.laid(d, *left, *right, set).apply(d)
}

// laid are the edits by which one of both clips moves alone. Where a clip is linked with picture, all lands on frames.
func (e *Overlap) laid(d *draft, left, right scene.Clip, set *SetBlend) *Batch {
	by := right.Start - left.End() + e.Length // of the moving clip
	cut, way := left.End()-e.Length+e.Length/2, int64(1)
	if e.MovesLeft {
		cut, way = right.Start+e.Length/2, -1
	}
	moving := cut + way*by // where the moving clip is trimmed to, before it moves
	if left.Link != "" || right.Link != "" {
		n := d.Rate.Nearest(cut, d.SampleRate)
		cut = d.Rate.SampleOf(n, d.SampleRate)
		moving = d.Rate.SampleOf(n+way*d.Rate.Nearest(by, d.SampleRate), d.SampleRate)
	}
	headAt, tailAt := moving, cut
	if e.MovesLeft {
		headAt, tailAt = cut, moving
	}
	set.Before, set.After = headAt-right.Start, left.End()-tailAt
	moved := &Move{Clip: e.Right, To: cut}
	if e.MovesLeft {
		moved = &Move{Clip: e.Left, To: left.Start + cut - tailAt}
	}
	return NewBatch(
		"",
		&Trim{Clip: e.Left, Edge: scene.Tail, To: tailAt},
		&Trim{Clip: e.Right, Edge: scene.Head, To: headAt},
		moved,
		set,
	)
}

func (e *Overlap) words(before, after *scene.Scene) string {
	t, left := after.Clip(e.Left)
	_, right := after.Clip(e.Right)
	b := t.Blend(e.Left, e.Right)
	return fmt.Sprintf("%s and %s overlap by %s, blended, %s", left.Name, right.Name,
		scene.LengthWords(before, b.Before+b.After), e.Law.Name())
}
