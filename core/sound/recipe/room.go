package recipe

import (
	"math"
	"slices"

	"blendseam/core/sound/interpolate"
)

// A Room says what is done to a clip's background so that it becomes another: what is too much of it is turned down
// between words, and what it lacks is laid under it. It belongs to the recording's own time, so that a clip that is
// trimmed, moved or divided takes it along.
type Room struct {
	Seed   uint64    `json:"seed"`
	FillDB []float64 `json:"fill_db,omitempty"` // noise to be added, dBFS in each of FineBands; none: no noise
	Width  float64   `json:"width,omitempty"`   // share of the noise that is another in each channel, 0 to 1
	Tone   string    `json:"tone,omitempty"`    // of the scene, that the noise is made from; "": made by chance
	ToneDB []float64 `json:"tone_db,omitempty"` // what that tone has in each of FineBands, dBFS
	Hum    []Sine    `json:"hum,omitempty"`     // steady sines to be added
	Lead   []Lead    `json:"lead,omitempty"`    // how far those run ahead, in order of time; none: not at all
	Hush   *Hush     `json:"hush,omitempty"`
	Change *Change   `json:"change,omitempty"`
	Decay  *Decay    `json:"decay,omitempty"` // the answer of a room that the recording is given before all else
}

// A Decay is the answer of a room to a voice in it: reflections that die away.
type Decay struct {
	S       float64 `json:"s"`        // in which it falls by 60 dB
	LevelDB float64 `json:"level_db"` // its energy, against that of the voice itself
}

// A Lead says that the hum at a moment is as it would be so many samples later. Between two of them it goes over in a
// straight line; before the first and after the last it stays. So hum that is laid under one recording meets that of
// another in step.
type Lead struct {
	At int64   `json:"at"` // sample of the recording
	By float64 `json:"by"` // samples
}

// A Change is what a room goes over to, and back, where the background of the recording changes: rain that begins, a
// fan that is turned off. The powers of the noise and of the background go over in a straight line with the share, a
// hush does in dB.
type Change struct {
	FillDB []float64 `json:"fill_db,omitempty"`
	Hush   *Hush     `json:"hush,omitempty"` // there if the room has one
	Course []Share   `json:"course"`         // in order of time; before the first and after the last it stays
}

// A Share says how far a room has gone over to what it changes to at a moment, from 0 to 1.
type Share struct {
	At    int64   `json:"at"` // sample of the recording
	Share float64 `json:"share"`
}

// LeadAt is how many samples the hum runs ahead at a moment of the recording.
func (r *Room) LeadAt(at int64) float64 {
	return interpolate.Linear(len(r.Lead), at, func(i int) (int64, float64) { return r.Lead[i].At, r.Lead[i].By })
}

// ShareAt is how far the room has gone over to what it changes to, 0 if it does not change.
func (r *Room) ShareAt(at int64) float64 {
	if r.Change == nil {
		return 0
	}
	list := r.Change.Course
	return interpolate.Linear(len(list), at, func(i int) (int64, float64) { return list[i].At, list[i].Share })
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
	if r == nil || o == nil || r == o {
		return r == o
	}
	return r.Seed == o.Seed && r.Width == o.Width && r.Tone == o.Tone && slices.Equal(r.ToneDB, o.ToneDB) &&
		slices.Equal(r.FillDB, o.FillDB) && slices.Equal(r.Hum, o.Hum) && slices.Equal(r.Lead, o.Lead) &&
		r.Hush.equal(o.Hush) && r.Change.equal(o.Change) && r.Decay.equal(o.Decay)
}

func (h *Hush) equal(o *Hush) bool {
	if h == nil || o == nil {
		return h == o
	}
	return slices.Equal(h.RoomDB, o.RoomDB) && slices.Equal(h.GainDB, o.GainDB)
}

func (c *Change) equal(o *Change) bool {
	if c == nil || o == nil {
		return c == o
	}
	return slices.Equal(c.FillDB, o.FillDB) && c.Hush.equal(o.Hush) && slices.Equal(c.Course, o.Course)
}

func (d *Decay) equal(o *Decay) bool {
	if d == nil || o == nil {
		return d == o
	}
	return *d == *o
}

// InChannel is the power of the noise in each of some channels, that of their mean being 1: what is another noise in
// each partly cancels in the mean.
func (r *Room) InChannel(channels int) float64 {
	return 1 / (1 - r.Width + r.Width/float64(channels))
}

// Tones are the tones that the room names, at most one; a room of nil names none.
func (r *Room) Tones() []string {
	if r == nil || r.Tone == "" {
		return nil
	}
	return []string{r.Tone}
}

// Does tells whether the room changes anything.
func (r *Room) Does() bool {
	return r != nil && (len(r.FillDB)+len(r.Hum) > 0 || r.Hush != nil || r.Change != nil || r.Decay != nil)
}
