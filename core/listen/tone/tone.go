// Package tone makes room tone: it finds quiet stretches in recordings, ranks them, and builds from them sound of any
// length that goes on like the room. What it builds is the same for ever: any stretch of it is the same bits however it
// is asked for.
package tone

import (
	"math"
	"sync"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Reader is built tone. It builds what it needs when it is first read, and may be read in parallel.
type Reader struct {
	recipe   recipe.Tone
	rate     int
	channels int
	length   int64
	read     func(recipe.Material) (pcm.Block, error)
	once     sync.Once
	err      error
	*material
	origins  []int64  // moments of the tone at which the hum of each end has its first sample
	grains   []grains // of each layer
	steadied sync.Once
	steady   []float64 // dB, of the moments of the passage steadyMS apart; nil where there is none
}

// Open prepares tone by its recipe. read gives the sound of a material, at rate samples a second.
func Open(t recipe.Tone, rate, channels int, length int64, read func(recipe.Material) (pcm.Block, error)) *Reader {
	return &Reader{recipe: t, rate: rate, channels: channels, length: length, read: read}
}

// Format says 64-bit float.
func (r *Reader) Format() pcm.Format {
	return pcm.Format{Rate: r.rate, Channels: r.channels, Bits: 64, Float: true}
}

// Len is the number of samples.
func (r *Reader) Len() int64 { return r.length }

func (r *Reader) build() {
	sides := [][]recipe.Material{r.recipe.Left}
	if len(r.recipe.Right) > 0 {
		sides = append(sides, r.recipe.Right)
	}
	var parts [][]pcm.Block
	for _, list := range sides {
		var side []pcm.Block
		for _, m := range list {
			b, err := r.read(m)
			if err != nil {
				r.err = err
				return
			}
			side = append(side, pcm.InChannels(b, r.channels))
		}
		parts = append(parts, side)
	}
	r.material = materialOf(parts, r.rate, r.recipe)
	for i, list := range sides {
		origin := r.recipe.Phase
		if m := list[r.ends[i].longest]; m.Source == r.recipe.Left[0].Source {
			origin += m.From
		}
		r.origins = append(r.origins, origin)
	}
	r.lay()
}

// lay makes the grains of each layer, in the order of the recipe's seed.
func (r *Reader) lay() {
	for i := range r.ends[0].layers {
		loop := r.ends[0].layers[i].Len()
		for _, e := range r.ends {
			loop = min(loop, e.layers[i].Len())
		}
		r.grains = append(r.grains, newGrains(r.recipe.Seed+uint64(i)<<32, loop, int64(r.rate)))
	}
}

// along is how far on its way the tone is at a moment, 0 to 1.
func (r *Reader) along(at int64) float64 {
	if r.recipe.To <= r.recipe.From {
		return 0
	}
	return max(0, min(1, (float64(at-r.recipe.From)+0.5)/float64(r.recipe.To-r.recipe.From)))
}

// stepAt gives the step at a moment, how far along it is, and the gain from the step's level to that of the moment.
func (r *Reader) stepAt(at int64) (s *step, x, gain float64) {
	x = r.along(at)
	last := float64(len(r.steps) - 1)
	i := math.Round(x * last)
	if last > 0 {
		gain = r.rise * (x - i/last)
	}
	return r.steps[int(i)].ready(), x, level.Amplitude(gain)
}

// ReadSamplesAt builds; see pcm.ReaderAt.
func (r *Reader) ReadSamplesAt(dst pcm.Block, at int64) error {
	r.once.Do(r.build)
	if r.err != nil {
		return r.err
	}
	r.raw(dst, at)
	r.steadied.Do(r.follow)
	if r.steady != nil {
		for i := range dst[0] {
			g := r.steadyGain(at + int64(i))
			for _, ch := range dst {
				ch[i] *= g
			}
		}
	}
	return nil
}

// raw is the tone as its grains make it.
func (r *Reader) raw(dst pcm.Block, at int64) {
	dst.Clear()
	window := pcm.Span{From: at, To: at + dst.Len()}
	inside := window.Intersect(pcm.Span{To: r.length})
	if inside.Empty() {
		return
	}
	dst = dst.Slice(inside.From-at, inside.To-at)
	for layer := range r.grains {
		r.grains[layer].each(inside, func(g grain) {
			s, x, gain := r.stepAt(g.middle())
			end := 0
			if len(s.noise) > 1 && g.choice < x {
				end = 1
			}
			g.add(dst, s.noise[end][layer], inside, gain)
		})
	}
	if !r.recipe.NoHum {
		r.addHum(dst, inside)
	}
}

// cell is how many samples a partial is followed by turning a pointer, from an exact phase on.
const cell = 256

// addHum adds the steady partials. Their phase goes on from that of the recording, a quarter turn off: where tone and
// room fade into each other at constant power, neither bulges or dips.
func (r *Reader) addHum(dst pcm.Block, span pcm.Span) {
	for from := span.From - mod(span.From, cell); from < span.To; from += cell {
		s, x, gain := r.stepAt(from)
		for i, list := range s.hum {
			weight := gain
			if len(s.hum) > 1 && i == 0 {
				weight *= math.Cos(math.Pi / 2 * x)
			} else if i == 1 {
				weight *= math.Sin(math.Pi / 2 * x)
			}
			for _, p := range list {
				p.add(dst, span, from, from+cell, r.origins[i], weight)
			}
		}
	}
}

// mod is the remainder that is never below 0.
func mod(a, n int64) int64 { return ((a % n) + n) % n }

// Partials gives the frequencies, in Hz, of the hum in a tone made of one material, the strongest first.
func Partials(b pcm.Block, rate int) []Partial {
	return hums(b, rate)
}

// The methods that tone is built by.
const (
	Grains = "grains"
	Shaped = "shaped_noise"
)

// Method says how tone is built from so many samples of material.
func Method(samples int64, rate int) string {
	if float64(samples) < leastMaterialS*float64(rate) {
		return Shaped
	}
	return Grains
}

// mostWindows is how many windows of one span are looked at for its colour, spread over all of it.
const mostWindows = 200

// Thirds gives the level in dBFS of each third-octave of a tone's colour over spans of a sound, the mean of its
// channels.
func Thirds(b pcm.Block, spans []pcm.Span, rate int) []float64 {
	longest := int64(0)
	for _, s := range spans {
		longest = max(longest, s.Len())
	}
	window := 512 // as long as the spans allow: the lowest bands need it
	for window < 8192 && int64(2*window) <= longest {
		window *= 2
	}
	bands := measure.GetBands(
		rate,
		window,
		1000*math.Pow(10, recipe.BandLow/10.0),
		1000*math.Pow(10, recipe.BandHigh/10.0),
	)
	defer bands.Done()
	sum, n := make([]float64, recipe.Bands), 0
	var powers []float64
	step := max(int64(window)/2, longest/mostWindows)
	for _, s := range spans {
		for at := s.From; at+int64(window) <= s.To; at += step {
			for _, ch := range b {
				powers = bands.Powers(powers[:0], ch[at:at+int64(window)])
				for i, p := range powers {
					sum[i] += p
				}
			}
			n += len(b)
		}
	}
	for i := range sum {
		sum[i] = math.Round(100*level.OfPower(sum[i]/float64(max(1, n)))) / 100
	}
	return sum
}
