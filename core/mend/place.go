package mend

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Place is a moment to which the sound's cut could move.
type Place struct {
	At          int64     `json:"at"`   // sample of the scene
	Slip        int64     `json:"slip"` // samples by which the incoming recording is shown from later on
	Correlation float64   `json:"correlation"`
	JumpDB      float64   `json:"jump_db"` // of the wave there, against its level around
	Fade        bool      `json:"fade"`    // the sides are not alike: only a fade hides the cut
	Length      int64     `json:"length"`  // of the blend that it needs, samples
	Reasons     []string  `json:"reasons"`
	Edit        edit.Wire `json:"edit"` // moves the sound's cut there, with the blend that it needs
	score       float64
}

// Places are what a search found.
type Places struct {
	List []Place `json:"places"` // the best first, five at most
	Kind string  `json:"kind"`   // one take, tonal, unlike
	Why  string  `json:"why"`
}

const (
	// sameTake is the correlation, over the whole search at the best offset, from which on two recordings hold one
	// take.
	sameTake = 0.6
	// alikeAfter is the correlation behind a place from which on a splice of a few milliseconds is enough.
	alikeAfter = 0.75
	// spliceMS is the length of such a splice.
	spliceMS = 4.0
	// apartMS is how far places lie from one another at least.
	apartMS = 12.0
	// afterMS is how long both sides are compared behind a place, beforeMS ahead of it.
	afterMS, beforeMS = 15.0, 5.0
)

// Places searches windowMS to both sides of a cut for moments at which both recordings run through the same value in
// the same direction and stay alike afterwards, the incoming one shown from up to half a frame earlier or later.
//
// The offset is where the recordings' cross-correlation over the whole window is largest. Where they are one take it
// holds for all places; else each stretch of 30 ms is tried with an offset of its own. At each sample the jump of value
// and of slope, against the level around, and the correlation from 5 ms before to 15 ms after are known from running
// sums. Places in pauses come before those in words, near ones before far ones.
func (m *Adviser) Places(ctx context.Context, s audit.Seam, windowMS float64) (p Places, err error) {
	if s.Kind != audit.Cut {
		return p, refuse.Errorf(
			"the seam at %s is no cut between two clips that touch, so there is no place to search for",
			m.Scene.Timecode(s.At),
		)
	}
	t := m.Scene.Track(s.Track)
	left, right := &t.Clips[s.Index()], &t.Clips[s.Index()+1]
	most := m.Scene.Rate.SampleOf(1, m.Scene.SampleRate) / 2
	window := m.Samples(windowMS)
	head, _ := m.Scene.Handles(t, *right)
	_, tail := m.Scene.Handles(t, *left)
	span := pcm.Span{From: s.At - min(window, head, left.Length-1), To: s.At + min(window, tail, right.Length-1)}
	if span.Len() < m.Samples(2) {
		p.List, p.Kind, p.Why = []Place{}, "unlike",
			"The recordings end at the cut: without handles there is no other place, and no blend. Pull the clips together, "+
				"or lay tone over the cut."
		return p, nil
	}
	f := &finder{Adviser: m, seam: s, span: span, most: most, pad: most + m.Samples(afterMS)}
	if err := f.read(ctx, left, right); err != nil {
		return p, err
	}
	return f.search(), nil
}

// A finder searches one seam.
type finder struct {
	*Adviser
	seam   audit.Seam
	span   pcm.Span // where cuts may be
	most   int64    // samples of offset to each side
	pad    int64    // samples read beyond the span
	l, r   []float64
	sounds [2]*meter.Surroundings
}

func (f *finder) read(ctx context.Context, left, right *scene.Clip) error {
	wide := pcm.Span{From: f.span.From - f.pad, To: f.span.To + f.pad}
	for i, c := range []*scene.Clip{left, right} {
		b, err := f.Raw(c, wide)
		if err != nil {
			return err
		}
		to := &f.l
		if i == 1 {
			to = &f.r
		}
		*to = measure.Mono(b)
		if f.sounds[i], err = audit.Beside(ctx, f.Meter, c, f.seam, i == 1); err != nil {
			return err
		}
	}
	return nil
}

// sums give the correlation of both sides over any stretch, for one offset.
type sums struct{ lr, ll, rr []float64 }

