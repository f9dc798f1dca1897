package scene

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
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
	return s.Sources[src.Fit.Of], s.Unit(t, ShownSpan(s, t, c).From)
}

// shownBy is the stretch of its recording, as it was recorded, that a clip of sound or picture shows, in samples.
func ShownSpan(s *Scene, t *Track, c *Clip) pcm.Span {
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

// Onto moves all that lies on a clip's sound to where that goes, which may be backwards.
func (c *Clip) Onto(over func(int64) int64) {
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
