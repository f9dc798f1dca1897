package mend

import (
	"context"

	"blendseam/core/audit"
	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Nothing that mending does may make keepMS of what is said keepDB softer, as far as farMS from the seam. What stands
// less than saidDB over the background there was hardly heard before.
const (
	keepMS = 100
	stepMS = 25
	keepDB = 5.0
	farMS  = 3000
	saidDB = 6.0
)

// keepsWords tells whether all that is said near a seam is still heard in another scene, as the track sounds by itself.
func (m *Adviser) keepsWords(ctx context.Context, s audit.Seam, then *Adviser) (bool, error) {
	near := pcm.Span{From: s.From - m.Samples(farMS), To: s.To + m.Samples(farMS)}
	near = near.Intersect(pcm.Span{To: m.Scene.Length()})
	said, err := m.said(ctx, s.Track, near)
	if err != nil || len(said) == 0 {
		return true, err
	}
	whole := pcm.Span{From: said[0].span.From, To: said[len(said)-1].span.To}
	var sounds [2]pcm.Block
	for i, a := range []*Adviser{m, then} {
		x, err := a.Mixer(s.Track)
		if err != nil {
			return false, err
		}
		if sounds[i], err = meter.Render(x, whole); err != nil {
			return false, err
		}
	}
	window := m.Samples(keepMS)
	for _, w := range said {
		for at := w.span.From; at+window <= w.span.To; at += m.Samples(stepMS) {
			own := pcm.Span{From: at - whole.From, To: at - whole.From + window}
			was := measure.RMSDB(sounds[0].Slice(own.From, own.To))
			if was < w.backDB+saidDB {
				continue
			}
			if measure.RMSDB(sounds[1].Slice(own.From, own.To)) < was-keepDB {
				return false, nil
			}
		}
	}
	return true, nil
}

// A saying is a stretch of the scene in which a clip speaks, with the level of its background.
type saying struct {
	span   pcm.Span
	backDB float64
}

// said are the words of the clips of a track within a stretch of the scene, in order of time. A word goes on a little
// at both its ends.
func (m *Adviser) said(ctx context.Context, track scene.TrackID, near pcm.Span) (list []saying, err error) {
	t := m.Scene.Track(track)
	if t == nil || t.Purpose != scene.ForDialogue {
		return nil, nil
	}
	beside := m.Samples(keepMS) / 2
	for i := t.At(near.From); i < len(t.Clips) && t.Clips[i].Start < near.To; i++ {
		c := &t.Clips[i]
		a, err := m.Says(ctx, c)
		if err != nil {
			return nil, err
		}
		shift := c.Shift()
		inside := c.Span().Intersect(near)
		for _, p := range a.Within(inside.Add(-shift)) {
			if p.Kind != speech.Word {
				continue
			}
			span := pcm.Span{From: p.Span.From + shift - beside, To: p.Span.To + shift + beside}.Intersect(inside)
			list = append(list, saying{span, a.Floor.DB + c.GainDB})
		}
	}
	return list, nil
}
