package analysis

import (
	"slices"

	"blendseam/core/listen/noiseevent"
	"blendseam/core/listen/speech"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// A timed store has a recording's frames as they lie when it is fitted: at each moment the one of the moment that
// sounds there, for what is fitted keeps its spectrum.
type timed struct {
	frameStore
	fit  *timing.Fit
	hop  int64
	most int64 // frames of the recording
}

func (t *timed) read(first int64, count int) (Frames, error) {
	from := make([]int64, count) // the frame of the recording for each
	for i := range from {
		from[i] = max(0, min(t.most-1, (t.fit.Back((first+int64(i))*t.hop)+t.hop/2)/t.hop))
	}
	out := newFrames(first, count, t.hop)
	if count == 0 || t.most == 0 {
		return out, nil
	}
	low, high := slices.Min(from), slices.Max(from)
	in, err := t.frameStore.read(low, int(high-low)+1)
	if err != nil {
		return out, err
	}
	for i, k := range from {
		k -= low
		copy(out.Of(i), in.Of(int(k)))
		out.Level[i], out.Loud[i] = in.Level[k], in.Loud[k]
	}
	return out, nil
}

// Timed is the analysis of the recording as it is fitted: all that was found in it lies where it sounds then.
func (a *Recording) Timed(f *timing.Fit) *Recording {
	out := *a
	out.Length = f.Len(a.Length)
	out.frames = &timed{a.frames, f, hopOf(a.Rate), framesIn(a.Length, a.Rate)}
	over := f.ForwardSpan
	out.Stretches, out.Quiets, out.Strays = []speech.Part{}, []tone.Quiet{}, []noiseevent.Event{}
	for _, p := range a.Stretches {
		p.Span, p.Voiced = over(p.Span), over(p.Voiced)
		out.Stretches = append(out.Stretches, p)
	}
	for _, q := range a.Quiets {
		if q.Span = over(q.Span); q.Span.Len() >= int64(a.Rate)*leastQuietMS/1000 {
			out.Quiets = append(out.Quiets, q)
		}
	}
	for _, x := range a.Strays {
		x.Span, x.Lull = over(x.Span), over(x.Lull)
		if f.Reversed > 0 {
			x.FadeIn, x.FadeOut = x.FadeOut, x.FadeIn
		}
		x.FadeIn, x.FadeOut = min(x.FadeIn, x.Lull.Len()/2), min(x.FadeOut, x.Lull.Len()/2)
		out.Strays = append(out.Strays, x)
	}
	if f.Reversed > 0 {
		slices.Reverse(out.Stretches)
		slices.Reverse(out.Quiets)
		slices.Reverse(out.Strays)
	}
	if out.HumAt = over(a.HumAt); out.HumAt.Empty() {
		out.HumAt = pcm.Span{}
	}
	return &out
}
