package edit

import (
	"cmp"
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// mostCorrections is how many of a recording are kept.
const mostCorrections = 2000

// Correct says what a stretch of a recording holds. It wins over what was heard there, and over what was said before of
// the same moments. With no kind, what was said of the stretch is forgotten.
type Correct struct {
	Source string          `json:"source"`
	From   int64           `json:"from"`
	To     int64           `json:"to"`
	Kind   scene.SoundKind `json:"kind,omitempty"`
}

func (e *Correct) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	span := pcm.Span{From: e.From, To: e.To}
	switch length := sourceSamples(d.Scene, src); {
	case src.Made():
		return notPossible("%s is made from other recordings; correct what is heard in those.", src.Name)
	case span.Empty() || span.From < 0 || span.To > length:
		return notPossible("The stretch must lie in %s, which is %s long, its in point before its out point.",
			src.Name, scene.LengthWords(d.Scene, length))
	case e.Kind != "" && scene.HeardWords[e.Kind] == "":
		return notPossible("A stretch of %s is a word, a breath, a pause or another sound, not %q.", src.Name, e.Kind)
	}
	var list []scene.Correction
	touched := false
	for _, c := range src.Corrections {
		if !c.Span.Overlaps(span) {
			list = append(list, c)
			continue
		}
		touched = true
		for _, rest := range []pcm.Span{{From: c.Span.From, To: span.From}, {From: span.To, To: c.Span.To}} {
			if !rest.Empty() {
				list = append(list, scene.Correction{Span: rest, Kind: c.Kind})
			}
		}
	}
	switch {
	case e.Kind != "":
		list = append(list, scene.Correction{Span: span, Kind: e.Kind})
	case !touched && !d.replay:
		return notPossible("Nothing was corrected in that stretch of %s.", src.Name)
	}
	if len(list) > mostCorrections {
		return notPossible("%s has %d corrections, the most that are kept; forget some first.", src.Name, mostCorrections)
	}
	slices.SortFunc(list, func(a, b scene.Correction) int { return cmp.Compare(a.Span.From, b.Span.From) })
	src.Corrections = list
	d.Sources[e.Source] = src
	return nil
}

func (e *Correct) words(before, after *scene.Scene) string {
	name, at := after.Sources[e.Source].Name, scene.LengthWords(after, e.From)
	if e.Kind == "" {
		return fmt.Sprintf("correction of %s at %s forgotten", name, at)
	}
	return fmt.Sprintf("%s at %s is %s", name, at, scene.HeardWords[e.Kind])
}
