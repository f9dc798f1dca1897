package tone

import (
	"math"

	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// A Wish is how a tone is to sound over a span of it: from one level to another, straight in dB, and coloured so.
type Wish struct {
	Span        pcm.Span
	Left, Right float64   // LevelDB at the span's start and end
	Thirds      []float64 // in its middle; nil where it does not matter
}

// Seeds are tried over no more than so much sound in all, and no more than so many of them.
const (
	settleS = 6.0
	settleN = 6
)

// Settle picks of some seeds the one whose sound comes nearest to a wish in every 400 ms, for rooms come and go by chance, and gives
// the gain in dB that brings it to the wish's level. The recipe's own seed is the first that is tried; read is that of Open.
func Settle(t scene.Tone, rate, channels int, length int64, w Wish, read func(scene.Material) (pcm.Block, error)) (scene.Tone, float64, error) {
	first := Open(t, rate, channels, length, read)
	tries := max(3, min(settleN, int(settleS*float64(rate)/float64(max(1, w.Span.Len())))))
	best, gain, least := t, 0.0, math.Inf(1)
	for i := range tries {
		own := t
		own.Seed += uint64(i)
		r := first
		if i > 0 {
			r = first.reseeded(own.Seed)
		}
		b, err := pcm.Read(r, w.Span)
		if err != nil {
			return t, 0, err
		}
		off, cost := w.off(b, rate)
		if cost < least {
			best, gain, least = own, off, cost
		}
	}
	return best, math.Round(100*gain) / 100, nil
}

// reseeded is the tone with its grains in another order.
func (r *Reader) reseeded(seed uint64) *Reader {
	o := &Reader{recipe: r.recipe, rate: r.rate, channels: r.channels, length: r.length, read: r.read, err: r.err, ends: r.ends, rise: r.rise, steps: r.steps}
	o.recipe.Seed = seed
	if r.err == nil {
		o.lay()
	}
	o.once.Do(func() {})
	return o
}

// off gives the gain that a sound lacks, and how far it is from the wish with that gain.
func (w Wish) off(b pcm.Block, rate int) (gain, cost float64) {
	var apart []float64
	n := b.Len()
	window := min(n, int64(rate)*4/10)
	for at := int64(0); at+window <= n; at += max(1, min(int64(rate)/10, n/8)) {
		x := (float64(at) + float64(window)/2) / float64(n)
		apart = append(apart, w.Left+(w.Right-w.Left)*x-LevelDB(b.Slice(at, at+window), rate))
	}
	if len(apart) == 0 {
		return 0, 0
	}
	low, high := apart[0], apart[0]
	for _, d := range apart {
		low, high = min(low, d), max(high, d)
		gain += d / float64(len(apart))
	}
	cost = max(high-gain, gain-low)
	if w.Thirds != nil && n >= int64(rate)/50 {
		cost += ColourDB(Thirds(b, []pcm.Span{{To: n}}, rate), w.Thirds)
	}
	return gain, cost + math.Abs(gain)/4
}
