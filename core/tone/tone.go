// Package tone makes room tone: it finds quiet stretches in recordings, ranks them, and builds from them sound of any length that
// goes on like the room. What it builds is the same for ever: any stretch of it is the same bits however it is asked for.
package tone

import (
	"math"
	"sync"

	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// A Reader is built tone. It builds what it needs when it is first read, and may be read in parallel.
type Reader struct {
	recipe   scene.Tone
	rate     int
	channels int
	length   int64
	read     func(scene.Material) (pcm.Block, error)
	once     sync.Once
	err      error
	ends     []*bed   // what its start and its end are made from; one where both are the same
	grains   []grains // of each layer
	rise     float64  // dB from its start to its end
	steps    []step   // of the passage, in order of time
	steadied sync.Once
	steady   []float64 // dB, of the moments of the passage steadyMS apart; nil where there is none
}

// A step of the passage: how loud the noise of each end is in it.
type step struct {
	once   sync.Once
	ends   []*bed
	target []float64
	noise  [][]pcm.Block // by end and layer
	hum    [][]partial
}

// Open prepares tone by its recipe. read gives the sound of a material, at rate samples a second.
func Open(t scene.Tone, rate, channels int, length int64, read func(scene.Material) (pcm.Block, error)) *Reader {
	return &Reader{recipe: t, rate: rate, channels: channels, length: length, read: read}
}

// Format says 64-bit float.
func (r *Reader) Format() pcm.Format {
	return pcm.Format{Rate: r.rate, Channels: r.channels, Bits: 64, Float: true}
}

// Len is the number of samples.
func (r *Reader) Len() int64 { return r.length }

// passageSteps is how many colours the tone has on its way from one side to the other.
const passageSteps = 9

func (r *Reader) build() {
	sides := [][]scene.Material{r.recipe.Left}
	if len(r.recipe.Right) > 0 {
		sides = append(sides, r.recipe.Right)
	}
	for i, list := range sides {
		var parts []pcm.Block
		for _, m := range list {
			b, err := r.read(m)
			if err != nil {
				r.err = err
				return
			}
			parts = append(parts, toChannels(b, r.channels))
		}
		e := newBed(parts, r.rate, uint64(i))
		if e.origin = r.recipe.Phase; list[e.longest].Source == r.recipe.Left[0].Source {
			e.origin += list[e.longest].From
		}
		r.ends = append(r.ends, e)
	}
	if len(sides) == 2 && len(r.ends[0].layers) != len(r.ends[1].layers) { // one has enough material, the other has not
		for _, e := range r.ends {
			if len(e.layers) == 1 {
				e.layers = append(e.layers, pcm.NewBlock(r.channels, int64(r.rate)))
			}
		}
	}
	r.lay()
	left, right := r.recipe.LeftDB, r.recipe.RightDB
	if right == nil {
		right = left
	}
	n := 1
	if len(r.ends) > 1 || left != nil && r.recipe.To > r.recipe.From {
		n = passageSteps
	}
	if n > 1 && left != nil {
		r.rise = sumDB(right) - sumDB(left)
	}
	r.steps = make([]step, n)
	for i := range r.steps {
		r.steps[i].ends = r.ends
		if left != nil {
			r.steps[i].target = between(left, right, float64(i)/float64(max(1, n-1)))
		}
	}
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

// toChannels gives a block so many channels: mono goes to all, more are averaged to mono.
func toChannels(b pcm.Block, n int) pcm.Block {
	if len(b) == n {
		return b
	}
	out := make(pcm.Block, n)
	for c := range out {
		out[c] = b[c%len(b)]
	}
	if n == 1 {
		out = pcm.NewBlock(1, b.Len())
		for _, ch := range b {
			for i, v := range ch {
				out[0][i] += v / float64(len(b))
			}
		}
	}
	return out
}

// between is the colour on the way from one to another: straight in dB in every band, and so is the sum of all bands.
func between(a, b []float64, x float64) []float64 {
	out := make([]float64, len(a))
	for i := range a {
		out[i] = a[i] + (b[i]-a[i])*x
	}
	off := sumDB(a) + (sumDB(b)-sumDB(a))*x - sumDB(out)
	for i := range out {
		out[i] += off
	}
	return out
}

func sumDB(bands []float64) float64 {
	sum := 1e-30
	for _, v := range bands {
		sum += math.Pow(10, v/10)
	}
	return 10 * math.Log10(sum)
}

// ready gives a step with its sound, made when it is first needed.
func (s *step) ready() *step {
	s.once.Do(func() {
		for _, e := range s.ends {
			noise, hum := e.coloured(s.target)
			s.noise, s.hum = append(s.noise, noise), append(s.hum, hum)
		}
	})
	return s
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
	return r.steps[int(i)].ready(), x, measure.Amplitude(gain)
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
	r.addHum(dst, inside)
}

// cell is how many samples a partial is followed by turning a pointer, from an exact phase on.
const cell = 256

// addHum adds the steady partials. Their phase goes on from that of the recording, a quarter turn off: where tone and room fade
// into each other at constant power, neither bulges or dips.
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
				p.add(dst, span, from, from+cell, r.ends[i].origin, weight)
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

// Method says how tone is built from so much material.
func Method(parts []pcm.Block, rate int) string {
	total := int64(0)
	for _, p := range parts {
		total += p.Len()
	}
	if float64(total) < leastMaterialS*float64(rate) {
		return Shaped
	}
	return Grains
}

// Thirds gives the level in dBFS of each third-octave of a tone's colour over spans of a sound, the mean of its channels.
func Thirds(b pcm.Block, spans []pcm.Span, rate int) []float64 {
	longest := int64(0)
	for _, s := range spans {
		longest = max(longest, s.Len())
	}
	window := 512 // as long as the spans allow: the lowest bands need it
	for window < 8192 && int64(2*window) <= longest {
		window *= 2
	}
	bands := measure.GetBands(rate, window, 1000*math.Pow(10, scene.ToneBandLow/10.0), 1000*math.Pow(10, scene.ToneBandHigh/10.0))
	defer bands.Done()
	sum, n := make([]float64, scene.ToneBands), 0
	var powers []float64
	for _, s := range spans {
		for at := s.From; at+int64(window) <= s.To; at += int64(window) / 4 {
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
		sum[i] = math.Round(100*10*math.Log10(sum[i]/float64(max(1, n))+1e-15)) / 100
	}
	return sum
}
