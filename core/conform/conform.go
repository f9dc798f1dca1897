// Package conform finds what a new cut of a picture does to the one before: which stretches stayed, moved, were lifted
// or inserted, and what an editor would call it. It knows shots and times in frames, and neither sound nor scenes.
//
// Shots are matched by what they show, not by their names: two stretches are one where they show the same frames of the
// same source at the same speed. Of the ways to match them that which keeps most in order is taken (the heaviest
// increasing chain of common stretches, by dynamic programming over a Fenwick tree: J. W. Hunt, T. G. Szymanski, "A
// Fast Algorithm for Computing Longest Common Subsequences", CACM 20(5), 1977, for the idea); what is left is matched
// longest first, and has moved.
package conform

import (
	"cmp"
	"slices"

	"blendseam/core/sound/pcm"
)

// A Shot is a stretch of a cut that shows a stretch of a source, in frames.
type Shot struct {
	Source string // "" shows nothing
	In     int64  // frame of the source
	Start  int64
	Length int64
	Speed  bool // it runs at another speed than the source
}

// Span is where a shot lies.
func (s Shot) Span() pcm.Span { return pcm.Span{From: s.Start, To: s.Start + s.Length} }

// A Piece is a stretch that both cuts have.
type Piece struct {
	Old, New pcm.Span // of one length
	Moved    bool     // out of the order that most keep
}

// candidate is a stretch that two shots have in common.
type candidate struct {
	old, new, length int64
	taken            bool
}

// Match gives the stretches that two cuts have in common, in order of the new one. No frame of either is in two.
// Stretches that show nothing belong to what they lie beside: ends gives where the old cut's picture and sound begin
// and end, which may be beyond its shots.
func Match(old, new []Shot, end int64) []Piece {
	list := candidates(old, new)
	chain(list)
	var pieces []Piece
	for _, c := range list {
		if c.taken {
			pieces = append(pieces, piece(c.old, c.new, c.length, false))
		}
	}
	pieces = rest(pieces, list)
	slices.SortFunc(pieces, func(a, b Piece) int { return cmp.Compare(a.New.From, b.New.From) })
	pieces = withNothing(pieces, old, new, end)
	return joined(pieces)
}

func piece(old, new, n int64, moved bool) Piece {
	return Piece{pcm.Span{From: old, To: old + n}, pcm.Span{From: new, To: new + n}, moved}
}

// candidates are all stretches that a shot of one cut and one of the other have in common.
func candidates(old, new []Shot) (list []candidate) {
	bySource := map[string][]Shot{}
	for _, s := range old {
		if s.Source != "" && !s.Speed {
			bySource[s.Source] = append(bySource[s.Source], s)
		}
	}
	for _, shots := range bySource {
		slices.SortFunc(shots, func(a, b Shot) int { return cmp.Compare(a.In, b.In) })
	}
	longest := map[string]int64{}
	for source, shots := range bySource {
		for _, s := range shots {
			longest[source] = max(longest[source], s.Length)
		}
	}
	for _, n := range new {
		if n.Source == "" || n.Speed {
			continue
		}
		shots := bySource[n.Source]
		first, _ := slices.BinarySearchFunc(shots, n.In-longest[n.Source], func(s Shot,
			in int64) int {
			return cmp.Compare(s.In, in)
		})
		for _, o := range shots[first:] {
			if o.In >= n.In+n.Length {
				break
			}
			from, to := max(o.In, n.In), min(o.In+o.Length, n.In+n.Length)
			if from < to {
				list = append(list, candidate{o.Start + from - o.In, n.Start + from - n.In, to - from, false})
			}
		}
	}
	return list
}

// best is a chain that ends at a candidate.
type best struct {
	weight int64
	last   int // candidate, -1 for none
}

// chain marks the heaviest chain of candidates that lie one after the other in both cuts.
func chain(list []candidate) {
	if len(list) == 0 {
		return
	}
	slices.SortFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(a.new, b.new), cmp.Compare(a.old, b.old), cmp.Compare(b.length, a.length))
	})
	ends := make([]int64, len(list)) // where candidates end in the old cut, in order
	byEnd := make([]int, len(list))  // candidates in order of their end in the new one
	for i, c := range list {
		ends[i], byEnd[i] = c.old+c.length, i
	}
	slices.Sort(ends)
	ends = slices.Compact(ends)
	slices.SortFunc(byEnd, func(a, b int) int {
		return cmp.Compare(list[a].new+list[a].length, list[b].new+list[b].length)
	})
	tree := make([]best, len(ends)+1) // of prefixes of ends
	for i := range tree {
		tree[i].last = -1
	}
	upTo := func(end int64) best { // the heaviest chain that ends there in the old cut, or before
		n, found := slices.BinarySearch(ends, end)
		if found {
			n++
		}
		b := best{0, -1}
		for ; n > 0; n -= n & -n {
			if tree[n].weight > b.weight {
				b = tree[n]
			}
		}
		return b
	}
	put := func(end int64, b best) {
		n, _ := slices.BinarySearch(ends, end)
		for n++; n < len(tree); n += n & -n {
			if b.weight > tree[n].weight {
				tree[n] = b
			}
		}
	}
	chains := make([]best, len(list)) // weight with the candidate, and what comes before it
	top, done := -1, 0
	for i, c := range list {
		for ; done < len(byEnd) && list[byEnd[done]].new+list[byEnd[done]].length <= c.new; done++ {
			k := byEnd[done]
			put(list[k].old+list[k].length, best{chains[k].weight, k})
		}
		before := upTo(c.old)
		chains[i] = best{before.weight + c.length, before.last}
		if top < 0 || chains[i].weight > chains[top].weight {
			top = i
		}
	}
	for ; top >= 0; top = chains[top].last {
		list[top].taken = true
	}
}

