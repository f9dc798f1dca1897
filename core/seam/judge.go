package seam

import (
	"fmt"
	"math"
)

// Cause is what is chiefly wrong with a seam.
type Cause string

// The causes.
const (
	None           Cause = "none"
	Click          Cause = "click"
	LevelStep      Cause = "level_step"
	BackgroundStep Cause = "background_step"
	DeadSilence    Cause = "dead_silence"
	BlendLevel     Cause = "blend_level"
	AbruptEnd      Cause = "abrupt_end"
	Peak           Cause = "peak"
)

// A rule says from where on a measure makes a seam audible, and from where on rough.
type rule struct {
	cause          Cause
	audible, rough float64
	figure         func(m Measures) *float64
	words          func(v float64) string
}

// rules is the table of them. The limits are common practice, no source.
var rules = []rule{
	{Peak, -0.2, 0, func(m Measures) *float64 { return m.PeakDBFS },
		func(v float64) string { return fmt.Sprintf("peaks reach %.1f dBFS", v) }},
	{Click, 6, 12, func(m Measures) *float64 { return m.ClickDB },
		func(v float64) string { return fmt.Sprintf("click, %.0f dB over its surroundings", v) }},
	{DeadSilence, 15, 100, func(m Measures) *float64 { return m.DeadSilenceMS },
		func(v float64) string { return fmt.Sprintf("dead silence for %.0f ms", v) }},
	{AbruptEnd, 12, 24, func(m Measures) *float64 { return m.DropDB },
		func(v float64) string { return fmt.Sprintf("stops dead, %.0f dB at once", v) }},
	{BackgroundStep, 2, 5, func(m Measures) *float64 { return m.BackgroundStepDB },
		func(v float64) string { return fmt.Sprintf("background %.1f dB apart", math.Abs(v)) }},
	{LevelStep, 3, 6, func(m Measures) *float64 { return m.LevelStepLU },
		func(v float64) string {
			return fmt.Sprintf("voice %.1f LU %s", math.Abs(v), either(v < 0, "quieter", "louder"))
		}},
	{BlendLevel, 1.5, 4, func(m Measures) *float64 { return m.BlendLevelDB },
		func(v float64) string {
			return fmt.Sprintf("blend %s %.1f dB", either(v < 0, "dips", "bulges"), math.Abs(v))
		}},
}

func either(is bool, yes, no string) string {
	if is {
		return yes
	}
	return no
}

// judge finds the rule that is broken worst. A background that changes over a second or more may change three times
// as far as one that changes at once.
func (m *Meter) judge(r *Result) {
	r.Verdict, r.Cause, r.Why = Clean, None, "no fault found"
	worst := 0.0 // 1 is audible, 2 rough
	for _, rule := range rules {
		v := rule.figure(r.Measures)
		if v == nil {
			continue
		}
		size, audible, rough := math.Abs(*v), rule.audible, rule.rough
		switch rule.cause {
		case Peak:
			size = *v
		case BackgroundStep:
			bears := 1 + min(2, 2*float64(r.To-r.From)/float64(m.scene.SampleRate))
			audible, rough = audible*bears, rough*bears
		}
		if over := 1 + (size-audible)/(rough-audible); over >= 1 && over > worst {
			worst = over
			r.Cause, r.Why = rule.cause, rule.words(*v)
		}
	}
	switch {
	case worst >= 2:
		r.Verdict = Rough
	case worst >= 1:
		r.Verdict = Audible
	}
}
