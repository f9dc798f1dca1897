// Package recipe says how room tone is built. It is a leaf: scenes hold recipes, core/listen/tone makes their sound.
package recipe

import (
	"slices"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm"
)

// A Tone says how room tone is built from recordings: any length of it, always the same sound. Times of tone are
// samples of the source that it is.
type Tone struct {
	Seed  uint64     `json:"seed"`
	Left  []Material `json:"left"`            // what it is made from
	Right []Material `json:"right,omitempty"` // what it is made from at its end; none: as at its start
	// The level of each of Bands third-octaves, in dBFS, the lowest first, at the start and at the end; none: as the
	// material is.
	LeftDB  []float64 `json:"left_db,omitempty"`
	RightDB []float64 `json:"right_db,omitempty"`
	From    int64     `json:"from,omitempty"` // where it begins to go over from its start's colour to its end's
	To      int64     `json:"to,omitempty"`   // and where it has arrived
	// The moment of the tone at which sample 0 of the first material's recording would lie: its hum goes on from there.
	Phase int64 `json:"phase,omitempty"`
	NoHum bool  `json:"no_hum,omitempty"` // its hum is left out
}

// A Material is a quiet stretch of a recording that tone is made from, in samples of its source.
type Material struct {
	Source string `json:"source"`
	From   int64  `json:"from"`
	To     int64  `json:"to"`
}

// Span is the stretch of the recording.
func (m Material) Span() pcm.Span { return pcm.Span{From: m.From, To: m.To} }

// Within gives the first of some materials, as many and as much of them as one end of a tone may be made from at a
// rate.
func Within(list []Material, rate int64) []Material {
	out, left := []Material(nil), limit.MaterialS*rate
	for _, m := range list[:min(len(list), limit.Materials)] {
		if m.To = min(m.To, m.From+left); m.To > m.From {
			out = append(out, m)
			left -= m.To - m.From
		}
	}
	return out
}

// Materials are all materials of a tone, those of its start first.
func (t Tone) Materials() []Material { return slices.Concat(t.Left, t.Right) }

// The third-octaves of a tone's colours, by their number n in IEC 61260-1: the middle is 1000 * 10^(n/10) Hz.
const (
	BandLow  = -15 // 31.6 Hz
	BandHigh = 12  // 15.8 kHz
	Bands    = BandHigh - BandLow + 1
)
