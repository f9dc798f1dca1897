// Package onset tells whether a sound sets in at a moment, as a beat, a knock or the beginning of a note does, or was
// already going on. It reads the frames of an analysis, so no sound is read again.
package onset

import (
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// An entry may come this much before what it enters on, and a little after it, in milliseconds.
const (
	earlyMS = 60
	lateMS  = 20
)

// Each side of a moment is looked at for this long, in frames of 10 ms.
const side = 3

// Of the bands that are louder than this below the loudest, in dB, the rise is taken.
const audibleDB = 30.0

// group is how many third-octaves are taken together, so that noise does not rise by chance: its power in a
// third-octave at 125 Hz scatters by 3 dB over 40 ms.
const group = 3

// AbruptDB is the rise from which on a sound sets in: noise, held notes and swelling sounds stay below it.
const AbruptDB = 3.0

// RiseDB returns the largest rise of the octaves' levels, in dB, at any moment from lateMS before at to earlyMS after
// it: the mean, over the octaves that are heard, of how far each rises from the 40 ms before the moment to the 40 ms
// after it, falling ones counted as 0. at is a sample of the recording. The rise of spectral bands as a sign of an
// onset follows P. Masri, "Computer Modelling of Sound for Transformation and Synthesis of Musical Signals", 1996, and
// S. Dixon, "Onset Detection Revisited", DAFx-06 (from memory). It fails as reading the frames does.
func RiseDB(a *analysis.Recording, at int64) (float64, error) {
	ms := int64(a.Rate) / 1000
	f, err := a.Frames(pcm.Span{From: at - (lateMS+20*side)*ms, To: at + (earlyMS+20*side)*ms})
	if err != nil {
		return 0, err
	}
	most := 0.0
	for i := side + 1; i+side <= f.Count; i++ { // frames overlap by half: the one between both sides belongs to neither
		most = max(most, rise(f, i))
	}
	return most, nil
}

// rise is that at the beginning of frame i.
func rise(f analysis.Frames, i int) float64 {
	before, after := octaves(f, i-1-side, i-1), octaves(f, i, i+side)
	loudest := math.Inf(-1)
	for _, p := range after {
		loudest = max(loudest, level.OfPower(p))
	}
	sum, n := 0.0, 0.0
	for k, p := range after {
		now := level.OfPower(p)
		if now < loudest-audibleDB {
			continue
		}
		n++
		sum += min(24, max(0, now-level.OfPower(before[k])))
	}
	return sum / max(1, n)
}

// octaves are the mean powers of groups of bands over some frames.
func octaves(f analysis.Frames, from, to int) []float64 {
	list := make([]float64, (analysis.Bands+group-1)/group)
	for i := from; i < to; i++ {
		for b, p := range f.Of(i) {
			list[b/group] += float64(p)
		}
	}
	for k := range list {
		list[k] = max(1e-12, list[k]/float64(to-from))
	}
	return list
}
