package scene

import (
	"maps"
	"math"
	"slices"

	"blendseam/core/sound/recipe"
)

// SetRoom brings the backgrounds of clips to one: each gets a room, or loses it, and so does each track, whose room
// sounds where none of its clips does, between its first and its last. One room is often that of many clips, so that
// rooms are listed once and named by their place in the list, from 0; -1 is none. The scene gets the tones that they
// are made from, by the ids that ToneSource gives them.
type SetRoom struct {
	Tones  []recipe.Tone   `json:"tones,omitempty"`
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
	if err := e.bringTones(d); err != nil {
		return err
	}
	for i := range e.Rooms {
		if err := checkRoom(d.Scene, &e.Rooms[i]); err != nil {
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
			if err := checkTone(d.Scene, t); err != nil {
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

// roomFor is the room of a clip that comes to a track: that of the clip of its recording that lies nearest to it there,
// at its gain; nil if none does. So a line that is replaced by another of a take that was evened is evened as well.
func roomFor(s *Scene, t *Track, c Clip) (room *recipe.Room) {
	if t.Kind != Sound || t.Purpose != ForDialogue {
		return nil
	}
	least := int64(math.MaxInt64)
	for _, o := range s.Tracks {
		if o.Kind != Sound || o.Purpose != ForDialogue || o.GainDB != t.GainDB {
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

// mostHum is how many sines a room may have.
const mostHum = 64

// mostPoints is how many points a room's course, or the lead of its hum, may have.
const mostPoints = 50000

// checkRoom refuses a room that no sound can be made of in a scene; nil is none.
func checkRoom(s *Scene, r *recipe.Room) error {
	if r == nil {
		return nil
	}
	if err := CheckRoom(r); err != nil {
		return err
	}
	if r.Tone != "" && s.Sources[r.Tone].Tone == nil {
		return invalid("The scene has no tone %q for a room to be made from; bring it in with the room.", r.Tone)
	}
	return nil
}

// CheckRoom refuses a room that no sound can be made of, whatever the scene.
func CheckRoom(r *recipe.Room) error {
	if err := checkState(r.FillDB, r.Hush); err != nil {
		return err
	}
	if (r.Tone == "") != (len(r.ToneDB) == 0) {
		return invalid("A room that is made from a tone says what that has in its bands; one that is not does not.")
	}
	if err := checkState(r.ToneDB, nil); err != nil {
		return err
	}
	if !(r.Width >= 0 && r.Width <= 1) {
		return invalid("A room's noise cannot differ between channels by a share of %g; 0 to 1 are possible.", r.Width)
	}
	if d := r.Decay; d != nil && !(d.S >= 0.05 && d.S <= 3 && d.LevelDB >= -60 && d.LevelDB <= 12) {
		return invalid("No room answers for %g s at %g dB; 0.05 to 3 s at -60 to 12 dB are possible.", d.S, d.LevelDB)
	}
	if len(r.Hum) > mostHum {
		return invalid("A room would have %d tones of hum; %d are the most.", len(r.Hum), mostHum)
	}
	for _, h := range r.Hum {
		if !(h.Hz > 0 && h.Hz <= 24000) || !sane(h.LevelDB) || !(math.Abs(h.Phase) <= 1) {
			return invalid("Hum of %g Hz at %g dB, %g of its cycle on, cannot be made.", h.Hz, h.LevelDB, h.Phase)
		}
	}
	if err := checkCourse(len(r.Lead), func(i int) int64 { return r.Lead[i].At }); err != nil {
		return err
	}
	for _, l := range r.Lead {
		if !(math.Abs(l.By) <= mostLead) {
			return invalid("A room's hum cannot run ahead by %g samples.", l.By)
		}
	}
	if r.Change == nil {
		return nil
	}
	if (r.Hush == nil) != (r.Change.Hush == nil) {
		return invalid("A room that changes is hushed before and after, or not at all.")
	}
	if err := checkState(r.Change.FillDB, r.Change.Hush); err != nil {
		return err
	}
	for _, p := range r.Change.Course {
		if !(p.Share >= 0 && p.Share <= 1) {
			return invalid("A room cannot have changed by a share of %g; 0 to 1 are possible.", p.Share)
		}
	}
	return checkCourse(len(r.Change.Course), func(i int) int64 { return r.Change.Course[i].At })
}

// mostLead is how many samples hum may run ahead.
const mostLead = 1e12

func checkCourse(count int, at func(i int) int64) error {
	if count > mostPoints {
		return invalid("A room's course would have %d points; %d are the most.", count, mostPoints)
	}
	for i := range count {
		if i > 0 && at(i) <= at(i-1) || math.Abs(float64(at(i))) > mostLead {
			return invalid("Point %d of a room's course, at sample %d, does not lie after the one before it.", i, at(i))
		}
	}
	return nil
}

// checkState refuses levels that a room cannot have.
func checkState(fillDB []float64, hush *recipe.Hush) error {
	lists := [][]float64{fillDB}
	if hush != nil {
		lists = append(lists, hush.RoomDB, hush.GainDB)
		for _, db := range hush.GainDB {
			if !(db >= -mostHushDB && db <= 0) {
				return invalid("A band of a room is hushed by %g dB; 0 to %d are possible.", -db, mostHushDB)
			}
		}
	}
	for i, list := range lists {
		if i == 0 && len(list) == 0 {
			continue
		}
		if len(list) != recipe.FineBands {
			return invalid("A room has %d bands, not %d.", recipe.FineBands, len(list))
		}
		for _, db := range list {
			if !(db >= -mostColourDB && db <= 40) {
				return invalid("A band of a room has %g dB.", db)
			}
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
