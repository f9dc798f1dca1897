package tone

import (
	"math"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Wish is how a tone is to sound over a span of it: from one level to another, straight in dB, and coloured so.
type Options struct {
	Span        pcm.Span
	Left, Right float64   // LevelDB at the span's start and end
	Thirds      []float64 // in its middle; nil where it does not matter
	// What sounds in the span beside the tone, which has fades at constant power there; nil for nothing.
	Under           pcm.Block
	FadeIn, FadeOut int64
}

// Seeds are tried over no more than so much sound in all, and no more than so many of them.
const (
	settleS = 6.0
	settleN = 6
)

// Settle picks of some seeds the one whose sound comes nearest to a wish in every 400 ms, for rooms come and go by
// chance, and gives the gain in dB that brings it to the wish's level. The recipe's own seed is the first that is
// tried; read is that of Open.
func Settle(
	t recipe.Tone,
	rate, channels int,
	length int64,
	w Options,
	read func(recipe.Material) (pcm.Block, error),
) (recipe.Tone, float64, error) {
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
		if w.Under != nil {
			_, cost = w.off(w.over(b, off), rate)
		}
		if cost < least {
			best, gain, least = own, off, cost
		}
	}
	return best, math.Round(100*gain) / 100, nil
}

// reseeded is the tone with its grains in another order.
func (r *Reader) reseeded(seed uint64) *Reader {
	o := &Reader{
		recipe:   r.recipe,
		rate:     r.rate,
		channels: r.channels,
		length:   r.length,
		read:     r.read,
		err:      r.err,
		material: r.material,
		origins:  r.origins,
	}
	o.recipe.Seed = seed
	if r.err == nil {
		o.lay()
	}
	o.once.Do(func() {})
	return o
}

// over is the tone at a gain in dB, with its fades, over what sounds beside it.
func (w Options) over(b pcm.Block, db float64) pcm.Block {
	out, n, gain := pcm.InChannels(w.Under, len(b)), b.Len(), level.Amplitude(db)
	sum := pcm.NewBlock(len(b), n)
	for c := range b {
		for i, v := range b[c] {
			g, i := gain, int64(i)
			if i < w.FadeIn {
				g *= math.Sin(math.Pi / 2 * (float64(i) + 0.5) / float64(w.FadeIn))
			}
			if i >= n-w.FadeOut {
				g *= math.Sin(math.Pi / 2 * (float64(n-i) - 0.5) / float64(w.FadeOut))
			}
			sum[c][i] = v*g + out[c][i]
		}
	}
	return sum
}

// off gives the gain that a sound lacks, and how far it is from the wish with that gain.
func (w Options) off(b pcm.Block, rate int) (gain, cost float64) {
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
	return gain, cost + math.Abs(gain)/either(w.Under == nil, 4.0, 0.5)
}