func (f *finder) sums(offset int64) sums {
	n := len(f.l)
	s := sums{make([]float64, n+1), make([]float64, n+1), make([]float64, n+1)}
	for i := range n {
		r := 0.0
		if k := int64(i) + offset; k >= 0 && k < int64(n) {
			r = f.r[k]
		}
		s.lr[i+1] = s.lr[i] + f.l[i]*r
		s.ll[i+1] = s.ll[i] + f.l[i]*f.l[i]
		s.rr[i+1] = s.rr[i] + r*r
	}
	return s
}

func (s sums) over(a, z int64) (correlation, level float64) {
	a, z = max(0, a), min(int64(len(s.lr)-1), z)
	ll, rr := s.ll[z]-s.ll[a], s.rr[z]-s.rr[a]
	if ll <= 1e-14 || rr <= 1e-14 {
		return 0, math.Sqrt(max(ll, rr, 0) / float64(max(1, z-a)))
	}
	return (s.lr[z] - s.lr[a]) / math.Sqrt(ll*rr), math.Sqrt((ll + rr) / 2 / float64(z-a))
}

func (f *finder) search() Places {
	inner := func(v []float64) []float64 { return v[f.pad-f.most : int64(len(v))-f.pad+f.most] }
	offset, alike := measure.BestOffset(inner(f.l), inner(f.r), int(f.most))
	var found []Place
	p := Places{
		Kind: "unlike",
		Why:  "The sides are not alike anywhere near the cut, so no place to splice was found: only a fade will hide it.",
	}
	if alike >= sameTake {
		p.Kind = "one take"
		p.Why = fmt.Sprintf("Both sides hold the same sound (likeness %.2f): a splice of %.0f ms is enough.", alike, spliceMS)
		found = f.along(int64(offset), f.span, f.sums(int64(offset)))
	} else {
		found = f.tonal()
		if len(found) > 0 {
			p.Kind = "tonal"
			p.Why = fmt.Sprintf("Both sides hold a like tone: where they run together a splice of %.0f ms is enough.", spliceMS)
		}
	}
	p.List = f.best(found)
	if len(p.List) == 0 {
		p.List = f.best(f.pauses())
	}
	if p.List == nil {
		p.List = []Place{}
	}
	return p
}

// along rates every sample of a stretch for one offset, and keeps the best of each apartMS.
func (f *finder) along(offset int64, span pcm.Span, s sums) (list []Place) {
	step := f.Samples(apartMS)
	for from := span.From; from < span.To; from += step {
		best := Place{score: math.Inf(-1)}
		for at := from; at < min(span.To, from+step); at++ {
			i := at - f.span.From + f.pad
			k := i + offset
			if i < 2 || k < 2 || k+1 >= int64(len(f.r)) {
				continue
			}
			correlation, loud := s.over(i-f.Samples(beforeMS), i+f.Samples(afterMS))
			if correlation < alikeAfter || loud == 0 {
				continue
			}
			// The wave goes on from l[i-1] with r[k]: the step should be the one that either side makes itself.
			jump := math.Abs(f.r[k]-(f.l[i-1]+(f.l[i]-f.l[i-1]+f.r[k]-f.r[k-1])/2)) / loud
			slope := math.Abs((f.r[k+1]-f.r[k])-(f.l[i-1]-f.l[i-2])) / loud
			score := 4*correlation - 3*jump - slope - 0.5*math.Abs(float64(at-f.seam.At))/float64(f.span.Len())
			if score > best.score {
				best = Place{
					At:          at,
					Slip:        offset,
					Correlation: correlation,
					JumpDB:      level.DB(jump),
					score:       score,
					Length:      f.Samples(spliceMS),
				}
			}
		}
		if best.score > math.Inf(-1) {
			list = append(list, best)
		}
	}
	return list
}

// tonal tries stretches of 30 ms with an offset of their own.
func (f *finder) tonal() (list []Place) {
	step := f.Samples(30)
	for from := f.span.From; from+step/2 < f.span.To; from += step {
		i := from - f.span.From + f.pad
		a, z := i-f.most, min(int64(len(f.l)), i+step+f.Samples(afterMS)+f.most)
		offset, alike := measure.BestOffset(f.l[a:z], f.r[a:z], int(f.most))
		if alike < alikeAfter {
			continue
		}
		span := pcm.Span{From: from, To: min(f.span.To, from+step)}
		list = append(list, f.along(int64(offset), span, f.sums(int64(offset)))...)
	}
	return list
}

