package scene

import (
	"slices"
	"strings"

	"blendseam/core/limit"
)

// Joined is what a recording was joined from. Times are from the recording's first moment, in samples: what lies on
// its tracks sounds there.
type Joined struct {
	Head   int64    `json:"head"` // where the first part begins: before it lies a handle
	Tail   int64    `json:"tail"` // where the last part ends
	Tracks []*Track `json:"tracks" tstype:"Track[]"`
	Pairs  []Pair   `json:"pairs,omitempty"`
	Ties   []Tie    `json:"ties,omitempty"`
	Named  []ClipID `json:"named,omitempty"` // parts that ducks named one by one
}

// A Tie is what a clip outside had to do with the parts before they were joined.
type Tie struct {
	Clip  ClipID `json:"clip"`
	Link  LinkID `json:"link,omitempty"`  // it was linked with those of this link
	At    int64  `json:"at,omitempty"`    // where the first moment of its source lay then
	Fills *Hole  `json:"fills,omitempty"` // it filled this hole between them
}

// HasRoom tells whether a clip's background was brought to one room, itself or what it was joined from.
func HasRoom(s *Scene, c Clip) bool {
	j := s.Sources[c.Source].Joined
	return c.Room != nil || j != nil && slices.ContainsFunc(j.Tracks, func(t *Track) bool {
		return slices.ContainsFunc(t.Clips, func(p Clip) bool { return p.Room != nil })
	})
}

// checkJoined refuses parts that cannot be.
func checkJoined(s *Scene, src Source) error {
	j := src.Joined
	if j.Head < 0 || j.Tail <= j.Head || !src.Unknown && j.Tail > src.Samples || len(j.Tracks) == 0 ||
		len(j.Tracks) > limit.Tracks {
		return invalid("%s was not joined from sample %d to %d of itself.", src.Name, j.Head, j.Tail)
	}
	ids := map[ClipID]bool{}
	for _, t := range j.Tracks {
		if t == nil || t.Kind != Sound || len(t.Clips) == 0 {
			return invalid("%s was not joined from a track without sound.", src.Name)
		}
		for _, c := range t.Clips {
			if of, ok := s.Sources[c.Source]; !ok || ids[c.ID] || of.ID == src.ID {
				return invalid("%s was joined from %s, which is no recording of this scene, or is there twice.",
					src.Name, c.Name)
			}
			ids[c.ID] = true
		}
		err := CheckTrack(s, t)
		if err == nil {
			err = CheckBounds(s, t)
		}
		if err != nil {
			return invalid("What %s was joined from cannot be: %s.", src.Name, strings.TrimSuffix(err.Error(), "."))
		}
	}
	return nil
}

// Sharing counts the clips that shared a link.
func (j *Joined) Sharing(link LinkID) (n int) {
	for _, tie := range j.Ties {
		if tie.Link == link {
			n++
		}
	}
	for _, t := range j.Tracks {
		for _, c := range t.Clips {
			if c.Link == link {
				n++
			}
		}
	}
	return n
}
