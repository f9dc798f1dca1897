package scene

import (
	"fmt"
	"slices"

	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
)

// A Pair is a crossfade between clips of two tracks: while both sound, from the head of In to the tail of Out, one
// fades out and the other in, as one. The fades of the clips have its length for as long as it lasts.
type Pair struct {
	Out      ClipID       `json:"out"`
	In       ClipID       `json:"in"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
}

// Gains gives both sides' gains at x, 0..1, for sides of correlation r.
func (p Pair) Gains(x, r float64) (out, in float64) {
	return Blend{Law: p.Law, CurveOut: p.CurveOut, CurveIn: p.CurveIn}.Gains(x, r)
}

// Overlap is where both clips of a pair sound; ok is false if they are gone or do not overlap in the way of a pair.
func (s *Scene) Overlap(p Pair) (span pcm.Span, ok bool) {
	to, out := s.Clip(p.Out)
	ti, in := s.Clip(p.In)
	if out == nil || in == nil || to == ti || to.Kind != Sound || ti.Kind != Sound {
		return span, false
	}
	span = pcm.Span{From: in.Start, To: out.End()}
	return span, out.Start < span.From && span.From < span.To && span.To < in.End()
}

// PairAt gives the pair that a clip's tail (as Out) or head (as In) is part of, nil if there is none.
func (s *Scene) PairAt(clip ClipID, tail bool) *Pair {
	for i, p := range s.Pairs {
		if tail && p.Out == clip || !tail && p.In == clip {
			return &s.Pairs[i]
		}
	}
	return nil
}

// Fade is the shape that comes nearest to a side of a pair, for the clip's own fade.
func (p Pair) Fade(own *blend.Curve) blend.Curve {
	switch {
	case own != nil:
		return *own
	case p.Law == blend.ConstantGain:
		return blend.Curve{Shape: blend.Straight}
	}
	return blend.Curve{Shape: blend.QuarterSine}
}

// SetPair lets one clip fade out while another, of another track, fades in, from one moment to another, or changes
// the pair that they are. Edges move there, with what handles the recordings have.
type SetPair struct {
	Out      ClipID       `json:"out"`
	In       ClipID       `json:"in"`
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
	case to.Kind != Sound || ti.Kind != Sound:
		return notPossible("A pair is for sound; choose two clips of sound on two tracks.")
	}
	if err := checkLaw(e.Law, e.CurveOut, e.CurveIn); err != nil {
		return err
	}
	if e.From >= e.To || e.From <= out.Start || e.To >= in.End() {
		return notPossible(
			"The pair would have to begin behind the head of %s, end before the tail of %s, and have a length.",
			out.Name,
			in.Name,
		)
	}
	if _, b := to.blendsOf(e.Out); b != nil {
		r := notPossible("The tail of %s is blended with its neighbour.", out.Name)
		d.suggest(&r.options, "take that blend off and pair them", NewBatch("", &RemoveBlend{b.Left, b.Right}, e))
		return r
	}
	if b, _ := ti.blendsOf(e.In); b != nil {
		r := notPossible("The head of %s is blended with its neighbour.", in.Name)
		d.suggest(&r.options, "take that blend off and pair them", NewBatch("", &RemoveBlend{b.Left, b.Right}, e))
		return r
	}
	out.FadeOut, in.FadeIn = Fade{}, Fade{}
	if out.End() != e.To {
		if err := (&Trim{Clip: e.Out, Edge: Tail, To: e.To, Alone: true}).apply(d); err != nil {
			return err
		}
	}
	if in.Start != e.From {
		if err := (&Trim{Clip: e.In, Edge: Head, To: e.From, Alone: true}).apply(d); err != nil {
			return err
		}
	}
	now := Pair{Out: e.Out, In: e.In, Law: e.Law, CurveOut: e.CurveOut, CurveIn: e.CurveIn}
	pairs := slices.DeleteFunc(slices.Clone(d.Pairs), func(p Pair) bool { return p.Out == e.Out || p.In == e.In })
	d.Pairs = append(pairs, now)
	_, out, _ = d.open(e.Out)
	_, in, _ = d.open(e.In)
	if n := e.To - e.From; n > out.Length-out.FadeIn.Length || n > in.Length-in.FadeOut.Length {
		return notPossible(
			"The fades at the other ends of %s and %s leave no room for %s.",
			out.Name,
			in.Name,
			LengthWords(d.Scene, n),
		)
	}
	return nil
}

// fitPairs gives the clips of pairs fades as long as they overlap, and drops pairs that do not overlap any more.
func (d *draft) fitPairs() {
	if len(d.Pairs) == 0 {
		return
	}
	kept := make([]Pair, 0, len(d.Pairs))
	for _, p := range d.Pairs {
		span, ok := d.Overlap(p)
		if !ok {
			continue
		}
		to, out := d.Clip(p.Out)
		ti, in := d.Clip(p.In)
		_, tail := to.blendsOf(p.Out)
		head, _ := ti.blendsOf(p.In)
		if n := span.Len(); tail != nil || head != nil || n > out.Length-out.FadeIn.Length ||
			n > in.Length-in.FadeOut.Length {
			continue
		}
		kept = append(kept, p)
		fadeOut, fadeIn := Fade{span.Len(), p.Fade(p.CurveOut)}, Fade{span.Len(), p.Fade(p.CurveIn)}
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

func (e *SetPair) words(before, after *Scene) string {
	words := fmt.Sprintf(
		"%s goes over into %s on another track within %s, %s",
		nameOf(before, e.Out),
		nameOf(before, e.In),
		LengthWords(before, e.To-e.From),
		e.Law.Name(),
	)
	if _, out := before.Clip(e.Out); out != nil && out.End() > e.To {
		words += fmt.Sprintf("; tail of %s %s shorter", out.Name, LengthWords(before, out.End()-e.To))
	}
	if _, in := before.Clip(e.In); in != nil && in.Start < e.From {
		words += fmt.Sprintf("; head of %s %s shorter", in.Name, LengthWords(before, e.From-in.Start))
	}
	return words
}

// RemovePair takes a pair apart: the clips overlap still, without fades.
type RemovePair struct {
	Out ClipID `json:"out"`
	In  ClipID `json:"in"`
}

func (e *RemovePair) apply(d *draft) error {
	i := slices.IndexFunc(d.Pairs, func(p Pair) bool { return p.Out == e.Out && p.In == e.In })
	if i < 0 {
		return notPossible("%s and %s are no pair.", nameOf(d.Scene, e.Out), nameOf(d.Scene, e.In))
	}
	_, out, err := d.open(e.Out)
	if err != nil {
		return err
	}
	_, in, err := d.open(e.In)
	if err != nil {
		return err
	}
	out.FadeOut, in.FadeIn = Fade{}, Fade{}
	d.Pairs = slices.Delete(slices.Clone(d.Pairs), i, i+1)
	return nil
}

func (e *RemovePair) words(before, after *Scene) string {
	return fmt.Sprintf("fades between %s and %s taken off", nameOf(before, e.Out), nameOf(before, e.In))
}
