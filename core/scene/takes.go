package scene

import (
	"cmp"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/recipe"
)

// Takes are the other takes of what a clip says, one of which may sound in its place. Each stays with its words: it
// lies in step with the clip, however that is trimmed, slipped, moved or divided.
type Takes struct {
	Number int    `json:"number"` // of the take that sounds, from 1
	Others []Take `json:"others"` // by their numbers
}

// A Take is one that does not sound, with what was done to it when it did.
type Take struct {
	Number int    `json:"number"`
	Source string `json:"source"`
	Shift  int64  `json:"shift"` // sample of its source that lies where sample 0 of the clip's lies
	Name   string `json:"name"`

	GainDB  float64      `json:"gain_db,omitempty"`
	Level   []LevelPoint `json:"level,omitempty"`
	Lulls   []Lull       `json:"lulls,omitempty"`
	Room    *recipe.Room `json:"room,omitempty"`
	Filters *eq.Filters  `json:"filters,omitempty"`
	Like    *eq.Like     `json:"like,omitempty"`

	Treatments *effects.Chain `json:"treatments,omitempty"`

	Head *Blend `json:"head,omitempty"` // the blends at its ends when it sounded last
	Tail *Blend `json:"tail,omitempty"`
}

// Needs are the ids of the sources that a take needs.
func (t *Take) Needs() []string {
	return append(append([]string{t.Source}, t.Room.Tones()...), t.Treatments.Needs()...)
}

// NumberOf is the index of a take among the others, -1 if it is none of them.
func (x *Takes) NumberOf(number int) int {
	if x == nil {
		return -1
	}
	return slices.IndexFunc(x.Others, func(t Take) bool { return t.Number == number })
}

// FirstTake is the take of a clip that was there before others were put under it, as a source and its shift: what the
// clip is in sync by.
func FirstTake(c Clip) Take {
	first := Take{Source: c.Source}
	if c.Takes == nil || c.Takes.Number == 1 {
		return first
	}
	if k := c.Takes.NumberOf(1); k >= 0 {
		first = c.Takes.Others[k]
	}
	return first
}

// Moved are the takes where the clip's source begins so many samples later than it did.
func (x *Takes) Moved(by int64) *Takes {
	if x == nil || by == 0 {
		return x
	}
	now := &Takes{x.Number, slices.Clone(x.Others)}
	for i := range now.Others {
		now.Others[i].Shift -= by
	}
	return now
}

// WithTake is a clip with another of its takes sounding: the one of an index among the others.
func WithTake(c Clip, k int) Clip {
	to := c.Takes.Others[k]
	now := &Takes{Number: to.Number, Others: slices.Clone(c.Takes.Others)}
	now.Others[k] = Take{
		Number: c.Takes.Number, Source: c.Source, Name: c.Name, GainDB: c.GainDB, Level: c.Level, Lulls: c.Lulls,
		Room: c.Room, Filters: c.Filters, Like: c.Like, Treatments: c.Treatments,
	}
	for i := range now.Others {
		now.Others[i].Shift -= to.Shift
	}
	slices.SortFunc(now.Others, func(a, b Take) int { return cmp.Compare(a.Number, b.Number) })
	c.Takes, c.Source, c.Name, c.In = now, to.Source, to.Name, c.In+to.Shift
	c.GainDB, c.Level, c.Lulls, c.Room, c.Filters, c.Like = to.GainDB, to.Level, to.Lulls, to.Room, to.Filters, to.Like
	c.Treatments = to.Treatments
	c.AcceptedHead, c.AcceptedTail = nil, nil
	return c
}

// CheckTakes refuses takes that cannot be.
func CheckTakes(s *Scene, c *Clip) error {
	if c.Takes == nil {
		return nil
	}
	seen := map[int]bool{c.Takes.Number: true}
	if len(c.Takes.Others) == 0 || len(c.Takes.Others) >= limit.Takes {
		return invalid("%s has %d takes; 2 to %d are a stack.", c.Name, len(c.Takes.Others)+1, limit.Takes)
	}
	for _, t := range c.Takes.Others {
		src, ok := s.Sources[t.Source]
		if !ok || src.Samples == 0 && !src.Unknown || t.Number < 1 || t.Number > limit.Batch || seen[t.Number] ||
			max(t.Shift, -t.Shift) > Unbounded || !SaneDB(t.GainDB) || len(t.Lulls) > limit.Lulls ||
			len(t.Level) > limit.LevelPoints {
			return invalid("Take %d of %s is of no recording of this scene, or cannot be.", t.Number, c.Name)
		}
		seen[t.Number] = true
	}
	return nil
}

// With is the takes with something done to each of those that do not sound; nil stays nil.
func (t *Takes) With(change func(*Take)) *Takes {
	if t == nil {
		return nil
	}
	own := *t
	own.Others = slices.Clone(t.Others)
	for i := range own.Others {
		change(&own.Others[i])
	}
	return &own
}
