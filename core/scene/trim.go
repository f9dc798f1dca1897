package scene

import (
	"fmt"
	"slices"
)

// Trim moves an edge of a clip to a moment and leaves a gap or, with Close, moves all that follows.
// The same edge of linked clips goes along where it lies at the same moment, unless Alone.
type Trim struct {
	Clip  string `json:"clip"`
	Edge  string `json:"edge"` // "head" or "tail"
	To    int64  `json:"to"`
	Close bool   `json:"close,omitempty"`
	Alone bool   `json:"alone,omitempty"`
}

// edge is where a clip's head or tail lies on its track.
func (c Clip) edge(which string) int64 {
	if which == "head" {
		return c.Start
	}
	return c.End()
}

// sharing gives the clips, the named one first, whose edge lies at the same moment as its own and that are
// linked with it; alone leaves out all but itself.
func (s *Scene) sharing(id, edge string, alone bool) []string {
	if alone {
		return []string{id}
	}
	t, c := s.Clip(id)
	at := s.Time(t, c.edge(edge))
	half := s.Rate.SampleOf(1, s.SampleRate) / 2
	ids := []string{id}
	for _, other := range s.Linked(id) {
		ot, oc := s.Clip(other)
		if d := s.Time(ot, oc.edge(edge)) - at; other != id && d < half && d > -half {
			ids = append(ids, other)
		}
	}
	return ids
}

// onFrame moves a moment to the nearest frame if any of the clips is picture.
func (s *Scene) onFrame(at int64, clips []string) int64 {
	for _, id := range clips {
		if t, _ := s.Clip(id); t.Kind == Picture {
			return s.Time(t, s.Unit(t, at))
		}
	}
	return at
}

func (e *Trim) apply(d *draft) error {
	if e.Edge != "head" && e.Edge != "tail" {
		return notPossible(`A trim needs the edge "head" or "tail", not %q.`, e.Edge)
	}
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	targets := d.sharing(e.Clip, e.Edge, e.Alone)
	to := d.onFrame(e.To, targets)
	old := d.Time(t, c.edge(e.Edge))
	for _, id := range targets {
		if err := e.trimOne(d, id, to); err != nil {
			return err
		}
	}
	if !e.Close || to == old {
		return nil
	}
	if e.Edge == "tail" {
		return d.ripple(old, to-old, targets)
	}
	return d.ripple(max(old, to), old-to, targets)
}

// trimOne trims one clip. When closing up a head, the clip keeps its start and the rest moves.
func (e *Trim) trimOne(d *draft, id string, to int64) error {
	t, c, err := d.open(id)
	if err != nil {
		return err
	}
	by := d.Unit(t, to) - c.edge(e.Edge) // later is positive
	if by > unbounded || by < -unbounded {
		return notPossible("A trim to sample %d is outside anything there is.", to)
	}
	head, tail := d.Handles(t, *c)
	limit := func(at int64, words string) Edit { return &Trim{e.Clip, e.Edge, d.Time(t, at), e.Close, e.Alone} }
	switch {
	case e.Edge == "head" && by >= c.Length, e.Edge == "tail" && -by >= c.Length:
		r := &TooShort{Clip: id, words: fmt.Sprintf("%s is %s long and nothing would be left of it.", c.Name, d.lengthWords(d.Time(t, c.Length)))}
		d.suggest(&r.options, "remove it", &Remove{Clips: []string{id}, Close: e.Close})
		return r
	case e.Edge == "head" && -by > head:
		r := d.needHandle(t, *c, "head", head, -by)
		if head > 0 {
			d.suggest(&r.options, "trim to the start of the recording, "+d.lengthWords(d.Time(t, head))+" longer", limit(c.Start-head, ""))
		}
		return r
	case e.Edge == "tail" && by > tail:
		r := d.needHandle(t, *c, "tail", tail, by)
		if tail > 0 {
			d.suggest(&r.options, "trim to the end of the recording, "+d.lengthWords(d.Time(t, tail))+" longer", limit(c.End()+tail, ""))
		}
		return r
	}
	if !e.Close {
		if err := e.neighbour(d, t, *c, by); err != nil {
			return err
		}
	}
	if e.Edge == "head" {
		c.In += by
		c.Length -= by
		if !e.Close {
			c.Start += by
		}
	} else {
		c.Length += by
	}
	c.fitFades()
	return nil
}