// pauses are the quietest moments at which neither side has a word: where a fade hides best.
func (f *finder) pauses() (list []Place) {
	step := f.Samples(apartMS)
	s := f.sums(0)
	for at := f.span.From + step; at+step < f.span.To; at += step {
		i := at - f.span.From + f.pad
		correlation, loud := s.over(i-step, i+step)
		p := Place{
			At:          at,
			Correlation: correlation,
			Fade:        true,
			JumpDB:      0,
			score:       -level.DB(loud)/6 - 2*math.Abs(float64(at-f.seam.At))/float64(f.span.Len()),
			Length:      f.Samples(80),
		}
		list = append(list, p)
	}
	return list
}

// best ranks places and says why.
func (f *finder) best(list []Place) (out []Place) {
	for i := range list {
		p := &list[i]
		for side, r := range f.sounds {
			at := p.At
			if side == 1 {
				at += p.Slip
			}
			if _, in := r.WordAt(at); in {
				p.score -= 0.6
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Place) int { return cmp.Compare(b.score, a.score) })
	for _, p := range list {
		near := slices.ContainsFunc(out, func(o Place) bool { return max(o.At-p.At, p.At-o.At) < f.Samples(apartMS) })
		if near {
			continue
		}
		p.Reasons, p.Edit = f.reasons(p), edit.Wire{Edit: f.edit(p)}
		if out = append(out, p); len(out) == 5 {
			break
		}
	}
	return out
}

func (f *finder) reasons(p Place) (list []string) {
	say := func(format string, args ...any) { list = append(list, fmt.Sprintf(format, args...)) }
	if p.Fade {
		say("the sides are quiet here, and not alike (%.2f): fade over %.0f ms", p.Correlation, f.MS(p.Length))
	} else {
		say(
			"both run through the same value in the same direction, %.0f dB of jump, and stay alike for %.0f ms (%.2f)",
			p.JumpDB,
			afterMS,
			p.Correlation,
		)
	}
	_, out := f.sounds[0].WordAt(p.At)
	_, in := f.sounds[1].WordAt(p.At + p.Slip)
	switch {
	case out && in:
		say("inside a word on both sides")
	case out:
		say("inside a word of the outgoing side")
	case in:
		say("inside a word of the incoming side")
	default:
		say("in a pause")
	}
	if by := p.At - f.seam.At; by != 0 {
		say("the sound's cut moves %.0f ms %s", math.Abs(f.MS(by)), either(by < 0, "earlier", "later"))
	}
	if p.Slip != 0 {
		say("the incoming sound slips by %.1f ms, less than half a frame", f.MS(p.Slip))
	}
	return list
}

// Cut is the edit that moves the sound's cut to the place, plain.
func (p Place) Cut(s audit.Seam) *edit.PlaceCut {
	return &edit.PlaceCut{Left: s.Left, Right: s.Right, To: p.At, Slip: p.Slip}
}

// edit moves the sound's cut to a place, with the blend that it needs there.
func (f *finder) edit(p Place) edit.Edit {
	s, half := f.seam, (p.Length+1)/2
	law := blend.Matched
	switch {
	case p.Fade:
		law = blend.ConstantPower
	case p.Correlation > 0.9:
		law = blend.ConstantGain
	}
	var edits []edit.Edit
	if s.Blend {
		edits = append(edits, &edit.RemoveBlend{Left: s.Left, Right: s.Right})
	}
	if p.At != s.At || p.Slip != 0 {
		edits = append(edits, p.Cut(s))
	}
	edits = append(edits, &edit.SetBlend{Left: s.Left, Right: s.Right, Before: half, After: half, Law: law})
	ms := func(samples int64) string { return fmt.Sprintf("%.1f ms", math.Abs(f.MS(samples))) }
	words := fmt.Sprintf("sound's cut from %s to %s placed ", s.LeftName, s.RightName)
	if by := p.At - s.At; by == 0 {
		words += "where it is"
	} else {
		words += ms(by) + either(by < 0, " earlier", " later")
	}
	if p.Slip != 0 {
		words += fmt.Sprintf(", %s slipped by %s against its picture", s.RightName, ms(p.Slip))
	}
	return edit.NewBatch(words+", blend of "+ms(p.Length), edits...)
}
