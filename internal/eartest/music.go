package eartest

import (
	"math"
	"math/rand/v2"
)

// A Music is made-up music, or a sound of the place, of which the moments are known at which something sets in.
type Music struct {
	Name  string
	Sound []float64
	On    []int64 // samples, in order of time
	r     *rand.Rand
}

// Music are the names of what NewMusic makes. HeldOut are those on which nothing was tuned.
var (
	MusicKinds = []string{"held chords", "plucked over a pad", "drums over a pad", "rain with knocks", "traffic"}
	HeldOut    = []string{"blown line", "bells over a drone", "engine with a horn", "steps on gravel over wind"}
)

// NewMusic makes some of a kind.
func NewMusic(r *rand.Rand, name string, seconds float64) Music {
	m := Music{Name: name, Sound: make([]float64, int(seconds*Rate)), r: r}
	v := m.Sound
	between := func(a, b float64) float64 { return a + (b-a)*r.Float64() }
	scale := []int{0, 2, 4, 5, 7, 9, 11, 12}
	note := func() float64 { return 220 * math.Pow(2, float64(scale[r.IntN(len(scale))])/12) }
	pad := func(size float64) {
		for _, s := range []int{-12, 0, 4, 7} {
			hz := 220 * math.Pow(2, float64(s)/12)
			slow, phase := between(0.1, 0.5), between(0, 6)
			add(v, 0, seconds, func(t float64) float64 {
				x := 0.0
				for k := 1.0; k <= 8; k++ {
					x += math.Sin(2*math.Pi*k*hz*t*(1+0.0004*k)) / k
				}
				return size * (1 + 0.3*math.Sin(2*math.Pi*slow*t+phase)) * x
			})
		}
	}
	noise := func(size, smooth float64) {
		low := 0.0
		for i := range v {
			low = smooth*low + (1-smooth)*r.NormFloat64()
			v[i] += size * low / math.Sqrt((1-smooth)/(1+smooth))
		}
	}
	on := func(at float64) { m.On = append(m.On, int64(at*Rate)) }
	beat := between(0.35, 0.7)
	switch name {
	case "held chords":
		for at := 0.0; at < seconds; {
			d := between(1.2, 3)
			on(at)
			root := note()
			for _, s := range []float64{1, 1.25, 1.5, 2} {
				organ(v, at, d, root*s)
			}
			at += d
		}
	case "plucked over a pad":
		pad(0.02)
		for at := 0.3; at < seconds; at += beat {
			on(at)
			pluck(r, v, at, note())
		}
	case "drums over a pad":
		pad(0.02)
		for at, k := 0.3, 0; at < seconds; at, k = at+beat, k+1 {
			on(at)
			hit(r, v, at, []float64{0.08, 0.03}[k%2], []float64{70, 240}[k%2])
		}
	case "rain with knocks":
		noise(0.05, 0.2)
		for at := 0.5; at < seconds; at += between(0.6, 1.6) {
			on(at)
			hit(r, v, at, between(0.02, 0.06), between(150, 500))
		}
	case "traffic":
		noise(0.05, 0.95)
		for range 6 {
			engine(r, v, between(0, seconds-3), between(25, 60), between(2, 6))
		}
	case "blown line":
		noise(0.002, 0.5)
		for at := 0.1; at < seconds; {
			d := between(0.4, 1.5)
			on(at)
			blown(r, v, at, d, note())
			at += d
		}
	case "bells over a drone":
		pad(0.015)
		for at := 0.4; at < seconds; at += between(0.7, 1.6) {
			on(at)
			f := between(300, 1200)
			for k, p := range []float64{1, 2.0, 2.76, 5.4, 8.93} {
				ring(v, at, between(0.5, 2)/float64(k+1), f*p)
			}
		}
	case "engine with a horn":
		noise(0.02, 0.9)
		for at := 0.0; at < seconds; at += 5 {
			engine(r, v, at, between(25, 60), 5.5)
		}
		for at := 1.0; at < seconds; at += between(2, 4) {
			on(at)
			for _, hz := range []float64{420, 525} {
				organ(v, at, between(0.3, 0.8), hz)
			}
		}
	case "steps on gravel over wind":
		noise(0.03, 0.98)
		for at := 0.5; at < seconds; at += between(0.45, 0.65) {
			on(at)
			for range 30 {
				hit(r, v, at+between(0, 0.09), between(0.001, 0.004), between(800, 4000))
			}
		}
	}
	top := 0.0
	for _, x := range v {
		top = max(top, math.Abs(x))
	}
	for i := range v {
		v[i] *= math.Pow(10, between(-14, -6)/20) / top
	}
	return m
}

// Attacks are moments at which one would let it begin: up to 30 ms before something sets in.
func (m Music) Attacks() (list []int64) {
	for _, at := range m.On {
		if at > Rate && at < int64(len(m.Sound))-3*Rate {
			list = append(list, at-int64(0.03*Rate*m.r.Float64()))
		}
	}
	return list
}

// Between are moments at which it goes on: nothing sets in from 100 ms before to 150 ms after them, and it is heard.
func (m Music) Between() (list []int64) {
	for tries := 0; tries < 400 && len(list) < 25; tries++ {
		at := int64(Rate) + m.r.Int64N(int64(len(m.Sound))-4*Rate)
		far := true
		for _, on := range m.On {
			far = far && (on < at-Rate/10 || on > at+Rate*3/20)
		}
		if far && db(m.Sound[at-Rate/20:at]) > -40 && db(m.Sound[at:at+Rate/20]) > -40 {
			list = append(list, at)
		}
	}
	return list
}
