package main

import (
	"math"
	"math/rand/v2"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
)

// Sounds are made from a seeded generator, so that the program gives the same files each time.
var chance = rand.New(rand.NewPCG(1210, 25))

func seconds(s float64) int { return int(math.Round(s * rate)) }

// noise is white noise through a high-pass and a low-pass of one pole each, corner frequencies in Hz.
func noise(n int, lowHz, highHz float64) []float64 {
	a, b := math.Exp(-2*math.Pi*highHz/rate), math.Exp(-2*math.Pi*lowHz/rate)
	v := make([]float64, n)
	var smooth, slow float64
	for i := range v {
		smooth += (1 - a) * (chance.NormFloat64() - smooth)
		slow += (1 - b) * (smooth - slow)
		v[i] = smooth - slow
	}
	return v
}

// hum is a mains hum with its harmonics.
func hum(n int, hz float64) []float64 {
	v := make([]float64, n)
	for i := range v {
		for k := 1.0; k <= 5; k += 2 {
			v[i] += math.Sin(2*math.Pi*hz*k*float64(i)/rate) / k
		}
	}
	return v
}

// at scales a sound to an RMS level in dBFS.
func at(v []float64, db float64) []float64 {
	g := level.Amplitude(db - measure.RMSDB([][]float64{v}))
	for i := range v {
		v[i] *= g
	}
	return v
}

// lay adds a sound to another from sample at on.
func lay(to, what []float64, at int) {
	for i, x := range what {
		if j := at + i; j >= 0 && j < len(to) {
			to[j] += x
		}
	}
}

func sum(of ...[]float64) []float64 {
	out := make([]float64, len(of[0]))
	for _, v := range of {
		lay(out, v, 0)
	}
	return out
}

// far is a sound as a microphone across the room hears it: little of it direct, the rest from the walls.
func far(v []float64) []float64 {
	out := make([]float64, len(v)+seconds(0.5))
	for i, x := range v {
		out[i] += 0.1 * x
	}
	for range 260 {
		at := seconds(0.008 + 0.38*math.Pow(chance.Float64(), 1.6))
		g := 0.03 * math.Exp(-float64(at)/rate/0.11)
		if chance.IntN(2) == 0 {
			g = -g
		}
		for i, x := range v {
			out[i+at] += g * x
		}
	}
	return out
}

// shovel is a struck plate of iron that bounces.
func shovel() []float64 {
	v := make([]float64, seconds(0.9))
	for _, hit := range []struct{ at, gain float64 }{{0, 1}, {0.19, 0.5}, {0.3, 0.28}, {0.36, 0.15}} {
		for _, partial := range []struct{ hz, decay, gain float64 }{{523, 0.09, 0.5}, {1387, 0.12, 0.5}, {2291, 0.07, 0.4},
			{3870, 0.04, 0.3}, {6120, 0.02, 0.3}} {
			for i := seconds(hit.at); i < len(v); i++ {
				t := float64(i)/rate - hit.at
				v[i] += 0.16 * hit.gain * partial.gain * math.Exp(-t/partial.decay) * math.Sin(2*math.Pi*partial.hz*t)
			}
		}
	}
	return v
}

// roar is the fire: a low rumble that breathes, and crackles.
func roar(n int) []float64 {
	v := at(noise(n, 25, 140), -30)
	hiss := at(noise(n, 300, 1600), -44)
	for i := range v {
		t := float64(i) / rate
		v[i] = v[i]*(1+0.3*math.Sin(2*math.Pi*0.23*t)+0.15*math.Sin(2*math.Pi*0.61*t)) + hiss[i]
	}
	for i := 0; i < n; i += seconds(0.05 + 0.6*chance.Float64()) {
		for j := range seconds(0.012) {
			if i+j < n {
				v[i+j] += 0.03 * chance.Float64() * math.Exp(-float64(j)/rate/0.002) * chance.NormFloat64()
			}
		}
	}
	return v
}

func rain(n int) []float64 {
	v := at(noise(n, 900, 7000), -41)
	for i := 0; i < n; i += seconds(0.004 + 0.05*chance.Float64()) {
		hz, g := 1500+3500*chance.Float64(), 0.012*chance.Float64()
		for j := range seconds(0.008) {
			if i+j < n {
				t := float64(j) / rate
				v[i+j] += g * math.Exp(-t/0.0015) * math.Sin(2*math.Pi*hz*t)
			}
		}
	}
	return v
}

// tune is a melody on a plucked string, after K. Karplus and A. Strong, "Digital Synthesis of Plucked-String
// and Drum Timbres", Computer Music Journal 7(2), 1983, over a held fifth; left and right differ.
func tune(n int) [2][]float64 {
	var out [2][]float64
	for c := range out {
		out[c] = make([]float64, n)
	}
	const beat = 0.62
	notes := []float64{
		220,
		261.63,
		329.63,
		293.66,
		392,
		329.63,
		261.63,
		293.66,
		220,
		196,
		220,
		329.63,
		440,
		392,
		329.63,
		293.66,
	}
	for k := 0; seconds(float64(k)*beat) < n; k++ {
		if k%8 == 7 {
			continue
		}
		p := pluck(notes[(k*5+k/16)%len(notes)], seconds(2.6))
		at := seconds(float64(k) * beat)
		for i, x := range p {
			if at+i < n {
				pan := 0.5 + 0.25*math.Sin(float64(k))
				out[0][at+i] += x * (1 - pan)
				out[1][at+i] += x * pan
			}
		}
	}
	for c := range out {
		for i := range out[c] {
			t := float64(i) / rate
			out[c][i] += 0.05 * (math.Sin(2*math.Pi*110*t+float64(c)) + 0.6*math.Sin(2*math.Pi*165.2*t)) * (1 +
				0.3*math.Sin(2*math.Pi*0.17*t))
		}
	}
	return out
}

func pluck(hz float64, n int) []float64 {
	line := make([]float64, int(rate/hz))
	for i := range line {
		line[i] = chance.Float64()*2 - 1
	}
	v := make([]float64, n)
	for i := range v {
		k, next := i%len(line), (i+1)%len(line)
		v[i] = 0.35 * line[k]
		line[k] = 0.4985 * (line[k] + line[next])
	}
	return v
}
