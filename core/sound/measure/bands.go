package measure

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// Bands measures the power of sound in third-octave bands, by FFT of windows of one length. A Bands must not be used in
// parallel.
type Bands struct {
	Centres []float64 // Hz, the exact mid-band frequencies of IEC 61260-1: 1000 * 10^(n/10)
	fft     *fourier.FFT
	key     bandKey
	window  []float64
	weights []weights // of each band
	buffer  []float64
	out     []complex128
}

// weights are the shares that bins from one on have in a band.
type weights struct {
	from   int
	shares []float64
}

type bandKey struct {
	rate, least int
	low, high   float64
}

// idleBands keeps those that were given back, by what they were prepared for.
var idleBands sync.Map // of bandKey to *sync.Pool

// GetBands is NewBands, or one like it that was given back by Done.
func GetBands(rate, least int, low, high float64) *Bands {
	key := bandKey{rate, least, low, high}
	pool, _ := idleBands.LoadOrStore(key, &sync.Pool{New: func() any { return NewBands(rate, least, low, high) }})
	return pool.(*sync.Pool).Get().(*Bands)
}

// Done gives b back; it must not be used any more.
func (b *Bands) Done() {
	if pool, ok := idleBands.Load(b.key); ok {
		pool.(*sync.Pool).Put(b)
	}
}

// NewBands prepares for windows of at least least samples, of the next power of two, and for all bands with their
// middle from low to high Hz that lie below half the rate. A bin on the border of two bands is shared between them.
func NewBands(rate, least int, low, high float64) *Bands {
	n := 64
	for n < least {
		n *= 2
	}
	b := &Bands{
		fft:    fourier.NewFFT(n),
		key:    bandKey{rate, least, low, high},
		window: make([]float64, n),
		buffer: make([]float64, n),
		out:    make([]complex128, n/2+1),
	}
	sum := 0.0
	for i := range b.window { // Hann
		b.window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
		sum += b.window[i] * b.window[i]
	}
	for i := range b.window {
		b.window[i] *= math.Sqrt(2 / (sum * float64(n)))
	}
	width := float64(rate) / float64(n)
	for k := math.Ceil(10*math.Log10(low/1000) - 1e-9); ; k++ {
		centre := 1000 * math.Pow(10, k/10)
		from, to := centre*math.Pow(10, -0.05), centre*math.Pow(10, 0.05)
		if centre > high*1.03 || to > float64(rate)/2 {
			break
		}
		list := weights{from: min(n/2, int(from/width+0.5))}
		for bin := int(from/width + 0.5); bin <= int(to/width+0.5) && bin <= n/2; bin++ {
			share := (min(to, (float64(bin)+0.5)*width) - max(from, (float64(bin)-0.5)*width)) / width
			list.shares = append(list.shares, max(0, share))
		}
		b.Centres = append(b.Centres, centre)
		b.weights = append(b.weights, list)
	}
	return b
}

// ThirdOctaves are the exact mid-band frequencies, in Hz, of IEC 61260-1 (1000 * 10^(n/10)) from low to high.
func ThirdOctaves(low, high float64) (centres []float64) {
	for k := math.Ceil(10*math.Log10(low/1000) - 0.15); ; k++ {
		centre := 1000 * math.Pow(10, k/10)
		if centre > high*1.03 {
			return centres
		}
		centres = append(centres, centre)
	}
}

// Window is the number of samples that Powers takes.
func (b *Bands) Window() int { return len(b.window) }

// Powers appends the mean square of x, of Window samples, in each band.
func (b *Bands) Powers(to []float64, x []float64) []float64 {
	for i, v := range x {
		b.buffer[i] = v * b.window[i]
	}
	b.fft.Coefficients(b.out, b.buffer)
	for _, list := range b.weights {
		sum, bins := 0.0, b.out[list.from:][:len(list.shares)]
		for i, share := range list.shares {
			c := bins[i]
			sum += share * (real(c)*real(c) + imag(c)*imag(c))
		}
		to = append(to, sum)
	}
	return to
}

// A Colour is the power of a background in third-octave bands.
type Colour struct {
	Centres []float64 // Hz
	Powers  []float64 // mean square
	Seconds float64   // of sound that was measured
}

// mostWindows is how many windows a colour is measured in at most, spread over all of the spans.
const mostWindows = 48

// ColourOf measures the third-octaves from 125 Hz to 8 kHz over spans of sound, in all channels, in windows of 20 ms.
// Rates above 32 kHz are halved first.
func ColourOf(sound pcm.Block, spans []pcm.Span, rate int) Colour {
	every := int64(1)
	for rate/int(every) > 32000 {
		every *= 2
	}
	b := GetBands(rate/int(every), rate/int(every)/50, 125, 8000)
	defer b.Done()
	c := Colour{Centres: b.Centres, Powers: make([]float64, len(b.Centres))}
	n := int64(b.Window()) * every
	total := int64(0)
	for _, s := range spans {
		total += max(0, s.Len()-n+n/2) / (n / 2)
	}
	step := n / 2 * max(1, (total+mostWindows-1)/mostWindows)
	windows := 0
	var powers []float64
	frame := make([]float64, b.Window())
	for _, span := range spans {
		for at := span.From; at+n <= span.To; at += step {
			for _, ch := range sound {
				powers = b.Powers(powers[:0], Decimate(frame, ch[at:at+n], int(every)))
				for i, p := range powers {
					c.Powers[i] += p
				}
			}
			windows++
		}
	}
	for i := range c.Powers {
		c.Powers[i] /= float64(max(1, windows*len(sound)))
	}
	c.Seconds = float64(
		windows,
	) * float64(
		min(step, n*2/3),
	) / float64(
		rate,
	) // of what is independent in windows of this shape
	return c
}

// Decimate fills dst with the means of so many samples of v each, and gives it.
func Decimate(dst, v []float64, every int) []float64 {
	if every == 1 {
		copy(dst, v)
		return dst
	}
	for i := range dst {
		sum := 0.0
		for _, x := range v[i*every : (i+1)*every] {
			sum += x
		}
		dst[i] = sum / float64(every)
	}
	return dst
}

// ColourStepDB is how far two colours differ when their levels are made equal: the root mean square, over the
// third-octaves, of their differences in dB less the mean difference. What chance alone makes of sounds so short is
// taken off: a band of width B measured for T seconds has a spread of 4.34/sqrt(B T) dB (J. S. Bendat, A. G. Piersol,
// "Random Data", normalised error of a power estimate; from memory). Bands in which both lie below floorDB, dBFS, do
// not count; 0 if none is left.
func ColourStepDB(a, b Colour, floorDB float64) float64 {
	floor := level.Power(floorDB)
	var diffs []float64
	chance := 0.0
	for i, centre := range a.Centres {
		pa, pb := max(floor, a.Powers[i]), max(floor, b.Powers[i])
		if pa == floor && pb == floor {
			continue
		}
		diffs = append(diffs, level.OfPower(pb/pa))
		width := 0.2316 * centre
		chance += 4.34 * 4.34 / width * (1/max(0.02, a.Seconds) + 1/max(0.02, b.Seconds))
	}
	if len(diffs) == 0 {
		return 0
	}
	n, mean, square := float64(len(diffs)), 0.0, 0.0
	for _, d := range diffs {
		mean += d / n
	}
	for _, d := range diffs {
		square += (d - mean) * (d - mean) / n
	}
	return math.Sqrt(max(0, square-chance/n))
}
