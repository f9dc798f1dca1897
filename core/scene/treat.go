package scene

import (
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
)

// CheckTreatments refuses a chain that cannot be, or whose impulse is no recording of the scene.
func CheckTreatments(s *Scene, c *effects.Chain) error {
	if why := c.Wrong(); why != "" {
		return invalid("These treatments are not possible: %s.", why)
	}
	id := c.Impulse()
	if id == "" {
		return nil
	}
	src, ok := s.Sources[id]
	if !ok || src.Samples == 0 && !src.Unknown || src.Made() {
		return invalid("The impulse %q is not a recording of this scene with sound. Bring it in first.", id)
	}
	return nil
}

// CurveOf is all that is done to the colour of a clip, by itself and by the track that it lies on.
func CurveOf(s *Scene, c Clip) eq.Curve {
	all := eq.Curve{Clip: c.Filters, Like: c.Like}
	for _, t := range s.Tracks {
		if t.Filters == nil {
			continue
		}
		if i := t.At(c.Start); i < len(t.Clips) && t.Clips[i].ID == c.ID {
			all.Track = t.Filters
		}
	}
	return all
}
