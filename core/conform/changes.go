package conform

import (
	"cmp"
	"slices"

	"blendseam/core/sound/pcm"
)

// What says what became of a stretch of picture.
type What string

// What can become of one.
const (
	Moved    What = "moved"    // it lies out of its order
	Swapped  What = "swapped"  // it and its neighbour have changed places
	Trimmed  What = "trimmed"  // an end of a shot was pulled in, or out
	Lifted   What = "lifted"   // it is gone
	Inserted What = "inserted" // it is new
	Slipped  What = "slipped"  // the shot shows another part of its source, at its place
	Speed    What = "speed"    // the shot runs at another speed
)

// A Change is a row of a change list. Old is what it was about in the old cut, empty where that had nothing of it; New
// where it is in the new one, empty where that has nothing.
type Change struct {
	What     What     `json:"what"`
	Old, New pcm.Span // in frames
	Edge     string   // of a trim: head or tail
	Back     bool     // what was lifted once, and comes back
	Source   string
}

// Changes tells in an editor's words what pieces leave: what was lifted and inserted, what moved, which ends were
// trimmed, which shots slipped. They are in order of the new cut.
func Changes(old, new []Shot, pieces []Piece) (list []Change) {
	keptOld, keptNew := &set{}, &set{}
	for _, p := range pieces {
		keptOld.add(p.Old)
		keptNew.add(p.New)
	}
	moved := movedIn(old, pieces)
	for _, p := range pieces {
		if what, ok := moved[p]; ok {
			list = append(list, Change{What: what, Old: p.Old, New: p.New, Source: shownAt(old, p.Old.From)})
		}
	}
	var gone, come []Change
	for _, s := range old {
		if s.Source == "" {
			continue
		}
		for _, free := range keptOld.free(s.Span()) {
			gone = append(gone, Change{What: Lifted, Old: free, Source: s.Source})
		}
	}
	for _, s := range new {
		if s.Source == "" {
			continue
		}
		what := Inserted
		if s.Speed {
			what = Speed
		}
		for _, free := range keptNew.free(s.Span()) {
			come = append(come, Change{What: what, New: free, Source: s.Source})
		}
	}
	gone, come = slipped(old, new, pieces, gone, come, &list)
	for i := range gone {
		gone[i].trimmed(old, keptOld, func(c Change) pcm.Span { return c.Old })
		gone[i].New = placeOf(pieces, gone[i])
	}
	for i := range come {
		if come[i].What == Inserted {
			come[i].trimmed(new, keptNew, func(c Change) pcm.Span { return c.New })
		}
	}
	list = append(append(list, gone...), come...)
	slices.SortStableFunc(list, func(a, b Change) int {
		return cmp.Or(cmp.Compare(a.New.From, b.New.From), cmp.Compare(min(1, a.New.Len()), min(1, b.New.Len())),
			cmp.Compare(a.Old.From, b.Old.From))
	})
	return list
}

// movedIn are the pieces that moved, as moved or swapped.
func movedIn(old []Shot, pieces []Piece) map[Piece]What {
	single := func(p Piece) bool { // of one shot
		n := 0
		for _, s := range old {
			if s.Source != "" && s.Span().Overlaps(p.Old) {
				n++
			}
		}
		return n == 1
	}
	list := map[Piece]What{}
	byOld := slices.Clone(pieces)
	slices.SortFunc(byOld, func(a, b Piece) int { return cmp.Compare(a.Old.From, b.Old.From) })
	next := map[Piece]Piece{} // in the old cut
	for i := range byOld[:max(0, len(byOld)-1)] {
		next[byOld[i]] = byOld[i+1]
	}
	for i, p := range pieces {
		if !p.Moved {
			continue
		}
		list[p] = Moved
		// It and the one beside it lay the other way round.
		if i > 0 && next[p] == pieces[i-1] && p.Old.To == pieces[i-1].Old.From && single(pieces[i-1]) ||
			i+1 < len(pieces) && next[pieces[i+1]] == p && pieces[i+1].Old.To == p.Old.From && single(pieces[i+1]) {
			list[p] = Swapped
		}
	}
	return list
}

