// Package intelligibility says how far words stand out of all else that sounds with them, which words are drowned, and
// by how much music and effects have to make way.
package intelligibility

import (
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
)

// importance is how much each third-octave from 160 Hz to 8 kHz has a part in speech being understood: the band
// importance function of ANSI S3.5-1997, table 3 (from memory; it adds up to 1, as there).
var importance = [analysis.Bands - 1]float64{
	0.0083, 0.0095, 0.0150, 0.0289, 0.0440, 0.0578, 0.0653, 0.0711, 0.0818,
	0.0844, 0.0882, 0.0898, 0.0868, 0.0844, 0.0771, 0.0527, 0.0364, 0.0185,
}

// A band is heard in full that stands 15 dB over all else, and not at all that lies 15 dB below it (ANSI S3.5-1997,
// 5.7; from memory).
const rangeDB = 15

// MaxDB is the margin of words that nothing sounds with.
const MaxDB = 60.0

// Bands are mean squares in third-octaves from 125 Hz to 8 kHz, as an analysis has them.
type Bands = [analysis.Bands]float64

// Audible is the share of speech that is heard beside all else that is turned up by so many dB: 0 to 1, the band
// audibility function of ANSI S3.5-1997 weighed by importance. Speech and noise of one colour and level have 0.5.
func Audible(speech, other *Bands, byDB float64) (sum float64) {
	for k, share := range importance {
		over := level.OfPower(max(speech[k+1], 1e-30)) - level.OfPower(max(other[k+1], 1e-30)) - byDB
		sum += share * max(0, min(1, (over+rangeDB)/(2*rangeDB)))
	}
	return sum
}

// MarginDB is by how much all else could be turned up until no more is heard of speech than of speech beside noise of
// its own colour and level: so it grows by 1 dB with each by which all else is turned down, and is the difference of
// levels where both have one colour. It is Most where there is nothing else.
func MarginDB(speech, other *Bands) float64 {
	low, high := -MaxDB, MaxDB
	for high-low > 0.001 {
		if by := (low + high) / 2; Audible(speech, other, by) > 0.5 {
			low = by
		} else {
			high = by
		}
	}
	return math.Round(100*low) / 100
}
