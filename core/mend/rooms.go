package mend

import (
	"context"
	"math"
	"slices"
	"sort"

	"blendseam/core/audit"
	"blendseam/core/mend/roommatch"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// besideMS is how near to a cut between takes another track's sound begins or ends where the two are heard as one step.
const besideMS = 100

// MatchRooms plans the evening of a scene, and for cuts at which something on another track begins or ends, such as a
// fire that is heard in one shot alone, what makes that step soft as well: a longer blend, a fade of what begins. So it
// does for blends in which the two sides happen to run alike for a moment, or against one another.
func MatchRooms(ctx context.Context, m *meter.Meter, w roommatch.Options, threads int) (*roommatch.Plan, error) {
	p, err := roommatch.NewPlan(ctx, m, w, threads)
	if err != nil || p.Edit == nil {
		return p, err
	}
	after, err := edit.Apply(m.Scene, p.Edit)
	if err != nil {
		return nil, err
	}
	a := New(m).In(after)
	all := audit.Find(a.Scene)
	cuts := between(all, p)
	seams := setIn(a, all, cuts)
	byChance, err := bulging(ctx, a, cuts, threads)
	if err != nil {
		return nil, err
	}
	seams = append(seams, byChance...)
	found := make([]Proposal, len(seams))
	err = parallel.Each(ctx, len(seams), threads, func(i int) error {
		r, err := audit.JudgeAvailable(ctx, a.Meter, seams[i])
		if err == nil && slices.Contains([]audit.Cause{audit.BackgroundStep, audit.ColourStep, audit.BlendLevel}, r.Cause) {
			found[i], err = a.Propose(ctx, r)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	var more []edit.Wire
	for _, mend := range found {
		if mend.Edit == nil || !softens(mend.Edit) {
			continue
		}
		if next, err := edit.Apply(after, mend.Edit); err == nil {
			more, after = append(more, edit.Wire{Edit: mend.Edit}), next
		}
	}
	if len(more) > 0 {
		p.Also(more)
	}
	return p, nil
}

// between are those seams that are cuts between evened takes.
func between(all []audit.Seam, p *roommatch.Plan) (cuts []audit.Seam) {
	evened := map[scene.ClipID]bool{}
	for _, t := range p.Takes {
		for _, id := range t.Clips {
			evened[id] = true
		}
	}
	for _, s := range all {
		if s.Kind == audit.Cut && evened[s.Left] && evened[s.Right] {
			cuts = append(cuts, s)
		}
	}
	return cuts
}

// setIn are those cuts with which something on another track sets in or ends, and its own seams.
func setIn(a *Adviser, all, cuts []audit.Seam) (list []audit.Seam) {
	beside := a.Samples(besideMS)
	for _, cut := range cuts {
		var with []audit.Seam
		first := sort.Search(len(all), func(i int) bool { return all[i].At >= cut.At-beside })
		for _, s := range all[first:] {
			if s.At > cut.At+beside {
				break
			}
			if (s.Left == "" || s.Right == "") && s.Kind != audit.Lull && s.Track != cut.Track {
				with = append(with, s)
			}
		}
		if len(with) > 0 {
			list = append(append(list, cut), with...)
		}
	}
	return list
}

// bulging are those cuts whose blend is heard, as both sides sound in it.
func bulging(ctx context.Context, a *Adviser, cuts []audit.Seam, threads int) ([]audit.Seam, error) {
	off := make([]bool, len(cuts))
	err := parallel.Each(ctx, len(cuts), threads, func(i int) error {
		t := a.Scene.Track(cuts[i].Track)
		b := t.Blend(cuts[i].Left, cuts[i].Right)
		if b == nil {
			return nil
		}
		sum, _, err := a.Blended(t, *b)
		off[i] = math.Abs(sum) >= audit.AudibleFrom(audit.BlendLevel)
		return err
	})
	if err != nil {
		return nil, err
	}
	var list []audit.Seam
	for i, s := range cuts {
		if off[i] {
			list = append(list, s)
		}
	}
	return list, nil
}

// softens tells whether an edit does nothing but blend and fade.
func softens(e edit.Edit) bool {
	switch e := e.(type) {
	case *edit.SetBlend, *edit.FadeEdge:
		return true
	case *edit.Batch:
		return !slices.ContainsFunc(e.Edits, func(w edit.Wire) bool { return !softens(w.Edit) })
	}
	return false
}
