package edit

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Trim moves an edge of a clip to a moment and leaves a gap or, with Close, moves all that follows. The same edge of
// linked clips goes along by as much, so that sound that leads or trails keeps its lead, unless Alone.
type Trim struct {
	Clip  scene.ClipID `json:"clip"`
	Edge  scene.Side   `json:"edge"` // Head or Tail
	To    int64        `json:"to"`
	Close bool         `json:"close,omitempty"`
	Alone bool         `json:"alone,omitempty"`
}

func (e *Trim) apply(d *draft) error {
	if e.Edge != scene.Head && e.Edge != scene.Tail {
		return notPossible(`A trim needs the edge "head" or "tail", not %q.`, e.Edge)
	}
	if e.To > scene.Unbounded || e.To < -scene.Unbounded {
		return notPossible("A trim to sample %d is outside anything there is.", e.To)
	}
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	targets := edgesSharing(d.Scene, e.Clip, e.Edge, e.Alone)
	old := d.Time(t, c.EdgeAt(e.Edge))
	by := stepTo(d.Scene, old, e.To, targets)
	if e.To == old && !d.replay {
		return notPossible("The %s of %s lies at %s already.", e.Edge, c.Name, d.Timecode(old))
	}
	if e.To != old && by.samples == 0 {
		r := notPossible(
			"The %s of %s is cut together with its picture and moves by whole frames; %s is less than half of one.",
			e.Edge,
			c.Name,
			scene.LengthWords(d.Scene, e.To-old),
		)
		d.suggest(&r.options, "trim the sound alone", &Trim{e.Clip, e.Edge, e.To, e.Close, true})
		return r
	}
	at, from := e.follows(d.Scene, targets)
	if e.Close {
		by = steadied(d.Scene, from, by)
	}
	for _, id := range targets {
		if err := e.trimOne(d, id, by); err != nil {
			return err
		}
	}
	if !e.Close || by.samples == 0 {
		return nil
	}
	if e.Edge == scene.Head {
		by = step{-by.samples, -by.frames}
	}
	err = d.ripple(at, from, by, targets)
	if r, ok := err.(Refusal); ok {
		d.suggest(optionsOf(r), "trim and leave a gap", &Trim{e.Clip, e.Edge, e.To, false, e.Alone})
	}
	return err
}

// follows is the moment at which what follows the trim begins, and that from which on clips move: at a tail the
// earliest of the edges, so that sound that leads comes along.
func (e *Trim) follows(s *scene.Scene, targets []scene.ClipID) (at, from int64) {
	from = scene.Unbounded
	for _, id := range targets {
		t, c := s.Clip(id)
		edge := s.Time(t, c.EdgeAt(e.Edge))
		if id == targets[0] || t.Kind == scene.Picture {
			at = edge
		}
		from = min(from, edge)
	}
	if e.Edge == scene.Head {
		from = at
	}
	return at, from
}

// trimOne trims one clip. When closing up a head, the clip keeps its start and the rest moves.
func (e *Trim) trimOne(d *draft, id scene.ClipID, x step) error {
	t, c, err := d.open(id)
	if err != nil {
		return err
	}
	by := x.on(t) // later is positive
	head, tail := d.Handles(t, *c)
	switch {
	case e.Edge == scene.Head && by >= c.Length, e.Edge == scene.Tail && -by >= c.Length:
		r := &TooShort{
			Clip: id,
			words: fmt.Sprintf(
				"%s is %s long and its %s cannot move in by %s: nothing would be left of it.",
				c.Name,
				scene.LengthWords(d.Scene, d.Time(t, c.Length)),
				e.Edge,
				scene.LengthWords(d.Scene, d.Time(t, by)),
			),
		}
		d.suggest(&r.options, "remove it", &Remove{Clips: []scene.ClipID{id}, Close: e.Close})
		return r
	case e.Edge == scene.Head && -by > head:
		return e.beyond(d, t, *c, head, -by)
	case e.Edge == scene.Tail && by > tail:
		return e.beyond(d, t, *c, tail, by)
	}
	if !e.Close {
		if err := e.neighbour(d, t, *c, by); err != nil {
			return err
		}
	}
	if e.Edge == scene.Head {
		c.In += by
		c.Length -= by
		if !e.Close {
			c.Start += by
		}
	} else {
		c.Length += by
	}
	c.FitFades()
	return nil
}

