package edit

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
)

// Raise turns what sounds in a stretch of the scene up or down, on some tracks: it changes the level lines of their
// clips. Slopes lie outside of the stretch, before it and after it, and are straight in dB. Lulls stay what they are.
type Raise struct {
	Tracks []scene.TrackID `json:"tracks,omitempty"` // none: all of sound that are not locked
	From   int64           `json:"from"`
	To     int64           `json:"to"`
	DB     float64         `json:"db"`
	In     int64           `json:"in"`  // length of the slope before the stretch
	Out    int64           `json:"out"` // and of that after it
	// Slopes that would lie over words of dialogue are moved into the nearest pause, where one is near enough and it is
	// known where the words are.
	Pauses bool `json:"pauses,omitempty"`
}

func (e *Raise) apply(d *draft) error {
	least := scene.LeastSlopeMS * d.SampleRate / 1000
	switch {
	case e.From < 0 || e.To <= e.From || e.To > scene.Unbounded:
		return notPossible("Nothing lies in a range that has no length; drag over the ruler to make one.")
	case e.DB == 0 || !(math.Abs(e.DB) <= 60):
		return notPossible("A range is turned up or down by up to 60 dB, not by %g.", e.DB)
	case e.In < least || e.Out < least || max(e.In, e.Out) > scene.Unbounded:
		return notPossible(
			"Slopes of less than %d ms are heard as steps; give them %d ms or more.",
			scene.LeastSlopeMS,
			scene.LeastSlopeMS,
		)
	}
	tracks, err := e.of(d)
	if err != nil {
		return err
	}
	if e.Pauses {
		e = e.inPauses(d.Scene, tracks)
	}
	heard := false
	span := pcm.Span{From: e.From, To: e.To}
	reach := pcm.Span{From: e.From - e.In, To: e.To + e.Out}
	for _, k := range tracks {
		if !slices.ContainsFunc(d.Tracks[k].Clips, func(c scene.Clip) bool { return c.Span().Overlaps(span) }) {
			continue
		}
		heard = true
		t := d.touch(k)
		for i := range t.Clips {
			if c := &t.Clips[i]; c.Span().Overlaps(reach) {
				if c.Level = e.on(c); len(c.Level) > limit.LevelPoints {
					return tooManyPoints(c)
				}
			}
		}
	}
	if !heard {
		return notPossible("No sound lies in that range on the tracks in hand; choose tracks on which there is some.")
	}
	return nil
}

// Reach is the part of the scene in which words count for where slopes lie.
func (e *Raise) Reach(s *scene.Scene) pcm.Span {
	return pcm.Span{From: e.From - e.In - s.SampleRate, To: e.To + e.Out + s.SampleRate}
}

// inPauses is the change with its slopes where no words are, by at most a second elsewhere.
func (e *Raise) inPauses(s *scene.Scene, tracks []int) *Raise {
	var words []pcm.Span
	for _, k := range tracks {
		t := s.Tracks[k]
		for i := range t.Clips {
			c := &t.Clips[i]
			if t.Purpose == scene.ForDialogue && s.Heard(*c) && c.Span().Overlaps(e.Reach(s)) &&
				s.Sources[c.Source].Speech != nil {
				words = append(words, scene.SpokenSpans(s, c)...)
			}
		}
	}
	slices.SortFunc(words, func(a, b pcm.Span) int { return cmp.Compare(a.From, b.From) })
	moved := *e
	least := scene.LeastSlopeMS * s.SampleRate / 1000
	head := quietSlope(words, pcm.Span{From: e.From - e.In, To: e.From}, s.SampleRate, least)
	tail := quietSlope(words, pcm.Span{From: e.To, To: e.To + e.Out}, s.SampleRate, least)
	if head.To < tail.From {
		moved.From, moved.In = head.To, head.Len()
		moved.To, moved.Out = tail.From, tail.Len()
	}
	return &moved
}

// quietSlope is a slope moved into the nearest pause between words, shorter where that is, if it lies over one; as it
// is where no pause is within reach.
func quietSlope(words []pcm.Span, slope pcm.Span, reach, least int64) pcm.Span {
	if !slices.ContainsFunc(words, slope.Overlaps) {
		return slope
	}
	best, nearest := slope, reach+1
	begins := slope.From - reach
	for i := 0; i <= len(words); i++ {
		pause := pcm.Span{From: begins, To: slope.To + reach}
		if i < len(words) {
			pause.To = words[i].From
			begins = max(begins, words[i].To)
		}
		n := min(slope.Len(), pause.Len())
		if n < least {
			continue
		}
		from := max(pause.From, min(slope.From, pause.To-n))
		if by := abs(from - slope.From); by < nearest && from >= 0 {
			best, nearest = pcm.Span{From: from, To: from + n}, by
		}
	}
	return best
}

// of are the indices of the tracks of sound that are meant.
func (e *Raise) of(d *draft) (list []int, err error) {
	for k, t := range d.Tracks {
		if len(e.Tracks) == 0 && t.Kind == scene.Sound && !t.Locked {
			list = append(list, k)
		}
	}
	for _, id := range e.Tracks {
		k := scene.TrackIndex(d.Scene, id)
		if k < 0 {
			return nil, notPossible("There is no track %q in this scene.", id)
		}
		if d.Tracks[k].Kind != scene.Sound {
			continue
		}
		if err := d.unlocked(d.Tracks[k]); err != nil {
			return nil, err
		}
		list = append(list, k)
	}
	return list, nil
}

func tooManyPoints(c *scene.Clip) error {
	return notPossible("The level line of %s would have %d points; %d are the most.", c.Name, len(c.Level),
		limit.LevelPoints)
}

// on is the level line of a clip with the change in it.
func (e *Raise) on(c *scene.Clip) []scene.LevelPoint {
	shift := c.In - c.Start // from the scene's time to the recording's
	return summed(c.Level, []scene.LevelPoint{
		{
			At: e.From - e.In + shift,
		}, {At: e.From + shift, DB: e.DB}, {At: e.To + shift, DB: e.DB}, {At: e.To + e.Out + shift},
	})
}

// summed is the sum of two lines: of two that are straight between their points it is straight between the points of
// both.
func summed(a, b []scene.LevelPoint) []scene.LevelPoint {
	list := make([]scene.LevelPoint, 0, len(a)+len(b))
	for _, p := range append(slices.Clone(a), b...) {
		list = append(list, scene.LevelPoint{At: p.At, DB: scene.LevelAt(a, p.At) + scene.LevelAt(b, p.At)})
	}
	slices.SortFunc(list, func(a, b scene.LevelPoint) int { return cmp.Compare(a.At, b.At) })
	return scene.PlainLine(slices.CompactFunc(list, func(a, b scene.LevelPoint) bool { return a.At == b.At }))
}

func (e *Raise) words(before, _ *scene.Scene) string {
	what := phrase.Count(len(e.Tracks), "track")
	switch len(e.Tracks) {
	case 0:
		what = "all sound"
	case 1:
		if t := before.Track(e.Tracks[0]); t != nil {
			what = t.Name
		}
	}
	return fmt.Sprintf(
		"%s %.3g dB %s from %s to %s", what, math.Abs(e.DB), phrase.Either(e.DB < 0, "softer", "louder"),
		before.Timecode(e.From), before.Timecode(e.To),
	)
}
