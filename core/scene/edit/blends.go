package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/blend"
)

// SetBlend puts a blend on the cut between two touching clips of sound, or changes the one that is there.
type SetBlend struct {
	Left     scene.ClipID `json:"left"`
	Right    scene.ClipID `json:"right"`
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
	if t.Kind != scene.Sound {
		return notPossible("Blends are for sound; %s is picture.", left.Name)
	}
	if err := scene.CheckLaw(e.Law, e.CurveOut, e.CurveIn); err != nil {
		return err
	}
	if e.Before < 0 || e.After < 0 || e.Before+e.After == 0 || e.Before > scene.Unbounded || e.After > scene.Unbounded {
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
	left.FadeOut, right.FadeIn = scene.Fade{}, scene.Fade{}
	now := scene.Blend{
		Left:     e.Left,
		Right:    e.Right,
		Before:   e.Before,
		After:    e.After,
		Law:      e.Law,
		CurveOut: e.CurveOut,
		CurveIn:  e.CurveIn,
	}
	t.SetBlend(now)
	return nil
}

// openCut opens the clips on both sides of a cut, and gives their track and the index of the left one.
func openCut(d *draft, left, right scene.ClipID) (t *scene.Track, l, r *scene.Clip, i int, err error) {
	if t, l, err = d.open(left); err != nil {
		return nil, nil, nil, 0, err
	}
	if _, r, err = d.open(right); err != nil {
		return nil, nil, nil, 0, err
	}
	return t, l, r, slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.ID == left }), nil
}

// leastBlendMS is the shortest blend that is worth an offer: anything shorter is a plain cut.
const leastBlendMS = 5

// fits refuses a blend that its sides cannot carry, and offers the longest that they can, one of the same
// length that leans, and pulling the clips together.
func (e *SetBlend) fits(d *draft, t *scene.Track, left, right scene.Clip) error {
	reachBefore, reachAfter := d.Reach(t, left, right)
	if e.Before <= reachBefore && e.After <= reachAfter {
		return nil
	}
	var refusal error
	var to *options
	if err := scene.BlendFits(d.Scene, t, left, right, e.Before, e.After); err != nil {
		need := &NeedHandle{ShortHandle: *err.(*scene.ShortHandle)}
		refusal, to = need, &need.options
	} else {
		r := notPossible(
			"Only %s before and %s after the cut are free; the rest is taken by the next blend or the clip's end.",
			scene.LengthWords(d.Scene, reachBefore),
			scene.LengthWords(d.Scene, reachAfter),
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
				scene.LengthWords(d.Scene, before+after),
				scene.LengthWords(d.Scene, before),
				scene.LengthWords(d.Scene, after),
			),
			with(before, after),
		)
	}
	if after := min(e.After, reachAfter); after < e.After && total-after <= reachBefore {
		d.suggest(
			to,
			"the same length leaning onto "+left.Name+", "+scene.LengthWords(d.Scene, after)+" after the cut",
			with(total-after, after),
		)
	}
	if before := min(e.Before, reachBefore); before < e.Before && total-before <= reachAfter {
		d.suggest(
			to,
			"the same length leaning onto "+right.Name+", "+scene.LengthWords(d.Scene, before)+" before the cut",
			with(before, total-before),
		)
	}
	if pull, by := e.pullTogether(d, t, left, right, false); pull != nil {
		d.suggest(to, "pull the clips together, the scene "+scene.LengthWords(d.Scene, by)+" shorter", pull)
	}
	if min(e.Before, reachBefore)+min(e.After, reachAfter) < least {
		e.trimBack(d, t, left, right, to)
	}
	return refusal
}

// trimBack offers to trim one side back under the blend and draw the other out: the cut rolls, the scene stays as long.
func (e *SetBlend) trimBack(d *draft, t *scene.Track, left, right scene.Clip, to *options) {
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
			fmt.Sprintf(
				"trim %s back by %s and blend there",
				way.which,
				scene.LengthWords(d.Scene, max(way.by, -way.by)),
			),
			NewBatch("", &Roll{Left: e.Left, Right: e.Right, To: cut + way.by}, e),
		)
	}
}

// pullTogether is the edit that gives both sides their handle by overlapping the clips, all that follows
// moving up by as much, in whole frames: the handle that is missing, nil if none is, or, in full, all that the blend
// takes.
func (e *SetBlend) pullTogether(d *draft, t *scene.Track, left, right scene.Clip, full bool) (Edit, int64) {
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
		edit.Edits = append(
			edit.Edits,
			Wire{&Trim{Clip: e.Left, Edge: scene.Tail, To: left.End() - offLeft, Close: true}},
		)
	}
	if offRight > 0 {
		edit.Edits = append(
			edit.Edits,
			Wire{&Trim{Clip: e.Right, Edge: scene.Head, To: left.End() - offLeft + offRight, Close: true}},
		)
	}
	edit.Edits = append(edit.Edits, Wire{e})
	return edit, offLeft + offRight
}

func (e *SetBlend) words(before, after *scene.Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	return fmt.Sprintf(
		"%s to %s %sblended over %s, %s",
		left.Name,
		right.Name,
		phrase.Either(e.Pull, "pulled together and ", ""),
		scene.LengthWords(before, e.Before+e.After),
		e.Law.Name(),
	)
}

// RemoveBlend takes the blend off a cut, which is then plain.
type RemoveBlend struct {
	Left  scene.ClipID `json:"left"`
	Right scene.ClipID `json:"right"`
}

func (e *RemoveBlend) apply(d *draft) error {
	t, _, err := d.open(e.Left)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(t.Blends, func(b scene.Blend) bool { return b.Left == e.Left && b.Right == e.Right })
	if i < 0 {
		return notPossible(
			"The cut from %s to %s has no blend.",
			scene.ClipName(d.Scene, e.Left),
			scene.ClipName(d.Scene, e.Right),
		)
	}
	t.Blends = slices.Delete(t.Blends, i, i+1)
	return nil
}

func (e *RemoveBlend) words(before, after *scene.Scene) string {
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	return fmt.Sprintf("blend taken off the cut from %s to %s", left.Name, right.Name)
}
