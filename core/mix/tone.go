package mix

import (
	"fmt"

	"blendseam/core/limit"
	"blendseam/core/listen/tone"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timestretch"
)

// WithDerived is open for the recordings of a scene, and for what is made from them: tones, and recordings as they are
// fitted.
func WithDerived(s *scene.Scene, open Open) Open {
	var made Open
	made = func(src scene.Source) (pcm.ReaderAt, error) {
		switch {
		case src.Tone != nil:
			return Tone(s, src, made), nil
		case src.Fit != nil:
			return Stretched(s, src, open)
		}
		return open(src)
	}
	return made
}

// Stretched is the sound of a source of a scene that is a fitted recording, which open gives.
func Stretched(s *scene.Scene, src scene.Source, open Open) (pcm.ReaderAt, error) {
	of, ok := s.Sources[src.Fit.Of]
	if !ok {
		return nil, fmt.Errorf("%s: the scene has no source %q that it is fitted from", src.Name, src.Fit.Of)
	}
	r, err := open(of)
	if err != nil {
		return nil, err
	}
	return timestretch.Open(*src.Fit, r)
}

// Tone is the sound of a source of a scene that is tone, built from recordings that open gives.
func Tone(s *scene.Scene, src scene.Source, open Open) *tone.Reader {
	return tone.Open(
		*src.Tone,
		int(s.SampleRate),
		max(1, src.Channels),
		src.Samples,
		Material(s, "room tone "+src.Name, open),
	)
}

// Material reads what tone of a scene is made from; of says in errors what that is.
func Material(s *scene.Scene, of string, open Open) func(recipe.Material) (pcm.Block, error) {
	return func(m recipe.Material) (pcm.Block, error) {
		from, ok := s.Sources[m.Source]
		if !ok {
			return nil, fmt.Errorf("%s: the scene has no source %q", of, m.Source)
		}
		r, err := open(from)
		if err != nil {
			return nil, err
		}
		if span := m.Span(); span.Empty() || !span.In(pcm.Span{To: r.Len()}) || span.Len() > limit.MaterialS*s.SampleRate {
			return nil, fmt.Errorf(
				"%s: %s has no %d s of sound from sample %d to %d to make it from, %d s being the most",
				of,
				from.Name,
				span.Len()/s.SampleRate,
				span.From,
				span.To,
				limit.MaterialS,
			)
		}
		return pcm.Read(r, m.Span())
	}
}
