package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
)

// Roll moves the cut between two touching clips: one gives what the other takes. Cuts between clips linked with both
// sides roll along by as much, so that sound that leads or trails keeps its lead, unless Alone.
type Roll struct {
	Left  scene.ClipID `json:"left"`
	Right scene.ClipID `json:"right"`
	To    int64        `json:"to"`
	Alone bool         `json:"alone,omitempty"`
}

func (e *Roll) apply(d *draft) error {
	pairs, err := e.pairs(d)
	if err != nil {
		return err
	}
	if e.To > scene.Unbounded || e.To < -scene.Unbounded {
		return notPossible("A roll to sample %d is outside anything there is.", e.To)
	}
	t, c := d.Clip(e.Right)
	var clips []scene.ClipID
	for _, p := range pairs {
		clips = append(clips, p[0], p[1])
	}
	old := d.Time(t, c.Start)
	x := stepTo(d.Scene, old, e.To, clips)
	if e.To == old && !d.replay {
		return notPossible(
			"The cut from %s to %s lies at %s already.",
			scene.ClipName(d.Scene, e.Left),
			c.Name,
			d.Timecode(old),
		)
	}
	if e.To != old && x.samples == 0 {
		r := notPossible(
			"The cut to %s lies together with its picture's and rolls by whole frames; %s is less than half of one.",
			c.Name,
			scene.LengthWords(d.Scene, e.To-old),
		)
		d.suggest(&r.options, "roll the sound's cut alone", &Roll{e.Left, e.Right, e.To, true})
		return r
	}
	for _, p := range pairs {
		if err := e.rollOne(d, p, x, old); err != nil {
			return err
		}
	}
	return nil
}

func (e *Roll) rollOne(d *draft, p [2]scene.ClipID, x step, old int64) error {
	t, left, err := d.open(p[0])
	if err != nil {
		return err
	}
	_, right, _ := d.open(p[1])
	by := x.on(t)
	_, tail := d.Handles(t, *left)
	head, _ := d.Handles(t, *right)
	byHandle := func(c scene.Clip, side scene.Side, have int64, sign int64) error {
		r := needHandle(d.Scene, t, c, side, have, max(by, -by))
		if reach := inWholeFrames(d.Scene, d.Time(t, have)); reach > 0 {
			d.suggest(
				&r.options,
				"roll by "+scene.LengthWords(d.Scene, reach),
				&Roll{e.Left, e.Right, old + sign*reach, e.Alone},
			)
		}
		return r
	}
	switch {
	case by > tail:
		return byHandle(*left, scene.Tail, tail, 1)
	case -by > head:
		return byHandle(*right, scene.Head, head, -1)
	case by >= right.Length || -by >= left.Length:
		short := right
		if by < 0 {
			short = left
		}
		r := &TooShort{
			Clip: short.ID,
			words: fmt.Sprintf(
				"%s is %s long and its cut cannot roll by %s: nothing would be left of it.",
				short.Name,
				scene.LengthWords(d.Scene, d.Time(t, short.Length)),
				scene.LengthWords(d.Scene, d.Time(t, by)),
			),
		}
		d.suggest(&r.options, "remove it", &Remove{Clips: []scene.ClipID{short.ID}})
		return r
	}
	left.Length += by
	right.In += by
	right.Start += by
	right.Length -= by
	left.FitFades()
	right.FitFades()
	return nil
}

// pairs gives the cuts that roll together, the named one first.
func (e *Roll) pairs(d *draft) (pairs [][2]scene.ClipID, err error) {
	lt, li, ok := d.Find(e.Left)
	if !ok || !d.Tracks[lt].Touches(li) || d.Tracks[lt].Clips[li+1].ID != e.Right {
		return nil, notPossible(
			"There is no cut between %s and %s to roll; they do not touch.",
			scene.ClipName(d.Scene, e.Left),
			scene.ClipName(d.Scene, e.Right),
		)
	}
	pairs = [][2]scene.ClipID{{e.Left, e.Right}}
	rights := edgesSharing(d.Scene, e.Right, scene.Head, e.Alone)
	for _, l := range edgesSharing(d.Scene, e.Left, scene.Tail, e.Alone)[1:] {
		ti, ci, _ := d.Find(l)
		if t := d.Tracks[ti]; t.Touches(ci) && slices.Contains(rights, t.Clips[ci+1].ID) {
			pairs = append(pairs, [2]scene.ClipID{l, t.Clips[ci+1].ID})
		}
	}
	return pairs, nil
}

