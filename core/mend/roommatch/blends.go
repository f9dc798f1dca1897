package roommatch

import (
	"context"

	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
)

// blendMS is how long the blends are that evening puts on cuts without one, in milliseconds: two noises of one power
// and one colour meet unheard in that, and in no hard cut.
const blendMS = 40

// blendsOn are blends on the cuts between takes that have none, where both sides have the handle and no word lies in
// what it brings in.
func blendsOn(ctx context.Context, m *meter.Meter, list []taking) (edits []edit.Wire, err error) {
	half := m.Samples(blendMS / 2)
	words := func(c *scene.Clip, part pcm.Span) (bool, error) {
		a, err := m.Says(ctx, c)
		if err != nil {
			return true, err
		}
		return len(a.Within(part)) > 0, nil
	}
	last := map[*scene.Track]*scene.Clip{}
	for _, t := range list {
		left, right := last[t.track], t.clip
		last[t.track] = right
		if left == nil || left.End() != right.Start || t.track.Blend(left.ID, right.ID) != nil {
			continue
		}
		if left.Source == right.Source && left.Shift() == right.Shift() {
			continue // goes on as it was recorded
		}
		_, tail := m.Scene.Handles(t.track, *left)
		head, _ := m.Scene.Handles(t.track, *right)
		if tail < half || head < half || min(left.Length, right.Length) < 4*half {
			continue
		}
		end := left.In + left.Length
		one, err := words(left, pcm.Span{From: end, To: end + half})
		if err != nil {
			return nil, err
		}
		other, err := words(right, pcm.Span{From: right.In - half, To: right.In})
		if err != nil {
			return nil, err
		}
		if one || other {
			continue
		}
		set := &edit.SetBlend{Left: left.ID, Right: right.ID, Before: half, After: half, Law: blend.ConstantPower}
		if _, err := edit.Apply(m.Scene, set); err == nil {
			edits = append(edits, edit.Wire{Edit: set})
		}
	}
	return edits, nil
}
