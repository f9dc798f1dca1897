package workspace

import (
	"context"
	"errors"
	"fmt"

	"blendseam/core/listen/syllables"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
)

// A FitWish is what a clip, or a stretch of it, is to become.
type FitOptions struct {
	Clip   scene.ClipID
	Span   pcm.Span    // of the scene; empty: the whole clip
	Length int64       // samples that it is to take
	Pauses float64     // the share of what is missing that pauses give, 0 to 1
	Kind   timing.Kind // "": by what its track is for
	Ease   int64       // samples over which the speed goes over at both ends
}

// A Fitting is how that is done.
type Fitting struct {
	timestretch.Plan
	Edit *edit.Fit
	Was  int64          // samples that it takes now
	Rate syllables.Rate // of its words; none of music
}

// FitRefused says why a length cannot be reached, and which can.
type FitRefused struct{ words string }

func (e *FitRefused) Error() string { return e.words }

// Fitting plans how a clip, or a stretch of it, gets another length. The error is a *FitRefused where it cannot.
func (s *Scene) Fitting(ctx context.Context, w FitOptions) (*Fitting, error) {
	t, c := s.Scene.Clip(w.Clip)
	if c == nil {
		return nil, &FitRefused{fmt.Sprintf("There is no clip %q in this scene; it may have been removed.", w.Clip)}
	}
	if src := s.Scene.Sources[c.Source]; t.Kind != scene.Sound || src.Tone != nil {
		return nil, &FitRefused{fmt.Sprintf("%s is no recording of sound; only such a clip is fitted.", c.Name)}
	}
	of := scene.FitOf(s.Scene, c.Source)
	shown := scene.FitSpan(s.Scene, c)
	stretch := shown
	now := c.Length
	if !w.Span.Empty() {
		in := w.Span.Intersect(c.Span())
		if in.Empty() {
			return nil, &FitRefused{fmt.Sprintf("The range does not lie on %s.", c.Name)}
		}
		stretch = of.BackSpan(in.Add(c.In - c.Start))
		now = in.Len()
	}
	if w.Kind == "" {
		w.Kind = timing.Words
		if !t.Purpose.HasRoom() {
			w.Kind = timing.Music
		}
	}
	var pauses []pcm.Span
	var rate syllables.Rate
	if w.Kind == timing.Words {
		a, err := s.Sources().Analysis(ctx, s.Scene, s.Scene.Sources[of.Of])
		if err != nil {
			return nil, err
		}
		if rate, err = syllables.Measure(a, stretch); err != nil {
			return nil, err
		}
		if w.Pauses > 0 {
			if pauses, err = a.PausesIn(stretch); err != nil {
				return nil, err
			}
		}
	}
	p, err := timestretch.NewPlan(
		stretch,
		pauses,
		timestretch.Options{Length: w.Length, Pauses: w.Pauses, Kind: w.Kind, Ease: w.Ease},
		s.Scene.SampleRate,
	)
	var far *timestretch.TooFar
	if errors.As(err, &far) {
		seconds := func(n int64) float64 { return float64(n) / float64(s.Scene.SampleRate) }
		return nil, &FitRefused{fmt.Sprintf("%s cannot take %.2f s: words would go over twice, or under half as fast. "+
			"%.2f to %.2f s can be reached.", c.Name, seconds(far.Asked), seconds(far.Least), seconds(far.Most))}
	}
	if err != nil {
		return nil, err
	}
	e := &edit.Fit{Clip: c.ID, From: stretch.From, To: stretch.To, Parts: p.Parts}
	if stretch == shown {
		e.From, e.To = 0, 0
	}
	return &Fitting{*p, e, now, rate}, nil
}
