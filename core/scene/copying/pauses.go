package copying

import (
	"fmt"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// Around a word so much is kept free, in milliseconds, and words that lie nearer to one another than apartMS are one.
const (
	besideMS = 80
	apartMS  = 400
)

// InPauses returns the edit that pastes a piece so that it is heard only where nobody speaks: over words, which are
// spans of the scene, each clip of it has a soft silence, whose edges can be moved afterwards. It fails where the paste
// does, and where somebody speaks all the time.
func InPauses(s *scene.Scene, paste *edit.Paste, words []pcm.Span) (edit.Edit, error) {
	after, err := edit.Apply(s, paste)
	if err != nil {
		return nil, err
	}
	spoken := together(words, s.SampleRate)
	list := []edit.Edit{paste}
	heard := false
	for _, t := range after.Tracks {
		for _, c := range t.Clips {
			if _, was := s.Clip(c.ID); was != nil || t.Kind != scene.Sound {
				continue
			}
			left := c.Span().Len()
			for _, w := range spoken {
				on := w.Intersect(c.Span())
				if left -= on.Len(); !on.Empty() {
					list = append(list, &edit.AddLull{Clip: c.ID, From: on.From, To: on.To})
				}
			}
			heard = heard || left > 0
		}
	}
	if !heard {
		return nil, refuse.Errorf("Somebody speaks all the time there, so that nothing of it would be heard. Paste it " +
			"elsewhere.")
	}
	if len(list) == 1 {
		return paste, nil
	}
	return edit.NewBatch(fmt.Sprintf("pasted, silent under %s", stretches(len(list)-1)), list...), nil
}

func stretches(n int) string {
	if n == 1 {
		return "one stretch of words"
	}
	return fmt.Sprint(n, " stretches of words")
}

// together are words with what is kept free around them, as one where they lie near one another.
func together(words []pcm.Span, rate int64) (list []pcm.Span) {
	beside, half := besideMS*rate/1000, apartMS*rate/2000 // of what lies between two that are one
	for _, w := range words {
		list = append(list, pcm.Span{From: w.From - beside - half, To: w.To + beside + half})
	}
	list = pcm.Union(list)
	for i, w := range list {
		list[i] = pcm.Span{From: w.From + half, To: w.To - half}
	}
	return list
}
