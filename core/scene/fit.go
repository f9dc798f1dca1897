package scene

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timestretch/timing"
)

// FitSource is the source that a fitted recording of a scene is, with an id that says all of its fit. Words and
// stretches of the recording lie in it where they sound.
func FitSource(s *Scene, f timing.Fit, name string) (Source, error) {
	raw, err := json.Marshal(f)
	if err != nil {
		return Source{}, fmt.Errorf("a fit: %w", err)
	}
	sum := sha256.Sum256(raw)
	of := s.Sources[f.Of]
	src := Source{
		ID: "fit-" + hex.EncodeToString(sum[:16]), Name: name, Channels: of.Channels,
		Offset: of.Offset, Unknown: of.Unknown, Fit: &f,
	}
	src.Samples, src.Frames = fittedLengths(s, f, of)
	for _, x := range of.Stretches {
		span := f.ForwardSpan(pcm.Span{From: x.From, To: x.To})
		src.Stretches = append(src.Stretches, Stretch{x.Name, span.From, span.To})
	}
	if of.Speech != nil {
		words := []pcm.Span{}
		for _, w := range of.Speech.Words {
			if w = f.ForwardSpan(w); !w.Empty() {
				words = append(words, w)
			}
		}
		src.Speech = &Speech{words}
	}
	if f.Reversed > 0 {
		slices.Reverse(src.Stretches)
		if src.Speech != nil {
			slices.Reverse(src.Speech.Words)
		}
	}
	return src, nil
}

// fittedLengths are how many samples and frames a fitted recording has; 0 of what the recording has none of. Of a
// recording whose length is not known they are not known either, but not below 0.
func fittedLengths(s *Scene, f timing.Fit, of Source) (samples, frames int64) {
	if of.Samples > 0 || of.Unknown {
		samples = max(0, f.Len(of.Samples))
	}
	if of.Frames > 0 && f.Recolours() { // words and music are fitted without picture
		frames = s.Rate.FrameOf(max(0, f.Len(s.Rate.SampleOf(of.Frames, s.SampleRate))), s.SampleRate)
	}
	return samples, frames
}

// FitOf is how a source is fitted: by nothing, if it is a recording as it is.
func FitOf(s *Scene, source string) timing.Fit {
	if f := s.Sources[source].Fit; f != nil {
		return *f
	}
	return timing.Fit{Of: source}
}

// FitSpan is the stretch of its recording, as it was recorded, that a clip shows.
func FitSpan(s *Scene, c *Clip) pcm.Span {
	f := FitOf(s, c.Source)
	return f.BackSpan(pcm.Span{From: c.In, To: c.In + c.Length})
}

// Recorded is the recording that a clip on a track shows, as it was recorded, and where in it the earliest of what it
// shows lies, in the track's unit.
func Recorded(s *Scene, t *Track, c *Clip) (src Source, in int64) {
	if src = s.Sources[c.Source]; src.Fit == nil {
		return src, c.In
	}
	return s.Sources[src.Fit.Of], s.Unit(t, shownBy(s, t, c).From)
}

// shownBy is the stretch of its recording, as it was recorded, that a clip of sound or picture shows, in samples.
func shownBy(s *Scene, t *Track, c *Clip) pcm.Span {
	f := FitOf(s, c.Source)
	return f.BackSpan(pcm.Span{From: s.Time(t, c.In), To: s.Time(t, c.In+c.Length)})
}

// MaterialOf is a stretch of a source as what tone is made from: of a fitted one, what of its recording sounds there.
func MaterialOf(s *Scene, source string, span pcm.Span) recipe.Material {
	f := FitOf(s, source)
	span = f.BackSpan(span)
	return recipe.Material{Source: f.Of, From: span.From, To: max(span.From+1, span.To)}
}

// checkFit refuses a fit of what is no recording of the scene, or one that nothing can sound by.
func checkFit(s *Scene, src Source) error {
	of, ok := s.Sources[src.Fit.Of]
	if !ok || of.Fit != nil || of.Tone != nil {
		return invalid("%s is fitted from %q, which is no recording of this scene.", src.Name, src.Fit.Of)
	}
	n := max(of.Samples, s.Rate.SampleOf(of.Frames, s.SampleRate))
	if of.Unknown {
		n = farthest(s)
	}
	if err := src.Fit.Check(n); err != nil {
		return invalid("%s cannot be fitted: %s.", of.Name, err)
	}
	samples, frames := fittedLengths(s, *src.Fit, of)
	switch {
	case of.Unknown:
	case src.Samples != samples:
		return invalid("%s would take %d samples as it is fitted, not %d.", of.Name, samples, src.Samples)
	case src.Frames != 0 && src.Frames != frames:
		return invalid("%s would take %d frames as it is fitted, not %d.", of.Name, frames, src.Frames)
	}
	return nil
}

