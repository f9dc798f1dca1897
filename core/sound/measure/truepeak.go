package measure

import (
	"math"
	"math/bits"

	"blendseam/core/sound/simd"
)

// The true-peak interpolator: 4 times oversampling by a polyphase filter, as ITU-R BS.1770-4 Annex 2
// describes, with a longer filter than its example of 12 taps a phase.
const (
	oversampling = 4
	phaseTaps    = 32
	// ahead is how many samples after a point its interpolation needs.
	ahead = phaseTaps / 2
)

// phases[p][k] weighs sample k of a window whose sample phaseTaps/2-1 is the point; phase 0, the point
// itself, is left out.
var phases = [oversampling - 1][phaseTaps]float64(interpolator(oversampling))

// fine are those of 8 times oversampling, for whoever has to keep under a peak, not to read it.
var fine = interpolator(8)

// fineGain is the largest absolute sum of a phase of fine, more than 1.
var fineGain = func() (largest float64) {
	for p := range fine {
		sum := 0.0
		for _, c := range fine[p] {
			sum += math.Abs(c)
		}
		largest = max(largest, sum)
	}
	return largest
}()

// middleTaps are those next to the point, that settle most questions.
const middleTaps = 8

// phaseGain is the largest absolute sum of a phase; restOf2 and restOf8 those without the 2 and 8 middle taps.
var phaseGain, restOf2, restOf8 = absoluteSum(0), absoluteSum(2), absoluteSum(middleTaps)

// absoluteSum is the largest sum of magnitudes of a phase's taps without the given number in the middle.
func absoluteSum(without int) (largest float64) {
	for p := range phases {
		var sum float64
		for k, c := range phases[p] {
			if k < (phaseTaps-without)/2 || k >= (phaseTaps+without)/2 {
				sum += math.Abs(c)
			}
		}
		largest = max(largest, sum)
	}
	return largest
}

// interpolator designs a Kaiser-windowed sinc (beta 7), each phase scaled to pass a constant.
func interpolator(oversampling int) [][phaseTaps]float64 {
	const beta = 7
	p := make([][phaseTaps]float64, oversampling-1)
	for i := range p {
		frac := float64(i+1) / float64(oversampling)
		var sum float64
		for k := range p[i] {
			d := float64(k-(phaseTaps/2-1)) - frac
			w := d / (phaseTaps / 2)
			p[i][k] = math.Sin(math.Pi*d) / (math.Pi * d) * besselI0(beta*math.Sqrt(max(0, 1-w*w))) / besselI0(beta)
			sum += p[i][k]
		}
		for k := range p[i] {
			p[i][k] /= sum
		}
	}
	return p
}

// besselI0 is the modified Bessel function of the first kind and order 0, by its power series.
func besselI0(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1; term > 1e-17*sum; k++ {
		term *= (x / 2) * (x / 2) / float64(k*k)
		sum += term
	}
	return sum
}

// A TruePeak finds the largest magnitude between samples of one channel in a stream. The zero value
// is ready.
type TruePeak struct {
	top  float64
	tail []float64 // the last phaseTaps samples of what came before
}

// peakRun is how many points are searched, or passed over, together: with all they need they are 160 samples.
const peakRun = 160 - (phaseTaps - 1)

// Add takes the next samples. Points that cannot rise above what was found already are passed over: no
// interpolated value exceeds its middle taps' part plus the largest sample near it times the absolute sum
// of the other taps.
func (t *TruePeak) Add(samples []float64) {
	const reach = phaseTaps - 1 // samples of which a point needs those behind it
	if len(samples) <= reach {
		v := append(t.tail, samples...)
		t.points(v)
		t.tail = append(t.tail[:0:0], v[max(0, len(v)-reach):]...)
		return
	}
	t.points(append(t.tail, samples[:reach]...)) // those that begin in what came before
	t.points(samples)
	t.tail = append(t.tail[:0:0], samples[len(samples)-reach:]...)
}

