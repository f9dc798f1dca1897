package blending

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
)

type curve = blend.Curve

// A Hand is what an editor has in hand when asking for a blend: clips, edges of clips, or else a span of some tracks,
// of all if none are named.
type Selection struct {
	Clips  []scene.ClipID  `json:"clips"`
	Edges  []scene.Edge    `json:"edges"`
	Span   pcm.Span        `json:"span"`
	Tracks []scene.TrackID `json:"tracks"`
	// Long asks for twice the length: 6 s in music
	Long bool `json:"long,omitempty"`
}

// InHand returns what one key does with what is in hand:
//   - clips: a blend on each cut between two of them; of one clip, on each cut at its ends;
//   - edges: a blend where two clips touch;
//   - a span: a blend that fills it where it holds one cut of a track, the style's own where it holds several.
//
// At a gap between two clips in hand there are choices. An edge at which nothing touches gets a fade, as long as the
// style or as the part of the span within the clip; of several clips in hand none is faded.
func InHand(s *scene.Scene, st scene.Style, h Selection) []Planned { return BySound(s, st, h, nil) }

// Blends follow what they blend (common practice, no source): music takes its time, and so do effects into a voice.
const (
	musicMS = 3000
	voiceMS = 1000
)

// BySound is InHand with lengths that follow the sound where the style is the one that nobody chose: 3 s in music, 1 s
// on a track of effects where one side is a voice and the other is not. of gives what a recording is; nil is InHand. A
// span is filled as it is.
func BySound(s *scene.Scene, st scene.Style, h Selection, of func(source string) scene.Purpose) []Planned {
	p := &planner{now: s, style: st, of: of, times: 1}
	if h.Long {
		p.times, p.style.Frames, p.style.MS = 2, 2*st.Frames, 2*st.MS
	}
	switch {
	case len(h.Clips) == 1:
		p.oneClip(h.Clips[0])
	case len(h.Clips) > 1:
		p.clips(h.Clips)
	case len(h.Edges) > 0:
		for _, e := range h.Edges {
			p.edge(e)
		}
	case h.Span.Len() > 0:
		for _, t := range sounding(s, h.Tracks) {
			p.span(t, h.Span)
		}
	}
	return p.inOrder()
}

func (p *planner) clips(ids []scene.ClipID) {
	for _, t := range sounding(p.now, nil) {
		for i := 0; i+1 < len(t.Clips); i++ {
			if slices.Contains(ids, t.Clips[i].ID) && slices.Contains(ids, t.Clips[i+1].ID) {
				p.between(t, i)
			}
		}
	}
}

// between plans what is behind clip i: a blend on a cut, choices at a gap.
func (p *planner) between(t *scene.Track, i int) {
	if !t.Touches(i) {
		p.gap(t, i)
		return
	}
	st, why := p.usual(t, i)
	before, after := st.Halves(p.now)
	p.blend(t, i, before, after)
	if x := &p.list[len(p.list)-1]; why != "" && (x.Will == Done || x.Will == Shortened) {
		x.Words += ", " + why
	}
}

// usual is the style that the cut behind clip i gets by its sound, and why it is another than the planner's.
func (p *planner) usual(t *scene.Track, i int) (st scene.Style, why string) {
	st = p.style
	if p.of == nil {
		return st, ""
	}
	switch t.Purpose {
	case scene.ForMusic:
		st.Frames, st.MS, why = 0, p.times*musicMS, "as long as music takes"
	case scene.ForEffects:
		left, right := p.of(t.Clips[i].Source) == scene.ForDialogue, p.of(t.Clips[i+1].Source) == scene.ForDialogue
		if left != right {
			st.Frames, st.MS, why = 0, p.times*voiceMS, "as one side is a voice and the other is not"
		}
	}
	return st, why
}

// oneClip plans blends at both ends of a clip where it touches another, or fades if it touches none.
func (p *planner) oneClip(id scene.ClipID) {
	ti, i, ok := p.now.Find(id)
	if !ok || p.now.Tracks[ti].Kind != scene.Sound {
		return
	}
	t := p.now.Tracks[ti]
	if !t.Touches(i-1) && !t.Touches(i) {
		p.edge(scene.Edge{Right: id})
		p.edge(scene.Edge{Left: id})
		return
	}
	for _, at := range []int{i - 1, i} {
		if t.Touches(at) {
			p.between(t, at)
		}
	}
}

// edge plans a blend where an edge is a cut, a fade where nothing touches it.
func (p *planner) edge(e scene.Edge) {
	id, side := e.Left, scene.Tail
	if id == "" {
		id, side = e.Right, scene.Head
	}
	ti, i, ok := p.now.Find(id)
	if !ok || p.now.Tracks[ti].Kind != scene.Sound {
		return
	}
	t := p.now.Tracks[ti]
	at := i
	if side == scene.Head {
		at = i - 1
	}
	if t.Touches(at) {
		p.between(t, at)
		return
	}
	before, after := p.style.Halves(p.now)
	p.fade(t, i, side, before+after)
}

