package scene

import (
	"math"

	"blendseam/core/sound/recipe"
)

// mostHum is how many sines a room may have.
const mostHum = 64

// mostPoints is how many points a room's course, or the lead of its hum, may have.
const mostPoints = 50000

// checkRoom refuses a room that no sound can be made of in a scene; nil is none.
func CheckRoomOf(s *Scene, r *recipe.Room) error {
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
		if !(h.Hz > 0 && h.Hz <= 24000) || !SaneDB(h.LevelDB) || !(math.Abs(h.Phase) <= 1) {
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
