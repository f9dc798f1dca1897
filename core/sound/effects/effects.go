// Package effects holds what a clip or a track is treated with besides EQ: an expander or gate, a compressor, echoes
// and reverberation. This file has the settings as plain data with their bounds, which a scene keeps; the other files
// make the sound. Any stretch of it is the same bits alone as in the whole, and nothing moves in time.
package effects

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// A Chain lists the treatments of a clip or of a track. They are applied in the order of the fields, after filters. A
// nil treatment is left out.
type Chain struct {
	Off        bool        `json:"off,omitempty"` // bypassed for the moment
	Gate       *Gate       `json:"gate,omitempty"`
	Compressor *Compressor `json:"compressor,omitempty"`
	Echo       *Echo       `json:"echo,omitempty"`
	Reverb     *Reverb     `json:"reverb,omitempty"`
}

// A Compressor turns down what passes a threshold. Levels are peaks in dBFS, the louder channel deciding for both.
type Compressor struct {
	ThresholdDB float64 `json:"threshold_db"`
	Ratio       float64 `json:"ratio"`             // dB in for 1 dB out, above the threshold
	KneeDB      float64 `json:"knee_db,omitempty"` // width of the bend about the threshold
	AttackMS    float64 `json:"attack_ms"`         // time constant when more has to come off
	ReleaseMS   float64 `json:"release_ms"`        // and when less has to
	MakeUpDB    float64 `json:"make_up_db,omitempty"`
}

// A Gate turns down what stays below a threshold: an expander, which at a high ratio is a gate.
type Gate struct {
	ThresholdDB float64 `json:"threshold_db"`
	Ratio       float64 `json:"ratio"`    // dB out for 1 dB in, below the threshold
	RangeDB     float64 `json:"range_db"` // the most that it turns down
	AttackMS    float64 `json:"attack_ms"`
	HoldMS      float64 `json:"hold_ms,omitempty"` // for so long it stays open after the last sample above the threshold
	ReleaseMS   float64 `json:"release_ms"`
}

// Echo repeats the sound some times, each time lower.
type Echo struct {
	DelayMS float64 `json:"delay_ms"`
	DownDB  float64 `json:"down_db"` // by which each repeat is lower than the one before
	Times   int     `json:"times"`
}

// Reverb adds the response of a room to the sound.
type Reverb struct {
	Room    string  `json:"room,omitempty"`   // a made-up room, by its name in Rooms
	Source  string  `json:"source,omitempty"` // or a recording of an impulse, by its id in the scene
	LevelDB float64 `json:"level_db"`         // energy of the response against the sound itself
	DelayMS float64 `json:"delay_ms,omitempty"`
	Alone   bool    `json:"alone,omitempty"` // the response without the sound itself
}

// A Room is a made-up room.
type Room struct {
	Name string
	S    float64 // reverberation time, seconds: the response falls by 60 dB
}

// Rooms are the made-up rooms, the shortest reverberation first. The times are common practice, no source.
var Rooms = []Room{
	{"car", 0.12}, {"living room", 0.45}, {"bathroom", 0.9}, {"stairwell", 1.8}, {"hall", 2.6}, {"church", 4.5},
}

// RoomNamed returns a made-up room; ok is false if none has the name.
func RoomNamed(name string) (room Room, ok bool) {
	i := slices.IndexFunc(Rooms, func(r Room) bool { return r.Name == name })
	if i < 0 {
		return Room{}, false
	}
	return Rooms[i], true
}

// Bounds of treatments. A longer response or release would have to be computed from farther away than is worth it.
const (
	MostResponseS = 6    // of an impulse that is used, seconds
	MostReleaseMS = 3000 // also of attack and hold
	MostTimes     = 32
)

// Does tells whether a chain changes anything.
func (c *Chain) Does() bool { return c != nil && !c.Off && !c.Empty() }

// Empty tells whether a chain has no treatment, bypassed or not.
func (c *Chain) Empty() bool {
	return c == nil || c.Gate == nil && c.Compressor == nil && c.Echo == nil && c.Reverb == nil
}

// Words name the treatments of a chain, such as "a gate and a compressor".
func (c *Chain) Words() string {
	if c == nil {
		return ""
	}
	var list []string
	for _, x := range []struct {
		is    bool
		words string
	}{
		{c.Gate != nil, "a gate"}, {c.Compressor != nil, "a compressor"}, {c.Echo != nil, "echoes"},
		{c.Reverb != nil, "reverberation"},
	} {
		if x.is {
			list = append(list, x.words)
		}
	}
	if n := len(list); n > 1 {
		return strings.Join(list[:n-1], ", ") + " and " + list[n-1]
	}
	return strings.Join(list, "")
}

