package otio

import (
	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
)

// writeFit gives how the recording of a clip is fitted: where in the fitted one the clip begins, and the stretches of
// the recording that take another length; nil if it is not fitted.
func writeFit(c clipOut) any {
	f := scene.FitOf(c.scene, c.Source)
	if len(f.Parts) == 0 && f.Reversed == 0 {
		return nil
	}
	// parts are counted in samples, those of picture, too
	rate, offset := float64(c.scene.SampleRate), c.scene.Sources[f.Of].Offset
	var parts []any
	for _, p := range f.Parts {
		o := object{"kind": p.Kind, "length": rational(p.Length, rate),
			"from": rational(p.From+offset, rate), "to": rational(p.To+offset, rate)}
		put(o, "ease", rational(p.Ease, rate), p.Ease > 0)
		parts = append(parts, o)
	}
	if parts == nil {
		parts = []any{}
	}
	o := object{"in": rational(c.In+c.offset, c.rate), "parts": parts}
	put(o, "reversed", rational(f.Reversed, rate), f.Reversed > 0)
	return o
}

// fit reads how the recording of a clip is fitted, and lets the clip show that.
func (r *reader) fit(from node, c clipIn) error {
	o, ok, err := from.object("fit")
	if err != nil || !ok {
		return err
	}
	f := timing.Fit{Of: c.src.ID}
	err = o.each("parts", o.place+"/parts", func(i int, n node) error {
		if i >= timing.MostParts {
			return n.errorf("at most %d stretches of a recording are fitted", timing.MostParts)
		}
		p := timing.Part{Kind: timing.Kind(n.text("kind"))}
		for key, to := range map[string]*int64{"from": &p.From, "to": &p.To, "length": &p.Length, "ease": &p.Ease} {
			m, ok, err := n.time(key)
			if err != nil {
				return err
			}
			if !ok && key != "ease" {
				return n.errorf("needs its start, its end and the length that it takes: from, to, length")
			}
			if ok {
				*to = timecode.Units(m.seconds, r.scene.SampleRate, 1)
			}
			if key == "from" || key == "to" {
				*to -= c.src.Offset
			}
		}
		f.Parts = append(f.Parts, p)
		return nil
	})
	if err != nil {
		return err
	}
	if m, ok, err := o.time("reversed"); err != nil {
		return err
	} else if ok {
		f.Reversed = timecode.Units(m.seconds, r.scene.SampleRate, 1)
	}
	if err := f.Check(farthest); err != nil {
		return o.errorf("%s", err)
	}
	in, ok, err := o.time("in")
	if err != nil {
		return err
	}
	if !ok {
		return o.errorf("needs where in the fitted recording the clip begins: in")
	}
	num, den := r.unit(c.t)
	c.In = timecode.Units(in.seconds, num, den) - r.scene.Unit(c.t, c.src.Offset)
	src, err := scene.FitSource(r.scene, f, c.src.Name)
	if err != nil {
		return err
	}
	r.scene.Sources[src.ID], c.Source = src, src.ID
	return nil
}

// farthest is beyond the end of any recording: how long each is may not be known yet.
const farthest = 1 << 50

// matchFits brings fitted recordings to their lengths, once all is known of what they are fitted from.
func (r *reader) matchFits() (err error) {
	for id, src := range r.scene.Sources {
		if src.Fit == nil {
			continue
		}
		if r.scene.Sources[id], err = scene.FitSource(r.scene, *src.Fit, src.Name); err != nil {
			return err
		}
	}
	return nil
}