// beyond refuses a trim past the end of the recording, and offers to go as far as it reaches.
func (e *Trim) beyond(d *draft, t *scene.Track, c scene.Clip, have, want int64) error {
	r := needHandle(d.Scene, t, c, e.Edge, have, want)
	words := "trim to the end of the recording, "
	if e.Edge == scene.Head {
		words = "trim to the start of the recording, "
	}
	if reach := inWholeFrames(d.Scene, d.Time(t, have)); reach > 0 {
		d.suggest(&r.options, words+scene.LengthWords(d.Scene, reach)+" longer", e.fromEdge(d, reach))
	}
	i := slices.IndexFunc(t.Clips, func(o scene.Clip) bool { return o.ID == c.ID })
	if !e.Close && len(r.list) == 0 && t.Beside(i, e.Edge) >= 0 {
		e.intoNeighbour(d, &r.options, t.Clips[t.Beside(i, e.Edge)], inWholeFrames(d.Scene, d.Time(t, have)))
	}
	if t.Kind == scene.Sound && have < want && len(edgesSharing(d.Scene, e.Clip, e.Edge, e.Alone)) > 1 {
		for _, id := range edgesSharing(d.base, e.Clip, e.Edge, false) {
			if pt, _ := d.base.Clip(id); pt.Kind == scene.Picture {
				only := e.fromEdge(d, d.Time(t, want))
				only.Clip, only.Alone = id, true
				d.suggest(&r.options, "trim the picture alone", only)
			}
		}
	}
	return r
}

// intoNeighbour offers what makes a clip longer by so many samples where another touches it.
func (e *Trim) intoNeighbour(d *draft, to *options, other scene.Clip, longer int64) {
	if longer <= 0 {
		return
	}
	left, right := e.Clip, other.ID
	if e.Edge == scene.Head {
		left, right = right, left
	}
	at := e.fromEdge(d, longer).To
	d.suggest(to, "roll the cut by "+scene.LengthWords(d.Scene, longer), &Roll{left, right, at, e.Alone})
	d.suggest(
		to,
		"trim by "+scene.LengthWords(d.Scene, longer)+" and move all that follows",
		&Trim{e.Clip, e.Edge, at, true, e.Alone},
	)
}

// fromEdge is the trim that makes the clip longer by so many samples.
func (e *Trim) fromEdge(d *draft, longer int64) *Trim {
	t, c := d.base.Clip(e.Clip)
	to := d.Time(t, c.EdgeAt(e.Edge)) + longer
	if e.Edge == scene.Head {
		to -= 2 * longer
	}
	return &Trim{e.Clip, e.Edge, to, e.Close, e.Alone}
}

// inWholeFrames is a length cut down to whole frames, or as it is if it is shorter than one.
func inWholeFrames(s *scene.Scene, samples int64) int64 {
	if samples > scene.Unbounded/2 {
		return samples
	}
	if n := s.Rate.FrameOf(samples, s.SampleRate); n > 0 {
		return s.Rate.SampleOf(n, s.SampleRate)
	}
	return samples
}

// neighbour refuses a trim that would run into the next clip.
func (e *Trim) neighbour(d *draft, t *scene.Track, c scene.Clip, by int64) error {
	i := slices.IndexFunc(t.Clips, func(o scene.Clip) bool { return o.ID == c.ID })
	var other scene.Clip
	var over, at int64
	switch {
	case e.Edge == scene.Head && i > 0:
		other = t.Clips[i-1]
		at, over = other.End(), other.End()-(c.Start+by)
	case e.Edge == scene.Tail && i+1 < len(t.Clips):
		other = t.Clips[i+1]
		at, over = other.Start, c.End()+by-other.Start
	}
	if e.Edge == scene.Head && i == 0 && c.Start+by < 0 {
		return notPossible(
			"The head of %s would lie %s before the scene.",
			c.Name,
			scene.LengthWords(d.Scene, d.Time(t, -(c.Start+by))),
		)
	}
	if over <= 0 {
		return nil
	}
	r := inTheWay(d.Scene, t, c, other, d.Time(t, over))
	r.words = fmt.Sprintf(
		"%s has %s of room at its %s, where %s lies on track %s, and %s.",
		c.Name,
		scene.LengthWords(
			d.Scene,
			d.Time(t, max(by, -by)-over),
		),
		e.Edge,
		other.Name,
		t.Name,
		scene.NeededWords(scene.LengthWords(d.Scene, d.Time(t, by))),
	)
	if at != c.EdgeAt(e.Edge) {
		d.suggest(&r.options, "trim up to "+other.Name, &Trim{e.Clip, e.Edge, d.Time(t, at), false, e.Alone})
	} else if e.Edge == scene.Head {
		d.suggest(&r.options, "roll the cut", &Roll{Left: other.ID, Right: c.ID, To: e.To})
	} else {
		d.suggest(&r.options, "roll the cut", &Roll{Left: c.ID, Right: other.ID, To: e.To})
	}
	d.suggest(&r.options, "trim and move all that follows", &Trim{e.Clip, e.Edge, e.To, true, e.Alone})
	return r
}

