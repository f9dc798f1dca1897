package scene

import (
	"blendseam/core/tone/recipe"
	"maps"
	"slices"
)

// SetRoom brings the backgrounds of clips to one: each gets a room, or loses it, and so does each track, whose room
// sounds where none of its clips does, between its first and its last. One room is often that of many clips, so that
// rooms are listed once and named by their place in the list, from 0; -1 is none.
type SetRoom struct {
	Rooms  []recipe.Room   `json:"rooms"`
	Clips  map[ClipID]int  `json:"clips,omitempty"`
	Tracks map[TrackID]int `json:"tracks,omitempty"`
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
	for i := range e.Rooms {
		if err := CheckRoom(&e.Rooms[i]); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(e.Clips)) {
		i := e.Clips[id]
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		if t.Kind != Sound {
			return notPossible("%s is picture and has no room.", c.Name)
		}
		if c.Room, err = e.room(i); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(e.Tracks)) {
		i := e.Tracks[id]
		k := trackIndex(d.Scene, id)
		if k < 0 {
			return notPossible("There is no track %q in this scene.", id)
		}
		if d.Tracks[k].Kind != Sound {
			return notPossible("%s is a track of pictures and has no room.", d.Tracks[k].Name)
		}
		if err := d.unlocked(d.Tracks[k]); err != nil {
			return err
		}
		room, err := e.room(i)
		if err != nil {
			return err
		}
		if room != nil && room.Hush != nil {
			return notPossible("A track's own room has nothing to hush.")
		}
		d.touch(k).Room = room
	}
	return nil
}

func (e *SetRoom) words(before, after *Scene) string {
	off, name := 0, ""
	for id, i := range e.Clips {
		if i == -1 {
			off++
		}
		name = nameOf(after, id)
	}
	what := count(len(e.Clips), "clip")
	if len(e.Clips) == 1 {
		what = name
	}
	switch {
	case len(e.Clips) == 0:
		return "room between the clips of " + count(len(e.Tracks), "track") + " set"
	case off == len(e.Clips):
		return what + either(off == 1, " has its own room", " have their own rooms") + " again"
	case len(e.Clips) == 1:
		return what + " brought to another room"
	}
	return what + " brought to one room"
}

// mostHum is how many sines a room may have.
const mostHum = 64

// CheckRoom refuses a room that no sound can be made of.
func CheckRoom(r *recipe.Room) error {
	lists := [][]float64{r.FillDB}
	if r.Hush != nil {
		lists = append(lists, r.Hush.RoomDB, r.Hush.GainDB)
		for _, db := range r.Hush.GainDB {
			if !(db >= -mostHushDB && db <= 0) {
				return notPossible("A band of a room is hushed by %g dB; 0 to %d are possible.", -db, mostHushDB)
			}
		}
	}
	for i, list := range lists {
		if i == 0 && len(list) == 0 {
			continue
		}
		if len(list) != recipe.FineBands {
			return notPossible("A room has %d bands, not %d.", recipe.FineBands, len(list))
		}
		for _, db := range list {
			if !(db >= -mostColourDB && db <= 40) {
				return notPossible("A band of a room has %g dB.", db)
			}
		}
	}
	if len(r.Hum) > mostHum {
		return notPossible("A room would have %d tones of hum; %d are the most.", len(r.Hum), mostHum)
	}
	for _, h := range r.Hum {
		if !(h.Hz > 0 && h.Hz <= 24000) || !sane(h.LevelDB) {
			return notPossible("Hum of %g Hz at %g dB cannot be made.", h.Hz, h.LevelDB)
		}
	}
	return nil
}

// mostHushDB is how far a background can be turned down.
const mostHushDB = 24

// roomsDiffer is in words what another room does to a clip; "" where it is the same.
func roomsDiffer(was, is *recipe.Room) string {
	switch {
	case was.Equal(is):
		return ""
	case is == nil:
		return "its own room again"
	case is.Hush != nil:
		return "brought to another room, hushed"
	}
	return "brought to another room"
}
