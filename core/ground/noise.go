package ground

import (
	"context"
	"fmt"
	"math"

	"blendseam/core/cache"
	"blendseam/core/chance"
	"blendseam/core/level"
	"blendseam/core/pcm"
	"blendseam/core/tone/recipe"
)

// Noise is the sound that a room lays under a recording, the same in every channel: noise of a spectrum, and hum. It
// may be read in parallel.
type Noise struct {
	seed   uint64
	rate   int
	filter func() []complex128 // nil: no noise
	hum    []recipe.Sine
}

// Noise is made in blocks of blockLength samples that begin at multiples of it, by a filter of as many.
const blockLength = 4096

// filters keeps those that were needed last, by rate and levels: many clips have one room.
var filters = cache.New[string, []complex128](48)

var folds = &transforms{length: 2 * blockLength}

// NewNoise prepares what a room lays under a recording of so many samples a second.
func NewNoise(r recipe.Room, rate int) *Noise {
	n := &Noise{seed: r.Seed, rate: rate, hum: r.Hum}
	if len(r.FillDB) > 0 {
		key := fmt.Sprint(rate, r.FillDB)
		n.filter = func() []complex128 {
			f, _ := filters.Get(context.Background(), key, func(context.Context) ([]complex128, error) {
				return filterFor(FromDB(r.FillDB), rate), nil
			})
			return f
		}
	}
	return n
}

// filterFor is the transform of the impulse response that makes white noise of power 1 a noise of a spectrum. It is
// symmetric about blockLength/2: the inverse transform of the wanted magnitudes, through a Hann window.
func filterFor(s Spectrum, rate int) []complex128 {
	fft := folds.get()
	defer folds.put(fft)
	want := make([]complex128, blockLength+1)
	for k := 1; k < blockLength; k++ {
		hz := float64(k) * float64(rate) / (2 * blockLength)
		want[k] = complex(math.Sqrt(s.at(hz)*float64(rate)/2), 0)
	}
	impulse := fft.Sequence(nil, want)
	taps := make([]float64, 2*blockLength)
	for i := -blockLength / 2; i <= blockLength/2; i++ {
		w := 0.5 + 0.5*math.Cos(2*math.Pi*float64(i)/blockLength)
		taps[i+blockLength/2] = impulse[(i+2*blockLength)%(2*blockLength)] / (2 * blockLength) * w
	}
	return fft.Coefficients(nil, taps)
}

// white is noise of power 1 at a moment: four even chances together, which is near enough to a normal one for what a
// filter of hundreds of samples makes of it.
func white(seed uint64, at int64) float64 {
	z := chance.Bits(seed, uint64(at))
	sum := int64(z&0xffff) + int64(z>>16&0xffff) + int64(z>>32&0xffff) + int64(z>>48)
	return (float64(sum) - 2*0xffff) / 0x10000 * math.Sqrt(3)
}

// block gives the noise from sample number*blockLength on.
func (n *Noise) block(number int64) []float64 {
	fft := folds.get()
	defer folds.put(fft)
	x := make([]float64, 2*blockLength)
	for i := range x { // the first half is what the filter still hears of the time before
		x[i] = white(n.seed, (number-1)*blockLength+int64(i))
	}
	bins := fft.Coefficients(nil, x)
	for k, h := range n.filter() {
		bins[k] *= h
	}
	sound := fft.Sequence(x, bins)[blockLength:]
	for i := range sound {
		sound[i] /= 2 * blockLength
	}
	return sound
}

// Add adds the sound from sample at of the recording on to every channel of dst.
func (n *Noise) Add(dst pcm.Block, at int64) {
	n.each(dst.Len(), at, func(from int64, sound []float64) {
		for _, ch := range dst {
			for i, v := range sound {
				ch[from+int64(i)] += v
			}
		}
	})
}

// AddTimes adds the sound with a gain for each sample.
func (n *Noise) AddTimes(dst pcm.Block, at int64, gain []float64) {
	n.each(dst.Len(), at, func(from int64, sound []float64) {
		for _, ch := range dst {
			for i, v := range sound {
				ch[from+int64(i)] += v * gain[from+int64(i)]
			}
		}
	})
}

// each gives the sound in pieces: from is where a piece begins among length samples from at on.
func (n *Noise) each(length, at int64, do func(from int64, sound []float64)) {
	if n.filter == nil && len(n.hum) == 0 {
		return
	}
	sum := make([]float64, blockLength)
	for from := int64(0); from < length; {
		number := pcm.Floor(at+from, blockLength)
		first := at + from - number*blockLength
		count := min(blockLength-first, length-from)
		piece := sum[:count]
		clear(piece)
		if n.filter != nil {
			copy(piece, n.block(number)[first:first+count])
		}
		for _, h := range n.hum {
			n.addSine(piece, h, at+from)
		}
		do(from, piece)
		from += count
	}
}

// cell is how many samples a sine is followed by turning a pointer, from an exact phase on.
const cell = 64

func (n *Noise) addSine(dst []float64, h recipe.Sine, at int64) {
	turn := h.Hz / float64(n.rate)
	ds, dc := math.Sincos(2 * math.Pi * turn)
	size := math.Sqrt2 * level.Amplitude(h.LevelDB)
	for from := at; from < at+int64(len(dst)); {
		begin := pcm.Floor(from, cell) * cell
		cycles := turn*float64(begin) + h.Phase
		s, c := math.Sincos(2 * math.Pi * (cycles - math.Floor(cycles)))
		end := min(begin+cell, at+int64(len(dst)))
		for i := begin; i < end; i++ {
			if i >= from {
				dst[i-at] += size * s
			}
			s, c = s*dc+c*ds, c*dc-s*ds
		}
		from = end
	}
}
