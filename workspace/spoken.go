package workspace

import (
	"context"

	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// SpokenIn gives where words sound on the tracks of dialogue in a span of the scene, track by track.
func (s *Scene) SpokenIn(ctx context.Context, span pcm.Span) (list []pcm.Span, err error) {
	m := meter.NewMeter(s.Scene, s.Sources())
	for t, c := range scene.Dialogue(s.Scene) {
		on := c.Span().Intersect(span)
		if on.Empty() || !m.Heard(t.ID) {
			continue
		}
		says, err := m.Says(ctx, c)
		if err != nil {
			return nil, err
		}
		for _, p := range says.Within(on.Add(-c.Shift())) {
			if w := p.Span.Add(c.Shift()).Intersect(on); p.Kind == speech.Word && !w.Empty() {
				list = append(list, w)
			}
		}
	}
	return list, nil
}
