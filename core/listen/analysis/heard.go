package analysis

import (
	"math"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// Pause is the kind of what lies between words, breaths and other sounds.
const Pause speech.Kind = "pause"

// A pause is a sure one as long as it lies within pauseDB of the background; sureFallsDB further up, it is none.
const (
	surePause   = 0.97
	pauseDB     = 3.0
	sureFallsDB = 20.0
)

// Heard is all that is heard in the recording, in order of time: its words, breaths and other sounds, and the pauses
// between them. It covers the recording.
func (a *Recording) Heard() ([]speech.Part, error) {
	var list []speech.Part
	at := int64(0)
	pause := func(to int64) error {
		p := speech.Part{Kind: Pause, Span: pcm.Span{From: at, To: to}}
		if p.Span.Empty() {
			return nil
		}
		f, err := a.Frames(p.Span)
		if err != nil {
			return err
		}
		sum, most := 0.0, 0.0
		for _, v := range f.Level {
			sum, most = sum+float64(v), max(most, float64(v))
		}
		over := level.OfPower(sum/float64(max(1, f.Count))) - a.Floor.DB - pauseDB
		p.PeakDB, p.Sure = level.OfPower(most), max(0, min(surePause, surePause-over/sureFallsDB))
		list = append(list, p)
		return nil
	}
	for _, p := range a.Stretches {
		p.Span = pcm.Span{From: max(at, p.Span.From), To: min(a.Length, p.Span.To)}
		if p.Span.Empty() {
			continue
		}
		if err := pause(p.Span.From); err != nil {
			return nil, err
		}
		p.Sure = math.Round(100*p.Sure) / 100
		list = append(list, p)
		at = p.Span.To
	}
	if err := pause(a.Length); err != nil {
		return nil, err
	}
	return list, nil
}
