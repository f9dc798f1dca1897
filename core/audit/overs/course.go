package overs

import (
	"context"
	"math"

	"blendseam/core/mix"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// StepMS is the step of a Course.
const StepMS = 50

// A Course is how loud a mix is from step to step, one value for each StepMS, rounded to a tenth of a dB.
type Course struct {
	PeakDBFS []float64 `json:"peak_dbfs"` // the largest sample of any channel
	PeakDBTP []float64 `json:"peak_dbtp"` // and between samples (ITU-R BS.1770-4, annex 2)
	Power    []float64 `json:"power"`     // K-weighted mean square, the sum over channels (ITU-R BS.1770-4)
}

// CourseOf measures a mix over a stretch, which is taken in whole steps.
func CourseOf(ctx context.Context, x *mix.Mixer, rate int64, span pcm.Span) (c Course, err error) {
	step := rate * StepMS / 1000
	c = Course{PeakDBFS: []float64{}, PeakDBTP: []float64{}, Power: []float64{}}
	filters := make([]*measure.KFilter, x.Channels())
	for i := range filters {
		filters[i] = measure.NewKFilter(int(rate))
	}
	between := make([]measure.TruePeak, x.Channels())
	block := pcm.NewBlock(x.Channels(), step)
	tenth := func(db float64) float64 { return math.Round(10*db) / 10 }
	for at := span.From - 4*step; at+step <= span.To; at += step { // what settles the filters comes first
		if err := ctx.Err(); err != nil {
			return c, err
		}
		if err := x.Render(block, at); err != nil {
			return c, err
		}
		power, top := 0.0, 0.0
		for i, ch := range block {
			power += filters[i].Energy(ch) / float64(step)
			between[i].Add(ch)
			top = max(top, between[i].Take())
		}
		if at < span.From {
			continue
		}
		c.PeakDBFS = append(c.PeakDBFS, tenth(max(level.Silence, measure.SamplePeakDB(block))))
		c.PeakDBTP = append(c.PeakDBTP, tenth(max(level.Silence, level.DB(top))))
		c.Power = append(c.Power, power)
	}
	return c, nil
}

// LoudnessOf measures the loudness of a mix over a stretch.
func LoudnessOf(ctx context.Context, x *mix.Mixer, rate int64, span pcm.Span) (measure.Loudness, error) {
	meter := measure.NewLoudnessMeter(int(rate), x.Channels())
	for at := span.From; at < span.To; at += rate {
		if err := ctx.Err(); err != nil {
			return measure.Loudness{}, err
		}
		block := pcm.NewBlock(x.Channels(), min(rate, span.To-at))
		if err := x.Render(block, at); err != nil {
			return measure.Loudness{}, err
		}
		meter.Add(block)
	}
	return meter.Result(), nil
}
