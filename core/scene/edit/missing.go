package edit

import (
	"maps"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// LinkSource puts a recording in the place of one that is missing.
type LinkSource struct {
	Source string       `json:"source"`
	To     scene.Source `json:"to"`
}

func (e *LinkSource) apply(d *draft) error {
	src, ok := d.Sources[e.Source]
	if !ok || !scene.IsMissing(e.Source) {
		return notPossible("No recording of this scene is missing under the name %q.", shortName(e.Source))
	}
	if err := scene.CheckSource(d.Scene, e.To); err != nil {
		return err
	}
	to := e.To
	if known, here := d.Sources[to.ID]; here {
		to = known
	}
	samples, frames := scene.UsedLength(d.Scene, e.Source)
	// Clips may count from a source timecode that only the recording tells.
	by, byFrames := int64(0), int64(0)
	if samples > to.Samples || frames > to.Frames {
		by, byFrames = to.Offset-src.Offset, d.Rate.Nearest(to.Offset-src.Offset, d.SampleRate)
	}
	first, firstFrame := firstShown(d.Scene, e.Source)
	switch {
	case samples > 0 && (samples-by > to.Samples || first < by):
		return notPossible("%s lasts %s, and clips show up to %s of it; it is not the one that is missing.",
			to.Name, scene.LengthWords(d.Scene, to.Samples), scene.LengthWords(d.Scene, samples))
	case frames > 0 && (frames-byFrames > to.Frames || firstFrame < byFrames):
		return notPossible("%s has %s of picture, and clips show up to frame %d; it is not the one that is missing.",
			to.Name, phrase.Count(int(to.Frames), "frame"), frames)
	}
	if to.Name == e.To.Name && src.Name != "" {
		to.Name = src.Name
	}
	d.Sources = maps.Clone(d.Sources)
	delete(d.Sources, e.Source)
	d.Sources[to.ID] = to
	for i, t := range d.Tracks {
		if slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return c.Source == e.Source || c.HasTake(e.Source) }) {
			linkClips(d.touch(i), e.Source, to.ID, by, byFrames)
		}
	}
	d.Aside = slices.Clone(d.Aside)
	for i, a := range d.Aside {
		own := scene.Aside{From: a.From, Length: a.Length}
		for _, t := range a.Tracks {
			x := *t
			x.Clips = slices.Clone(t.Clips)
			linkClips(&x, e.Source, to.ID, by, byFrames)
			own.Tracks = append(own.Tracks, &x)
		}
		d.Aside[i] = &own
	}
	return nil
}

// firstShown are the first sample and the first frame of a source that clips show.
func firstShown(s *scene.Scene, id string) (sample, frame int64) {
	sample, frame = scene.Unbounded, scene.Unbounded
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			switch {
			case c.Source != id:
			case t.Kind == scene.Picture:
				frame = min(frame, c.In)
			default:
				sample = min(sample, c.In)
			}
		}
	}
	return sample, frame
}

// linkClips lets the clips of a track that show one source show another, so much earlier in it.
func linkClips(t *scene.Track, from, to string, by, frames int64) {
	for i := range t.Clips {
		c := &t.Clips[i]
		c.Takes = c.Takes.With(func(take *scene.Take) {
			if take.Source == from {
				take.Source = to
			}
		})
		if c.Source != from {
			continue
		}
		c.Source = to
		if t.Kind == scene.Picture {
			c.In -= frames
			continue
		}
		c.In -= by
		c.Level = slices.Clone(c.Level)
		for k := range c.Level {
			c.Level[k].At -= by
		}
		c.Lulls = slices.Clone(c.Lulls)
		for k := range c.Lulls {
			c.Lulls[k].From, c.Lulls[k].To = c.Lulls[k].From-by, c.Lulls[k].To-by
		}
	}
}

func (e *LinkSource) words(before, after *scene.Scene) string {
	name := before.Sources[e.Source].Name
	if now, ok := after.Sources[e.To.ID]; ok && now.URL != "" && now.URL != name {
		return "the missing recording " + name + " linked to " + now.URL
	}
	return "the missing recording " + name + " linked"
}
