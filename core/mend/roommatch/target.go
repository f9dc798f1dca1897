package roommatch

import (
	"cmp"
	"math"
	"slices"

	"blendseam/core/refuse"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/recipe"
)

// riseDB is how far a target may lie over the loudest take.
const riseDB = 0.8

// target chooses the room that all are brought to, and how far backgrounds may be turned down for it.
func (w Options) target(list []taking) (target Room, hushDB float64, err error) {
	hushDB = w.HushDB
	if hushDB == AsNeeded {
		hushDB = UsualHushDB
	}
	switch w.Target {
	case Natural, "":
		target, over := least(list, 0)
		if w.HushDB == AsNeeded {
			hushDB = min(over, LittleHushDB)
		}
		return target, hushDB, nil
	case Quiet:
		target, _ := least(list, hushDB)
		return target, hushDB, nil
	}
	for _, t := range list {
		if t.named(w.Target) {
			return t.room, hushDB, nil
		}
	}
	return Room{}, 0, refuse.Errorf(
		"no take with a pause is called %q; %s, %s, or the name of a clip of dialogue would work", w.Target, Natural, Quiet)
}

// mostRiseDB is how far the noise of a scene may rise over its loudest take, dB.
const mostRiseDB = 3.0

// tooLoud says which take is to blame for a target that lies mostRiseDB over what the floors of all recordings say.
func tooLoud(list []taking, target Room) error {
	loudest, blame := level.Silence, list[0]
	for _, t := range list {
		loudest = max(loudest, t.room.ownDB())
		if t.room.excess > blame.room.excess {
			blame = t
		}
	}
	over := target.LevelDB() - loudest
	if over <= mostRiseDB {
		return nil
	}
	return refuse.Errorf("the noise of all takes would rise %.1f dB over the loudest: the pauses of %s lie %.1f dB over "+
		"its own background and may hold another sound; take it out of the range, or name another take as the target",
		over, blame.clip.Name, blame.room.excess)
}

// least is the lowest room that all takes can be brought to: band by band, what the loudest has when it is hushed, but
// no less than the take in the middle. All of it together is no louder than riseDB over the loudest take; by how many
// dB it had to be lowered for that is overDB.
func least(list []taking, hush float64) (out Room, overDB float64) {
	out = Room{Bands: make(ambience.Spectrum, recipe.FineBands)}
	loudest := level.Silence
	for _, t := range list {
		if db := t.room.MostDB(); db > loudest {
			loudest, out.Width = db, t.room.Width // the loudest is heard most
		}
	}
	for b := range out.Bands {
		var column []float64
		for _, t := range list {
			for _, state := range t.room.states() {
				column = append(column, state[b])
			}
		}
		slices.Sort(column)
		out.Bands[b] = max(column[len(column)-1]*level.Power(-hush), column[(len(column)-1)/2])
	}
	for _, r := range hummers(list) {
		for _, h := range r.Hum {
			h.LevelDB -= hush
			k := slices.IndexFunc(out.Hum, func(o recipe.Sine) bool { return math.Abs(o.Hz-h.Hz) < sameHz })
			if k < 0 {
				out.Hum = append(out.Hum, h)
			} else {
				out.Hum[k].LevelDB = max(out.Hum[k].LevelDB, h.LevelDB)
			}
		}
	}
	slices.SortFunc(out.Hum, func(a, b recipe.Sine) int { return int(math.Copysign(1, b.LevelDB-a.LevelDB)) })
	out.Hum = out.Hum[:min(len(out.Hum), mostHum)]
	if overDB = max(0, out.LevelDB()-loudest-riseDB); overDB > 0 {
		// the noise alone, if it is most of it: hum cannot well be turned down
		hum := humPower(out.Hum)
		noise := (level.Power(loudest+riseDB) - hum) / out.Bands.Power()
		if noise < level.Power(-LittleHushDB) {
			noise = level.Power(-overDB)
			for i := range out.Hum {
				out.Hum[i].LevelDB -= overDB
			}
		}
		for b := range out.Bands {
			out.Bands[b] *= noise
		}
		overDB = -level.OfPower(noise)
	}
	return out, overDB
}

// hummers are the rooms with hum, those with most of it first: its shape is that of theirs.
func hummers(list []taking) (rooms []Room) {
	for _, t := range list {
		if len(t.room.Hum) > 0 {
			rooms = append(rooms, t.room)
		}
	}
	slices.SortStableFunc(rooms, func(a, b Room) int { return cmp.Compare(humPower(b.Hum), humPower(a.Hum)) })
	return rooms
}

// Two sines are one hum within sameHz; a take that has it less than humLack dB below the target has enough of it.
const (
	sameHz  = 0.7
	humLack = 1.0
	mostHum = 24
)