// neighbour refuses a trim that would run into the next clip.
func (e *Trim) neighbour(d *draft, t *Track, c Clip, by int64) error {
	i := slices.IndexFunc(t.Clips, func(o Clip) bool { return o.ID == c.ID })
	var other Clip
	var over, at int64
	switch {
	case e.Edge == "head" && i > 0:
		other = t.Clips[i-1]
		at, over = other.End(), other.End()-(c.Start+by)
	case e.Edge == "tail" && i+1 < len(t.Clips):
		other = t.Clips[i+1]
		at, over = other.Start, c.End()+by-other.Start
	}
	if e.Edge == "head" && i == 0 && c.Start+by < 0 {
		return notPossible("%s would start %s before the scene.", c.Name, d.lengthWords(d.Time(t, -(c.Start+by))))
	}
	if over <= 0 {
		return nil
	}
	r := d.inTheWay(t, c, other, d.Time(t, over))
	if at != c.edge(e.Edge) {
		d.suggest(&r.options, "trim up to "+other.Name, &Trim{e.Clip, e.Edge, d.Time(t, at), false, e.Alone})
	} else if e.Edge == "head" {
		d.suggest(&r.options, "roll the cut", &Roll{Left: other.ID, Right: c.ID, To: e.To})
	} else {
		d.suggest(&r.options, "roll the cut", &Roll{Left: c.ID, Right: other.ID, To: e.To})
	}
	d.suggest(&r.options, "trim and move all that follows", &Trim{e.Clip, e.Edge, e.To, true, e.Alone})
	return r
}

// fitFades shortens fades that no longer fit in their clip.
func (c *Clip) fitFades() {
	c.FadeIn.Length = min(c.FadeIn.Length, c.Length)
	c.FadeOut.Length = min(c.FadeOut.Length, c.Length-c.FadeIn.Length)
}

func (e *Trim) words(before, after *Scene) string {
	t, c := before.Clip(e.Clip)
	nt, now := after.Clip(e.Clip)
	by := after.Time(nt, now.Length) - before.Time(t, c.Length)
	how := "longer"
	if by < 0 {
		how = "shorter"
	}
	tail := ""
	if e.Close {
		tail = ", closed up"
		if by > 0 {
			tail = ", all that follows moved"
		}
	}
	return fmt.Sprintf("%s of %s %s %s%s", e.Edge, c.Name, before.lengthWords(by), how, tail)
}

// ripple moves by samples all clips that start at or after a moment, on every track that follows, but
// for the clips in except. Clips that lie over the moment stay. Picture moves by whole frames; where
// some would have to move and by is none, or where clips would come to overlap, it refuses.
func (d *draft) ripple(at, by int64, except []string) error {
	frames := d.Rate.Nearest(at+by, d.SampleRate) - d.Rate.Nearest(at, d.SampleRate)
	for ti, t := range d.Tracks {
		if t.Stays || t.Locked {
			continue
		}
		first := slices.IndexFunc(t.Clips, func(c Clip) bool { return d.Time(t, c.Start) >= at && !slices.Contains(except, c.ID) })
		if first < 0 {
			continue
		}
		shift := by
		if t.Kind == Picture {
			shift = frames
			if off := d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate)+frames, d.SampleRate) - d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate), d.SampleRate) - by; off > 1 || off < -1 {
				return notPossible("Picture follows on track %s and moves by whole frames alone; %s are not.", t.Name, d.lengthWords(by))
			}
		}
		t = d.touch(ti)
		for i := first; i < len(t.Clips); i++ {
			if !slices.Contains(except, t.Clips[i].ID) {
				t.Clips[i].Start += shift
			}
		}
		moved := t.Clips[first]
		if first > 0 && t.Clips[first-1].End() > moved.Start {
			return d.inTheWay(t, moved, t.Clips[first-1], d.Time(t, t.Clips[first-1].End()-moved.Start))
		}
		if moved.Start < 0 {
			return notPossible("%s would start before the scene.", moved.Name)
		}
	}
	for i := range d.Markers {
		if d.Markers[i].At >= at {
			if i == 0 || d.Markers[i-1].At < at {
				d.Markers = slices.Clone(d.Markers)
			}
			d.Markers[i].At = max(0, d.Markers[i].At+by)
		}
	}
	return nil
}

