package edit

import (
	"maps"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// Fit gives a stretch of a clip's recording another length at the same pitch, and the clip with it. All that lies on
// its sound stays there; the clip begins where it did.
type Fit struct {
	Clip scene.ClipID `json:"clip"`
	// samples of the recording as it was recorded; both 0: what the clip shows
	From int64 `json:"from,omitempty"`
	To   int64 `json:"to,omitempty"`
	// what is fitted in the stretch, and how; none: it passes as it was recorded
	Parts  []timing.Part `json:"parts"`
	Unlink bool          `json:"unlink,omitempty"` // from its picture, which keeps its length
}

func (e *Fit) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	src := d.Sources[c.Source]
	switch {
	case t.Kind != scene.Sound:
		return notPossible("%s is picture; sound alone is fitted into a length.", c.Name)
	case src.Tone != nil:
		return notPossible("%s is room tone, of which there is any length; trim it.", c.Name)
	case c.Link != "" && !e.Unlink:
		r := notPossible("%s is linked to its picture, which keeps its length. Unlink it first.", c.Name)
		own := *e
		own.Unlink = true
		d.suggest(&r.options, "unlink it and fit the sound", &own)
		return r
	}
	if c.Link != "" {
		if err := (&Unlink{Clips: []scene.ClipID{e.Clip}}).apply(d); err != nil {
			return err
		}
		t, c, _ = d.open(e.Clip)
	}
	shown, was := scene.FitSpan(d.Scene, c), scene.FitOf(d.Scene, c.Source)
	span := pcm.Span{From: e.From, To: e.To}
	if span == (pcm.Span{}) {
		span = shown
	}
	for _, p := range e.Parts {
		if !p.Span().In(span) {
			return notPossible("A stretch from sample %d to %d does not lie in what is to be fitted.", p.From, p.To)
		}
	}
	now := was.With(span, e.Parts)
	next, err := bringFit(d, now)
	if err != nil {
		return err
	}
	if next.ID == c.Source && !d.replay {
		return notPossible("%s takes that length already.", c.Name)
	}
	over := func(at int64) int64 { return now.Forward(was.Back(at)) }
	is := now.ForwardSpan(shown)
	in := c.In
	c.Source, c.In = next.ID, is.From
	c.Takes = c.Takes.Moved(c.In - in) // they stay in step at the clip's head
	c.Length = is.Len()
	c.Onto(over)
	if c.Length < 1 {
		return notPossible("Nothing would be left of %s.", c.Name)
	}
	c.FitFades()
	i := slices.IndexFunc(t.Clips, func(x scene.Clip) bool { return x.ID == c.ID })
	if i+1 < len(t.Clips) && t.Clips[i+1].Start < c.End() {
		return inTheWay(d.Scene, t, *c, t.Clips[i+1], c.End()-t.Clips[i+1].Start)
	}
	return nil
}

// bringFit gives a recording as it is fitted, which the scene knows from then on; by nothing, it is the recording.
func bringFit(d *draft, f timing.Fit) (scene.Source, error) {
	of := d.Sources[f.Of]
	if len(f.Parts) == 0 && f.Reversed == 0 {
		return of, nil
	}
	next, err := scene.FitSource(d.Scene, f, of.Name)
	if err == nil {
		err = scene.CheckSource(d.Scene, next)
	}
	if err != nil {
		return scene.Source{}, err
	}
	d.Sources = maps.Clone(d.Sources)
	d.Sources[next.ID] = next
	return next, nil
}

func (e *Fit) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	switch by := now.Length - c.Length; {
	case after.Sources[now.Source].Fit == nil:
		return c.Name + " takes its own length again"
	case by == 0:
		return c.Name + " fitted otherwise, as long as before"
	case by > 0:
		return c.Name + " fitted, " + scene.LengthWords(before, by) + " longer"
	default:
		return c.Name + " fitted, " + scene.LengthWords(before, -by) + " shorter"
	}
}
