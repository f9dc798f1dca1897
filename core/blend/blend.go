// Package blend has the laws of fades and crossfades, as gains over a position x from 0 to 1.
// It knows nothing of clips or of time.
package blend

import (
	"blendseam/core/level"
	"fmt"
	"math"
)

// A Law says how the two gains of a crossfade belong together.
type Law string

// The laws. With x the position in the blend and r the correlation of the two sides:
//
//	constant_gain   out = 1-x            in = x             (the gains add to 1)
//	constant_power  out = cos(pi x/2)    in = sin(pi x/2)   (their squares add to 1)
//	matched         the power pair divided by sqrt(1 + r sin(pi x))
//
// The matched law keeps the summed power constant for sides of equal power and correlation r:
// M. Fink, M. Holters, U. Zoelzer, "Signal-Matched Power-Complementary Cross-Fading and Dry-Wet
// Mixing", DAFx-16, 2016.
const (
	ConstantPower Law = "constant_power"
	ConstantGain  Law = "constant_gain"
	Matched       Law = "matched"
)

// A LawInfo is a law with its words.
type LawInfo struct {
	Law   Law    `json:"law"`
	Name  string `json:"name"`
	About string `json:"about"`
}

// Laws is the table of laws that the interface, the command line and the documents read.
var Laws = []LawInfo{
	{ConstantPower, "Constant power", "for unlike material: both sides 3 dB down in the middle"},
	{ConstantGain, "Constant gain", "for like material: both sides 6 dB down in the middle"},
	{Matched, "Matched", "for any material: follows the measured correlation of the two sides"},
}

// Name is the law's name in Laws; what it is called itself, if it is not there.
func (l Law) Name() string {
	for _, x := range Laws {
		if x.Law == l {
			return x.Name
		}
	}
	return string(l)
}

// Valid tells whether l is in Laws.
func (l Law) Valid() bool { return l == ConstantPower || l == ConstantGain || l == Matched }

// LeastCorrelation is the lowest correlation that the matched law follows; below it the gains would
// grow without bound.
const LeastCorrelation = -0.5

// Gains gives the gains of the outgoing and the incoming side at x, 0 <= x <= 1. r is used by
// the matched law alone and kept within [LeastCorrelation, 1]. An unknown law is constant power.
func (l Law) Gains(x, r float64) (out, in float64) {
	if l == ConstantGain {
		return 1 - x, x
	}
	in, out = math.Sincos(math.Pi / 2 * x)
	if l == Matched {
		r = min(1, max(LeastCorrelation, r))
		k := 1 / math.Sqrt(1+r*math.Sin(math.Pi*x))
		return out * k, in * k
	}
	return out, in
}

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

// The shapes, as gains of a rising fade:
//
//	straight        x
//	quarter_sine    sin(pi x/2)
//	raised_cosine   (1 - cos(pi x))/2
//	exponential     (1 - e^(-k x))/(1 - e^-k), k = 6 bend; straight at bend 0
const (
	Straight     Shape = "straight"
	QuarterSine  Shape = "quarter_sine"
	RaisedCosine Shape = "raised_cosine"
	Exponential  Shape = "exponential"
)

// Shapes is the table of shapes, with their words.
var Shapes = []struct {
	Shape Shape  `json:"shape"`
	Name  string `json:"name"`
}{{Straight, "Straight"}, {QuarterSine, "Quarter sine"}, {RaisedCosine, "Raised cosine"}, {Exponential, "Exponential"}}

// Check says what is wrong with a curve.
func (c Curve) Check() error {
	for _, s := range Shapes {
		if s.Shape == c.Shape {
			if c.Bend < -1 || c.Bend > 1 || c.Bend != c.Bend {
				return fmt.Errorf("bend %g is not between -1 and 1", c.Bend)
			}
			return nil
		}
	}
	return fmt.Errorf("curve %q is not one of straight, quarter_sine, raised_cosine, exponential", c.Shape)
}

// Rise is the gain of a fade in at x, 0 <= x <= 1; that of a fade out is Rise(1-x). An unknown
// shape, the zero Curve among them, is straight.
func (c Curve) Rise(x float64) float64 {
	switch c.Shape {
	case QuarterSine:
		return math.Sin(math.Pi / 2 * x)
	case RaisedCosine:
		return (1 - math.Cos(math.Pi*x)) / 2
	case Exponential:
		if k := 6 * c.Bend; math.Abs(k) > 1e-9 {
			return math.Expm1(-k*x) / math.Expm1(-k)
		}
	}
	return x
}

// Position is x of sample i of n: (i + 1/2)/n, so that a fade and its mirror image meet sample by sample.
func Position(i, n int64) float64 { return (float64(i) + 0.5) / float64(n) }
