// Package audit finds every seam of a scene, measures it in the sound as it is rendered and by what its recordings say
// of themselves, and says in words what would be heard there. It changes nothing and proposes nothing.
package audit

import (
	"cmp"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// Kind says what changes at a seam.
type Kind string

// The kinds of seam.
const (
	Cut      Kind = "cut"       // one clip goes over into the next
	GapStart Kind = "gap_start" // a clip ends and nothing follows at once
	GapEnd   Kind = "gap_end"   // a clip begins after nothing
	Fade     Kind = "fade"      // an edge, not at a cut, that is faded
	Head     Kind = "head"      // the first clip of a track begins
	Tail     Kind = "tail"      // the last clip of a track ends
	Lull     Kind = "lull"      // a stretch of a clip is turned down
)

// Verdict says how a seam will be heard.
type Verdict string

// The verdicts, best first.
const (
	Clean   Verdict = "clean"
	Audible Verdict = "audible"
	Rough   Verdict = "rough"
	Unknown Verdict = "unknown" // it cannot be judged; Why says why
)

// noPause is why a seam cannot be judged beside which somebody speaks all the time.
const noPause = "no pause to measure the background in"

// A SeamID names a seam by its kind and the clips that make it, as "cut:c3:c4": it stays while they do.
type SeamID string

// CutID names the seam at the cut between two clips.
func CutID(left, right scene.ClipID) SeamID { return SeamID("cut:" + left + ":" + right) }

// LullID names the seam that a clip's lull is.
func LullID(clip scene.ClipID, lull scene.LullID) SeamID {
	return SeamID("lull:" + string(clip) + ":" + string(lull))
}

// A Seam is a place where a track's sound changes.
type Seam struct {
	ID        SeamID        `json:"id"`
	Track     scene.TrackID `json:"track"`
	TrackName string        `json:"track_name"`
	Kind      Kind          `json:"kind"`
	At        int64         `json:"at"`   // sample
	From      int64         `json:"from"` // where the change begins
	To        int64         `json:"to"`   // and where it is over
	Left      scene.ClipID  `json:"left"` // ids and names of the clips, "" where there is none
	Right     scene.ClipID  `json:"right"`
	LeftName  string        `json:"left_name"`
	RightName string        `json:"right_name"`
	Blend     bool          `json:"blend"`
	Pair      bool          `json:"pair,omitempty"` // from a clip of this track over into one of another
	Lull      scene.LullID  `json:"lull,omitempty"` // its id; the clip is Left, the patch that fills it Right
	index     int           // of the left clip, else of the right one
	accepted  *scene.Accepted
}

// A Result is a seam measured and judged.
type Result struct {
	Seam     `tstype:",extends"`
	Measures Measures `json:"measures"`
	Verdict  Verdict  `json:"verdict"` // "" where it could not be measured
	Cause    Cause    `json:"cause"`
	Why      string   `json:"why"`
	Worst    float64  `json:"-"` // how bad its worst figure is: from 1 on audible, from 2 on rough
	unjudged string   // why it cannot be told whether the seam is clean, "" if it can
}

// Find gives all seams of the sound tracks of a scene, in order of time.
func Find(s *scene.Scene) []Seam {
	var list []Seam
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		blends := make(map[scene.ClipID]*scene.Blend, len(t.Blends)) // by left clip
		for i := range t.Blends {
			blends[t.Blends[i].Left] = &t.Blends[i]
		}
		for i := range t.Clips {
			list = seamsOf(list, s, t, i, blends[t.Clips[i].ID])
		}
	}
	slices.SortStableFunc(list, func(a, b Seam) int { return cmp.Compare(a.At, b.At) })
	return list
}

// seamsOf adds the seams of a clip: at its head, if no other clip touches it there, at its tail, and its lulls. b is
// the blend at its tail, nil if there is none.
func seamsOf(list []Seam, s *scene.Scene, t *scene.Track, i int, b *scene.Blend) []Seam {
	c := &t.Clips[i]
	patch := c.Fills != nil // its hole says how it is heard
	if p := s.PairAt(c.ID, false); !patch && (i == 0 || !t.Touches(i-1)) && p == nil {
		list = append(list, edge(t, i, true, i == 0))
	}
	if p := s.PairAt(c.ID, true); p != nil {
		list = append(list, pair(s, t, i, *p))
	} else if t.Touches(i) {
		list = append(list, cut(t, i, b))
	} else if !patch {
		list = append(list, edge(t, i, false, i+1 == len(t.Clips)))
	}
	for _, l := range c.Lulls {
		if span := c.LullSpan(l); !span.Empty() {
			list = append(list, lull(s, t, i, l))
		}
	}
	return list
}

