package ambience

import (
	"context"
	"fmt"
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/cache"
	"blendseam/core/sound/hashnoise"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// The answer of a room begins with some single reflections within earlyMS, which have earlyShare of its energy, and
// goes on as noise that dies away, to lastDB. What lies below lowestHz of it, where hum is, and above highestHz falls
// off.
const (
	earlyFromMS = 4.0
	earlyMS     = 25.0
	earlyCount  = 6
	earlyShare  = 0.35
	lastDB      = 50.0
	lowestHz    = 200.0
	highestHz   = 5000.0
)

// Its energy is that between these, where a voice is.
const voiceLow, voiceHigh = 250.0, 4000.0

// An Answer is the response of a room to what sounds in it, the sound itself as its first sample, and its transforms in
// parts of blockLength samples, each as long again in zeros.
type Impulse struct {
	Samples []float64
	rate    int
	parts   [][]complex128
}

// answers keeps those that were needed last.
var answers = cache.New[string, *Impulse](16)

// ImpulseOf makes the answer of a room; a seed gives always the same one.
func ImpulseOf(d recipe.Decay, seed uint64, rate int) *Impulse {
	a, _ := answers.Get(context.Background(), fmt.Sprint(rate, seed, d), func(context.Context) (*Impulse, error) {
		return newAnswer(d, seed, rate), nil
	})
	return a
}

func newAnswer(d recipe.Decay, seed uint64, rate int) *Impulse {
	ms := float64(rate) / 1000
	tail := make([]float64, max(int(earlyMS*ms)+1, int(d.S*lastDB/60*float64(rate))))
	fall := func(i int) float64 { return level.Amplitude(-60 * float64(i) / (d.S * float64(rate))) }
	sum := 0.0
	for i := int(earlyFromMS * ms); i < len(tail); i++ {
		tail[i] = white(seed^decayNoise, int64(i)) * fall(i)
		sum += tail[i] * tail[i]
	}
	early := math.Sqrt(sum * earlyShare / (1 - earlyShare) / earlyCount)
	for k := range earlyCount {
		bits := hashnoise.Bits(seed^earlyPlaces, uint64(k))
		at := earlyFromMS + (float64(k)+hashnoise.Unit(bits))/earlyCount*(earlyMS-earlyFromMS)
		tail[int(at*ms)] += early * float64(1-2*int64(bits&1))
	}
	lowCut(tail, lowestHz, rate)
	lowCut(tail, lowestHz, rate)
	highCut(tail, highestHz, rate)
	out := &Impulse{Samples: tail, rate: rate}
	power, count := 0.0, 0.0
	for hz := voiceLow; hz < voiceHigh; hz *= 1.01 {
		x := out.At(hz)
		power, count = power+real(x)*real(x)+imag(x)*imag(x), count+1
	}
	by := math.Sqrt(level.Power(d.LevelDB) / power * count)
	for i := range tail {
		tail[i] *= by
	}
	tail[0] = 1
	return NewImpulse(tail, rate)
}

// NewImpulse returns the response whose samples are given, at rate samples a second.
func NewImpulse(samples []float64, rate int) *Impulse {
	a := &Impulse{Samples: samples, rate: rate}
	fft := folds.get()
	defer folds.put(fft)
	for part := range slices.Chunk(samples, blockLength) {
		x := make([]float64, 2*blockLength)
		copy(x, part)
		a.parts = append(a.parts, fft.Coefficients(nil, x))
	}
	return a
}

// Reverberated returns a recording folded with a response. Any stretch of it is the same bits alone as in the whole.
func Reverberated(r pcm.ReaderAt, by *Impulse) pcm.ReaderAt { return answered{r, by} }

// Kinds of chance for one seed.
const (
	decayNoise  = 0x5bd1e995 << 20
	earlyPlaces = 0x2545f491 << 20
)

// lowCut and highCut are of the first order, by a pole at a frequency.
func lowCut(v []float64, hz float64, rate int) {
	a := math.Exp(-2 * math.Pi * hz / float64(rate))
	y, was := 0.0, 0.0
	for i, x := range v {
		y = a * (y + x - was)
		was, v[i] = x, y
	}
}

func highCut(v []float64, hz float64, rate int) {
	a := math.Exp(-2 * math.Pi * hz / float64(rate))
	y := 0.0
	for i, x := range v {
		y = a*y + (1-a)*x
		v[i] = y
	}
}

// At is what the room makes of a steady sine: a gain and a turn of its phase.
func (a *Impulse) At(hz float64) (sum complex128) {
	step := cmplx.Rect(1, -2*math.Pi*hz/float64(a.rate))
	for i := len(a.Samples) - 1; i >= 0; i-- {
		sum = sum*step + complex(a.Samples[i], 0)
	}
	return sum
}

// Powers are by how much the power of noise grows in each of recipe.FineBands.
func (a *Impulse) Powers() []float64 {
	n := 1
	for n < 2*len(a.Samples) {
		n *= 2
	}
	x := make([]float64, n)
	copy(x, a.Samples)
	out := make([]float64, recipe.FineBands)
	count := make([]float64, recipe.FineBands)
	for k, c := range fourier.NewFFT(n).Coefficients(nil, x) {
		if b := recipe.FineBand(max(1, float64(k)*float64(a.rate)/float64(n))); b >= 0 {
			out[b] += real(c)*real(c) + imag(c)*imag(c)
			count[b]++
		}
	}
	for b := range out {
		if out[b] /= max(1, count[b]); count[b] == 0 {
			out[b] = 1
		}
	}
	return out
}

// answered is a recording as it sounds in a room that answers.
type answered struct {
	pcm.ReaderAt
	by *Impulse
}

// ReadSamplesAt reads and folds; see pcm.ReaderAt. It does so in blocks that begin at multiples of blockLength, by
// overlap and save (A. V. Oppenheim, R. W. Schafer, "Discrete-Time Signal Processing"; from memory).
func (r answered) ReadSamplesAt(dst pcm.Block, at int64) error {
	first, last := pcm.Floor(at, blockLength), pcm.Floor(at+dst.Len()-1, blockLength)
	heard := int64(len(r.by.parts)) // blocks that are heard in one
	from := (first - heard) * blockLength
	sound, err := pcm.Read(r.ReaderAt, pcm.Span{From: from, To: (last + 1) * blockLength})
	if err != nil {
		return err
	}
	fft := folds.get()
	defer folds.put(fft)
	sum, x := make([]complex128, blockLength+1), make([]float64, 2*blockLength)
	for c, ch := range sound {
		spectra := make([][]complex128, last-first+heard) // of the block from+k and the one behind it
		for k := range spectra {
			spectra[k] = fft.Coefficients(nil, ch[k*blockLength:(k+2)*blockLength])
		}
		for number := first; number <= last; number++ {
			clear(sum)
			for p, part := range r.by.parts {
				for i, v := range spectra[int(number-first+heard)-1-p] {
					sum[i] += v * part[i]
				}
			}
			x = fft.Sequence(x, sum)
			begin := number*blockLength - at
			for i := max(0, -begin); i < min(blockLength, dst.Len()-begin); i++ {
				dst[c][begin+i] = x[blockLength+i] / (2 * blockLength)
			}
		}
	}
	return nil
}
