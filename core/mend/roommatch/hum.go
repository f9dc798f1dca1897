package roommatch

import (
	"math"
	"math/cmplx"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/tone"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Mains hum is the multiples of one frequency. What is found near one of them is one of them, so that they keep their
// places within a cycle however long they are followed: their sum has a shape, and that shape is heard.
var mains = [...]float64{50, 60} // Hz

const (
	mainsOff = 0.25 // Hz, by which a mains frequency lies beside its name, and a multiple's share of it
	leastOf  = 2    // multiples that make mains of it
)

// humOf is the hum of a recording, with the phases that it has there.
func humOf(a *analysis.Recording, sound pcm.ReaderAt) ([]recipe.Sine, error) {
	if len(a.Hum) == 0 || a.HumAt.Empty() {
		return nil, nil
	}
	b, err := pcm.Read(sound, a.HumAt)
	if err != nil {
		return nil, err
	}
	x, hz := measure.Mono(b), multiples(a.Hum)
	for _, more := range between(hz) {
		half := len(x) / 2
		one := sinesIn(x[:half], a.HumAt.From, a.Rate, []float64{more})[0]
		other := sinesIn(x[half:], a.HumAt.From+int64(half), a.Rate, []float64{more})[0]
		turn := one.Phase - other.Phase
		if math.Abs(one.LevelDB-other.LevelDB) < steadyDB && math.Abs(turn-math.Round(turn)) < steadyTurn {
			hz = append(hz, more)
		}
	}
	return sinesIn(x, a.HumAt.From, a.Rate, hz), nil
}

// A multiple that does not stand out is there all the same if both halves of the hum have it at one level, within
// steadyDB, and in step, within steadyTurn of its cycle.
const (
	steadyDB   = 3.0
	steadyTurn = 0.06
)

// between are the multiples of the mains below the highest in a list that are not in it.
func between(list []float64) (more []float64) {
	for _, base := range mains {
		most, exact := 0.0, 0.0
		has := map[float64]bool{}
		for _, hz := range list {
			if k, ok := multipleOf(hz, base); ok {
				most, has[k] = max(most, k), true
				if k == most {
					exact = hz / k
				}
			}
		}
		for k := 1.0; k < most && len(has) >= leastOf; k++ {
			if !has[k] {
				more = append(more, math.Round(1e4*k*exact)/1e4)
			}
		}
	}
	return more
}

// sinesIn are the sines of some frequencies in a sound that begins at a sample of its recording.
func sinesIn(x []float64, from int64, rate int, hz []float64) (list []recipe.Sine) {
	for _, hz := range hz {
		turn := hz / float64(rate)
		var sum complex128
		whole, pointer, step := 0.0, complex(1, 0), cmplx.Rect(1, -2*math.Pi*turn)
		for i, v := range x {
			w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(len(x)))
			sum, whole = sum+complex(w*v, 0)*pointer, whole+w
			pointer *= step
		}
		// a sine of amplitude 1 and phase p has the sum exp(i (p - pi/2)) / 2
		amplitude := 2 * cmplx.Abs(sum) / whole
		phase := cmplx.Phase(sum)/(2*math.Pi) + 0.25 - turn*float64(from)
		list = append(list, recipe.Sine{
			Hz:      hz,
			LevelDB: math.Round(100*level.OfPower(amplitude*amplitude/2)) / 100,
			Phase:   math.Round(1e4*(phase-math.Floor(phase))) / 1e4,
		})
	}
	return list
}

// frequencies are those of a hum's tones, in Hz.
func frequencies(hum []recipe.Sine) []float64 {
	list := make([]float64, len(hum))
	for i, h := range hum {
		list[i] = h.Hz
	}
	return list
}

// multipleOf tells which multiple of a mains frequency a frequency is.
func multipleOf(hz, base float64) (k float64, ok bool) {
	k = math.Round(hz / base)
	return k, k > 0 && math.Abs(hz/k-base) < mainsOff
}

// multiples are the frequencies of a hum, those of mains as multiples of one.
func multiples(hum []tone.Partial) []float64 {
	out := make([]float64, len(hum))
	for i, p := range hum {
		out[i] = p.Hz
	}
	for _, base := range mains {
		sum, weight, count := 0.0, 0.0, 0
		for _, p := range hum {
			if k, ok := multipleOf(p.Hz, base); ok {
				w := k * k * level.Power(p.Above/2) // a share of a higher one, and of a clearer one, is surer
				sum, weight, count = sum+w*p.Hz/k, weight+w, count+1
			}
		}
		if count < leastOf {
			continue
		}
		for i, p := range hum {
			if k, ok := multipleOf(p.Hz, base); ok {
				out[i] = math.Round(1e4*k*sum/weight) / 1e4
			}
		}
	}
	return out
}