func (e *Trim) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clip)
	nt, now := after.Clip(e.Clip)
	by := after.Time(nt, now.Length) - before.Time(t, c.Length)
	how := "longer"
	if by < 0 {
		how = "shorter"
	}
	words := fmt.Sprintf("%s of %s %s %s", e.Edge, c.Name, scene.LengthWords(before, by), how)
	if !e.Close {
		return words
	}
	if by > 0 {
		words += ", all that follows moved"
	} else {
		words += ", closed up"
	}
	at, from := e.follows(before, edgesSharing(before, e.Clip, e.Edge, e.Alone))
	return words + stayWords(before, at, from, after)
}

// Nudge moves edges and cuts in hand, all by as much: whole frames, or samples for sound alone. An edge named by one
// clip is trimmed; a cut, named by the clips on both sides, rolls.
type Nudge struct {
	Edges   []scene.Edge `json:"edges"`
	Frames  int64        `json:"frames,omitempty"`
	Samples int64        `json:"samples,omitempty"`
	Close   bool         `json:"close,omitempty"`
}

func (e *Nudge) apply(d *draft) error {
	if len(e.Edges) == 0 {
		return notPossible("No edge is in hand. Click a clip's head or tail, or choose a seam.")
	}
	if e.Frames == 0 && e.Samples == 0 {
		return notPossible("An edge moves by a number of frames or samples other than 0.")
	}
	edges := slices.Clone(e.Edges)
	at := func(x scene.Edge) int64 {
		id, edge := x.Right, scene.Head
		if id == "" {
			id, edge = x.Left, scene.Tail
		}
		if t, c := d.Clip(id); t != nil {
			return d.Time(t, c.EdgeAt(edge))
		}
		return 0
	}
	slices.SortStableFunc(
		edges,
		func(a, b scene.Edge) int { return cmp.Compare(at(b), at(a)) },
	) // what closes up moves nothing that is still to come
	for _, x := range edges {
		one, err := e.one(d, x, at(x))
		if err != nil {
			return err
		}
		if err := one.apply(d); err != nil {
			return err
		}
		d.dropLostBlends()
	}
	return nil
}

func (e *Nudge) one(d *draft, x scene.Edge, at int64) (Edit, error) {
	for _, id := range []scene.ClipID{x.Left, x.Right} {
		if t, c := d.Clip(id); id != "" && t == nil {
			return nil, notPossible("There is no clip %q in this scene; it may have been removed.", id)
		} else if id != "" && t.Kind == scene.Picture && e.Samples != 0 {
			return nil, notPossible("%s is picture and is cut on whole frames; samples and milliseconds are for sound.", c.Name)
		}
	}
	to := at + e.Samples
	if e.Frames != 0 {
		to = d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate)+e.Frames, d.SampleRate)
	}
	alone := e.Samples != 0
	switch {
	case x.Left != "" && x.Right != "":
		return &Roll{x.Left, x.Right, to, alone}, nil
	case x.Left != "":
		return &Trim{x.Left, scene.Tail, to, e.Close, alone}, nil
	}
	return &Trim{x.Right, scene.Head, to, e.Close, alone}, nil
}

func (e *Nudge) words(before, after *scene.Scene) string {
	if len(e.Edges) == 1 {
		d := newDraft(before)
		x := e.Edges[0]
		id, edge := x.Right, scene.Head
		if id == "" {
			id, edge = x.Left, scene.Tail
		}
		t, c := before.Clip(id)
		if one, err := e.one(d, x, before.Time(t, c.EdgeAt(edge))); err == nil {
			return one.words(before, after)
		}
	}
	by := e.Samples
	if e.Frames != 0 {
		by = scene.FramesAt(before, 0, e.Frames)
	}
	return phrase.Count(len(e.Edges), "edge") + " moved " + scene.MovedWords(before, by)
}
