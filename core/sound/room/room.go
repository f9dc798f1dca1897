// Package room models rooms: the noise of places without a voice, made by program. The tones that ship with the
// application and the backgrounds of tests come from it.
package room

import (
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Kind is a kind of room.
type Kind struct {
	Name  string
	About string
	Slope []Point // spectrum of its noise: level of a third-octave, straight between points on a logarithmic axis
	Hum   []Sine
	Drops float64 // of rain, a second
	Swell float64 // by how many dB its noise comes and goes
	Level float64 // RMS, dBFS
}

// A Point is a level at a frequency.
type Point struct{ Hz, DB float64 }

// A Sine is a steady partial, its level against the room's noise as a whole.
type Sine struct{ Hz, DB float64 }

// Kinds are the rooms that ship with the application.
var Kinds = []Kind{
	{
		Name:  "Kitchen",
		About: "a fridge behind a wall, tiles",
		Level: -54,
		Slope: []Point{{30, -8}, {80, -4}, {250, -8}, {1000, -14}, {4000, -18}, {12000, -26}},
		Hum:   []Sine{{50.02, -7}, {100.04, -4}, {150.06, -14}, {200.08, -12}, {300.12, -18}},
	},
	{
		Name:  "Workshop",
		About: "ventilation, a lathe far away",
		Level: -48,
		Slope: []Point{{30, -14}, {100, -5}, {315, -2}, {630, -6}, {1000, -4}, {3150, -12}, {12000, -28}},
		Hum:   []Sine{{49.3, -10}, {147.9, -15}},
	},
	{
		Name:  "Rain on a roof",
		About: "steady rain on tin, heard from inside",
		Level: -46,
		Slope: []Point{{30, -24}, {200, -16}, {1000, -8}, {3000, -4}, {8000, -6}, {14000, -12}},
		Drops: 500,
	},
	{
		Name:  "Hall",
		About: "a large empty room",
		Level: -58,
		Slope: []Point{{30, 0}, {80, -2}, {200, -8}, {500, -14}, {2000, -24}, {12000, -40}},
	},
	{
		Name:  "Night outdoors",
		About: "a light wind, insects far away",
		Level: -56,
		Slope: []Point{{30, -6}, {150, -8}, {600, -10}, {2500, -16}, {3800, -9}, {4400, -7}, {5200, -14}, {12000, -26}},
		Swell: 1.2,
	},
	{
		Name:  "Car",
		About: "a quiet road, windows shut",
		Level: -44,
		Slope: []Point{{30, 0}, {63, -1}, {125, -6}, {400, -14}, {1000, -18}, {4000, -32}, {12000, -48}},
		Hum:   []Sine{{36.4, -4}, {72.8, -3}, {109.2, -8}},
	},
}

// Further are more rooms, which do not ship: tests need many.
var Further = []Kind{
	{
		Name:  "Fridge beside the table",
		Level: -50,
		Slope: []Point{{30, -6}, {100, -3}, {400, -10}, {2000, -16}, {12000, -30}},
		Hum:   []Sine{{60, -6}, {120, -5}, {180, -12}, {240, -14}},
	},
	{Name: "Drizzle", Level: -52, Slope: []Point{{30, -12}, {200, -10}, {1000, -9}, {5000, -8}, {14000, -14}}, Drops: 150},
	{Name: "Wind", Level: -48, Slope: []Point{{30, 0}, {120, -4}, {500, -12}, {2000, -22}, {12000, -38}}, Swell: 3},
	{Name: "Stairwell", Level: -55, Slope: []Point{{30, -4}, {150, -3}, {300, -6}, {900, -12}, {6000, -26}, {12000, -40}}},
	{
		Name:  "Office",
		Level: -47,
		Slope: []Point{{30, -8}, {125, -3}, {500, -6}, {2000, -12}, {8000, -20}, {14000, -30}},
		Hum:   []Sine{{99.6, -12}},
	},
	{Name: "Attic", Level: -60, Slope: []Point{{30, -3}, {80, -5}, {250, -9}, {1000, -13}, {4000, -15}, {14000, -19}}},
}

// Sound makes n samples of the room at rate samples a second, in so many channels, from a seed. Its noise differs
// between channels, its hum does not.
func (k Kind) Sound(n int64, rate, channels int, seed uint64) pcm.Block {
	r := rand.New(rand.NewPCG(seed, 40))
	b := pcm.NewBlock(channels, n)
	size := 1
	for int64(size) < n {
		size *= 2
	}
	fft := fourier.NewFFT(size)
	for c := range b {
		spectrum := make([]complex128, size/2+1)
		for i := 1; i < size/2; i++ {
			hz := float64(i) * float64(rate) / float64(size)
			a := math.Sqrt(level.Power(k.at(hz)) / hz) // a third-octave grows with its frequency
			spectrum[i] = complex(a*r.NormFloat64(), a*r.NormFloat64())
		}
		copy(b[c], fft.Sequence(make([]float64, size), spectrum))
		k.swell(b[c], rate, r)
	}
	turn(b, -measure.RMSDB(b)) // to 0 dB
	for _, s := range k.Hum {
		phase, a := 2*math.Pi*r.Float64(), math.Sqrt2*level.Amplitude(s.DB)
		for i := range b[0] {
			v := a * math.Sin(2*math.Pi*s.Hz*float64(i)/float64(rate)+phase)
			for c := range b {
				b[c][i] += v
			}
		}
	}
	k.rain(b, rate, r)
	turn(b, k.Level-measure.RMSDB(b))
	return b
}

// at is the level of the third-octave around a frequency.
func (k Kind) at(hz float64) float64 {
	p := k.Slope
	if hz <= p[0].Hz {
		return p[0].DB + 12*math.Log2(hz/p[0].Hz) // below the lowest it falls off
	}
	for i := 1; i < len(p); i++ {
		if hz < p[i].Hz {
			return p[i-1].DB + (p[i].DB-p[i-1].DB)*math.Log(hz/p[i-1].Hz)/math.Log(p[i].Hz/p[i-1].Hz)
		}
	}
	last := p[len(p)-1]
	return last.DB - 12*math.Log2(hz/last.Hz)
}

func (k Kind) swell(v []float64, rate int, r *rand.Rand) {
	if k.Swell == 0 {
		return
	}
	one, two := 2*math.Pi*r.Float64(), 2*math.Pi*r.Float64()
	for i := range v {
		t := float64(i) / float64(rate)
		v[i] *= level.Amplitude(k.Swell / 2 * (math.Sin(2*math.Pi*t/3.7+one) + math.Sin(2*math.Pi*t/6.1+two)) / 2)
	}
}

func (k Kind) rain(b pcm.Block, rate int, r *rand.Rand) {
	n := len(b[0])
	for range int(k.Drops * float64(n) / float64(rate)) {
		at, size, hz, side := r.IntN(n), 0.3+1.2*r.Float64(), 1500+4500*r.Float64(), r.Float64()
		for i := 0; i < rate*6/1000 && at+i < n; i++ {
			v := size * math.Exp(-float64(i)*800/float64(rate)) * math.Sin(2*math.Pi*hz*float64(i)/float64(rate))
			for c := range b {
				share := 1.0
				if len(b) == 2 {
					share = math.Sqrt2 * []float64{math.Cos(side * math.Pi / 2), math.Sin(side * math.Pi / 2)}[c]
				}
				b[c][at+i] += v * share
			}
		}
	}
}

func turn(b pcm.Block, db float64) {
	g := level.Amplitude(db)
	for c := range b {
		for i := range b[c] {
			b[c][i] *= g
		}
	}
}