// Roll moves the cut between two touching clips: one gives what the other takes.
type Roll struct {
	Left  string `json:"left"`
	Right string `json:"right"`
	To    int64  `json:"to"`
	Alone bool   `json:"alone,omitempty"`
}

func (e *Roll) apply(d *draft) error {
	pairs, to, err := e.pairs(d)
	if err != nil {
		return err
	}
	for _, p := range pairs {
		t, left, err := d.open(p[0])
		if err != nil {
			return err
		}
		_, right, _ := d.open(p[1])
		by := d.Unit(t, to) - right.Start
		_, tail := d.Handles(t, *left)
		head, _ := d.Handles(t, *right)
		switch {
		case by > tail:
			r := d.needHandle(t, *left, "tail", tail, by)
			d.suggest(&r.options, "roll by "+d.lengthWords(d.Time(t, tail)), &Roll{e.Left, e.Right, d.Time(t, right.Start+tail), e.Alone})
			return r
		case -by > head:
			r := d.needHandle(t, *right, "head", head, -by)
			d.suggest(&r.options, "roll by "+d.lengthWords(d.Time(t, head)), &Roll{e.Left, e.Right, d.Time(t, right.Start-head), e.Alone})
			return r
		case by >= right.Length || -by >= left.Length:
			short := right
			if by < 0 {
				short = left
			}
			return &TooShort{Clip: short.ID, words: fmt.Sprintf("%s is %s long and nothing would be left of it.", short.Name, d.lengthWords(d.Time(t, short.Length)))}
		}
		left.Length += by
		right.In += by
		right.Start += by
		right.Length -= by
		left.fitFades()
		right.fitFades()
	}
	return nil
}

// pairs gives the cuts that roll together: the named one, and cuts between clips linked with both sides
// at the same moment.
func (e *Roll) pairs(d *draft) (pairs [][2]string, to int64, err error) {
	lt, li, ok := d.Find(e.Left)
	if !ok || !d.Tracks[lt].Touches(li) || d.Tracks[lt].Clips[li+1].ID != e.Right {
		return nil, 0, notPossible("There is no cut between %q and %q to roll.", e.Left, e.Right)
	}
	lefts, rights := d.sharing(e.Left, "tail", e.Alone), d.sharing(e.Right, "head", e.Alone)
	for _, l := range lefts {
		ti, ci, _ := d.Find(l)
		if t := d.Tracks[ti]; t.Touches(ci) && slices.Contains(rights, t.Clips[ci+1].ID) {
			pairs = append(pairs, [2]string{l, t.Clips[ci+1].ID})
		}
	}
	return pairs, d.onFrame(e.To, append(lefts, rights...)), nil
}

func (e *Roll) words(before, after *Scene) string {
	t, c := before.Clip(e.Right)
	_, now := after.Clip(e.Right)
	by := after.Time(t, now.Start) - before.Time(t, c.Start)
	_, left := before.Clip(e.Left)
	return fmt.Sprintf("cut from %s to %s rolled %s", left.Name, c.Name, before.movedWords(by))
}

// movedWords says "6 frames later" or "6 frames earlier".
func (s *Scene) movedWords(by int64) string {
	if by < 0 {
		return s.lengthWords(by) + " earlier"
	}
	return s.lengthWords(by) + " later"
}
