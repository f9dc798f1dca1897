// Package blend has the laws of fades and crossfades, as gains over a position x from 0 to 1.
// It knows nothing of clips or of time.
package blend

import (
	"fmt"
	"math"
	"strings"

	"blendseam/core/sound/level"
)

// A Law says how the two gains of a crossfade belong together.
type Law string

// The laws that code names; Laws has all of them, with their formulas.
const (
	ConstantPower Law = "constant_power"
	ConstantGain  Law = "constant_gain"
	Matched       Law = "matched"
)

// A LawInfo is a law: its words and its formula.
type LawInfo struct {
	Law     Law    `json:"law"`
	Name    string `json:"name"`
	About   string `json:"about"`
	Formula string `json:"formula"` // of both gains, with x the position in the blend and r the correlation of its sides

	gains func(x, r float64) (out, in float64)
}

// Laws is the table of laws. Rendering, the interface, the command line, scene files and the documents read it: a new
// law is one entry.
//
// The matched law keeps the summed power constant for sides of equal power and correlation r:
// M. Fink, M. Holters, U. Zoelzer, "Signal-Matched Power-Complementary Cross-Fading and Dry-Wet
// Mixing", DAFx-16, 2016.
var Laws = []LawInfo{
	{
		ConstantPower,
		"Constant power",
		"for unlike material: both sides 3 dB down in the middle",
		"out = cos(pi x/2), in = sin(pi x/2)",
		func(x, _ float64) (out, in float64) {
			in, out = math.Sincos(math.Pi / 2 * x)
			return out, in
		},
	},
	{ConstantGain, "Constant gain", "for like material: both sides 6 dB down in the middle", "out = 1-x, in = x",
		func(x, _ float64) (out, in float64) { return 1 - x, x }},
	{
		Matched,
		"Matched",
		"for any material: follows the measured correlation of the two sides",
		"constant power divided by sqrt(1 + r sin(pi x))",
		func(x, r float64) (out, in float64) {
			in, out = math.Sincos(math.Pi / 2 * x)
			r = min(1, max(LeastCorrelation, r))
			k := 1 / math.Sqrt(1+r*math.Sin(math.Pi*x))
			return out * k, in * k
		},
	},
}

// LawNames are the names of all laws on the wire, with something between them.
func LawNames(between string) string {
	var list []string
	for _, l := range Laws {
		list = append(list, string(l.Law))
	}
	return strings.Join(list, between)
}

// info is the law's entry in Laws, constant power for one that is not there.
func (l Law) info() *LawInfo {
	for i := range Laws {
		if Laws[i].Law == l {
			return &Laws[i]
		}
	}
	return &Laws[0]
}

// Name is the law's name in Laws; what it is called itself, if it is not there.
func (l Law) Name() string {
	if !l.Valid() {
		return string(l)
	}
	return l.info().Name
}

// Valid tells whether l is in Laws.
func (l Law) Valid() bool { return l.info().Law == l }

// LeastCorrelation is the lowest correlation that the matched law follows; below it the gains would
// grow without bound.
const LeastCorrelation = -0.5

// Gains gives the gains of the outgoing and the incoming side at x, 0 <= x <= 1. r is used by
// the matched law alone and kept within [LeastCorrelation, 1]. An unknown law is constant power.
func (l Law) Gains(x, r float64) (out, in float64) { return l.info().gains(x, r) }

// SummedLevelDB is the level of the sum at x against the ends, in dB, that law l gives for two sides of
// equal power and correlation r: 10 lg(out^2 + in^2 + 2 r out in).
func (l Law) SummedLevelDB(x, r float64) float64 {
	out, in := l.Gains(x, r)
	return PowerDB(out, in, r)
}

// PowerDB is 10 lg(out^2 + in^2 + 2 r out in): the level of two sides of equal power and
// correlation r under the gains out and in. Never below -120.
func PowerDB(out, in, r float64) float64 {
	return level.OfPower(max(1e-12, out*out+in*in+2*r*out*in))
}

// A Curve is the shape of a fade, or of one side of a blend whose sides are not linked.
type Curve struct {
	Shape Shape `json:"shape"`
	// Bend is used by the exponential shape: -1 rises late, 0 is straight, 1 rises early.
	Bend float64 `json:"bend,omitempty"`
}

