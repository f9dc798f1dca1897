package overs_test

import (
	"context"
	"math"
	"testing"

	"blendseam/core/audit/overs"
	"blendseam/core/mix"
	"blendseam/core/sound/pcm"
	"blendseam/internal/seamtest"
)

// A sine of 1 kHz at -20 dBFS in both channels has -20 LUFS (EBU Tech 3341, test signal 1, which is -23), and peaks
// there; so do the steps of a course, and the whole.
func TestACourseSaysWhatEBUsTestSignalsSay(t *testing.T) {
	s := seamtest.New(t)
	sound := make([]float64, 6*seamtest.Rate)
	for i := range sound {
		sound[i] = 0.1 * math.Sin(2*math.Pi*1000*float64(i)/seamtest.Rate)
	}
	s.Lay("sine", pcm.Block{sound}, 0)
	x, err := mix.New(s.Scene, s.Open, mix.Options{})
	if err != nil {
		t.Fatal(err)
	}
	c, err := overs.CourseOf(context.Background(), x, seamtest.Rate, pcm.Span{From: 48000, To: 48000 + 9600})
	if err != nil || len(c.Power) != 4 || len(c.PeakDBFS) != 4 || len(c.PeakDBTP) != 4 {
		t.Fatal(c, err)
	}
	for i := range c.Power {
		power := c.Power[i] * 2 / float64(x.Channels()) // as if in both channels
		if l := -0.691 + 10*math.Log10(power); math.Abs(l+20) > 0.1 || c.PeakDBFS[i] != -20 ||
			math.Abs(c.PeakDBTP[i]+20) > 0.1 {
			t.Errorf("step %d: %.2f LUFS, peaks %g dBFS, %g dBTP", i, l, c.PeakDBFS[i], c.PeakDBTP[i])
		}
	}
	whole, err := overs.LoudnessOf(context.Background(), x, seamtest.Rate, pcm.Span{From: 48000, To: 4 * 48000})
	if want := -20 + 10*math.Log10(float64(x.Channels())/2); err != nil || math.Abs(whole.IntegratedLUFS-want) > 0.1 {
		t.Errorf("the whole has %.2f LUFS, not %.2f, %v", whole.IntegratedLUFS, want, err)
	}
}

// A tone of a quarter of the rate whose samples all lie at 45 degrees reaches 3.01 dB more between them than in any
// (EBU Tech 3341, test signal 16); a low one reaches no more than in its samples, wherever in its waves a step begins.
func TestACourseHasPeaksBetweenSamplesAndNoneAtTheEndsOfSteps(t *testing.T) {
	for _, c := range []struct{ hz, phase, over float64 }{{12000, math.Pi / 4, 3.01}, {47, 0, 0}} {
		s := seamtest.New(t)
		sound := make([]float64, 6*seamtest.Rate)
		for i := range sound {
			sound[i] = 0.5 * math.Sin(2*math.Pi*c.hz*float64(i)/seamtest.Rate+c.phase)
		}
		s.Lay("sine", pcm.Block{sound}, 0)
		x, err := mix.New(s.Scene, s.Open, mix.Options{})
		if err != nil {
			t.Fatal(err)
		}
		span := pcm.Span{From: 48000, To: 3 * 48000}
		got, err := overs.CourseOf(context.Background(), x, seamtest.Rate, span)
		if err != nil || len(got.PeakDBTP) != 40 {
			t.Fatal(got, err)
		}
		for i := range got.PeakDBTP {
			if over := got.PeakDBTP[i] - got.PeakDBFS[i]; math.Abs(over-c.over) > 0.15 {
				t.Errorf("%g Hz, step %d: %.2f dB over its samples, not %.2f", c.hz, i, over, c.over)
			}
		}
	}
}
