// Package eq changes how loud a sound is at each frequency: by filters set by hand, and by a curve that brings a voice
// near to another's. This file has the settings as plain data, which a scene keeps; the other files make the sound.
// Filters set by hand are second-order sections. A matching curve is a linear-phase filter whose delay is removed, so
// that nothing moves in time. Any stretch of the sound is the same bits alone as in the whole.
package eq

import (
	"encoding/json"
	"math"
	"math/cmplx"
)

// Filters are set by hand. A frequency of 0 leaves a cut out.
type Filters struct {
	LowCutHz  float64 `json:"low_cut_hz,omitempty"`  // 12 dB an octave below it, -3 dB at it
	HighCutHz float64 `json:"high_cut_hz,omitempty"` // and above it
	LowShelf  *Shelf  `json:"low_shelf,omitempty"`
	HighShelf *Shelf  `json:"high_shelf,omitempty"`
	Bells     []Bell  `json:"bells,omitempty"` // MostBells at most
	Off       bool    `json:"off,omitempty"`   // for the moment
}

// MostBells is how many bells filters have.
const MostBells = 3

// A Shelf turns all below a frequency up or down, or all above it: by DB far from it, by half of that at it.
type Shelf struct {
	Hz float64 `json:"hz"`
	DB float64 `json:"db"`
}

// A Bell turns what lies around a frequency up or down: by DB at it. The higher Q, the narrower.
type Bell struct {
	Hz float64 `json:"hz"`
	DB float64 `json:"db"`
	Q  float64 `json:"q"`
}

// A Like brings a voice to the level and colour of another's.
type Like struct {
	ThirdsDB []float64 `json:"thirds_db"`          // by third-octaves from 125 Hz to 8 kHz, about a mean of 0
	GainDB   float64   `json:"gain_db"`            // of all of it
	Strength float64   `json:"strength,omitempty"` // per cent of both; 0: all of it
	As       string    `json:"as,omitempty"`       // whose voice
}

// Thirds is how many third-octaves a Like has: those of IEC 61260-1 from number FirstThird on, 1000 * 10^(n/10) Hz.
const (
	Thirds     = 19
	FirstThird = -9
)

// Share is how much of it is heard, from 0 to 1.
func (l *Like) Share() float64 {
	if l.Strength == 0 {
		return 1
	}
	return l.Strength / 100
}

// DB is what it does at a frequency: straight between the middles of bands on the scale of their numbers, level beyond
// the outermost.
func (l *Like) DB(hz float64) float64 {
	at := 10*math.Log10(max(hz, 1)/1000) - FirstThird
	k := int(math.Floor(at))
	db := 0.0
	switch n := len(l.ThirdsDB); {
	case n == 0:
	case at <= 0:
		db = l.ThirdsDB[0]
	case k >= n-1:
		db = l.ThirdsDB[n-1]
	default:
		db = l.ThirdsDB[k] + (at-float64(k))*(l.ThirdsDB[k+1]-l.ThirdsDB[k])
	}
	return l.Share() * (db + l.GainDB)
}

// q of cuts is that of a Butterworth filter of the second order; shelves have slope 1.
var q = math.Sqrt(0.5)

// A Section is a filter of the second order: y = B0 x + B1 x' + B2 x" - A1 y' - A2 y", with what was one sample and two
// samples before.
type Section struct{ B0, B1, B2, A1, A2 float64 }

// Sections are the filters for sound of rate samples a second, though they are off: those of R. Bristow-Johnson's
// "Cookbook formulae for audio equalizer biquad filter coefficients" (from memory; checked against ffmpeg's filters,
// which follow it).
func (f *Filters) Sections(rate float64) (list []Section) {
	add := func(b, a [3]float64) {
		list = append(list, Section{b[0] / a[0], b[1] / a[0], b[2] / a[0], a[1] / a[0], a[2] / a[0]})
	}
	turn := func(hz, q float64) (cos, alpha float64) {
		w := 2 * math.Pi * min(hz, 0.49*rate) / rate
		return math.Cos(w), math.Sin(w) / (2 * q)
	}
	if f.LowCutHz > 0 {
		cos, al := turn(f.LowCutHz, q)
		add([3]float64{(1 + cos) / 2, -1 - cos, (1 + cos) / 2}, [3]float64{1 + al, -2 * cos, 1 - al})
	}
	if f.HighCutHz > 0 {
		cos, al := turn(f.HighCutHz, q)
		add([3]float64{(1 - cos) / 2, 1 - cos, (1 - cos) / 2}, [3]float64{1 + al, -2 * cos, 1 - al})
	}
	shelf := func(s *Shelf, way float64) { // way is 1 for a low one, -1 for a high one
		if s == nil {
			return
		}
		a := math.Pow(10, s.DB/40)
		cos, al := turn(s.Hz, q)
		cos, al = way*cos, 2*math.Sqrt(a)*al
		add(
			[3]float64{a * (a + 1 - (a-1)*cos + al), way * 2 * a * (a - 1 - (a+1)*cos), a * (a + 1 - (a-1)*cos - al)},
			[3]float64{a + 1 + (a-1)*cos + al, way * -2 * (a - 1 + (a+1)*cos), a + 1 + (a-1)*cos - al},
		)
	}
	shelf(f.LowShelf, 1)
	shelf(f.HighShelf, -1)
	for _, b := range f.Bells {
		a := math.Pow(10, b.DB/40)
		cos, al := turn(b.Hz, b.Q)
		add([3]float64{1 + al*a, -2 * cos, 1 - al*a}, [3]float64{1 + al/a, -2 * cos, 1 - al/a})
	}
	return list
}

