// Package blending plans blends by name: on every cut of a span, or on what an editor has in hand. A plan says what
// would be done, shortened or refused, and carries the edits; it changes nothing.
package blending

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// A Planned is what applying a blend would do at one cut, gap or free edge.
type Planned struct {
	Left    scene.ClipID       `json:"left"`
	Right   scene.ClipID       `json:"right"`
	At      int64              `json:"at"`
	TC      string             `json:"tc"`
	Track   string             `json:"track"`
	Cut     string             `json:"cut"`
	Will    Outcome            `json:"will"`
	Words   string             `json:"words"`
	Had     string             `json:"had"` // the blend or fade that would be replaced, in words; "" if there is none
	Edit    *edit.Wire         `json:"edit,omitempty"`
	Choices []edit.Alternative `json:"choices,omitempty"` // what would work at a gap
}

// Outcome is what applying a blend would do at one place.
type Outcome string

const (
	Done      Outcome = "done"
	Shortened Outcome = "shortened" // to what the handles have
	Refused   Outcome = "refused"
	There     Outcome = "there" // nothing, for it is as asked
	Gap       Outcome = "gap"   // nothing before one of the choices is taken
)

// Which cuts a plan is about.
const (
	EveryCut  = "every"   // all, blended or not
	PlainCuts = "plain"   // those without a blend
	Blended   = "blended" // those with one
	TakeOff   = "off"     // those with one, which is taken off
)

// Plan returns what applying a style to the cuts of a span would do, on some tracks or on all, one cut after the other.
func Plan(s *scene.Scene, st scene.Style, span pcm.Span, tracks []scene.TrackID, which string) []Planned {
	p := &planner{now: s, style: st}
	for _, t := range sounding(s, tracks) {
		for i := range t.Clips {
			if !t.Touches(i) || !span.Contains(t.Clips[i+1].Start) {
				continue
			}
			had := t.Blend(t.Clips[i].ID, t.Clips[i+1].ID) != nil
			if which == PlainCuts && had || (which == Blended || which == TakeOff) && !had {
				continue
			}
			if which == TakeOff {
				p.off(t, i)
			} else {
				before, after := st.Halves(s)
				p.blend(t, i, before, after)
			}
		}
	}
	return p.inOrder()
}

// sounding returns the sound tracks of a scene, or those of them that are named.
func sounding(s *scene.Scene, tracks []scene.TrackID) (list []*scene.Track) {
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound && (len(tracks) == 0 || slices.Contains(tracks, t.ID)) {
			list = append(list, t)
		}
	}
	return list
}

// A planner tries one edit after the other on the scene as those before have left it.
type planner struct {
	now   *scene.Scene
	style scene.Style
	of    func(source string) scene.Purpose // what a recording is, where lengths follow it
	list  []Planned
	times float64 // as long as usual
}

func (p *planner) inOrder() []Planned {
	slices.SortStableFunc(p.list, func(a, b Planned) int { return cmp.Compare(a.At, b.At) })
	return p.list
}

// add tries what is planned, and keeps it with why it is refused if it is.
func (p *planner) add(x Planned, e edit.Edit) {
	if x.Will == Done || x.Will == Shortened {
		next, err := edit.Apply(p.now, e)
		if err != nil {
			x.Will, x.Words = Refused, edit.Message(err)
		} else {
			p.now, x.Edit = next, &edit.Wire{Edit: e}
		}
	}
	p.list = append(p.list, x)
}

// at begins what is planned at the cut or the gap behind clip i of a track.
func (p *planner) at(t *scene.Track, i int) Planned {
	left, right := t.Clips[i], t.Clips[i+1]
	return Planned{
		Left:  left.ID,
		Right: right.ID,
		At:    right.Start,
		TC:    p.now.Timecode(right.Start),
		Track: t.Name,
		Cut:   left.Name + " to " + right.Name,
	}
}

func (p *planner) off(t *scene.Track, i int) {
	x := p.at(t, i)
	x.Will, x.Words = Done, "its blend is taken off"
	p.add(x, &edit.RemoveBlend{Left: x.Left, Right: x.Right})
}

// blend plans a blend that reaches before and after the cut behind clip i, as far as handles go.
func (p *planner) blend(t *scene.Track, i int, wantBefore, wantAfter int64) {
	x, s := p.at(t, i), p.now
	if t.Locked {
		x.Will, x.Words = Refused, "track "+t.Name+" is locked"
		p.list = append(p.list, x)
		return
	}
	left, right := t.Clips[i], t.Clips[i+1]
	reachBefore, reachAfter := s.Reach(s.Track(t.ID), left, right)
	before, after := min(wantBefore, reachBefore), min(wantAfter, reachAfter)
	short := ""
	if before < wantBefore {
		short = fmt.Sprintf("%s reaches only %s before the cut", right.Name, scene.LengthWords(s, reachBefore))
	}
	if after < wantAfter {
		if short != "" {
			short += " and "
		}
		short += fmt.Sprintf("%s only %s after it", left.Name, scene.LengthWords(s, reachAfter))
	}
	switch {
	case before+after <= 0:
		x.Will, x.Words = Refused, short+": without handles there is no blend"
	case short != "":
		x.Will, x.Words = Shortened, fmt.Sprintf("%s: %s", scene.LengthWords(s, before+after), short)
	default:
		x.Will, x.Words = Done, scene.LengthWords(s, before+after)
	}
	e := &edit.SetBlend{Left: x.Left, Right: x.Right, Before: before, After: after, Law: p.style.Law,
		CurveOut: p.style.CurveOut, CurveIn: p.style.CurveIn}
	if b := t.Blend(left.ID, right.ID); b != nil {
		if like(b, e) {
			x.Will, x.Words = There, "this blend is there already"
		} else {
			x.Had = fmt.Sprintf("%s, %s", scene.LengthWords(s, b.Before+b.After), b.Law.Name())
		}
	}
	p.add(x, e)
}

// like tells whether a blend is as an edit would make it.
func like(b *scene.Blend, e *edit.SetBlend) bool {
	same := func(a, b *curve) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }
	return b.Before == e.Before && b.After == e.After && b.Law == e.Law && same(b.CurveOut, e.CurveOut) &&
		same(b.CurveIn, e.CurveIn)
}