// points looks at every point of v that lies with all its samples in it.
func (t *TruePeak) points(v []float64) {
	last := len(v) - phaseTaps
	for from := 0; from <= last; from += peakRun {
		to := min(from+peakRun, last+1)
		most := simd.Peak(v[from : to+phaseTaps-1])
		t.top = max(t.top, most)
		if most*phaseGain > t.top {
			t.run(v[from:to+phaseTaps-1], most)
		}
	}
}

// run looks at each point of a run, no sample of which is larger than most.
func (t *TruePeak) run(v []float64, most float64) {
	const middle = phaseTaps/2 - 1
	large, even := phases[0][middle], phases[1][middle] // the third phase mirrors the first
	small := phases[0][middle+1]
	n := len(v) - phaseTaps + 1
	i := 0
	for ; i+simd.ReachPoints <= n; i += simd.ReachPoints {
		mask := uint(simd.Reach(v[middle+i:], large, small, even, t.top-restOf2*most))
		for ; mask != 0; mask &= mask - 1 {
			t.point((*[phaseTaps]float64)(v[i+bits.TrailingZeros(mask):]), most)
		}
	}
	for ; i < n; i++ {
		t.point((*[phaseTaps]float64)(v[i:]), most)
	}
}

// point interpolates at one point, in full only where the middle taps do not settle it.
func (t *TruePeak) point(window *[phaseTaps]float64, most float64) {
	const from = (phaseTaps - middleTaps) / 2
	near := (*[middleTaps]float64)(window[from:])
	for p := range phases {
		c := (*[middleTaps]float64)(phases[p][from:])
		part := (c[0]*near[0] + c[1]*near[1] + c[2]*near[2] + c[3]*near[3]) +
			(c[4]*near[4] + c[5]*near[5] + c[6]*near[6] + c[7]*near[7])
		if math.Abs(part)+restOf8*most <= t.top {
			continue
		}
		var sum float64
		for k, c := range &phases[p] {
			sum += c * window[k]
		}
		t.top = max(t.top, math.Abs(sum))
	}
}

// Peak is the largest magnitude so far, the stream taken to be silent before its start and after
// what was added.
func (t *TruePeak) Peak() float64 {
	end := TruePeak{top: t.top, tail: t.tail}
	end.Add(make([]float64, ahead))
	return end.top
}

// Take is the largest magnitude since it was last taken, in a stream that goes on: between samples up to 16 before the
// end of what was added.
func (t *TruePeak) Take() float64 {
	top := t.top
	t.top = 0
	return top
}

// AroundPeak is how many samples on either side of a stretch Reaches needs.
const AroundPeak = phaseTaps / 2

// OversampledPeak is the largest magnitude that a sound reaches at and between its samples, 8 times oversampled, but
// for AroundPeak at either end; for the last of the rest up to the sample after it. What stays under most may be told
// as less than it is, never as more than most.
func OversampledPeak(samples []float64, most float64) (top float64) {
	largest := simd.Peak(samples)
	if largest*fineGain <= most {
		return 0
	}
	for i := 0; i+2*AroundPeak < len(samples); i++ {
		window := (*[phaseTaps]float64)(samples[i+1:]) // whose point is AroundPeak on
		top = max(top, math.Abs(samples[i+AroundPeak]), math.Abs(samples[i+AroundPeak+1]))
		for p := range fine {
			var sum float64
			for k, c := range &fine[p] {
				sum += c * window[k]
			}
			top = max(top, math.Abs(sum))
		}
	}
	return top
}

// InterSamplePeak is the largest magnitude that a sound reaches between its samples, but for the first 15 and the last
// 16: the interpolation of the others needs them, and nothing is taken to be silent. It is 0 for fewer than 32 samples.
func InterSamplePeak(samples []float64) float64 {
	var t TruePeak
	most := simd.Peak(samples)
	for i := 0; i+phaseTaps <= len(samples); i++ {
		t.point((*[phaseTaps]float64)(samples[i:]), most)
	}
	return t.top
}
