package eartest

import (
	"math"
	"math/rand/v2"
)

// An Other is a sound in which nobody speaks.
type Other struct {
	Name  string
	Sound []float64
	Loud  []bool // of each frame: something stands out of the room
}

// Others are the names of the sounds that NewOther makes.
var Others = []string{
	"beeps", "line-up tone", "plucked tune", "knocks", "swelling engine", "chords", "rain", "dog", "birds", "typing",
	"blown notes", "bells",
}

// NewOther makes a sound of a kind over a soft room.
func NewOther(r *rand.Rand, name string, seconds float64) Other {
	n := int(seconds * Rate)
	v := make([]float64, n)
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	note := func(semitones int) float64 { return 220 * math.Pow(2, float64(semitones)/12) }
	scale := []int{0, 2, 4, 5, 7, 9, 11, 12, 14, 16}
	for at := 0.2; at < seconds-0.3; {
		switch name {
		case "beeps":
			d := between(0.1, 0.6)
			sine(v, at, d, 0.3, between(400, 2500))
			at += d + between(0.1, 1.5)
		case "line-up tone":
			sine(v, at, seconds-at-0.5, 0.1, 1000)
			at = seconds
		case "plucked tune":
			pluck(r, v, at, note(scale[r.IntN(len(scale))]))
			at += 0.15 * float64(1+r.IntN(4))
		case "knocks":
			hit(r, v, at, between(0.015, 0.05), between(120, 500))
			at += between(0.15, 1.2)
		case "swelling engine":
			engine(r, v, at, between(25, 60), between(2, 6))
			at += between(4, 8)
		case "chords":
			d := between(0.8, 2.5)
			root := r.IntN(12) - 7
			for _, s := range []int{0, 4 - r.IntN(2), 7, 12} {
				organ(v, at, d, note(root+s))
			}
			at += d
		case "rain":
			for i := range v {
				v[i] = 0.02 * r.NormFloat64()
			}
			for range int(seconds * 300) {
				hit(r, v, r.Float64()*(seconds-0.1), between(0.001, 0.004), between(1500, 5000))
			}
			at = seconds
		case "dog":
			bark(r, v, at, between(300, 700))
			at += between(0.3, 1.2)
		case "birds":
			chirp(r, v, at)
			at += between(0.08, 0.7)
		case "typing":
			hit(r, v, at, between(0.003, 0.01), between(800, 3000))
			at += between(0.06, 0.4)
		case "blown notes":
			d := between(0.2, 0.9)
			blown(r, v, at, d, note(scale[r.IntN(len(scale))]))
			at += d
		case "bells":
			f := between(300, 1200)
			for k, p := range []float64{1, 2.0, 2.76, 5.4, 8.93} {
				ring(v, at, between(0.5, 2)/float64(k+1), f*p)
			}
			at += between(0.5, 2)
		}
	}
	top := 0.0
	for _, x := range v {
		top = max(top, math.Abs(x))
	}
	gain := math.Pow(10, between(-26, -8)/20) / top
	o := Other{Name: name, Sound: v}
	for i := range v {
		v[i] *= gain
	}
	for _, l := range frames(v) {
		o.Loud = append(o.Loud, l > -60)
	}
	low := 0.0
	soft := math.Pow(10, between(-70, -58)/20)
	for i := range v {
		low = 0.9*low + r.NormFloat64()
		v[i] += soft * low / 2.3
	}
	return o
}

func add(v []float64, at, seconds float64, sound func(t float64) float64) {
	for i := int(at * Rate); i < min(len(v), int((at+seconds)*Rate)); i++ {
		v[i] += sound(float64(i)/Rate - at)
	}
}

// swell is how a sound of some length sets in and ends.
func swell(t, seconds, edge float64) float64 { return max(0, min(1, t/edge, (seconds-t)/edge)) }

func sine(v []float64, at, seconds, size, hz float64) {
	add(v, at, seconds, func(t float64) float64 {
		return size * swell(t, seconds, 0.005) * math.Sin(2*math.Pi*hz*t)
	})
}

