package scene

import (
	"fmt"
	"slices"

	"blendseam/core/blend"
	"blendseam/core/pcm"
)

// A Style is a blend by name: its law, its shapes, its length in frames or in milliseconds, and its lean from -1, all
// before the cut, to 1, all after it.
type Style struct {
	Name     string       `json:"name"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"`
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
	Frames   float64      `json:"frames,omitempty"`
	MS       float64      `json:"ms,omitempty"`
	Lean     float64      `json:"lean"`
	Default  bool         `json:"default,omitempty"`
}

// Check says what is wrong with a style.
func (st Style) Check() error {
	if err := checkLaw(st.Law, st.CurveOut, st.CurveIn); err != nil {
		return err
	}
	switch {
	case st.Name == "" || len(st.Name) > 80:
		return fmt.Errorf("a blend needs a name of at most 80 letters")
	case (st.Frames > 0) == (st.MS > 0) || st.Frames < 0 || st.MS < 0 || st.Frames > 10000 || st.MS > 600000:
		return fmt.Errorf("the blend %s needs a length in frames or in milliseconds, above 0", st.Name)
	case st.Lean < -1 || st.Lean > 1 || st.Lean != st.Lean:
		return fmt.Errorf("the lean of the blend %s lies between -1 and 1", st.Name)
	}
	return nil
}

// Halves are how far a blend of the style reaches before and after a cut, in samples.
func (st Style) Halves(s *Scene) (before, after int64) {
	n := int64(st.MS*float64(s.SampleRate)/1000 + 0.5)
	if st.Frames > 0 {
		n = int64(st.Frames*float64(s.SampleRate)/s.Rate.Float() + 0.5)
	}
	after = int64(float64(n)*(1+st.Lean)/2 + 0.5)
	return n - after, after
}

// A Planned is what applying a style would do at one cut.
type Planned struct {
	Left  ClipID `json:"left"`
	Right ClipID `json:"right"`
	At    int64  `json:"at"`
	TC    string `json:"tc"`
	Track string `json:"track"`
	Cut   string `json:"cut"`
	Will  string `json:"will"` // done, shortened, refused
	Words string `json:"words"`
	Edit  *Wire  `json:"edit,omitempty"`
}

// Which cuts a plan is about.
const (
	EveryCut  = "every"   // all, blended or not
	PlainCuts = "plain"   // those without a blend
	Blended   = "blended" // those with one
	TakeOff   = "off"     // those with one, which is taken off
)

// Plan says what applying a style to the cuts of a span would do, on some tracks or on all, one cut after the other;
// nothing is changed.
func Plan(s *Scene, st Style, span pcm.Span, tracks []TrackID, which string) (list []Planned) {
	now := s
	for _, t := range s.Tracks {
		if t.Kind != Sound || len(tracks) > 0 && !slices.Contains(tracks, t.ID) {
			continue
		}
		for i := range t.Clips {
			if !t.Touches(i) || !span.Contains(t.Clips[i+1].Start) {
				continue
			}
			left, right := t.Clips[i], t.Clips[i+1]
			had := t.Blend(left.ID, right.ID) != nil
			if which == PlainCuts && had || (which == Blended || which == TakeOff) && !had {
				continue
			}
			p := Planned{
				Left:  left.ID,
				Right: right.ID,
				At:    right.Start,
				TC:    s.Timecode(right.Start),
				Track: t.Name,
				Cut:   left.Name + " to " + right.Name,
			}
			p.plan(now, st, which == TakeOff)
			if p.Edit != nil {
				next, err := Apply(now, p.Edit.Edit)
				if err != nil {
					p.Edit, p.Will, p.Words = nil, "refused", Message(err)
				} else {
					now = next
				}
			}
			list = append(list, p)
		}
	}
	slices.SortStableFunc(list, func(a, b Planned) int { return int(a.At - b.At) })
	return list
}

func (p *Planned) plan(s *Scene, st Style, off bool) {
	if off {
		p.Will, p.Words, p.Edit = "done", "its blend is taken off", &Wire{&RemoveBlend{Left: p.Left, Right: p.Right}}
		return
	}
	t, left := s.Clip(p.Left)
	_, right := s.Clip(p.Right)
	if t.Locked {
		p.Will, p.Words = "refused", "track "+t.Name+" is locked"
		return
	}
	reachBefore, reachAfter := s.Reach(t, *left, *right)
	wantBefore, wantAfter := st.Halves(s)
	before, after := min(wantBefore, reachBefore), min(wantAfter, reachAfter)
	short := ""
	if before < wantBefore {
		short = fmt.Sprintf("%s reaches only %s before the cut", right.Name, lengthWords(s, reachBefore))
	}
	if after < wantAfter {
		if short != "" {
			short += " and "
		}
		short += fmt.Sprintf("%s only %s after it", left.Name, lengthWords(s, reachAfter))
	}
	switch {
	case before+after <= 0:
		p.Will, p.Words = "refused", short+": without handles there is no blend"
		return
	case short != "":
		p.Will, p.Words = "shortened", fmt.Sprintf("%s: %s", lengthWords(s, before+after), short)
	default:
		p.Will, p.Words = "done", lengthWords(s, before+after)
	}
	p.Edit = &Wire{
		&SetBlend{
			Left:     p.Left,
			Right:    p.Right,
			Before:   before,
			After:    after,
			Law:      st.Law,
			CurveOut: st.CurveOut,
			CurveIn:  st.CurveIn,
		},
	}
}
