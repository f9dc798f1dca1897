package timestretch

import (
	"math"
	"sync"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// A tape's samples are interpolated by a sinc of so many zero crossings on each side through a Kaiser window, read from
// a table of so many points between two crossings, straight between them. With beta 10 the stop band lies some 100 dB
// down (J. F. Kaiser, 1974; J. O. Smith, "Digital Audio Resampling"; from memory).
const (
	crossings = 32
	points    = 512
	beta      = 10.0
	passed    = 0.94 // share of the band up to half the rate that passes
)

// kernel is one side of the sinc, from 0 to crossings.
var kernel = sync.OnceValue(func() []float64 {
	table := make([]float64, crossings*points+2)
	for i := range table {
		x := float64(i) / points
		if x >= crossings {
			continue
		}
		w := bessel0(beta*math.Sqrt(1-x*x/crossings/crossings)) / bessel0(beta)
		table[i] = w
		if x > 0 {
			table[i] *= math.Sin(math.Pi*x) / (math.Pi * x)
		}
	}
	return table
})

// bessel0 is the modified Bessel function of the first kind of order 0, by its series.
func bessel0(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-12*sum; k++ {
		term *= x * x / 4 / (k * k)
		sum += term
	}
	return sum
}

// runTape gives a stretch of a part that runs as a tape does, from its sample at on. What would fold over half the rate
// is taken off.
func runTape(of pcm.ReaderAt, p timing.Part, dst pcm.Block, at int64) error {
	const reach = 2 * timing.MostSpeed * crossings / passed
	first, _ := p.BackExact(float64(at))
	last, _ := p.BackExact(float64(at + dst.Len()))
	span := pcm.Span{From: p.From + int64(first-reach) - 2, To: p.From + int64(last+reach) + 2}
	src, err := pcm.Read(of, span)
	if err != nil {
		return err
	}
	table := kernel()
	for i := range dst.Len() {
		place, speed := p.BackExact(float64(at + i))
		whole := math.Floor(place) // apart from its fraction, so that it is the same bits wherever src begins
		fraction := place - whole
		band := passed * min(1, 1/speed) // of half the rate
		wide := crossings / band
		from, to := int(math.Ceil(fraction-wide)), int(math.Floor(fraction+wide))
		begin := int(p.From-span.From) + int(whole)
		for c := range dst {
			sum := 0.0
			for k, v := range src[c][begin+from : begin+to+1] {
				x := math.Abs(fraction-float64(from+k)) * band * points
				n := int(x)
				sum += v * (table[n] + (x-float64(n))*(table[n+1]-table[n]))
			}
			dst[c][i] = sum * band
		}
	}
	return nil
}