func (e *Roll) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Right)
	_, now := after.Clip(e.Right)
	by := after.Time(t, now.Start) - before.Time(t, c.Start)
	_, left := before.Clip(e.Left)
	return fmt.Sprintf("cut from %s to %s rolled %s", left.Name, c.Name, scene.MovedWords(before, by))
}

// Slip keeps a clip's place and length and shows another part of its recording, later by By samples. Linked clips slip
// along.
type Slip struct {
	Clip scene.ClipID `json:"clip"`
	By   int64        `json:"by"`
}

func (e *Slip) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if e.By > scene.Unbounded || e.By < -scene.Unbounded || e.By == 0 {
		return notPossible("A slip moves the recording of %s by a number of samples other than 0.", c.Name)
	}
	group := d.Linked(e.Clip)
	from := d.Time(t, c.In)
	x := stepTo(d.Scene, from, from+e.By, group)
	if x.samples == 0 {
		return notPossible(
			"%s is linked to picture and slips by whole frames; %s is less than half of one. Unlink it first.",
			c.Name,
			scene.LengthWords(d.Scene, e.By),
		)
	}
	for _, id := range group {
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		head, tail := d.Handles(t, *c)
		by := x.on(t)
		if have, side := e.reach(head, tail, by); max(by, -by) > have {
			r := needHandle(d.Scene, t, *c, side, have, max(by, -by))
			if reach := inWholeFrames(d.Scene, d.Time(t, have)); reach > 0 {
				if by < 0 {
					reach = -reach
				}
				d.suggest(&r.options, "slip by "+scene.LengthWords(d.Scene, reach), &Slip{e.Clip, reach})
			}
			return r
		}
		c.In += by
	}
	return nil
}

func (e *Slip) reach(head, tail, by int64) (have int64, side scene.Side) {
	if by < 0 {
		return head, scene.Head
	}
	return tail, scene.Tail
}

func (e *Slip) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	return fmt.Sprintf(
		"%s slipped, shows its recording from %s",
		c.Name,
		scene.MovedWords(before, before.Time(t, now.In)-before.Time(t, c.In)),
	)
}

// Slide moves a clip, with those linked with it, between its neighbours: those that touch it give and take.
type Slide struct {
	Clip scene.ClipID `json:"clip"`
	By   int64        `json:"by"` // later is positive
}

func (e *Slide) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if e.By > scene.Unbounded || e.By < -scene.Unbounded || e.By == 0 {
		return notPossible("%s slides by a number of samples other than 0.", c.Name)
	}
	group := d.Linked(e.Clip)
	at := d.Time(t, c.Start)
	x := stepTo(d.Scene, at, at+e.By, group)
	if x.samples == 0 {
		return notPossible(
			"%s is linked to picture and slides by whole frames; %s is less than half of one. Unlink it first.",
			c.Name,
			scene.LengthWords(d.Scene, e.By),
		)
	}
	for ti, t := range d.Tracks {
		for first, last := range t.Runs(group) {
			if err := d.unlocked(t); err != nil {
				return err
			}
			t = d.touch(ti)
			if err := e.slideRun(d, t, first, last, x.on(t)); err != nil {
				return err
			}
		}
	}
	return nil
}