// shownAt is the source at a frame of a cut.
func shownAt(shots []Shot, at int64) string {
	for _, s := range shots {
		if s.Span().Contains(at) {
			return s.Source
		}
	}
	return ""
}

// trimmed makes a trim of what was lifted from an end of a shot that stayed otherwise, or added to one.
func (c *Change) trimmed(shots []Shot, kept *set, of func(Change) pcm.Span) {
	span := of(*c)
	for _, s := range shots {
		if !span.In(s.Span()) || s.Source == "" {
			continue
		}
		head := span.From == s.Start && span.To < s.Start+s.Length && len(kept.free(pcm.Span{From: span.To, To: span.To +
			1})) == 0
		tail := span.To == s.Start+s.Length && span.From > s.Start &&
			len(kept.free(pcm.Span{From: span.From - 1, To: span.From})) == 0
		switch {
		case head:
			c.What, c.Edge = Trimmed, "head"
		case tail:
			c.What, c.Edge = Trimmed, "tail"
		}
		return
	}
}

// placeOf is where in the new cut a stretch of the old one would lie if it were still there: at the shot that it was
// the head or the tail of, else behind what lies ahead of it and kept its order.
func placeOf(pieces []Piece, c Change) pcm.Span {
	best, to := int64(-1), int64(0)
	for _, p := range pieces {
		switch {
		case c.Edge == "head" && p.Old.From == c.Old.To:
			return pcm.Span{From: p.New.From, To: p.New.From}
		case c.Edge == "tail" && p.Old.To == c.Old.From:
			return pcm.Span{From: p.New.To, To: p.New.To}
		case !p.Moved && p.Old.To <= c.Old.From && p.Old.To > best:
			best, to = p.Old.To, p.New.To
		}
	}
	return pcm.Span{From: to, To: to}
}

// slipped finds shots that are as long as they were, between the same neighbours, and show another part of the same
// source: what is gone and come of them is one change.
func slipped(old, new []Shot, pieces []Piece, gone, come []Change, list *[]Change) (_, _ []Change) {
	inOld := func(at int64) (int64, bool) { // where a frame of the new cut was
		for _, p := range pieces {
			if p.New.Contains(at) {
				return p.Old.From + at - p.New.From, true
			}
		}
		return 0, false
	}
	for _, n := range new {
		if n.Source == "" || n.Speed {
			continue
		}
		before, okBefore := inOld(n.Start - 1)
		after, okAfter := inOld(n.Start + n.Length)
		was := pcm.Span{From: before + 1, To: after}
		switch {
		case !okBefore && n.Start == 0 && okAfter:
			was.From = was.To - n.Length
		case okBefore && !okAfter:
			was.To = was.From + n.Length
		case !okBefore || !okAfter:
			continue
		}
		i := slices.IndexFunc(old, func(o Shot) bool { return o.Span() == was && o.Source == n.Source && o.In != n.In })
		if i < 0 || was.Len() != n.Length {
			continue
		}
		*list = append(slices.DeleteFunc(*list, func(c Change) bool { return c.Old.In(was) && c.New.In(n.Span()) }),
			Change{What: Slipped, Old: was, New: n.Span(), Source: n.Source})
		gone = slices.DeleteFunc(gone, func(c Change) bool { return c.Old.In(was) })
		come = slices.DeleteFunc(come, func(c Change) bool { return c.New.In(n.Span()) })
	}
	return gone, come
}

// Whats are all that can become of picture, in the order in which they are counted up.
var Whats = []What{Moved, Swapped, Trimmed, Lifted, Inserted, Slipped, Speed}

// Place is where in the new cut a stretch of the old one would lie if it had not moved.
func Place(pieces []Piece, c Change) int64 { return placeOf(pieces, Change{Old: c.Old}).From }

// Free are the parts of a span of the new cut that no piece has.
func Free(pieces []Piece, span pcm.Span) []pcm.Span {
	used := &set{}
	for _, p := range pieces {
		if p.New.Overlaps(span) {
			used.add(p.New)
		}
	}
	return used.free(span)
}
