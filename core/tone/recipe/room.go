package recipe

import (
	"math"
	"slices"
)

// A Room says what is done to a clip's background so that it becomes another: what is too much of it is turned down
// between words, and what it lacks is laid under it. It belongs to the recording's own time, so that a clip that is
// trimmed, moved or divided takes it along.
type Room struct {
	Seed   uint64    `json:"seed"`
	FillDB []float64 `json:"fill_db,omitempty"` // noise to be added, dBFS in each of FineBands; none: no noise
	Hum    []Sine    `json:"hum,omitempty"`     // steady sines to be added
	Hush   *Hush     `json:"hush,omitempty"`
}

// A Sine is a steady partial, such as one of mains hum.
type Sine struct {
	Hz      float64 `json:"hz"`
	LevelDB float64 `json:"level_db"` // RMS, dBFS
	Phase   float64 `json:"phase"`    // of its cycle at the recording's first sample, 0 to 1, a sine rising at 0
}

// A Hush turns a background down where nothing but the background is heard.
type Hush struct {
	RoomDB []float64 `json:"room_db"` // what the background has in each of FineBands, dBFS: louder than that are words
	GainDB []float64 `json:"gain_db"` // of each of them, 0 or less
}

// The bands of a room: twelfths of an octave, by their number n, the middle being 1000 * 2^(n/12) Hz.
const (
	FineLow   = -60 // 31.25 Hz
	FineHigh  = 48  // 16 kHz
	FineBands = FineHigh - FineLow + 1
)

// FineHz is the middle of a band of a room, the lowest being number 0.
func FineHz(band int) float64 { return 1000 * math.Exp2(float64(band+FineLow)/12) }

// FineBand is the band that a frequency lies in, -1 if in none.
func FineBand(hz float64) int {
	if b := int(math.Round(12*math.Log2(hz/1000))) - FineLow; b >= 0 && b < FineBands {
		return b
	}
	return -1
}

// FineWidth is how wide that band is, in Hz.
func FineWidth(band int) float64 { return FineHz(band) * (math.Exp2(1.0/24) - math.Exp2(-1.0/24)) }

// Equal tells whether two rooms are the same.
func (r *Room) Equal(o *Room) bool {
	if r == nil || o == nil {
		return r == o
	}
	hush := (r.Hush == nil) == (o.Hush == nil)
	if hush && r.Hush != nil {
		hush = slices.Equal(r.Hush.RoomDB, o.Hush.RoomDB) && slices.Equal(r.Hush.GainDB, o.Hush.GainDB)
	}
	return hush && r.Seed == o.Seed && slices.Equal(r.FillDB, o.FillDB) && slices.Equal(r.Hum, o.Hum)
}
