package mix

import (
	"blendseam/core/tone/recipe"
	"fmt"

	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/tone"
)

// WithTones is open for the recordings of a scene, and for the tones that are built from them.
func WithTones(s *scene.Scene, open Open) Open {
	return func(src scene.Source) (pcm.ReaderAt, error) {
		if src.Tone == nil {
			return open(src)
		}
		return tone.Open(*src.Tone, int(s.SampleRate), max(1, src.Channels), src.Samples, func(m recipe.Material) (pcm.Block, error) {
			from, ok := s.Sources[m.Source]
			if !ok {
				return nil, fmt.Errorf("room tone %s: the scene has no source %q", src.Name, m.Source)
			}
			r, err := open(from)
			if err != nil {
				return nil, err
			}
			return pcm.Read(r, m.Span())
		}), nil
	}
}
