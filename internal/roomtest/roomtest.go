// Package roomtest has what tests put into rooms, and more rooms to put it into.
package roomtest

import (
	"math"
	"math/rand/v2"
	"testing"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/room"
	"blendseam/internal/outside"
)

// Words are the sounds of outside.Voices that are words, at 48 kHz: "Noise" among the files is no voice.
func Words(t testing.TB) (list [][]float64) {
	t.Helper()
	const rate = 48000
	for _, b := range outside.DecodeAll(t, outside.Voices(t), 1) {
		v := b[0]
		if measure.Percentile(measure.FrameLevels(pcm.Block{v}, rate), 0.5) > -20 && len(v) > 3*rate {
			continue
		}
		list = append(list, v)
	}
	return list
}

// A Blow is a sound that does not belong: what is heard from its first sample on.
type Blow struct {
	Name  string
	Sound []float64 // its loudest 10 ms at 0 dBFS
}

// Blows draws one of the sounds that fall into pauses: a knock, a thump, a plate of metal, a clatter, a click.
func Blows(r *rand.Rand, rate int) Blow {
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	v := make([]float64, rate)
	hit := func(at, size, noise, decay float64, partials ...float64) {
		from := int(at * float64(rate))
		for i := from; i < len(v); i++ {
			t := float64(i-from) / float64(rate)
			x := noise * r.NormFloat64() * math.Exp(-t/(decay/3))
			for n, hz := range partials {
				x += math.Exp(-t/decay*(1+0.4*float64(n))) * math.Sin(2*math.Pi*hz*t)
			}
			v[i] += size * x
		}
	}
	b := Blow{Sound: v}
	switch r.IntN(5) {
	case 0:
		b.Name = "knock"
		hz := between(150, 450)
		hit(0, 1, 0.6, between(0.015, 0.045), hz, 2.3*hz)
	case 1:
		b.Name = "thump"
		hit(0, 1, 0.15, between(0.03, 0.07), between(55, 120))
	case 2:
		b.Name = "metal"
		hz := between(450, 900)
		hit(0, 1, 0.2, between(0.05, 0.11), hz, 2.65*hz, 4.38*hz, 7.4*hz)
	case 3:
		b.Name = "clatter"
		hz := between(300, 1200)
		at, size := 0.0, 1.0
		for range 2 + r.IntN(3) {
			hit(at, size, 0.7, between(0.012, 0.03), hz, 1.7*hz)
			at, size = at+between(0.06, 0.12), size*between(0.4, 0.8)
		}
	case 4:
		b.Name = "click"
		hit(0, 1, 1, between(0.001, 0.004), between(1500, 4000))
	}
	n, loudest := rate/100, level.Silence
	for at := 0; at+n <= len(v); at += n {
		loudest = max(loudest, measure.RMSDB(pcm.Block{v[at : at+n]}))
	}
	g := level.Amplitude(-loudest)
	for i := range v {
		v[i] *= g
	}
	return b
}

// All are the rooms of tests: those that ship with the application, and further ones.
func All() []room.Kind { return append(append([]room.Kind(nil), room.Kinds...), room.Further...) }
