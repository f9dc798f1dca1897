package ambience

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/sound/hashnoise"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Noise is the sound that a room lays under a recording: noise of a spectrum, made by chance, which may differ in part
// between channels, or from a tone, whose channels it has; and hum, the same in all channels. It may be read in
// parallel.
type Noise struct {
	room     recipe.Room
	rate     int
	tone     pcm.ReaderAt        // what the noise is made from; nil: chance
	fill     func() []complex128 // the filter of the noise; nil: none
	changeTo func() []complex128 // of what it changes to
}

// Noise is made in blocks of blockLength samples that begin at multiples of it, by a filter of as many.
const blockLength = 4096

// filters keeps those that were needed last, by rate and levels: many clips have one room.
var filters = cache.New[string, []complex128](48)

var folds = &transforms{length: 2 * blockLength}

// NewNoise prepares what a room lays under a recording of so many samples a second. tone is the sound of the tone that
// the room names; with nil its noise is made by chance, which has the same spectrum.
func NewNoise(r recipe.Room, rate int, tone pcm.ReaderAt) *Noise {
	if r.Tone == "" || tone == nil {
		tone, r.ToneDB = nil, nil
	}
	n := &Noise{room: r, rate: rate, tone: tone, fill: filter(r.FillDB, r.ToneDB, rate)}
	if r.Change != nil {
		n.changeTo = filter(r.Change.FillDB, r.ToneDB, rate)
	}
	return n
}

// filter gives the filter of some levels when it is asked for; nil for no levels.
func filter(fillDB, ofDB []float64, rate int) func() []complex128 {
	if len(fillDB) == 0 {
		return nil
	}
	return sync.OnceValue(func() []complex128 {
		key := fmt.Sprint(rate, fillDB, ofDB)
		f, _ := filters.Get(context.Background(), key, func(context.Context) ([]complex128, error) {
			fill, of := FromDB(fillDB), FromDB(ofDB)
			return filterFor(rate, func(hz float64) float64 {
				if ofDB == nil {
					return fill.at(hz) * float64(rate) / 2
				}
				return fill.at(hz) / max(of.at(hz), 1e-30)
			}), nil
		})
		return f
	})
}

