package audit

import (
	"context"
	"errors"
	"fmt"

	"blendseam/core/meter"
	"blendseam/core/parallel"
)

// Judge measures and judges one seam. Levels of voices, words, clicks and ends are measured in the track alone, all
// else in the mix of the scene as it is heard, or in the track alone where that is not heard.
func Judge(ctx context.Context, m *meter.Meter, s Seam) (Result, error) {
	r := Result{Seam: s}
	if err := ctx.Err(); err != nil {
		return r, err
	}
	l, err := lookAt(ctx, m, &r)
	if err != nil {
		return r, fmt.Errorf("seam at %s: %w", m.Scene.Timecode(s.At), err)
	}
	steps := []func() error{
		l.backgrounds, l.words, l.levels, l.clicks, l.silence, ends{l}.drop, ends{l}.rise, l.blended, l.peak,
	}
	if s.Kind == Lull {
		steps = []func() error{hole{l}.measure, l.silence, l.peak}
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return r, fmt.Errorf("seam at %s: %w", m.Scene.Timecode(s.At), err)
		}
	}
	l.handles()
	r.judge(m.Scene.SampleRate)
	return r, nil
}

// All measures every seam of a scene, on so many threads; 0 is one for each processor. A seam beside which a recording
// is missing has no verdict, and says which recording that is.
func All(ctx context.Context, m *meter.Meter, threads int) ([]Result, error) {
	found := Find(m.Scene)
	results := make([]Result, len(found))
	if err := m.Prepare(ctx, m.Scene, threads); err != nil {
		return nil, err
	}
	err := parallel.Each(ctx, len(found), threads, func(i int) (err error) {
		results[i], err = JudgeAvailable(ctx, m, found[i])
		return err
	})
	return results, err
}

// JudgeAvailable is Judge, except that a missing recording is no error: the result then has no verdict and says why.
func JudgeAvailable(ctx context.Context, m *meter.Meter, s Seam) (Result, error) {
	r, err := Judge(ctx, m, s)
	var missing *meter.MissingRecording
	if errors.As(err, &missing) {
		return Result{Seam: s, Cause: None, Why: "cannot be measured: " + missing.Error()}, nil
	}
	return r, err
}
