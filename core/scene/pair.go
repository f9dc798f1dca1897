package scene

import (
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
