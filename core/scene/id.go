package scene

import (
	"strconv"

	"blendseam/core/limit"
)

// What a scene is made of is known by ids, each of its own type, so that a clip's is never taken for a track's. An
// id is a letter and a number that the scene counts up ([Scene.LastID]), as "c7"; a scene file of other origin may
// bring any. A source goes by the name that the library or the file has for it, which is theirs and stays a string.
type (
	TrackID  string // of a [Track]
	ClipID   string // of a [Clip]
	LullID   string // of a [Lull], within its clip
	LinkID   string // shared by the clips that are linked
	MarkerID string // of a [Marker]
)

// The kinds of id that [NewID] gives, by their letters.
const (
	ATrack  TrackID  = "t"
	AClip   ClipID   = "c"
	ALull   LullID   = "u"
	ALink   LinkID   = "l"
	AMarker MarkerID = "m"
)

// NewID gives an id of a kind that the scene has not given before, and counts it.
func NewID[ID ~string](s *Scene, kind ID) ID {
	if s.LastID < 0 || s.LastID >= limit.Ids { // of a file's making: what is there has other names
		s.LastID = freeID(s)
	}
	s.LastID++
	return NumberedID(kind, s.LastID)
}

func NumberedID[ID ~string](kind ID, n int64) ID { return kind + ID(strconv.FormatInt(n, 10)) }

// freeID is a number above those in the ids of a scene that are no larger than they need be.
func freeID(s *Scene) (n int64) {
	note := func(id string) {
		if len(id) > 1 {
			if k, err := strconv.ParseInt(id[1:], 10, 64); err == nil && k < limit.Ids {
				n = max(n, k)
			}
		}
	}
	for _, t := range s.Tracks {
		note(string(t.ID))
		for _, c := range t.Clips {
			note(string(c.ID))
			for _, l := range c.Lulls {
				note(string(l.ID))
			}
		}
	}
	for _, m := range s.Markers {
		note(string(m.ID))
	}
	return n
}