// A Shape names the formula of a Curve.
type Shape string

// The shapes that code names; Shapes has all of them, with their formulas.
const (
	Straight     Shape = "straight"
	QuarterSine  Shape = "quarter_sine"
	RaisedCosine Shape = "raised_cosine"
	Exponential  Shape = "exponential"
)

// A ShapeInfo is a shape: its name and its formula.
type ShapeInfo struct {
	Shape   Shape  `json:"shape"`
	Name    string `json:"name"`
	Formula string `json:"formula"` // of the gain of a rising fade at x
	Bends   bool   `json:"bends"`   // it has a bend

	rise func(x, bend float64) float64
}

// Shapes is the table of shapes. Rendering, the interface, scene files and the documents read it: a new shape is one
// entry.
var Shapes = []ShapeInfo{
	{Straight, "Straight", "x", false, func(x, _ float64) float64 { return x }},
	{QuarterSine, "Quarter sine", "sin(pi x/2)", false, func(x, _ float64) float64 { return math.Sin(math.Pi / 2 * x) }},
	{
		RaisedCosine,
		"Raised cosine",
		"(1 - cos(pi x))/2",
		false,
		func(x, _ float64) float64 { return (1 - math.Cos(math.Pi*x)) / 2 },
	},
	{Exponential, "Exponential", "(1 - e^(-k x))/(1 - e^-k), k = 6 bend", true, func(x, bend float64) float64 {
		k := 6 * bend
		if math.Abs(k) < 1e-9 {
			return x
		}
		return math.Expm1(-k*x) / math.Expm1(-k)
	}},
	{"smoothstep", "Smoothstep", "3 x^2 - 2 x^3", false, func(x, _ float64) float64 { return x * x * (3 - 2*x) }},
}

// info is the shape's entry in Shapes, straight for one that is not there, the empty one among them.
func (s Shape) info() *ShapeInfo {
	for i := range Shapes {
		if Shapes[i].Shape == s {
			return &Shapes[i]
		}
	}
	return &Shapes[0]
}

// Check says what is wrong with a curve.
func (c Curve) Check() error {
	if c.Shape.info().Shape != c.Shape {
		var known []string
		for _, s := range Shapes {
			known = append(known, string(s.Shape))
		}
		return fmt.Errorf("curve %q is not one of %s", c.Shape, strings.Join(known, ", "))
	}
	if !(c.Bend >= -1 && c.Bend <= 1) {
		return fmt.Errorf("bend %g is not between -1 and 1", c.Bend)
	}
	return nil
}

// Rise is the gain of a fade in at x, 0 <= x <= 1; that of a fade out is Rise(1-x). An unknown
// shape, the zero Curve among them, is straight.
func (c Curve) Rise(x float64) float64 { return c.Shape.info().rise(x, c.Bend) }

// Samples are the gains of both sides of a law at n+1 places from 0 to 1, for sides that are not alike: what is drawn
// of a law is read from them.
func (l LawInfo) Samples(n int) (out, in []float64) {
	for i := range n + 1 {
		o, v := l.gains(float64(i)/float64(n), 0)
		out, in = append(out, thousandth(o)), append(in, thousandth(v))
	}
	return out, in
}

// Samples are the gains of a rising fade at n+1 places from 0 to 1, for so many bends plus one from -1 to 1; for one
// alone of a shape without a bend.
func (s ShapeInfo) Samples(n, bends int) (list [][]float64) {
	if !s.Bends {
		bends = 0
	}
	for b := range bends + 1 {
		var one []float64
		for i := range n + 1 {
			one = append(one, thousandth(s.rise(float64(i)/float64(n), 2*float64(b)/float64(max(1, bends))-1)))
		}
		list = append(list, one)
	}
	return list
}

func thousandth(v float64) float64 { return math.Round(1e4*v) / 1e4 }

// Position is x of sample i of n: (i + 1/2)/n, so that a fade and its mirror image meet sample by sample.
func Position(i, n int64) float64 { return (float64(i) + 0.5) / float64(n) }