// Needs are the ids of the recordings that a chain cannot be without.
func (c *Chain) Needs() []string {
	if id := c.Impulse(); id != "" {
		return []string{id}
	}
	return nil
}

// Impulse returns the id of the recording that a chain takes its reverberation from, "" if there is none.
func (c *Chain) Impulse() string {
	if c == nil || c.Reverb == nil {
		return ""
	}
	return c.Reverb.Source
}

// With returns the chain with another recording as the impulse of its reverberation.
func (c *Chain) With(impulse string) *Chain {
	if c.Impulse() == "" {
		return c
	}
	own, reverb := *c, *c.Reverb
	reverb.Source = impulse
	own.Reverb = &reverb
	return &own
}

// Key says all of what a chain does, for caches and digests.
func (c *Chain) Key() string {
	raw, err := json.Marshal(c)
	if err != nil {
		return fmt.Sprintf("%+v", *c) // a number that JSON has not; Wrong refuses it
	}
	return string(raw)
}

// A bound is a figure with its limits.
type bound struct {
	name        string
	is          float64
	least, most float64
	unit        string
}

// Wrong says why a chain cannot be, "" if it can. It does not know which recordings there are.
func (c *Chain) Wrong() string {
	if c == nil {
		return ""
	}
	var list []bound
	if g := c.Gate; g != nil {
		list = append(list,
			bound{"the gate's threshold", g.ThresholdDB, -100, 0, "dBFS"},
			bound{"the gate's ratio", g.Ratio, 1, 100, ""},
			bound{"the gate's range", g.RangeDB, 0, 100, "dB"},
			bound{"the gate's attack", g.AttackMS, 0, MostReleaseMS, "ms"},
			bound{"the gate's hold", g.HoldMS, 0, MostReleaseMS, "ms"},
			bound{"the gate's release", g.ReleaseMS, 0, MostReleaseMS, "ms"})
	}
	if k := c.Compressor; k != nil {
		list = append(list,
			bound{"the compressor's threshold", k.ThresholdDB, -100, 0, "dBFS"},
			bound{"the compressor's ratio", k.Ratio, 1, 100, ""},
			bound{"the compressor's knee", k.KneeDB, 0, 40, "dB"},
			bound{"the compressor's attack", k.AttackMS, 0, MostReleaseMS, "ms"},
			bound{"the compressor's release", k.ReleaseMS, 0, MostReleaseMS, "ms"},
			bound{"the compressor's make-up gain", k.MakeUpDB, -40, 40, "dB"})
	}
	if e := c.Echo; e != nil {
		list = append(list,
			bound{"the echo's delay", e.DelayMS, 1, 5000, "ms"},
			bound{"what each echo is lower by", e.DownDB, 0, 60, "dB"},
			bound{"the number of echoes", float64(e.Times), 1, MostTimes, ""})
	}
	if r := c.Reverb; r != nil {
		list = append(list,
			bound{"the reverberation's level", r.LevelDB, -60, 20, "dB"},
			bound{"the reverberation's delay", r.DelayMS, 0, 500, "ms"})
	}
	for _, b := range list {
		if !(b.is >= b.least && b.is <= b.most) {
			unit := b.unit
			if unit != "" {
				unit = " " + unit
			}
			return fmt.Sprintf("%s is %g%s, and %g to %g%s is possible", b.name, b.is, unit, b.least, b.most, unit)
		}
	}
	return c.Reverb.wrong()
}

// wrong says why a reverberation cannot be, "" if it can.
func (r *Reverb) wrong() string {
	if r == nil {
		return ""
	}
	_, known := RoomNamed(r.Room)
	switch {
	case (r.Room == "") == (r.Source == ""):
		return "reverberation takes one room or one recording of an impulse"
	case r.Room != "" && !known:
		return fmt.Sprintf("there is no room %q; there are %s", r.Room, strings.Join(RoomNames(), ", "))
	}
	return ""
}

// RoomNames returns the names of the made-up rooms, the shortest reverberation first.
func RoomNames() (names []string) {
	for _, r := range Rooms {
		names = append(names, r.Name)
	}
	return names
}
