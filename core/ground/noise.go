package ground

import (
	"context"
	"fmt"
	"math"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/chance"
	"blendseam/core/level"
	"blendseam/core/pcm"
	"blendseam/core/tone/recipe"
)

// Noise is the sound that a room lays under a recording: noise of a spectrum, which may differ in part between
// channels, and hum, the same in all. It may be read in parallel.
type Noise struct {
	room     recipe.Room
	rate     int
	fill     func() []complex128 // the filter of the noise; nil: none
	changeTo func() []complex128 // of what it changes to
}

// Noise is made in blocks of blockLength samples that begin at multiples of it, by a filter of as many.
const blockLength = 4096

// filters keeps those that were needed last, by rate and levels: many clips have one room.
var filters = cache.New[string, []complex128](48)

var folds = &transforms{length: 2 * blockLength}

// NewNoise prepares what a room lays under a recording of so many samples a second.
func NewNoise(r recipe.Room, rate int) *Noise {
	n := &Noise{room: r, rate: rate, fill: filter(r.FillDB, rate)}
	if r.Change != nil {
		n.changeTo = filter(r.Change.FillDB, rate)
	}
	return n
}

// filter gives the filter of some levels when it is asked for; nil for no levels.
func filter(fillDB []float64, rate int) func() []complex128 {
	if len(fillDB) == 0 {
		return nil
	}
	return sync.OnceValue(func() []complex128 {
		f, _ := filters.Get(context.Background(), fmt.Sprint(rate, fillDB), func(context.Context) ([]complex128, error) {
			return filterFor(FromDB(fillDB), rate), nil
		})
		return f
	})
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

// block gives noise through a filter, from sample number*blockLength on.
func block(seed uint64, filter []complex128, number int64) []float64 {
	fft := folds.get()
	defer folds.put(fft)
	x := make([]float64, 2*blockLength)
	for i := range x { // the first half is what the filter still hears of the time before
		x[i] = white(seed, (number-1)*blockLength+int64(i))
	}
	bins := fft.Coefficients(nil, x)
	for k, h := range filter {
		bins[k] *= h
	}
	sound := fft.Sequence(x, bins)[blockLength:]
	for i := range sound {
		sound[i] /= 2 * blockLength
	}
	return sound
}

// addNoise adds what lies in dst of the block that begins at sample number*blockLength, dst beginning at sample at.
// Where the room changes, two noises that have nothing to do with one another sound with gains whose squares sum to 1,
// so that it is their powers that go over.
func (n *Noise) addNoise(dst []float64, seed uint64, number, at int64) {
	first := at - number*blockLength
	var share []float64
	most, least := 0.0, 0.0
	if n.room.Change != nil {
		share = make([]float64, len(dst))
		least = 1
		for i := range share {
			share[i] = n.room.ShareAt(at + int64(i))
			most, least = max(most, share[i]), min(least, share[i])
		}
	}
	if n.fill != nil && least < 1 {
		for i, v := range block(seed, n.fill(), number)[first : first+int64(len(dst))] {
			if most > 0 {
				v *= math.Sqrt(1 - share[i])
			}
			dst[i] += v
		}
	}
	if n.changeTo != nil && most > 0 {
		for i, v := range block(^seed, n.changeTo(), number)[first : first+int64(len(dst))] {
			dst[i] += v * math.Sqrt(share[i])
		}
	}
}

// Add adds the sound from sample at of the recording on to every channel of dst.
func (n *Noise) Add(dst pcm.Block, at int64) { n.AddTimes(dst, at, nil, nil) }

// AddTimes adds the sound with a gain for each sample of its noise, and of its hum; nil is 1.
func (n *Noise) AddTimes(dst pcm.Block, at int64, noise, hum []float64) {
	if n.fill == nil && n.changeTo == nil && len(n.room.Hum) == 0 {
		return
	}
	sum, more := make([]float64, blockLength), make([]float64, blockLength)
	for from := int64(0); from < dst.Len(); {
		number := pcm.Floor(at+from, blockLength)
		to := min((number+1)*blockLength-at, dst.Len())
		common, own := sum[:to-from], more[:to-from]
		clear(common)
		wide := n.room.Width > 0 && len(dst) > 1
		if wide {
			size := n.room.InChannel(len(dst))
			for c, ch := range dst {
				clear(own)
				n.addNoise(own, n.room.Seed^uint64(c+1)<<channelBit, number, at+from)
				add(ch[from:to], own, math.Sqrt(n.room.Width*size), part(noise, from, to))
			}
			if n.room.Width < 1 {
				clear(own)
				n.addNoise(own, n.room.Seed, number, at+from)
				add(common, own, math.Sqrt((1-n.room.Width)*size), part(noise, from, to))
			}
		} else {
			clear(own)
			n.addNoise(own, n.room.Seed, number, at+from)
			add(common, own, 1, part(noise, from, to))
		}
		if len(n.room.Hum) > 0 {
			clear(own)
			for _, h := range n.room.Hum {
				n.addSine(own, h, at+from)
			}
			add(common, own, 1, part(hum, from, to))
		}
		for _, ch := range dst {
			add(ch[from:to], common, 1, nil)
		}
		from = to
	}
}

// channelBit is the bit of a seed from which on its channels differ.
const channelBit = 60

func part(gains []float64, from, to int64) []float64 {
	if gains == nil {
		return nil
	}
	return gains[from:to]
}

// add adds a sound at a size, and at a gain for each sample if there are any.
func add(dst, sound []float64, size float64, gains []float64) {
	if gains == nil {
		for i, v := range sound {
			dst[i] += size * v
		}
		return
	}
	for i, v := range sound {
		dst[i] += size * v * gains[i]
	}
}

// cell is how many samples a sine is followed by turning a pointer, from an exact phase on.
const cell = 64

func (n *Noise) addSine(dst []float64, h recipe.Sine, at int64) {
	turn := h.Hz / float64(n.rate)
	size := math.Sqrt2 * level.Amplitude(h.LevelDB)
	for from := at; from < at+int64(len(dst)); {
		begin := pcm.Floor(from, cell) * cell
		lead := n.room.LeadAt(begin)
		cycles := turn*(float64(begin)+lead) + h.Phase
		s, c := math.Sincos(2 * math.Pi * (cycles - math.Floor(cycles)))
		ds, dc := math.Sincos(2 * math.Pi * turn * (1 + (n.room.LeadAt(begin+cell)-lead)/cell))
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
