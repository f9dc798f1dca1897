package otio

import (
	"math/big"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

func init() { // not in the table itself: a take is written and read as a clip, by the table
	clipFields = append(clipFields, clipField{
		[]string{"takes", "take"},
		func(to object, c clipOut) {
			if c.Takes == nil {
				return
			}
			var list []any
			for k, t := range c.Takes.Others {
				list = append(list, writeTake(c, k, t))
			}
			to["takes"], to["take"] = list, c.Takes.Number
		},
		func(from node, c clipIn) error { return c.r.takes(from, c) },
	})
}

// writeTake gives a take under a clip as a clip of its own, with its place in step.
func writeTake(c clipOut, k int, t scene.Take) object {
	track := &scene.Track{Kind: scene.Sound}
	as := scene.WithTake(c.Clip, k)
	as.In, as.Takes, as.Link, as.Fills, as.Note, as.Foreign = max(0, as.In), nil, "", nil, "", nil
	as.FadeIn, as.FadeOut, as.Muted, as.ID = scene.Fade{}, scene.Fade{}, false, ""
	o := object{"number": t.Number, "shift": rational(t.Shift, c.rate), "clip": writeClip(c.scene, track, as, c.rate, nil)}
	for key, b := range map[string]*scene.Blend{"head": t.Head, "tail": t.Tail} {
		if b != nil {
			o[key] = writeBlend(*b, c.rate)
		}
	}
	return o
}

// takes reads the takes under a clip.
func (r *reader) takes(from node, c clipIn) error {
	if !from.has("takes") {
		return nil
	}
	takes := &scene.Takes{Number: 1}
	if from.has("take") {
		v, err := from.number("take")
		if err != nil {
			return err
		}
		takes.Number = int(timecode.Units(v, 1, 1))
	}
	err := from.each("takes", from.place+"/takes", func(i int, n node) error {
		if i >= limit.Takes {
			return n.errorf("a clip has at most %d takes", limit.Takes)
		}
		t, err := r.take(n, c.t)
		takes.Others = append(takes.Others, t)
		return err
	})
	if len(takes.Others) > 0 {
		c.Takes = takes
	}
	return err
}

func (r *reader) take(n node, on *scene.Track) (t scene.Take, err error) {
	number, err := n.number("number")
	if err != nil {
		return t, err
	}
	shift, ok, err := n.time("shift")
	if err != nil {
		return t, err
	}
	of, is, err := n.object("clip")
	if err != nil {
		return t, err
	}
	if !ok || !is {
		return t, n.errorf("a take needs its number, its shift, and a clip of its recording")
	}
	last := r.scene.LastID
	c, _, err := r.clip(of, on, new(big.Rat))
	if err != nil {
		return t, err
	}
	r.scene.LastID = last // it is no clip of the scene
	t = scene.Take{
		Number: int(timecode.Units(number, 1, 1)), Source: c.Source, Shift: timecode.Units(shift.seconds,
			r.scene.SampleRate, 1), Name: c.Name,
		GainDB: c.GainDB, Level: c.Level, Lulls: c.Lulls, Room: c.Room, Filters: c.Filters, Like: c.Like,
		Treatments: c.Treatments,
	}
	for key, to := range map[string]**scene.Blend{"head": &t.Head, "tail": &t.Tail} {
		o, ok, err := n.object(key)
		if err != nil {
			return t, err
		}
		if ok {
			b, err := r.blendOf(o, on)
			if err != nil {
				return t, err
			}
			*to = &b
		}
	}
	return t, nil
}
