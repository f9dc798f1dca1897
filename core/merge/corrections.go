package merge

import (
	"cmp"
	"slices"

	"blendseam/core/scene"
)

// correctedAs is what people said of a recording in two versions of a scene together: what one of them took back goes,
// and what one of them said is said. Of what both said of the same moments, the first is kept.
func correctedAs(base, one, other []scene.Correction) []scene.Correction {
	kept := slices.DeleteFunc(slices.Clone(one), func(c scene.Correction) bool {
		return slices.Contains(base, c) && !slices.Contains(other, c)
	})
	for _, c := range other {
		over := func(k scene.Correction) bool { return k.Span.Overlaps(c.Span) }
		if !slices.Contains(base, c) && !slices.ContainsFunc(kept, over) {
			kept = append(kept, c)
		}
	}
	slices.SortFunc(kept, func(a, b scene.Correction) int { return cmp.Compare(a.Span.From, b.Span.From) })
	if len(kept) == 0 {
		return nil
	}
	return kept
}
