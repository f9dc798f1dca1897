package tone

import (
	"math"

	"blendseam/core/sound/hashnoise"
	"blendseam/core/sound/pcm"
)

// grains are pieces of a loop of noise, one after the other for ever: joints lie on a grid, each moved at random by up
// to a quarter of it, so that any of them is known without those before it.
type grains struct {
	seed uint64
	loop int64 // length of the noise that they are taken from
	grid int64
	fade int64 // length of the joins
	rise []float64
}

// A grain sounds over span, its joins among it, and is taken from a place of the loop on.
type grain struct {
	span   pcm.Span
	from   int64
	choice float64 // 0..1, by which end of a passage it is taken from
	all    *grains
}

func newGrains(seed uint64, loop, rate int64) grains {
	g := grains{seed: seed, loop: loop, grid: max(rate*8/100, min(loop/4, rate*35/100))}
	g.fade = max(2, min(g.grid/3, rate*8/100))
	g.rise = make([]float64, g.fade)
	for i := range g.rise {
		g.rise[i] = math.Sin(math.Pi / 2 * (float64(i) + 0.5) / float64(g.fade))
	}
	return g
}

// random gives 64 random bits for a number of a kind.
func (g *grains) random(kind, n uint64) uint64 { return hashnoise.Bits(g.seed, kind*0x100000001b3+n) }

func (g *grains) joint(k int64) int64 {
	return k*g.grid + int64((hashnoise.Unit(g.random(1, uint64(k)))-0.5)/2*float64(g.grid))
}

// portions is in how many parts of the loop grains begin in turn, so that all of it is heard as often.
const portions = 16

// strides are the steps from one part to the next: far apart, and through all of them.
var strides = [...]int64{5, 7, 9, 11}

// at gives grain number k.
func (g *grains) at(k int64) grain {
	round := uint64((k - mod(k, portions)) / portions)
	turn := g.random(2, round)
	part := (mod(k, portions)*strides[turn&3] + int64(turn>>8)&(portions-1)) % portions
	bits := g.random(3, uint64(k))
	return grain{
		span:   pcm.Span{From: g.joint(k) - g.fade/2, To: g.joint(k+1) - g.fade/2 + g.fade},
		from:   int64((float64(part) + hashnoise.Unit(bits)) * float64(g.loop) / portions),
		choice: hashnoise.Unit(g.random(4, uint64(k))),
		all:    g,
	}
}

// each goes through the grains that sound in a span.
func (g *grains) each(span pcm.Span, do func(grain)) {
	first := (span.From-mod(span.From, g.grid))/g.grid - 2
	for k := first; ; k++ {
		one := g.at(k)
		if one.span.From >= span.To {
			return
		}
		if one.span.To > span.From {
			do(one)
		}
	}
}

func (g grain) middle() int64 { return (g.span.From + g.span.To) / 2 }

// add adds what of the grain sounds in a span, in which dst lies, times gain.
func (g grain) add(dst, noise pcm.Block, span pcm.Span, gain float64) {
	over := g.span.Intersect(span)
	n := noise.Len()
	fade := int64(len(g.all.rise))
	for c := range dst {
		from := mod(g.from+over.From-g.span.From, n)
		src, to := noise[c], dst[c][over.From-span.From:over.To-span.From]
		for i := range to {
			at := over.From + int64(i)
			v := gain * src[from]
			if from++; from == n {
				from = 0
			}
			if d := at - g.span.From; d < fade {
				v *= g.all.rise[d]
			} else if d := g.span.To - 1 - at; d < fade {
				v *= g.all.rise[d]
			}
			to[i] += v
		}
	}
}
