// Package ambience makes the backgrounds of recordings one: it measures them in fine bands, lays noise and hum under
// them, and turns them down between words. What it makes of a recording is the same bits for every stretch of it,
// however it is asked for.
package ambience

import (
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// transforms keeps the transforms of one length, which are not safe for use in parallel.
type transforms struct {
	length int
	pool   sync.Pool
}

func (t *transforms) get() *fourier.FFT {
	if f, ok := t.pool.Get().(*fourier.FFT); ok {
		return f
	}
	return fourier.NewFFT(t.length)
}

func (t *transforms) put(f *fourier.FFT) { t.pool.Put(f) }

// A Spectrum is the mean square of a sound in each of recipe.FineBands.
type Spectrum []float64

// A sound is looked at in pieces of lookLength samples; of fineLength where hum is to be left out.
const (
	lookLength = 4096
	fineLength = 16384
)

var looks, fineLooks = &transforms{length: lookLength}, &transforms{length: fineLength}

// Analyze is the spectrum of some sounds of one channel together, at rate samples a second: the mean of the powers of
// overlapping looks through a Hann window (P. D. Welch, "The Use of Fast Fourier Transform for the Estimation of Power
// Spectra", IEEE Trans. Audio Electroacoust. 15, 1967). A sound that is shorter than a look is looked at once, as it
// is. What lies about the frequencies of without, in Hz, is taken to be as what lies beside them. nil if there is no
// sound.
func Analyze(sounds [][]float64, rate int, without []float64) Spectrum {
	kind := looks
	if len(without) > 0 {
		kind = fineLooks
	}
	density := densityOf(sounds, rate, kind)
	if density == nil {
		return nil
	}
	hz := float64(rate) / float64(kind.length)
	for _, f := range without {
		middle := int(math.Round(f / hz))
		from, to := max(0, middle-besideHum), min(len(density)-1, middle+besideHum)
		for k := from + 1; k < to; k++ {
			x := float64(k-from) / float64(to-from)
			density[k] = density[from]*(1-x) + density[to]*x
		}
	}
	out := make(Spectrum, recipe.FineBands)
	for b := range out {
		middle, width := recipe.FineHz(b), recipe.FineWidth(b)
		first, last := int(math.Ceil((middle-width/2)/hz)), int(math.Floor((middle+width/2)/hz))
		sum, count := 0.0, 0.0
		for k := first; k <= min(last, len(density)-1); k++ {
			sum, count = sum+density[k], count+1
		}
		if count == 0 && middle/hz < float64(len(density)-1) { // narrower than what the look tells apart
			k, x := math.Modf(middle / hz)
			sum, count = density[int(k)]*(1-x)+density[int(k)+1]*x, 1
		}
		if count > 0 {
			out[b] = sum / count * width
		}
	}
	return out
}

// besideHum is how many bins beside a sine its main lobe reaches, and one more.
const besideHum = 4

// densityOf is the mean square for each Hz in each bin; nil if there is no sound.
func densityOf(sounds [][]float64, rate int, kind *transforms) []float64 {
	density := make([]float64, kind.length/2+1)
	fft := kind.get()
	defer kind.put(fft)
	x, bins := make([]float64, kind.length), make([]complex128, kind.length/2+1)
	weight := 0.0
	for _, sound := range sounds {
		if len(sound) < 64 {
			continue
		}
		for at := 0; at == 0 || at+kind.length <= len(sound); at += kind.length / 2 {
			part := sound[at:min(len(sound), at+kind.length)]
			clear(x)
			n, energy := float64(len(part)), 0.0
			for i, v := range part {
				w := 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/n)
				x[i] = v * w
				energy += w * w
			}
			for k, c := range fft.Coefficients(bins, x) {
				density[k] += 2 * (real(c)*real(c) + imag(c)*imag(c)) / energy / float64(rate) * n
			}
			weight += n
		}
	}
	if weight == 0 {
		return nil
	}
	for k := range density {
		density[k] /= weight
	}
	return density
}

// Smooth is the spectrum with each band as it and its neighbours are: a look at a short sound is rough by chance.
func (s Spectrum) Smooth() Spectrum {
	out := make(Spectrum, len(s))
	for i := range s {
		sum, weight := 0.0, 0.0
		for d, w := range []float64{3, 2, 1} {
			for _, k := range []int{i - d, i + d} {
				if k >= 0 && k < len(s) {
					sum, weight = sum+w*s[k], weight+w
				}
			}
		}
		out[i] = sum / weight
	}
	return out
}

// DB are the levels of a spectrum's bands in dBFS, to a hundredth.
func (s Spectrum) DB() []float64 {
	out := make([]float64, len(s))
	for i, p := range s {
		out[i] = math.Round(100*level.OfPower(p)) / 100
	}
	return out
}