// fade plans a fade at a free end of clip i.
func (p *planner) fade(t *scene.Track, i int, side scene.Side, length int64) {
	c, s := t.Clips[i], p.now
	x := Planned{Right: c.ID, At: c.Start, Track: t.Name, Cut: "head of " + c.Name, Will: Done}
	had := c.FadeIn
	if side == scene.Tail {
		x.Left, x.Right, x.At, x.Cut, had = c.ID, "", c.End(), "tail of "+c.Name, c.FadeOut
	}
	x.TC = s.Timecode(x.At)
	length = min(length, c.Length)
	e := &edit.FadeEdge{Clip: c.ID, Edge: side, Length: length, Curve: curve{Shape: blend.QuarterSine}}
	x.Words = "fade over " + scene.LengthWords(s, length)
	if had.Length > 0 {
		if had.Length == length && had.Curve == e.Curve {
			x.Will, x.Words = There, "this fade is there already"
		} else {
			x.Had = "fade over " + scene.LengthWords(s, had.Length)
		}
	}
	p.add(x, e)
}

// span plans what lies in a span of a track.
func (p *planner) span(t *scene.Track, span pcm.Span) {
	var cuts, gaps []int
	for i := range t.Clips {
		switch {
		case t.Touches(i):
			if at := t.Clips[i].End(); span.From < at && at < span.To {
				cuts = append(cuts, i)
			}
		case i+1 < len(t.Clips) && span.From <= t.Clips[i].End() && t.Clips[i+1].Start <= span.To:
			gaps = append(gaps, i)
		}
	}
	if len(cuts) == 1 && len(gaps) == 0 {
		at := t.Clips[cuts[0]].End()
		p.blend(t, cuts[0], at-span.From, span.To-at)
		return
	}
	for _, i := range slices.Concat(cuts, gaps) {
		p.between(t, i)
	}
	if len(cuts)+len(gaps) > 0 {
		return
	}
	for i, c := range t.Clips { // ends at which nothing touches
		if !t.Touches(i-1) && span.From <= c.Start && c.Start < span.To {
			p.fade(t, i, scene.Head, span.To-c.Start)
		}
		if !t.Touches(i) && span.From < c.End() && c.End() <= span.To {
			p.fade(t, i, scene.Tail, c.End()-span.From)
		}
	}
}

// gap offers what would bring the clips on both sides of the gap behind clip i together: closing up, or drawing both
// out by their handles. Each is tried; what the scene refuses is not offered.
func (p *planner) gap(t *scene.Track, i int) {
	x, s := p.at(t, i), p.now
	left, right := t.Clips[i], t.Clips[i+1]
	x.At, x.TC = left.End(), s.Timecode(left.End())
	x.Will, x.Words = Gap, fmt.Sprintf("gap of %s", scene.LengthWords(s, right.Start-left.End()))
	closed := &edit.CloseGap{Track: t.ID, At: left.End()}
	p.offer(&x, "close up and blend", closed)
	if e := p.drawnOut(t, i); e != nil {
		p.offer(&x, "draw both out by their handles and blend", e)
	}
	p.list = append(p.list, x)
}

// drawnOut returns the edit that draws both clips out until they touch within the gap behind clip i, as near its
// middle as the handles allow; nil if they do not reach.
func (p *planner) drawnOut(t *scene.Track, i int) edit.Edit {
	s, left, right := p.now, t.Clips[i], t.Clips[i+1]
	_, after := s.Handles(t, left)
	before, _ := s.Handles(t, right)
	gap := right.Start - left.End()
	if before+after < gap {
		return nil
	}
	by := min(max(gap/2, gap-before), after)
	to := left.End() + by
	if at := s.Rate.SampleOf(s.Rate.Nearest(to, s.SampleRate), s.SampleRate); at >= right.Start-before &&
		at <= left.End()+after && at >= left.End() && at <= right.Start {
		to = at // on a frame, as picture may follow
	}
	var list []edit.Edit
	if to != left.End() {
		list = append(list, &edit.Trim{Clip: left.ID, Edge: scene.Tail, To: to})
	}
	if to != right.Start {
		list = append(list, &edit.Trim{Clip: right.ID, Edge: scene.Head, To: to})
	}
	return edit.NewBatch("", list...)
}

// offer adds a choice that first does e, and then blends the cut that this makes.
func (p *planner) offer(x *Planned, words string, e edit.Edit) {
	next, err := edit.Apply(p.now, e)
	if err != nil {
		return
	}
	then := &planner{now: next, style: p.style}
	then.edge(scene.Edge{Left: x.Left})
	if len(then.list) != 1 || then.list[0].Edit == nil {
		return
	}
	both := edit.NewBatch(x.Cut+": "+words, e, then.list[0].Edit.Edit)
	if _, err := edit.Apply(p.now, both); err == nil {
		x.Choices = append(x.Choices, edit.Alternative{Words: words + ", " + then.list[0].Words, Edit: both})
	}
}