// DB is what the filters do at a frequency of sound of rate samples a second, though they are off.
func (f *Filters) DB(hz, rate float64) (db float64) {
	z := cmplx.Rect(1, -2*math.Pi*min(hz, rate/2)/rate)
	for _, s := range f.Sections(rate) {
		over := complex(s.B0, 0) + z*(complex(s.B1, 0)+z*complex(s.B2, 0))
		under := 1 + z*(complex(s.A1, 0)+z*complex(s.A2, 0))
		db += 20 * math.Log10(max(cmplx.Abs(over)/cmplx.Abs(under), 1e-7))
	}
	return db
}

// Radius is how much of its ringing a section keeps from one sample to the next, at most: the magnitude of its larger
// pole.
func (s Section) Radius() float64 {
	root := cmplx.Sqrt(complex(s.A1*s.A1/4-s.A2, 0))
	return max(cmplx.Abs(complex(-s.A1/2, 0)+root), cmplx.Abs(complex(-s.A1/2, 0)-root))
}

// does tells whether the filters are heard.
func (f *Filters) does() bool {
	return f != nil && !f.Off &&
		(f.LowCutHz > 0 || f.HighCutHz > 0 || f.LowShelf != nil || f.HighShelf != nil || len(f.Bells) > 0)
}

// A Curve is all that is done to a clip: the filters of its own and of its track, and what brings it near another.
type Curve struct {
	Clip  *Filters
	Track *Filters
	Like  *Like
}

// Does tells whether anything is heard of it.
func (c Curve) Does() bool { return c.Clip.does() || c.Track.does() || c.Like != nil }

// DB is what it does at a frequency of sound of rate samples a second.
func (c Curve) DB(hz, rate float64) (db float64) {
	for _, f := range []*Filters{c.Clip, c.Track} {
		if f.does() {
			db += f.DB(hz, rate)
		}
	}
	if c.Like != nil {
		db += c.Like.DB(hz)
	}
	return db
}

// Sections are the filters of the clip and of its track, those that are not off.
func (c Curve) Sections(rate float64) (list []Section) {
	for _, f := range []*Filters{c.Clip, c.Track} {
		if f.does() {
			list = append(list, f.Sections(rate)...)
		}
	}
	return list
}

// Key is equal for two curves that are the same.
func (c Curve) Key() string {
	raw, err := json.Marshal(c)
	if err != nil {
		panic(err) // numbers and names
	}
	return string(raw)
}

// The bounds of what can be set.
const (
	LowestHz  = 10
	HighestHz = 24000
	MostDB    = 24
	LeastQ    = 0.1
	MostQ     = 16
)

// Wrong says what of the filters cannot be; "" if they can.
func (f *Filters) Wrong() string {
	if f == nil {
		return ""
	}
	hz := func(v float64) bool { return v >= LowestHz && v <= HighestHz }
	db := func(v float64) bool { return math.Abs(v) <= MostDB }
	switch {
	case f.LowCutHz != 0 && !hz(f.LowCutHz), f.HighCutHz != 0 && !hz(f.HighCutHz):
		return "cuts lie from 10 to 24000 Hz"
	case f.LowShelf != nil && !(hz(f.LowShelf.Hz) && db(f.LowShelf.DB)),
		f.HighShelf != nil && !(hz(f.HighShelf.Hz) && db(f.HighShelf.DB)):
		return "shelves lie from 10 to 24000 Hz and have up to 24 dB"
	case len(f.Bells) > MostBells:
		return "there are three bells at most"
	}
	for _, b := range f.Bells {
		if !hz(b.Hz) || !db(b.DB) || !(b.Q >= LeastQ && b.Q <= MostQ) {
			return "bells lie from 10 to 24000 Hz, have up to 24 dB, and a q from 0.1 to 16"
		}
	}
	return ""
}

// Wrong says what of it cannot be; "" if it can.
func (l *Like) Wrong() string {
	switch {
	case l == nil:
		return ""
	case len(l.ThirdsDB) != Thirds:
		return "a voice's colour has 19 third-octaves"
	case !(l.Strength >= 0 && l.Strength <= 100):
		return "the strength is 0 to 100 per cent"
	case !(math.Abs(l.GainDB) <= 60):
		return "a voice is turned by up to 60 dB"
	}
	for _, db := range l.ThirdsDB {
		if !(math.Abs(db) <= MostDB) {
			return "a third-octave is turned by up to 24 dB"
		}
	}
	return ""
}