// FromDB is the spectrum of such levels.
func FromDB(db []float64) Spectrum {
	out := make(Spectrum, len(db))
	for i, v := range db {
		if v > level.Silence {
			out[i] = level.Power(v)
		}
	}
	return out
}

// With is the spectrum with sines in it.
func (s Spectrum) With(hum []recipe.Sine) Spectrum {
	out := slices.Clone(s)
	for _, h := range hum {
		if b := recipe.FineBand(h.Hz); b >= 0 {
			out[b] += level.Power(h.LevelDB)
		}
	}
	return out
}

// Times is the spectrum with all its powers multiplied; nil is nil.
func (s Spectrum) Times(by float64) Spectrum {
	out := slices.Clone(s)
	for i := range out {
		out[i] *= by
	}
	return out
}

// Power is the mean square of all bands together.
func (s Spectrum) Power() float64 {
	sum := 0.0
	for _, p := range s {
		sum += p
	}
	return sum
}

// Between is the mean square of what lies between two frequencies, in Hz.
func (s Spectrum) Between(low, high float64) float64 {
	sum := 0.0
	for b, p := range s {
		sum += p * shareOf(b, low, high)
	}
	return sum
}

// shareOf is how much of a band lies between two frequencies, on a logarithmic scale.
func shareOf(band int, low, high float64) float64 {
	middle := math.Log(recipe.FineHz(band))
	over := min(middle+math.Ln2/24, math.Log(high)) - max(middle-math.Ln2/24, math.Log(low))
	return max(0, over*12/math.Ln2)
}

// The third-octaves from 125 Hz to 8 kHz, by their number, 0 being that about 1000 Hz (IEC 61260-1).
const (
	ThirdLow  = -9
	ThirdHigh = 9
)

// Third gives the edges of a third-octave, in Hz.
func Third(n int) (low, high float64) {
	middle := 1000 * math.Pow(10, float64(n)/10)
	return middle * math.Pow(10, -0.05), middle * math.Pow(10, 0.05)
}

// shares are those of each band in each third-octave from ThirdLow on.
var shares = sync.OnceValue(func() (all [ThirdHigh - ThirdLow + 1][recipe.FineBands]float64) {
	for i := range all {
		low, high := Third(ThirdLow + i)
		for b := range all[i] {
			all[i][b] = shareOf(b, low, high)
		}
	}
	return all
})

// Thirds is the mean square in each third-octave from ThirdLow to ThirdHigh.
func (s Spectrum) Thirds() []float64 {
	out := make([]float64, ThirdHigh-ThirdLow+1)
	for i, of := range shares() {
		for b, p := range s {
			out[i] += p * of[b]
		}
	}
	return out
}

// at is the density at a frequency, mean square for each Hz, in a straight line between the bands' middles in dB over
// the logarithm of frequency; it falls towards 0 Hz below them and stays above them.
func (s Spectrum) at(hz float64) float64 {
	x := 12*math.Log2(max(hz, 1)/1000) - recipe.FineLow
	below := 1.0
	if x < 0 {
		below, x = level.Power(x), 0 // 12 dB an octave
	}
	i := min(int(x), len(s)-1)
	a := s[i] / recipe.FineWidth(i)
	if i == len(s)-1 {
		return a
	}
	b := s[i+1] / recipe.FineWidth(i+1)
	if a <= 0 || b <= 0 {
		return (a + (b-a)*(x-float64(i))) * below
	}
	return a * math.Pow(b/a, x-float64(i)) * below
}

// WithRoom is a recording with what a room does to it; tone is the sound of the tone that the room names, if it does. A
// room of nil is the recording itself.
func WithRoom(r pcm.ReaderAt, room *recipe.Room, tone pcm.ReaderAt) pcm.ReaderAt {
	if !room.Does() {
		return r
	}
	e := &evened{ReaderAt: r, length: r.Len()}
	if room.Decay != nil {
		e.ReaderAt = Reverberated(r, ImpulseOf(*room.Decay, room.Seed, r.Format().Rate))
	}
	if room.Hush != nil {
		e.ReaderAt = newHushed(e.ReaderAt, room)
	}
	e.noise = NewNoise(*room, r.Format().Rate, tone)
	return e
}

// evened is a recording with noise under it.
type evened struct {
	pcm.ReaderAt
	noise  *Noise
	length int64
}

// ReadSamplesAt reads and adds; see pcm.ReaderAt.
func (e *evened) ReadSamplesAt(dst pcm.Block, at int64) error {
	if err := e.ReaderAt.ReadSamplesAt(dst, at); err != nil {
		return err
	}
	inside := pcm.Span{From: at, To: at + dst.Len()}.Intersect(pcm.Span{To: e.length})
	if inside.Empty() {
		return nil
	}
	return e.noise.Add(dst.Slice(inside.From-at, inside.To-at), inside.From)
}
