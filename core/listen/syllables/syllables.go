// Package syllables counts the syllables of speech by their nuclei, to tell how fast somebody speaks.
package syllables

import (
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// SlowPerS and FastPerS are the syllables a second of words, pauses left out, from which on a reading is slow or fast:
// 4 to 6 are usual in English (F. Goldman-Eisler, "Psycholinguistics", 1968, from memory).
const (
	SlowPerS = 3.5
	FastPerS = 6.5
)

// A Rate is how fast somebody speaks.
type Rate struct {
	Syllables int
	Seconds   float64 // of words, pauses left out
}

// PerS is the articulation rate, in syllables a second of words; 0 if there are none.
func (r Rate) PerS() float64 {
	if r.Seconds == 0 {
		return 0
	}
	return float64(r.Syllables) / r.Seconds
}

// Limits of nuclei, as in N. de Jong, T. Wempe, "Praat script to detect syllable nuclei and measure speech rate
// automatically", Behavior Research Methods 41, 2009: a peak of intensity is a nucleus if it has pitch, is no more than
// softDB below the loudest, and a dip of dipDB lies between it and the one before. On the eight voices on which smooth
// was set it counts a sixth too many.
const (
	softDB  = 25.0
	dipDB   = 2.0
	lowHz   = 250 // where vowels have their power
	highHz  = 3500
	smooth  = 5    // frames to each side of one
	loudest = 0.99 // of the levels in words
)

// Measure returns the rate of speech of a stretch of a recording, in its samples. It fails as reading the frames does.
func Measure(a *analysis.Recording, span pcm.Span) (Rate, error) {
	var rate Rate
	var words [][]float64
	var all []float64
	for _, p := range a.Within(span) {
		on := p.Span.Intersect(span)
		if p.Kind != speech.Word || on.Empty() {
			continue
		}
		f, err := a.Frames(on)
		if err != nil {
			return rate, err
		}
		rate.Seconds += float64(on.Len()) / float64(a.Rate)
		db := intensity(f)
		for i := range db { // what has no pitch is no nucleus: the burst of a t, an s
			if at := f.Span(i); !p.Voiced.Empty() && (at.To < p.Voiced.From || at.From > p.Voiced.To) {
				db[i] = math.Min(db[i], -119)
			}
		}
		words, all = append(words, db), append(all, db...)
	}
	if len(all) == 0 {
		return rate, nil
	}
	slices.Sort(all)
	least := measure.Percentile(all, loudest) - softDB
	for _, db := range words {
		rate.Syllables += max(1, nuclei(db, least)) // a word has one at least
	}
	return rate, nil
}

// intensity is the level of vowels of each frame, smoothed, in dB.
func intensity(f analysis.Frames) []float64 {
	raw := make([]float64, f.Count)
	for i := range raw {
		for b, p := range f.Of(i) {
			if analysis.Centres[b] >= lowHz && analysis.Centres[b] <= highHz {
				raw[i] += float64(p)
			}
		}
	}
	db := make([]float64, f.Count)
	for i := range db {
		low, high := max(0, i-smooth), min(f.Count, i+smooth+1)
		sum := 0.0
		for _, p := range raw[low:high] {
			sum += p
		}
		db[i] = math.Max(-120, level.OfPower(sum/float64(high-low)))
	}
	return db
}

// nuclei counts the peaks above a level between which it falls by dipDB.
func nuclei(db []float64, least float64) (n int) {
	top, bottom := math.Inf(-1), math.Inf(1)
	rising := true
	for _, v := range db {
		if rising {
			if top = max(top, v); v < top-dipDB {
				if top >= least {
					n++
				}
				rising, bottom = false, v
			}
		} else if bottom = min(bottom, v); v > bottom+dipDB {
			rising, top = true, v
		}
	}
	if rising && top >= least && len(db) > 0 {
		n++
	}
	return n
}
