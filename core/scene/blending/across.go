package blending

import (
	"fmt"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// Across returns the edit by which a clip goes over into one of another track for a span, and back: as one does who has
// copied a track and treated the copy otherwise. Both blends are as long as the style, around the ends of the span. It
// fails where the span is shorter than a blend, or where not one clip of each track lies over all of it.
func Across(s *scene.Scene, st scene.Style, span pcm.Span, from, over scene.TrackID) (edit.Edit, error) {
	t, o := s.Track(from), s.Track(over)
	if t == nil || o == nil || t.Kind != scene.Sound || o.Kind != scene.Sound || t == o {
		return nil, refuse.Errorf("Two tracks of sound are needed to go from one over to the other and back.")
	}
	before, after := st.Halves(s)
	if span.Len() <= before+after {
		return nil, refuse.Errorf("The range is %s long, and a blend %s: it has to be longer.",
			scene.LengthWords(s, span.Len()), scene.LengthWords(s, before+after))
	}
	one, other := covering(t, span, before, after), covering(o, span, before, after)
	if one == nil || other == nil {
		lacks := t
		if one != nil {
			lacks = o
		}
		return nil, refuse.Errorf("No clip of %s lies over all of the range and the blends at its ends, %s to each side.",
			lacks.Name, scene.LengthWords(s, max(before, after)))
	}
	divided := &edit.Divide{Clips: []scene.ClipID{one.ID}, At: (span.From + span.To) / 2, Alone: true}
	next, err := edit.Apply(s, divided)
	if err != nil {
		return nil, err
	}
	i := next.Track(from).At((span.From + span.To) / 2)
	back := next.Track(from).Clips[i]
	if back.ID == one.ID || back.Source != one.Source {
		return nil, refuse.Errorf("%s cannot be divided in the middle of the range.", one.Name)
	}
	pair := func(out, in scene.ClipID, at int64) *edit.SetPair {
		return &edit.SetPair{Out: out, In: in, From: at - before, To: at + after, Law: st.Law, CurveOut: st.CurveOut,
			CurveIn: st.CurveIn}
	}
	e := edit.NewBatch(fmt.Sprintf("%s over to %s of %s for %s, and back", one.Name, other.Name, o.Name,
		scene.LengthWords(s, span.Len())), divided, pair(one.ID, other.ID, span.From), pair(other.ID, back.ID, span.To))
	if _, err := edit.Apply(s, e); err != nil {
		return nil, err
	}
	return e, nil
}

// covering is the clip of a track that lies over a span and so much more at its ends, nil if none does.
func covering(t *scene.Track, span pcm.Span, before, after int64) *scene.Clip {
	for i := range t.Clips {
		if c := &t.Clips[i]; c.Start < span.From-before && c.End() > span.To+after {
			return c
		}
	}
	return nil
}