// rest matches what the chain left, longest first.
func rest(pieces []Piece, list []candidate) []Piece {
	usedOld, usedNew := &set{}, &set{}
	for _, p := range pieces {
		usedOld.add(p.Old)
		usedNew.add(p.New)
	}
	slices.SortStableFunc(list, func(a, b candidate) int { return cmp.Compare(b.length, a.length) })
	for _, c := range list {
		if c.taken {
			continue
		}
		// What of it is free on both sides.
		for _, free := range usedOld.free(pcm.Span{From: c.old, To: c.old + c.length}) {
			shift := c.new - c.old
			for _, now := range usedNew.free(free.Add(shift)) {
				p := piece(now.From-shift, now.From, now.Len(), true)
				usedOld.add(p.Old)
				usedNew.add(p.New)
				pieces = append(pieces, p)
			}
		}
	}
	return pieces
}

// A set is spans in order that do not overlap.
type set struct{ list []pcm.Span }

func (s *set) add(x pcm.Span) {
	i, _ := slices.BinarySearchFunc(s.list, x.From, func(a pcm.Span, from int64) int { return cmp.Compare(a.From, from) })
	s.list = slices.Insert(s.list, i, x)
}

// free are the parts of a span that are not in the set.
func (s *set) free(x pcm.Span) (list []pcm.Span) {
	i, _ := slices.BinarySearchFunc(s.list, x.From, func(a pcm.Span, from int64) int { return cmp.Compare(a.To, from+1) })
	at := x.From
	for ; i < len(s.list) && s.list[i].From < x.To; i++ {
		if s.list[i].From > at {
			list = append(list, pcm.Span{From: at, To: s.list[i].From})
		}
		at = max(at, s.list[i].To)
	}
	if at < x.To {
		list = append(list, pcm.Span{From: at, To: x.To})
	}
	return list
}

// withNothing lets stretches that show nothing in both cuts go with the piece that they lie behind, or ahead of at the
// start, as far as both show nothing. Behind its last shot the new cut has room for all that the old one had.
func withNothing(pieces []Piece, old, new []Shot, end int64) []Piece {
	if len(pieces) == 0 {
		return pieces
	}
	usedOld, usedNew := &set{}, &set{}
	for _, shots := range []struct {
		list []Shot
		to   *set
	}{{old, usedOld}, {new, usedNew}} {
		for _, s := range shots.list {
			if s.Source != "" && s.Length > 0 {
				shots.to.add(s.Span())
			}
		}
	}
	open := func(s *set, from int64, back bool) int64 { // how far nothing goes on from there
		const far = int64(1) << 40
		reach := pcm.Span{From: from, To: from + far}
		if back {
			reach = pcm.Span{From: 0, To: from}
		}
		free := s.free(reach)
		switch {
		case len(free) == 0:
			return 0
		case back && free[len(free)-1].To == from:
			return free[len(free)-1].Len()
		case !back && free[0].From == from:
			return free[0].Len()
		}
		return 0
	}
	byOld := slices.Clone(pieces)
	slices.SortFunc(byOld, func(a, b Piece) int { return cmp.Compare(a.Old.From, b.Old.From) })
	var more []Piece
	for i, p := range byOld {
		n := min(open(usedOld, p.Old.To, false), open(usedNew, p.New.To, false), max(0, end-p.Old.To))
		if n > 0 {
			more = append(more, piece(p.Old.To, p.New.To, n, p.Moved))
		}
		if back := min(open(usedOld, p.Old.From, true), open(usedNew, p.New.From, true)); i == 0 && back > 0 {
			more = append(more, piece(p.Old.From-back, p.New.From-back, back, p.Moved))
		}
	}
	pieces = append(pieces, more...)
	slices.SortFunc(pieces, func(a, b Piece) int { return cmp.Compare(a.New.From, b.New.From) })
	return pieces
}

// joined makes one of pieces that go on in both cuts.
func joined(pieces []Piece) (list []Piece) {
	for _, p := range pieces {
		if n := len(list); n > 0 && list[n-1].Old.To == p.Old.From && list[n-1].New.To == p.New.From {
			last := &list[n-1]
			last.Old.To, last.New.To, last.Moved = p.Old.To, p.New.To, last.Moved && p.Moved
			continue
		}
		list = append(list, p)
	}
	return list
}
