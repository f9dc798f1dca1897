package analysis

import (
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Recordings of voices without a background, so that there is none that words could stand out of, are told by how far
// their level swings: by swingsDB at least, and louder than softestDB. Words are what lies within belowDB of the
// loudest then, without a break of breakMS.
const (
	swingsDB   = 20.0
	softestDB  = -55.0
	belowDB    = 25.0
	breakMS    = 150
	leastSaidS = 0.1
	mostSaidS  = 300 // longer recordings have some background
)

// Spoken are the parts of words that lie in a stretch, in order of time. Where no word was found in a whole recording
// though it is a voice, they are told by level alone.
func (a *Recording) Spoken(s pcm.Span) (list []pcm.Span, err error) {
	found := false
	for _, p := range a.Stretches {
		if p.Kind != speech.Word {
			continue
		}
		found = true
		if on := p.Span.Intersect(s); !on.Empty() && (len(list) == 0 || on.From >= list[len(list)-1].To) {
			list = append(list, on)
		}
	}
	if found || a.Length > mostSaidS*int64(a.Rate) {
		return list, nil
	}
	loud, err := a.byLevel()
	for _, w := range loud {
		if on := w.Intersect(s); !on.Empty() {
			list = append(list, on)
		}
	}
	return list, err
}

// byLevel are the words of a recording without a background.
func (a *Recording) byLevel() (list []pcm.Span, err error) {
	f, err := a.Frames(pcm.Span{To: a.Length})
	if err != nil || f.Count == 0 {
		return nil, err
	}
	levels := make([]float64, f.Count)
	for i := range levels {
		levels[i] = level.OfPower(float64(f.Level[i]))
	}
	top := measure.Percentile(levels, 0.95)
	if top < softestDB || top-measure.Percentile(levels, 0.05) < swingsDB {
		return nil, nil
	}
	for i, db := range levels {
		if db < top-belowDB {
			continue
		}
		on := f.Span(i)
		on.To = min(on.To, a.Length)
		if n := len(list); n > 0 && on.From-list[n-1].To < breakMS*int64(a.Rate)/1000 {
			list[n-1].To = on.To
		} else {
			list = append(list, on)
		}
	}
	long := list[:0]
	for _, w := range list {
		if float64(w.Len()) >= leastSaidS*float64(a.Rate) {
			long = append(long, w)
		}
	}
	return long, nil
}

// softEndMS is what words that are told by level alone go on beyond it at both ends, softer.
const softEndMS = 60

// PausesIn are the parts of a stretch without words and breaths, with a margin around these, in order of time; none
// where nobody speaks in all the recording.
func (a *Recording) PausesIn(s pcm.Span) ([]pcm.Span, error) {
	words, err := a.Spoken(pcm.Span{To: a.Length})
	if err != nil || len(words) == 0 {
		return nil, err
	}
	parts := a.Stretches
	if !slices.ContainsFunc(parts, func(p speech.Part) bool { return p.Kind == speech.Word }) {
		soft := int64(a.Rate) * softEndMS / 1000
		parts = nil
		for _, w := range words {
			parts = append(parts, speech.Part{Span: pcm.Span{From: w.From - soft, To: w.To + soft}, Kind: speech.Word})
		}
	}
	return speech.Pauses(parts, s, int64(a.Rate)), nil
}
