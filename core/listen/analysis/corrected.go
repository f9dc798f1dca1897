package analysis

import (
	"slices"

	"blendseam/core/listen/noiseevent"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Correction is what somebody says that a stretch of the recording holds.
type Correction struct {
	Span pcm.Span
	Kind speech.Kind
}

// Corrected is the analysis as people say it is. What they call a pause has no words any more, what they call a word, a
// breath or another sound is no room, and no stray sound lies in what they call a word or a breath.
func (a *Recording) Corrected(list []Correction) *Recording {
	if len(list) == 0 {
		return a
	}
	out := *a
	out.Stretches = slices.Clone(a.Stretches)
	out.Quiets = slices.Clone(a.Quiets)
	for _, c := range list {
		out.Stretches = without(out.Stretches, c.Span)
		if c.Kind == Pause {
			continue
		}
		out.Stretches = append(out.Stretches, speech.Part{Kind: c.Kind, Span: c.Span, PeakDB: a.peakOf(c.Span), Sure: 1})
		var quiets []tone.Quiet
		for _, q := range out.Quiets {
			for _, rest := range apart(q.Span, c.Span) {
				if rest.Len() >= int64(a.Rate)*leastQuietMS/1000 {
					part := q
					part.Span = rest
					quiets = append(quiets, part)
				}
			}
		}
		out.Quiets = quiets
	}
	slices.SortStableFunc(out.Stretches, func(x, y speech.Part) int { return int(x.Span.From - y.Span.From) })
	out.Strays = slices.DeleteFunc(slices.Clone(a.Strays), func(s noiseevent.Event) bool {
		return slices.ContainsFunc(list, func(c Correction) bool {
			return (c.Kind == speech.Word || c.Kind == speech.Breath) && c.Span.Overlaps(s.Lull)
		})
	})
	return &out
}

// peakOf is the level of the loudest 20 ms of a span, dBFS.
func (a *Recording) peakOf(s pcm.Span) float64 {
	f, err := a.Frames(s)
	if err != nil || f.Count == 0 {
		return a.Floor.DB
	}
	return level.OfPower(float64(slices.Max(f.Level)))
}

// apart is what is left of a span without another.
func apart(s, without pcm.Span) (list []pcm.Span) {
	for _, rest := range []pcm.Span{
		{From: s.From, To: min(s.To, without.From)}, {From: max(s.From, without.To), To: s.To},
	} {
		if !rest.Empty() {
			list = append(list, rest)
		}
	}
	if !s.Overlaps(without) {
		return []pcm.Span{s}
	}
	return list
}

// without are the parts of words, breaths and sounds that a span leaves.
func without(list []speech.Part, span pcm.Span) (out []speech.Part) {
	for _, p := range list {
		for _, rest := range apart(p.Span, span) {
			left := p
			left.Span, left.Voiced = rest, p.Voiced.Intersect(rest)
			out = append(out, left)
		}
	}
	return out
}