// SeamsOf gives the seams of one clip of a scene: those of its head, its tail and its lulls, of which a cut is a seam
// of the clip ahead.
func SeamsOf(s *scene.Scene, clip scene.ClipID) []Seam {
	ti, ci, ok := s.Find(clip)
	if !ok || s.Tracks[ti].Kind != scene.Sound {
		return nil
	}
	t := s.Tracks[ti]
	var b *scene.Blend
	for k := range t.Blends {
		if t.Blends[k].Left == clip {
			b = &t.Blends[k]
		}
	}
	return seamsOf(nil, s, t, ci, b)
}

// SeamAt gives a seam by its id; ok is false if the scene has none of that id.
func SeamAt(s *scene.Scene, id SeamID) (x Seam, ok bool) {
	_, clips, _ := strings.Cut(string(id), ":")
	for end := len(clips); end >= 0; end = strings.LastIndexByte(clips[:end], ':') {
		for _, x := range SeamsOf(s, scene.ClipID(clips[:end])) {
			if x.ID == id {
				return x, true
			}
		}
	}
	return x, false
}

// Index is the place on its track of the clip left of the seam, of the right one where there is no left one.
func (s Seam) Index() int { return s.index }

func cut(t *scene.Track, i int, b *scene.Blend) Seam {
	l, r := t.Clips[i], t.Clips[i+1]
	s := Seam{
		ID:        CutID(l.ID, r.ID),
		Track:     t.ID,
		TrackName: t.Name,
		Kind:      Cut,
		At:        r.Start,
		From:      r.Start,
		To:        r.Start,
		Left:      l.ID,
		Right:     r.ID,
		LeftName:  l.Name,
		RightName: r.Name,
		index:     i,
		accepted:  l.AcceptedTail,
	}
	if b != nil {
		s.Blend, s.From, s.To = true, r.Start-b.Before, r.Start+b.After
		return s
	}
	// Fades that meet at a cut are part of it.
	s.From -= l.FadeOut.Length
	s.To += r.FadeIn.Length
	return s
}

// pair is the seam of two clips of two tracks that go over into each other: the outgoing one's track has it.
func pair(s *scene.Scene, t *scene.Track, i int, p scene.Pair) Seam {
	span, _ := s.Overlap(p)
	_, in := s.Clip(p.In)
	return Seam{
		ID:        SeamID("pair:" + p.Out + ":" + p.In),
		Track:     t.ID,
		TrackName: t.Name,
		Kind:      Fade,
		At:        (span.From + span.To) / 2,
		From:      span.From,
		To:        span.To,
		Left:      p.Out,
		Right:     p.In,
		LeftName:  t.Clips[i].Name,
		RightName: in.Name,
		Pair:      true,
		index:     i,
		accepted:  t.Clips[i].AcceptedTail,
	}
}

func edge(t *scene.Track, i int, head, outermost bool) Seam {
	c := t.Clips[i]
	s := Seam{Track: t.ID, TrackName: t.Name, index: i}
	if head {
		s.ID, s.Kind = SeamID("head:"+c.ID), GapEnd
		s.Right, s.RightName, s.At, s.accepted = c.ID, c.Name, c.Start, c.AcceptedHead
		s.From, s.To = c.Start, c.Start+c.FadeIn.Length
		if outermost {
			s.Kind = Head
		}
	} else {
		s.ID, s.Kind = SeamID("tail:"+c.ID), GapStart
		s.Left, s.LeftName, s.At, s.accepted = c.ID, c.Name, c.End(), c.AcceptedTail
		s.From, s.To = c.End()-c.FadeOut.Length, c.End()
		if outermost {
			s.Kind = Tail
		}
	}
	if s.To > s.From {
		s.Kind = Fade
	}
	return s
}

// lull is the seam of a stretch that is turned down.
func lull(s *scene.Scene, t *scene.Track, i int, l scene.Lull) Seam {
	c := t.Clips[i]
	span := c.LullSpan(l)
	out := Seam{
		ID:        LullID(c.ID, l.ID),
		Track:     t.ID,
		TrackName: t.Name,
		Kind:      Lull,
		At:        (span.From + span.To) / 2,
		From:      span.From,
		To:        span.To,
		Left:      c.ID,
		LeftName:  c.Name,
		Lull:      l.ID,
		index:     i,
	}
	if p := s.Patch(scene.Hole{Clip: c.ID, Lull: l.ID}); p != nil && p.Span().Overlaps(span) {
		out.Right, out.RightName = p.ID, p.Name
	}
	return out
}
