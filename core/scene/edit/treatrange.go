package edit

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
)

// TreatRange treats what sounds in a range of some tracks: it divides the clips at the ends of the range, treats the
// pieces inside and blends them with their neighbours. Both sides of such a blend are the same recording in step, so
// that it is a slope from untreated to treated.
type TreatRange struct {
	Tracks     []scene.TrackID `json:"tracks,omitempty"` // none: all of sound that are not locked
	From       int64           `json:"from"`
	To         int64           `json:"to"`
	Slope      int64           `json:"slope"` // samples at each end, half of it on either side
	Filters    *eq.Filters     `json:"filters,omitempty"`
	Treatments *effects.Chain  `json:"treatments,omitempty"`
	Like       *eq.Like        `json:"like,omitempty"`
	GainDB     float64         `json:"gain_db,omitempty"` // on top of the clips' own
}

func (e *TreatRange) apply(d *draft) error {
	switch {
	case e.From < 0 || e.To <= e.From || e.To > scene.Unbounded:
		return notPossible("Nothing lies in a range that has no length; drag over the ruler to make one.")
	case e.Slope < 0 || e.Slope > e.To-e.From:
		return notPossible("The slopes at the ends of a range are as long as the range at most: %s.",
			scene.LengthWords(d.Scene, e.To-e.From))
	case e.Filters == nil && e.Like == nil && e.Treatments.Empty() && e.GainDB == 0:
		return notPossible("Choose what the range is to be treated with: filters, treatments or a gain.")
	case !scene.SaneDB(e.GainDB):
		return notPossible("A gain of %g dB is outside -120 to 40.", e.GainDB)
	case e.Filters.Wrong()+e.Like.Wrong() != "":
		return notPossible("Such filters cannot be: %s.", cmp.Or(e.Filters.Wrong(), e.Like.Wrong()))
	}
	if err := scene.CheckTreatments(d.Scene, e.Treatments); err != nil {
		return err
	}
	tracks, err := (&Raise{Tracks: e.Tracks}).of(d)
	if err != nil {
		return err
	}
	treated := 0
	for _, k := range tracks {
		n, err := e.onTrack(d, k)
		if err != nil {
			return err
		}
		treated += n
	}
	if treated == 0 {
		return notPossible("No sound lies in that range on the tracks in hand; choose tracks on which there is some.")
	}
	return nil
}

// onTrack treats the range on a track, and says how many clips are treated.
func (e *TreatRange) onTrack(d *draft, k int) (n int, err error) {
	span := pcm.Span{From: e.From, To: e.To}
	var cuts []int64
	for _, at := range []int64{e.From, e.To} {
		t := d.Tracks[k]
		i := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.Start < at && at < c.End() })
		if i < 0 {
			continue
		}
		c := t.Clips[i]
		if head, tail := t.BlendsOf(c.ID); head != nil && at < c.Start+head.After || tail != nil && at > c.End()-tail.Before {
			return 0, notPossible("%s lies inside a blend of %s. Let the range begin and end outside of blends.",
				d.Timecode(at), c.Name)
		}
		if err := d.cut([]scene.ClipID{c.ID}, at); err != nil {
			return 0, err
		}
		cuts = append(cuts, at)
	}
	t := d.touch(k)
	for i := range t.Clips {
		c := &t.Clips[i]
		if !c.Span().In(span) {
			continue
		}
		n++
		c.GainDB += e.GainDB
		if e.Filters != nil {
			c.Filters = e.Filters
		}
		if e.Like != nil {
			c.Like = e.Like
		}
		if !e.Treatments.Empty() {
			c.Treatments = e.Treatments
		}
	}
	for _, at := range cuts {
		if err := e.slope(d, k, at); err != nil {
			return 0, err
		}
	}
	return n, nil
}

// slope blends the two pieces of a clip that was divided, over as much of the slope as there is room for.
func (e *TreatRange) slope(d *draft, k int, at int64) error {
	t := d.Tracks[k]
	i := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.Start == at })
	left, right := t.Clips[i-1], t.Clips[i]
	before, after := e.Slope/2, e.Slope-e.Slope/2
	if head, _ := t.BlendsOf(left.ID); head != nil {
		before = min(before, left.Length-head.After)
	}
	if _, tail := t.BlendsOf(right.ID); tail != nil {
		after = min(after, right.Length-tail.Before)
	}
	before = min(before, left.Length-left.FadeIn.Length)
	after = min(after, right.Length-right.FadeOut.Length)
	if before <= 0 || after <= 0 {
		return nil
	}
	b := SetBlend{Left: left.ID, Right: right.ID, Before: before, After: after, Law: blend.ConstantGain}
	return b.apply(d)
}

func (e *TreatRange) words(before, _ *scene.Scene) string {
	on := "all sound"
	if len(e.Tracks) > 0 {
		on = treatedWords(before, nil, e.Tracks)
	}
	with := ""
	for _, x := range []struct {
		is    bool
		words string
	}{
		{e.Filters != nil, "filtered"},
		{e.Like != nil, "brought near another voice"}, {!e.Treatments.Empty(), "treated with " + e.Treatments.Words()},
		{e.GainDB != 0, fmt.Sprintf("%+.3g dB", e.GainDB)},
	} {
		if x.is && with != "" {
			with += ", "
		}
		if x.is {
			with += x.words
		}
	}
	return fmt.Sprintf("%s from %s to %s: %s", on, before.Timecode(e.From), before.Timecode(e.To), with)
}