// filterFor is the transform of the impulse response that multiplies the power at each frequency. It is symmetric about
// blockLength/2: the inverse transform of the wanted magnitudes, through a Hann window.
func filterFor(rate int, times func(hz float64) float64) []complex128 {
	fft := folds.get()
	defer folds.put(fft)
	want := make([]complex128, blockLength+1)
	for k := 1; k < blockLength; k++ {
		hz := float64(k) * float64(rate) / (2 * blockLength)
		want[k] = complex(math.Sqrt(times(hz)), 0)
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
	z := hashnoise.Bits(seed, uint64(at))
	sum := int64(z&0xffff) + int64(z>>16&0xffff) + int64(z>>32&0xffff) + int64(z>>48)
	return (float64(sum) - 2*0xffff) / 0x10000 * math.Sqrt(3)
}

// noiseBlock gives noise made by chance, filtered, from sample number*blockLength on.
func noiseBlock(seed uint64, filter []complex128, number int64) []float64 {
	x := make([]float64, 2*blockLength)
	for i := range x {
		x[i] = white(seed, (number-1)*blockLength+int64(i))
	}
	return filtered(x, filter)
}

// filtered filters the second half of x, in place; the first is what the filter still hears of the time before.
func filtered(x []float64, filter []complex128) []float64 {
	fft := folds.get()
	defer folds.put(fft)
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

// toneAhead is how far into a tone a seed may begin to hear it, in blocks: three quarters of an hour at 48 kHz.
const toneAhead = 1 << 15

// toneBlock gives a block of the tone, in so many channels, with the block before it. Each seed hears the tone from
// elsewhere, and what the room changes to from farther on.
func (n *Noise) toneBlock(channels int, number int64, later bool) (pcm.Block, error) {
	at := number + int64(hashnoise.Bits(n.room.Seed, 0)%toneAhead)
	if later {
		at += toneAhead
	}
	whole := max(1, n.tone.Len()/blockLength-1) // a tone is a day long, and has an end
	at -= pcm.Floor(at, whole) * whole
	b := pcm.NewBlock(n.tone.Format().Channels, 2*blockLength)
	if err := n.tone.ReadSamplesAt(b, at*blockLength); err != nil {
		return nil, err
	}
	return pcm.InChannels(b, channels), nil
}

// addNoise adds what lies in dst of the block that begins at sample number*blockLength, dst beginning at sample at.
// Where the room changes, two noises that have nothing to do with one another sound with gains whose squares sum to 1,
// so that it is their powers that go over.
func (n *Noise) addNoise(dst []float64, number, at int64, block func(filter []complex128, later bool) []float64) {
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
		for i, v := range block(n.fill(), false)[first : first+int64(len(dst))] {
			if most > 0 {
				v *= math.Sqrt(1 - share[i])
			}
			dst[i] += v
		}
	}
	if n.changeTo != nil && most > 0 {
		for i, v := range block(n.changeTo(), true)[first : first+int64(len(dst))] {
			dst[i] += v * math.Sqrt(share[i])
		}
	}
}

// Add adds the sound from sample at of the recording on to every channel of dst. The error is the tone's.
func (n *Noise) Add(dst pcm.Block, at int64) error { return n.AddTimes(dst, at, nil, nil) }

// AddTimes adds the sound with a gain for each sample of its noise, and of its hum; nil is 1.
func (n *Noise) AddTimes(dst pcm.Block, at int64, noise, hum []float64) error {
	if n.fill == nil && n.changeTo == nil && len(n.room.Hum) == 0 {
		return nil
	}
	sum := make([]float64, blockLength)
	for from := int64(0); from < dst.Len(); {
		number := pcm.Floor(at+from, blockLength)
		to := min((number+1)*blockLength-at, dst.Len())
		part := dst.Slice(from, to)
		own := gains(noise, from, to)
		if n.tone == nil {
			n.addChance(part, number, at+from, own)
		} else if err := n.addTone(part, number, at+from, own); err != nil {
			return err
		}
		if len(n.room.Hum) > 0 {
			sines := sum[:to-from]
			clear(sines)
			for _, h := range n.room.Hum {
				n.addSine(sines, h, at+from)
			}
			for _, ch := range part {
				add(ch, sines, 1, gains(hum, from, to))
			}
		}
		from = to
	}
	return nil
}

// addChance adds noise that is made by chance to what lies in a block.
func (n *Noise) addChance(dst pcm.Block, number, at int64, gains []float64) {
	own := make([]float64, dst.Len())
	fresh := func(seed uint64) {
		clear(own)
		n.addNoise(own, number, at, func(filter []complex128, later bool) []float64 {
			if later {
				return noiseBlock(^seed, filter, number)
			}
			return noiseBlock(seed, filter, number)
		})
	}
	width, size := n.room.Width, n.room.InChannel(len(dst))
	if len(dst) == 1 || width == 0 {
		width, size = 0, 1
	}
	if width > 0 {
		for c, ch := range dst {
			fresh(n.room.Seed ^ uint64(c+1)<<channelBit)
			add(ch, own, math.Sqrt(width*size), gains)
		}
	}
	if width < 1 {
		fresh(n.room.Seed)
		for _, ch := range dst {
			add(ch, own, math.Sqrt((1-width)*size), gains)
		}
	}
}

// addTone adds noise that is made from the tone to what lies in a block.
func (n *Noise) addTone(dst pcm.Block, number, at int64, gains []float64) error {
	var sounds [2]pcm.Block
	for k, used := range [...]bool{n.fill != nil, n.changeTo != nil} {
		if !used {
			continue
		}
		var err error
		if sounds[k], err = n.toneBlock(len(dst), number, k == 1); err != nil {
			return err
		}
	}
	own := make([]float64, dst.Len())
	for c, ch := range dst {
		clear(own)
		n.addNoise(own, number, at, func(filter []complex128, later bool) []float64 {
			sound := sounds[0]
			if later {
				sound = sounds[1]
			}
			return filtered(slices.Clone(sound[c]), filter) // channels may be one
		})
		add(ch, own, 1, gains)
	}
	return nil
}

// channelBit is the bit of a seed from which on its channels differ.
const channelBit = 60

func gains(all []float64, from, to int64) []float64 {
	if all == nil {
		return nil
	}
	return all[from:to]
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
