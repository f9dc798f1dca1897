package otio

import (
	"blendseam/core/scene"
	"blendseam/core/sound/effects"
)

func init() {
	clipFields = append(clipFields, clipField{
		[]string{"treatments"},
		func(to object, c clipOut) {
			put(to, "treatments", writeTreatments(c.scene, c.Treatments), c.Treatments != nil)
		},
		func(from node, c clipIn) (err error) {
			c.Treatments, err = c.r.treatments(from)
			return err
		},
	})
}

// writeTreatments gives a chain; the recording of its impulse stands beside it, in place of its id.
func writeTreatments(s *scene.Scene, c *effects.Chain) any {
	id := c.Impulse()
	if id == "" {
		return c
	}
	return object{"chain": c.With(impulseBeside), "impulse": writeRecording(s.Sources[id], float64(s.SampleRate))}
}

// impulseBeside stands in a chain for the recording that is written beside it.
const impulseBeside = "impulse"

// treatments reads a chain; nil if there is none.
func (r *reader) treatments(of node) (*effects.Chain, error) {
	o, ok, err := of.object("treatments")
	if !ok || err != nil {
		return nil, err
	}
	from, key := of, "treatments"
	if o.has("chain") {
		from, key = o, "chain"
	}
	c, err := readJSON[effects.Chain](from, key)
	if err != nil {
		return nil, err
	}
	if why := c.Wrong(); why != "" {
		return nil, o.errorf("%s", why)
	}
	if c.Impulse() == "" {
		return c, nil
	}
	ref, ok, err := o.object("impulse")
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, o.errorf("needs the recording of its impulse beside the chain: impulse")
	}
	id, err := r.recording(ref)
	return c.With(id), err
}
