package edit

import (
	"maps"
	"math"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/recipe"
)

// SetRoom brings the backgrounds of clips to one: each gets a room, or loses it, and so does each track, whose room
// sounds where none of its clips does, between its first and its last. One room is often that of many clips, so that
// rooms are listed once and named by their place in the list, from 0; -1 is none. The scene gets the tones that they
// are made from, by the ids that ToneSource gives them.
type SetRoom struct {
	Tones  []recipe.Tone         `json:"tones,omitempty"`
	Rooms  []recipe.Room         `json:"rooms"`
	Clips  map[scene.ClipID]int  `json:"clips,omitempty"`
	Tracks map[scene.TrackID]int `json:"tracks,omitempty"`
}

func (e *SetRoom) room(i int) (*recipe.Room, error) {
	if i == -1 {
		return nil, nil
	}
	if i < 0 || i >= len(e.Rooms) {
		return nil, notPossible("Room %d is not among the %d that are given.", i, len(e.Rooms))
	}
	r := e.Rooms[i]
	return &r, nil
}

func (e *SetRoom) apply(d *draft) error {
	if len(e.Clips)+len(e.Tracks) == 0 {
		return notPossible("No clip is named whose room is to be set.")
	}
	if err := e.bringTones(d); err != nil {
		return err
	}
	for i := range e.Rooms {
		if err := scene.CheckRoomOf(d.Scene, &e.Rooms[i]); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(e.Clips)) {
		i := e.Clips[id]
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		if t.Kind != scene.Sound {
			return notPossible("%s is picture and has no room.", c.Name)
		}
		if c.Room, err = e.room(i); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(e.Tracks)) {
		i := e.Tracks[id]
		k := scene.TrackIndex(d.Scene, id)
		if k < 0 {
			return notPossible("There is no track %q in this scene.", id)
		}
		if d.Tracks[k].Kind != scene.Sound {
			return notPossible("%s is a track of pictures and has no room.", d.Tracks[k].Name)
		}
		if err := d.unlocked(d.Tracks[k]); err != nil {
			return err
		}
		room, err := e.room(i)
		if err != nil {
			return err
		}
		if room != nil && (room.Hush != nil || room.Decay != nil) {
			return notPossible("A track's own room has nothing to hush, and no voice to answer.")
		}
		d.touch(k).Room = room
	}
	return nil
}

// bringTones gives the scene the tones that rooms are made from.
func (e *SetRoom) bringTones(d *draft) error {
	if len(e.Tones) > len(e.Rooms) {
		return notPossible("%d rooms cannot be made from %d tones.", len(e.Rooms), len(e.Tones))
	}
	if len(e.Tones) == 0 {
		return nil
	}
	d.Sources = maps.Clone(d.Sources)
	for _, t := range e.Tones {
		if !d.replay {
			if err := scene.CheckTone(d.Scene, t); err != nil {
				return err
			}
		}
		src, err := d.ToneSource(t, "room of "+d.Sources[t.Left[0].Source].Name)
		if err != nil {
			return err
		}
		src.Name = shortName(src.Name)
		d.Sources[src.ID] = src
	}
	return nil
}

func (e *SetRoom) words(before, after *scene.Scene) string {
	off, name := 0, ""
	for id, i := range e.Clips {
		if i == -1 {
			off++
		}
		name = scene.ClipName(after, id)
	}
	what := phrase.Count(len(e.Clips), "clip")
	if len(e.Clips) == 1 {
		what = name
	}
	switch {
	case len(e.Clips) == 0:
		return "room between the clips of " + phrase.Count(len(e.Tracks), "track") + " set"
	case off == len(e.Clips):
		return what + phrase.Either(off == 1, " has its own room", " have their own rooms") + " again"
	case len(e.Clips) == 1:
		return what + " brought to another room"
	}
	return what + " brought to one room"
}

// roomFor is the room of a clip that comes to a track: that of the clip of its recording that lies nearest to it there,
// at its gain; nil if none does. So a line that is replaced by another of a take that was evened is evened as well.
func roomFor(s *scene.Scene, t *scene.Track, c scene.Clip) (room *recipe.Room) {
	if t.Kind != scene.Sound || t.Purpose != scene.ForDialogue {
		return nil
	}
	least := int64(math.MaxInt64)
	for _, o := range s.Tracks {
		if o.Kind != scene.Sound || o.Purpose != scene.ForDialogue || o.GainDB != t.GainDB {
			continue
		}
		for _, k := range o.Clips {
			apart := max(k.In-c.In-c.Length, c.In-k.In-k.Length)
			if k.Source == c.Source && k.GainDB == c.GainDB && apart < least {
				least, room = apart, k.Room
			}
		}
	}
	return room
}