// Fit gives a stretch of a clip's recording another length at the same pitch, and the clip with it. All that lies on
// its sound stays there; the clip begins where it did.
type Fit struct {
	Clip ClipID `json:"clip"`
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
	case t.Kind != Sound:
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
		if err := (&Unlink{Clips: []ClipID{e.Clip}}).apply(d); err != nil {
			return err
		}
		t, c, _ = d.open(e.Clip)
	}
	shown, was := FitSpan(d.Scene, c), FitOf(d.Scene, c.Source)
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
	c.Takes = c.Takes.moved(c.In - in) // they stay in step at the clip's head
	c.Length = is.Len()
	c.onto(over)
	if c.Length < 1 {
		return notPossible("Nothing would be left of %s.", c.Name)
	}
	c.fitFades()
	i := slices.IndexFunc(t.Clips, func(x Clip) bool { return x.ID == c.ID })
	if i+1 < len(t.Clips) && t.Clips[i+1].Start < c.End() {
		return inTheWay(d.Scene, t, *c, t.Clips[i+1], c.End()-t.Clips[i+1].Start)
	}
	return nil
}

// bringFit gives a recording as it is fitted, which the scene knows from then on; by nothing, it is the recording.
func bringFit(d *draft, f timing.Fit) (Source, error) {
	of := d.Sources[f.Of]
	if len(f.Parts) == 0 && f.Reversed == 0 {
		return of, nil
	}
	next, err := FitSource(d.Scene, f, of.Name)
	if err == nil {
		err = checkSource(d.Scene, next)
	}
	if err != nil {
		return Source{}, err
	}
	d.Sources = maps.Clone(d.Sources)
	d.Sources[next.ID] = next
	return next, nil
}

// onto moves all that lies on a clip's sound to where that goes, which may be backwards.
func (c *Clip) onto(over func(int64) int64) {
	c.Level = slices.Clone(c.Level)
	for i := range c.Level {
		c.Level[i].At = over(c.Level[i].At)
	}
	slices.SortStableFunc(c.Level, func(a, b LevelPoint) int { return cmp.Compare(a.At, b.At) })
	c.Level = slices.CompactFunc(c.Level, func(a, b LevelPoint) bool { return a.At == b.At && a.DB == b.DB })
	lulls := []Lull{}
	for _, l := range c.Lulls {
		if l.From, l.To = over(l.From), over(l.To); l.To < l.From {
			l.From, l.To, l.FadeIn, l.FadeOut = l.To, l.From, l.FadeOut, l.FadeIn
		}
		if l.To > l.From {
			l.FadeIn = min(l.FadeIn, l.To-l.From)
			l.FadeOut = min(l.FadeOut, l.To-l.From-l.FadeIn)
			lulls = append(lulls, l)
		}
	}
	slices.SortStableFunc(lulls, func(a, b Lull) int { return cmp.Compare(a.From, b.From) })
	if c.Lulls = nil; len(lulls) > 0 {
		c.Lulls = lulls
	}
	if c.Room == nil {
		return
	}
	room := *c.Room
	room.Lead = slices.Clone(room.Lead)
	for i := range room.Lead {
		room.Lead[i].At = over(room.Lead[i].At)
	}
	if room.Change != nil {
		change := *room.Change
		change.Course = slices.Clone(change.Course)
		for i := range change.Course {
			change.Course[i].At = over(change.Course[i].At)
		}
		room.Change = &change
	}
	room.Lead = slices.CompactFunc(room.Lead, func(a, b recipe.Lead) bool { return a.At == b.At })
	c.Room = &room
}

func (e *Fit) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	switch by := now.Length - c.Length; {
	case after.Sources[now.Source].Fit == nil:
		return c.Name + " takes its own length again"
	case by == 0:
		return c.Name + " fitted otherwise, as long as before"
	case by > 0:
		return c.Name + " fitted, " + LengthWords(before, by) + " longer"
	default:
		return c.Name + " fitted, " + LengthWords(before, -by) + " shorter"
	}
}
