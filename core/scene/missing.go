package scene

import (
	"crypto/sha256"
	"encoding/hex"
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
	samples, frames := UsedLength(s, was)
	src.Samples, src.Frames = max(src.Samples, samples), max(src.Frames, frames)
	if src.Samples > 0 {
		src.Channels = max(1, src.Channels)
	}
	return src
}

// shown is how much of a source clips show, with what their blends need.
func UsedLength(s *Scene, id string) (samples, frames int64) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Source != id {
				continue
			}
			end := c.In + c.Length
			if _, tail := t.BlendsOf(c.ID); tail != nil {
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

// HasTake tells whether a take under a clip is of a source.
func (c *Clip) HasTake(source string) bool {
	return c.Takes != nil && slices.ContainsFunc(c.Takes.Others, func(t Take) bool { return t.Source == source })
}
