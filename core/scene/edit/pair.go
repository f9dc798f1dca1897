package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
)

// SetPair lets one clip fade out while another, of another track, fades in, from one moment to another, or changes
// the pair that they are. Edges move there, with what handles the recordings have.
type SetPair struct {
	Out      scene.ClipID `json:"out"`
	In       scene.ClipID `json:"in"`
	From     int64        `json:"from"`
	To       int64        `json:"to"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
}

func (e *SetPair) apply(d *draft) error {
	to, out, err := d.open(e.Out)
	if err != nil {
		return err
	}
	ti, in, err := d.open(e.In)
	if err != nil {
		return err
	}
	switch {
	case to == ti:
		r := notPossible("%s and %s lie on one track; a pair goes over from one track to another.", out.Name, in.Name)
		d.suggest(
			&r.options,
			"blend their cut",
			&SetBlend{Left: e.Out, Right: e.In, Before: (e.To - e.From) / 2, After: (e.To - e.From) / 2, Law: e.Law},
		)
		return r
	case to.Kind != scene.Sound || ti.Kind != scene.Sound:
		return notPossible("A pair is for sound; choose two clips of sound on two tracks.")
	}
	if err := scene.CheckLaw(e.Law, e.CurveOut, e.CurveIn); err != nil {
		return err
	}
	if e.From >= e.To || e.From <= out.Start || e.To >= in.End() {
		return notPossible(
			"The pair would have to begin behind the head of %s, end before the tail of %s, and have a length.",
			out.Name,
			in.Name,
		)
	}
	if _, b := to.BlendsOf(e.Out); b != nil {
		r := notPossible("The tail of %s is blended with its neighbour.", out.Name)
		d.suggest(&r.options, "take that blend off and pair them", NewBatch("", &RemoveBlend{b.Left, b.Right}, e))
		return r
	}
	if b, _ := ti.BlendsOf(e.In); b != nil {
		r := notPossible("The head of %s is blended with its neighbour.", in.Name)
		d.suggest(&r.options, "take that blend off and pair them", NewBatch("", &RemoveBlend{b.Left, b.Right}, e))
		return r
	}
	out.FadeOut, in.FadeIn = scene.Fade{}, scene.Fade{}
	if out.End() != e.To {
		if err := (&Trim{Clip: e.Out, Edge: scene.Tail, To: e.To, Alone: true}).apply(d); err != nil {
			return err
		}
	}
	if in.Start != e.From {
		if err := (&Trim{Clip: e.In, Edge: scene.Head, To: e.From, Alone: true}).apply(d); err != nil {
			return err
		}
	}
	now := scene.Pair{Out: e.Out, In: e.In, Law: e.Law, CurveOut: e.CurveOut, CurveIn: e.CurveIn}
	pairs := slices.DeleteFunc(slices.Clone(d.Pairs), func(p scene.Pair) bool { return p.Out == e.Out || p.In == e.In })
	d.Pairs = append(pairs, now)
	_, out, _ = d.open(e.Out)
	_, in, _ = d.open(e.In)
	if n := e.To - e.From; n > out.Length-out.FadeIn.Length || n > in.Length-in.FadeOut.Length {
		return notPossible(
			"The fades at the other ends of %s and %s leave no room for %s.",
			out.Name,
			in.Name,
			scene.LengthWords(d.Scene, n),
		)
	}
	return nil
}

// fitPairs gives the clips of pairs fades as long as they overlap, and drops pairs that do not overlap any more.
func (d *draft) fitPairs() {
	if len(d.Pairs) == 0 {
		return
	}
	kept := make([]scene.Pair, 0, len(d.Pairs))
	for _, p := range d.Pairs {
		span, ok := d.Overlap(p)
		if !ok {
			continue
		}
		to, out := d.Clip(p.Out)
		ti, in := d.Clip(p.In)
		_, tail := to.BlendsOf(p.Out)
		head, _ := ti.BlendsOf(p.In)
		if n := span.Len(); tail != nil || head != nil || n > out.Length-out.FadeIn.Length ||
			n > in.Length-in.FadeOut.Length {
			continue
		}
		kept = append(kept, p)
		fadeOut, fadeIn := scene.Fade{
			Length: span.Len(),
			Curve:  p.Fade(p.CurveOut),
		}, scene.Fade{
			Length: span.Len(),
			Curve:  p.Fade(p.CurveIn),
		}
		if out.FadeOut != fadeOut {
			i, k, _ := d.Find(p.Out)
			d.touch(i).Clips[k].FadeOut = fadeOut
		}
		if in.FadeIn != fadeIn {
			i, k, _ := d.Find(p.In)
			d.touch(i).Clips[k].FadeIn = fadeIn
		}
	}
	if len(kept) != len(d.Pairs) {
		d.Pairs = kept
	}
}

func (e *SetPair) words(before, after *scene.Scene) string {
	words := fmt.Sprintf(
		"%s goes over into %s on another track within %s, %s",
		scene.ClipName(before, e.Out),
		scene.ClipName(before, e.In),
		scene.LengthWords(before, e.To-e.From),
		e.Law.Name(),
	)
	if _, out := before.Clip(e.Out); out != nil && out.End() > e.To {
		words += fmt.Sprintf("; tail of %s %s shorter", out.Name, scene.LengthWords(before, out.End()-e.To))
	}
	if _, in := before.Clip(e.In); in != nil && in.Start < e.From {
		words += fmt.Sprintf("; head of %s %s shorter", in.Name, scene.LengthWords(before, e.From-in.Start))
	}
	return words
}

// RemovePair takes a pair apart: the clips overlap still, without fades.
type RemovePair struct {
	Out scene.ClipID `json:"out"`
	In  scene.ClipID `json:"in"`
}

func (e *RemovePair) apply(d *draft) error {
	i := slices.IndexFunc(d.Pairs, func(p scene.Pair) bool { return p.Out == e.Out && p.In == e.In })
	if i < 0 {
		return notPossible("%s and %s are no pair.", scene.ClipName(d.Scene, e.Out), scene.ClipName(d.Scene, e.In))
	}
	_, out, err := d.open(e.Out)
	if err != nil {
		return err
	}
	_, in, err := d.open(e.In)
	if err != nil {
		return err
	}
	out.FadeOut, in.FadeIn = scene.Fade{}, scene.Fade{}
	d.Pairs = slices.Delete(slices.Clone(d.Pairs), i, i+1)
	return nil
}

func (e *RemovePair) words(before, after *scene.Scene) string {
	return fmt.Sprintf("fades between %s and %s taken off", scene.ClipName(before, e.Out), scene.ClipName(before, e.In))
}
