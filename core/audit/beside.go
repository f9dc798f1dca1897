package audit

import (
	"context"

	"blendseam/core/meter"
	"blendseam/core/scene"
)

// beyondMS is how long the recordings are looked at beyond a seam, in milliseconds, sideMS how long within the clips.
const (
	beyondMS = 800
	sideMS   = 2000
)

// Beside looks at the recording of a seam's left or right clip, at what is heard of it and a while beyond.
func Beside(ctx context.Context, m *meter.Meter, c *scene.Clip, s Seam, incoming bool) (*meter.Surroundings, error) {
	fade := m.MS(s.To - s.From)
	switch {
	case c.Length <= m.Samples(2*sideMS) && fade < beyondMS/2: // both its ends at once
		return m.Around(ctx, c, c.Start, beyondMS, m.MS(c.Length)+beyondMS)
	case incoming:
		return m.Around(ctx, c, s.To, beyondMS+fade, sideMS)
	}
	return m.Around(ctx, c, s.From, sideMS, beyondMS+fade)
}
