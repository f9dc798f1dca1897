package scene

import (
	"slices"

	"blendseam/core/scene/phrase"
)

// A NewShot is a shot of a new cut, in frames.
type NewShot struct {
	Source string `json:"source"` // "" is one that is not to be had: nothing is seen
	Name   string `json:"name"`
	In     int64  `json:"in"`
	Start  int64  `json:"start"`
	Length int64  `json:"length"`
	Speed  bool   `json:"speed,omitempty"` // it runs at another speed there
}

// An Aside is a stretch that a new cut lifted, with all that lay under its picture. Times are from its start.
type Aside struct {
	From   int64    `json:"from"`   // where it lay, in frames
	Length int64    `json:"length"` // in frames
	Tracks []*Track `json:"tracks"` // by the ids of the scene's tracks
}

// A Fate says what a new picture cut does to a clip of sound, or to a part of one. Times are samples.
type Fate struct {
	Clip  ClipID `json:"clip"`
	Name  string `json:"name"`
	Track string `json:"track"`
	What  string `json:"what"` // one of the Fates below
	From  int64  `json:"from"` // where it lay
	To    int64  `json:"to"`
	At    int64  `json:"at"` // where it begins now; less than 0 if it is kept aside
	Frame int64  `json:"-"`  // of the old cut, that decides: of its shot, or of what was lifted; -1 if none does
}

// What a new picture cut can do to sound.
const (
	FateMoved = "moved"    // it lies elsewhere
	FateCut   = "cut"      // it is a part of what was one clip
	FateAside = "aside"    // it is kept aside, with the picture that is gone
	FateOther = "overlaps" // it would lie over other sound, and lies on another track now

	FateLonger = "longer" // it fills a gap that came, from its handle
)

// SpeedKey is where clips keep, as foreign, that their picture runs at another speed: frames a second.
const SpeedKey = "edl_speed"

// RecutLost tells what an edit that gives a new picture took from a scene and did not keep: blends at what came apart,
// blends across tracks, markers. What lies aside is not lost.
func RecutLost(before, after *Scene) (list []string) {
	blends := 0
	for _, t := range before.Tracks {
		all := func(s *Scene) (list []Blend) {
			if now := s.Track(t.ID); now != nil {
				list = now.Blends
			}
			for _, a := range s.Aside {
				for _, x := range a.Tracks {
					if x.ID == t.ID {
						list = append(list[:len(list):len(list)], x.Blends...)
					}
				}
			}
			return list
		}
		blends += max(0, len(all(before))-len(all(after)))
	}
	if blends > 0 {
		list = append(list, phrase.Count(blends, "blend")+", at what came apart")
	}
	if n := len(before.Pairs) - len(after.Pairs); n > 0 {
		list = append(list, phrase.Count(n, "blend")+" across two tracks")
	}
	for _, m := range before.Markers {
		if !slices.ContainsFunc(after.Markers, func(o Marker) bool { return o.ID == m.ID }) {
			list = append(list, "the marker "+m.Name)
		}
	}
	if n := LostPatches(before, after); n > 0 {
		list = append(list, phrase.Count(n, "patch")+", whose hole is gone")
	}
	return list
}
