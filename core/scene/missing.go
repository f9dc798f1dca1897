package scene

import (
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"slices"
	"strings"
)

// missingPrefix begins the id of a source whose recording is missing.
const missingPrefix = "missing-"

// IsMissing tells by its id whether a source stands for a recording that is missing: it is silent, as long as what is
// shown of it, until it is linked.
func IsMissing(id string) bool { return strings.HasPrefix(id, missingPrefix) }

// MissingSource stands for a source of a scene whose recording is not to be had. It is as long as the file says, or as
// the clips of it show.
func MissingSource(s *Scene, src Source) Source {
	sum := sha256.Sum256([]byte(src.URL + "\x00" + src.SHA256 + "\x00" + src.Name))
	was := src.ID
	src.ID, src.Unknown = missingPrefix+hex.EncodeToString(sum[:8]), false
	samples, frames := shown(s, was)
	src.Samples, src.Frames = max(src.Samples, samples), max(src.Frames, frames)
	if src.Samples > 0 {
		src.Channels = max(1, src.Channels)
	}
	return src
}

// shown is how much of a source clips show, with what their blends need.
func shown(s *Scene, id string) (samples, frames int64) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Source != id {
				continue
			}
			end := c.In + c.Length
			if _, tail := t.blendsOf(c.ID); tail != nil {
				end += tail.After
			}
			if t.Kind == Picture {
				frames = max(frames, end)
			} else {
				samples = max(samples, end)
			}
		}
	}
	return samples, frames
}

// LinkSource puts a recording in the place of one that is missing.
type LinkSource struct {
	Source string `json:"source"`
	To     Source `json:"to"`
}

func (e *LinkSource) apply(d *draft) error {
	src, ok := d.Sources[e.Source]
	if !ok || !IsMissing(e.Source) {
		return notPossible("No recording of this scene is missing under the name %q.", shortName(e.Source))
	}
	if err := checkSource(d.Scene, e.To); err != nil {
		return err
	}
	to := e.To
	if known, here := d.Sources[to.ID]; here {
		to = known
	}
	samples, frames := shown(d.Scene, e.Source)
	// Clips may count from a source timecode that only the recording tells.
	by, byFrames := int64(0), int64(0)
	if samples > to.Samples || frames > to.Frames {
		by, byFrames = to.Offset-src.Offset, d.Rate.Nearest(to.Offset-src.Offset, d.SampleRate)
	}
	first, firstFrame := firstShown(d.Scene, e.Source)
	switch {
	case samples > 0 && (samples-by > to.Samples || first < by):
		return notPossible("%s lasts %s, and clips show up to %s of it; it is not the one that is missing.",
			to.Name, LengthWords(d.Scene, to.Samples), LengthWords(d.Scene, samples))
	case frames > 0 && (frames-byFrames > to.Frames || firstFrame < byFrames):
		return notPossible("%s has %s of picture, and clips show up to frame %d; it is not the one that is missing.",
			to.Name, count(int(to.Frames), "frame"), frames)
	}
	if to.Name == e.To.Name && src.Name != "" {
		to.Name = src.Name
	}
	d.Sources = maps.Clone(d.Sources)
	delete(d.Sources, e.Source)
	d.Sources[to.ID] = to
	for i, t := range d.Tracks {
		if slices.ContainsFunc(t.Clips, func(c Clip) bool { return c.Source == e.Source || c.hasTake(e.Source) }) {
			linkClips(d.touch(i), e.Source, to.ID, by, byFrames)
		}
	}
	d.Aside = slices.Clone(d.Aside)
	for i, a := range d.Aside {
		own := Aside{From: a.From, Length: a.Length}
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
func firstShown(s *Scene, id string) (sample, frame int64) {
	sample, frame = unbounded, unbounded
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			switch {
			case c.Source != id:
			case t.Kind == Picture:
				frame = min(frame, c.In)
			default:
				sample = min(sample, c.In)
			}
		}
	}
	return sample, frame
}

// hasTake tells whether a take under a clip is of a source.
func (c *Clip) hasTake(source string) bool {
	return c.Takes != nil && slices.ContainsFunc(c.Takes.Others, func(t Take) bool { return t.Source == source })
}

// linkClips lets the clips of a track that show one source show another, so much earlier in it.
func linkClips(t *Track, from, to string, by, frames int64) {
	for i := range t.Clips {
		c := &t.Clips[i]
		c.Takes = c.Takes.With(func(take *Take) {
			if take.Source == from {
				take.Source = to
			}
		})
		if c.Source != from {
			continue
		}
		c.Source = to
		if t.Kind == Picture {
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

func (e *LinkSource) words(before, after *Scene) string {
	name := before.Sources[e.Source].Name
	if now, ok := after.Sources[e.To.ID]; ok && now.URL != "" && now.URL != name {
		return "the missing recording " + name + " linked to " + now.URL
	}
	return "the missing recording " + name + " linked"
}
