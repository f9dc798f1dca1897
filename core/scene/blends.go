package scene

import (
	"fmt"
	"slices"

	"blendseam/core/sound/blend"
)

// SetBlend puts a blend on the cut between two touching clips of sound, or changes the one that is there.
type SetBlend struct {
	Left     ClipID       `json:"left"`
	Right    ClipID       `json:"right"`
	Before   int64        `json:"before"`
	After    int64        `json:"after"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
	// the clips overlap by its length and all that follows moves up; no handle is used
	Pull bool `json:"pull,omitempty"`
}

func (e *SetBlend) apply(d *draft) error {
	t, left, right, l, err := openCut(d, e.Left, e.Right)
	if err != nil {
		return err
	}
	if !t.Touches(l) || t.Clips[l+1].ID != e.Right {
		return notPossible(
			"%s and %s do not touch, so there is no cut to blend. Move one up to the other first.",
			left.Name,
			right.Name,
		)
	}
	if t.Kind != Sound {
		return notPossible("Blends are for sound; %s is picture.", left.Name)
	}
	if err := checkLaw(e.Law, e.CurveOut, e.CurveIn); err != nil {
		return err
	}
	if e.Before < 0 || e.After < 0 || e.Before+e.After == 0 || e.Before > unbounded || e.After > unbounded {
		return notPossible("A blend needs a length above 0, with neither half below it.")
	}
	if e.Pull {
		kept := *e
		kept.Pull = false
		pull, _ := kept.pullTogether(d, t, *left, *right, true) // which may move its lean by less than a frame
		return pull.(*Batch).apply(d)
	}
	if err := e.fits(d, t, *left, *right); err != nil {
		return err
	}
	left.FadeOut, right.FadeIn = Fade{}, Fade{}
	now := Blend{
		Left:     e.Left,
		Right:    e.Right,
		Before:   e.Before,
		After:    e.After,
		Law:      e.Law,
		CurveOut: e.CurveOut,
		CurveIn:  e.CurveIn,
	}
	t.setBlend(now)
	return nil
}

// openCut opens the clips on both sides of a cut, and gives their track and the index of the left one.
func openCut(d *draft, left, right ClipID) (t *Track, l, r *Clip, i int, err error) {
	if t, l, err = d.open(left); err != nil {
		return nil, nil, nil, 0, err
	}
	if _, r, err = d.open(right); err != nil {
		return nil, nil, nil, 0, err
	}
	return t, l, r, slices.IndexFunc(t.Clips, func(c Clip) bool { return c.ID == left }), nil
}

// setBlend puts a blend on its cut, in the place of the one that is there.
func (t *Track) setBlend(now Blend) {
	if old := t.Blend(now.Left, now.Right); old != nil {
		now.Foreign = old.Foreign
		*old = now
		return
	}
	t.Blends = append(t.Blends, now)
}

// Reach is how far a blend on the cut between two clips can go: before and after the cut, in samples, within
// the handles and up to the neighbouring blends.
func (s *Scene) Reach(t *Track, left, right Clip) (before, after int64) {
	before, _ = s.Handles(t, right)
	_, after = s.Handles(t, left)
	roomLeft, roomRight := left.Length, right.Length
	if b, _ := t.blendsOf(left.ID); b != nil {
		roomLeft -= b.After
	}
	if _, b := t.blendsOf(right.ID); b != nil {
		roomRight -= b.Before
	}
	return min(before, roomLeft), min(after, roomRight)
}

// leastBlendMS is the shortest blend that is worth an offer: anything shorter is a plain cut.
const leastBlendMS = 5

// fits refuses a blend that its sides cannot carry, and offers the longest that they can, one of the same
// length that leans, and pulling the clips together.
func (e *SetBlend) fits(d *draft, t *Track, left, right Clip) error {
	reachBefore, reachAfter := d.Reach(t, left, right)
	if e.Before <= reachBefore && e.After <= reachAfter {
		return nil
	}
	var refusal error
	var to *options
	if err := blendFits(d.Scene, t, left, right, e.Before, e.After); err != nil {
		need := &NeedHandle{ShortHandle: *err.(*ShortHandle)}
		refusal, to = need, &need.options
	} else {
		r := notPossible(
			"Only %s before and %s after the cut are free; the rest is taken by the next blend or the clip's end.",
			LengthWords(d.Scene, reachBefore),
			LengthWords(d.Scene, reachAfter),
		)
		refusal, to = r, &r.options
	}
	with := func(before, after int64) *SetBlend {
		b := *e
		b.Before, b.After = before, after
		return &b
	}
	total := e.Before + e.After
	least := leastBlendMS * d.SampleRate / 1000
	if before, after := min(e.Before, reachBefore), min(e.After, reachAfter); before+after >= least {
		d.suggest(
			to,
			fmt.Sprintf(
				"a blend of %s, %s before and %s after",
				LengthWords(d.Scene, before+after),
				LengthWords(d.Scene, before),
				LengthWords(d.Scene, after),
			),
			with(before, after),
		)
	}
	if after := min(e.After, reachAfter); after < e.After && total-after <= reachBefore {
		d.suggest(
			to,
			"the same length leaning onto "+left.Name+", "+LengthWords(d.Scene, after)+" after the cut",
			with(total-after, after),
		)
	}
	if before := min(e.Before, reachBefore); before < e.Before && total-before <= reachAfter {
		d.suggest(
			to,
			"the same length leaning onto "+right.Name+", "+LengthWords(d.Scene, before)+" before the cut",
			with(before, total-before),
		)
	}
	if pull, by := e.pullTogether(d, t, left, right, false); pull != nil {
		d.suggest(to, "pull the clips together, the scene "+LengthWords(d.Scene, by)+" shorter", pull)
	}
	if min(e.Before, reachBefore)+min(e.After, reachAfter) < least {
		e.trimBack(d, t, left, right, to)
	}
	return refusal
}

// trimBack offers to trim one side back under the blend and draw the other out: the cut rolls, the scene stays as long.
func (e *SetBlend) trimBack(d *draft, t *Track, left, right Clip, to *options) {
	head, _ := d.Handles(t, right)
	_, tail := d.Handles(t, left)
	cut := d.Time(t, right.Start)
	for _, way := range []struct {
		by    int64 // by how much later the cut lies
		which string
	}{{-max(0, e.After-tail), left.Name}, {max(0, e.Before-head), right.Name}} {
		if way.by == 0 {
			continue
		}
		d.suggest(
			to,
			fmt.Sprintf("trim %s back by %s and blend there", way.which, LengthWords(d.Scene, max(way.by, -way.by))),
			NewBatch("", &Roll{Left: e.Left, Right: e.Right, To: cut + way.by}, e),
		)
	}
}

// pullTogether is the edit that gives both sides their handle by overlapping the clips, all that follows
// moving up by as much, in whole frames: the handle that is missing, nil if none is, or, in full, all that the blend
// takes.
func (e *SetBlend) pullTogether(d *draft, t *Track, left, right Clip, full bool) (Edit, int64) {
	head, _ := d.Handles(t, right)
	_, tail := d.Handles(t, left)
	if full {
		head, tail = 0, 0
	}
	ceil := func(samples int64) int64 {
		if samples <= 0 {
			return 0
		}
		return d.Rate.FrameOf(samples-1, d.SampleRate) + 1
	}
	offLeft := d.Rate.SampleOf(ceil(e.After-tail), d.SampleRate)
	offRight := d.Rate.SampleOf(ceil(e.Before-head), d.SampleRate)
	if offLeft+offRight == 0 {
		return nil, 0
	}
	if full { // both halves rounded up may be a frame more than the whole is long
		b := *e
		offRight = d.Rate.SampleOf(ceil(e.Before+e.After), d.SampleRate) - offLeft
		b.Before = min(e.Before, offRight)
		b.After = e.Before + e.After - b.Before
		e = &b
	}
	edit := NewBatch(fmt.Sprintf("%s and %s pulled together", left.Name, right.Name))
	if offLeft > 0 {
		edit.Edits = append(edit.Edits, Wire{&Trim{Clip: e.Left, Edge: Tail, To: left.End() - offLeft, Close: true}})
	}
	if offRight > 0 {
		edit.Edits = append(
			edit.Edits,
			Wire{&Trim{Clip: e.Right, Edge: Head, To: left.End() - offLeft + offRight, Close: true}},
		)
	}
	edit.Edits = append(edit.Edits, Wire{e})
	return edit, offLeft + offRight
}

func (e *SetBlend) words(before, after *Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	return fmt.Sprintf(
		"%s to %s %sblended over %s, %s",
		left.Name,
		right.Name,
		either(e.Pull, "pulled together and ", ""),
		LengthWords(before, e.Before+e.After),
		e.Law.Name(),
	)
}

// checkLaw refuses laws and curves that there are none of.
func checkLaw(law blend.Law, curves ...*blend.Curve) error {
	if !law.Valid() {
		return invalid("%q is not a law; %s are.", law, blend.LawNames(", "))
	}
	for _, c := range curves {
		if c != nil && c.Check() != nil {
			return invalid("%s.", c.Check())
		}
	}
	return nil
}

// RemoveBlend takes the blend off a cut, which is then plain.
type RemoveBlend struct {
	Left  ClipID `json:"left"`
	Right ClipID `json:"right"`
}

func (e *RemoveBlend) apply(d *draft) error {
	t, _, err := d.open(e.Left)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(t.Blends, func(b Blend) bool { return b.Left == e.Left && b.Right == e.Right })
	if i < 0 {
		return notPossible("The cut from %s to %s has no blend.", nameOf(d.Scene, e.Left), nameOf(d.Scene, e.Right))
	}
	t.Blends = slices.Delete(t.Blends, i, i+1)
	return nil
}

func (e *RemoveBlend) words(before, after *Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	return fmt.Sprintf("blend taken off the cut from %s to %s", left.Name, right.Name)
}