// pluck is a plucked string: K. Karplus, A. Strong, "Digital Synthesis of Plucked-String and Drum Timbres", Computer
// Music Journal 7, 1983.
func pluck(r *rand.Rand, v []float64, at, hz float64) {
	line := make([]float64, int(Rate/hz))
	for i := range line {
		line[i] = r.NormFloat64()
	}
	k := 0
	add(v, at, 1.5, func(t float64) float64 {
		x := line[k]
		next := (k + 1) % len(line)
		line[k] = 0.498 * (line[k] + line[next])
		k = next
		return 0.2 * x
	})
}

func hit(r *rand.Rand, v []float64, at, decay, hz float64) {
	add(v, at, 8*decay, func(t float64) float64 {
		return math.Exp(-t/decay) * (0.5*math.Sin(2*math.Pi*hz*t) + 0.3*math.Exp(-t/decay)*r.NormFloat64())
	})
}

func ring(v []float64, at, decay, hz float64) {
	add(v, at, 5*decay, func(t float64) float64 { return 0.2 * math.Exp(-t/decay) * math.Sin(2*math.Pi*hz*t) })
}

func engine(r *rand.Rand, v []float64, at, hz, seconds float64) {
	phase, low := 0.0, 0.0
	add(v, at, seconds, func(t float64) float64 {
		turns := hz * (1 + 0.6*math.Sin(math.Pi*t/seconds))
		phase += turns / Rate
		x := 0.0
		for k := 1.0; k <= 14; k++ {
			x += math.Sin(2*math.Pi*k*phase+k*k) / math.Pow(k, 0.8)
		}
		low = 0.97*low + 0.03*r.NormFloat64()
		return math.Sin(math.Pi*t/seconds) * (0.1*x + 0.8*low)
	})
}

func organ(v []float64, at, seconds, hz float64) {
	add(v, at, seconds, func(t float64) float64 {
		x := 0.0
		for k := 1.0; k <= 6; k++ {
			x += math.Sin(2*math.Pi*k*hz*t) / k
		}
		return 0.08 * swell(t, seconds, 0.04) * x
	})
}

func blown(r *rand.Rand, v []float64, at, seconds, hz float64) {
	phase := 0.0
	add(v, at, seconds, func(t float64) float64 {
		phase += hz * (1 + 0.006*math.Sin(2*math.Pi*5.5*t)) / Rate
		x := math.Sin(2*math.Pi*phase) + 0.3*math.Sin(4*math.Pi*phase) + 0.1*math.Sin(6*math.Pi*phase)
		return swell(t, seconds, 0.05) * (0.2*x + 0.01*r.NormFloat64())
	})
}

// bark is a rough, falling tone of a tenth of a second or two.
func bark(r *rand.Rand, v []float64, at, hz float64) {
	seconds, phase, rough := 0.1+0.12*r.Float64(), 0.0, 0.0
	add(v, at, seconds, func(t float64) float64 {
		rough = 0.98*rough + 0.2*r.NormFloat64()
		phase += hz * (1.3 - 0.6*t/seconds) * (1 + 0.05*rough) / Rate
		x := 0.0
		for k := 1.0; k <= 8; k++ {
			x += math.Sin(2*math.Pi*k*phase) / math.Sqrt(k)
		}
		return math.Exp(-6*t/seconds) * swell(t, seconds, 0.01) * (0.2*x + 0.15*r.NormFloat64())
	})
}

func chirp(r *rand.Rand, v []float64, at float64) {
	seconds, from, to, phase := 0.04+0.12*r.Float64(), 2000+4000*r.Float64(), 2000+4000*r.Float64(), 0.0
	add(v, at, seconds, func(t float64) float64 {
		phase += (from + (to-from)*t/seconds) / Rate
		return 0.2 * swell(t, seconds, 0.01) * math.Sin(2*math.Pi*phase)
	})
}