// slideRun slides clips first to last of a track, which touch.
func (e *Slide) slideRun(d *draft, t *scene.Track, first, last int, by int64) error {
	offer := func(to *options, reach int64) {
		if reach = inWholeFrames(d.Scene, d.Time(t, reach)); reach > 0 {
			if by < 0 {
				reach = -reach
			}
			d.suggest(to, "slide by "+scene.LengthWords(d.Scene, reach), &Slide{e.Clip, reach})
		}
	}
	size := max(by, -by)
	before, after := t.Beside(first, scene.Head), t.Beside(last, scene.Tail)
	if before >= 0 { // gives or takes at its tail
		c := &t.Clips[before]
		if _, tail := d.Handles(t, *c); by > tail {
			r := needHandle(d.Scene, t, *c, scene.Tail, tail, by)
			offer(&r.options, tail)
			return r
		}
		if -by >= c.Length {
			return nothingLeft(d, t, *c, size, func(to *options) { offer(to, c.Length-1) })
		}
		c.Length += by
		c.FitFades()
	} else if first > 0 && t.Clips[first].Start+by < t.Clips[first-1].End() {
		r := inTheWay(d.Scene, t, t.Clips[first], t.Clips[first-1], d.Time(t, t.Clips[first-1].End()-t.Clips[first].Start-by))
		offer(&r.options, t.Clips[first].Start-t.Clips[first-1].End())
		return r
	} else if t.Clips[first].Start+by < 0 {
		r := notPossible(
			"%s would start %s before the scene.",
			t.Clips[first].Name,
			scene.LengthWords(d.Scene, d.Time(t, -t.Clips[first].Start-by)),
		)
		offer(&r.options, t.Clips[first].Start)
		return r
	}
	if after >= 0 { // gives or takes at its head
		c := &t.Clips[after]
		if head, _ := d.Handles(t, *c); -by > head {
			r := needHandle(d.Scene, t, *c, scene.Head, head, -by)
			offer(&r.options, head)
			return r
		}
		if by >= c.Length {
			return nothingLeft(d, t, *c, size, func(to *options) { offer(to, c.Length-1) })
		}
		c.In += by
		c.Start += by
		c.Length -= by
		c.FitFades()
	} else if last+1 < len(t.Clips) && t.Clips[last].End()+by > t.Clips[last+1].Start {
		r := inTheWay(d.Scene, t, t.Clips[last], t.Clips[last+1], d.Time(t, t.Clips[last].End()+by-t.Clips[last+1].Start))
		offer(&r.options, t.Clips[last+1].Start-t.Clips[last].End())
		return r
	}
	for i := first; i <= last; i++ {
		t.Clips[i].Start += by
	}
	return nil
}

func nothingLeft(d *draft, t *scene.Track, c scene.Clip, by int64, offer func(*options)) error {
	r := &TooShort{
		Clip: c.ID,
		words: fmt.Sprintf(
			"%s is %s long and cannot give %s: nothing would be left of it.",
			c.Name,
			scene.LengthWords(d.Scene, d.Time(t, c.Length)),
			scene.LengthWords(d.Scene, d.Time(t, by)),
		),
	}
	offer(&r.options)
	return r
}

func (e *Slide) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	return fmt.Sprintf(
		"%s slid %s between its neighbours",
		c.Name,
		scene.MovedWords(before, before.Time(t, now.Start)-before.Time(t, c.Start)),
	)
}

// Swap lets two neighbours of a track change places; clips linked with them change along.
type Swap struct {
	Left  scene.ClipID `json:"left"`
	Right scene.ClipID `json:"right"`
}

func (e *Swap) apply(d *draft) error {
	lt, li, ok := d.Find(e.Left)
	if !ok || li+1 >= len(d.Tracks[lt].Clips) || d.Tracks[lt].Clips[li+1].ID != e.Right {
		return notPossible(
			"%s and %s are not neighbours on a track; swapping needs two clips side by side.",
			scene.ClipName(d.Scene, e.Left),
			scene.ClipName(d.Scene, e.Right),
		)
	}
	t := d.Tracks[lt]
	left, right := t.Clips[li], t.Clips[li+1]
	lefts, rights := d.Linked(e.Left), d.Linked(e.Right)
	if left.Link != "" && left.Link == right.Link {
		return notPossible(
			"%s and %s are linked with each other, so that swapping them would lose sync. Unlink them first.",
			left.Name,
			right.Name,
		)
	}
	clips := append(slices.Clone(lefts), rights...)
	back := stepTo(d.Scene, d.Time(t, right.Start), d.Time(t, left.Start), clips)
	on := stepTo(d.Scene, d.Time(t, left.End()), d.Time(t, right.End()), clips)
	type landing struct {
		track int
		clip  scene.Clip
	}
	var moved []landing
	for k, ids := range [][]scene.ClipID{lefts, rights} {
		x := []step{on, back}[k]
		for _, id := range ids {
			ti, ci, _ := d.Find(id)
			if err := d.unlocked(d.Tracks[ti]); err != nil {
				return err
			}
			c := d.Tracks[ti].Clips[ci]
			c.Start += x.on(d.Tracks[ti])
			d.touch(ti).Remove(id)
			moved = append(moved, landing{ti, c})
		}
	}
	for _, m := range moved {
		if err := d.place(d.touch(m.track), m.clip); err != nil {
			return err
		}
	}
	return nil
}

func (e *Swap) words(before, after *scene.Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	return fmt.Sprintf("%s and %s swapped", left.Name, right.Name)
}
