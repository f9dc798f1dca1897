package tone

import (
	"math"
	"math/cmplx"
	"slices"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/hashnoise"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A bed is what one end of a tone is made from: loops of noise that sound together, and steady sines over them.
type bed struct {
	layers  []pcm.Block
	hum     []partial
	rate    int
	longest int       // of the materials, that the hum was fitted to
	own     []float64 // third-octave levels of the material, as Thirds measures them
	rest    []float64 // and of what is left of it without its hum; nil where there is so much that its loop has these

	looked  sync.Once
	spectra [][][]complex128 // of each layer and channel
	places  [][]float32      // of each layer's frequencies among the bands
	power   []float64        // in fine bands
}

// Material shorter than this, in all, is not cut into grains: noise is shaped like it instead.
const leastMaterialS = 0.5

// A loop is at most so long.
const longestLoopS = 6

// Material shorter than this holds too few waves of the lowest tones to be cut into grains without their coming back:
// noise is shaped like it there, below splitHz, and grains have the rest.
const (
	amplyS  = 3.0
	splitHz = 300.0
)

// Parts of material are joined over this.
const joinS = 0.06

// newBed makes a bed of material, with loops of at most so many samples.
func newBed(parts []pcm.Block, rate int, seed uint64, most int64) *bed {
	e := &bed{rate: rate}
	own := make([]pcm.Block, len(parts))
	for i, p := range parts {
		own[i] = pcm.NewBlock(len(p), min(p.Len(), most))
		for c := range p {
			copy(own[i][c], p[c])
			centre(own[i][c])
		}
		if own[i].Len() > own[e.longest].Len() {
			e.longest = i
		}
	}
	e.hum, _ = findPartials(own[e.longest], rate)
	for i, p := range own {
		for _, h := range e.hum {
			if i != e.longest {
				fitted(p, h.turn).put(p, -1)
			}
		}
	}
	seconds := 0.0
	for _, p := range own {
		seconds += float64(p.Len()) / float64(rate)
	}
	switch {
	case seconds < leastMaterialS:
		e.layers = []pcm.Block{shapedNoise(own, rate, seed, 4096, 2.5)}
	case seconds < amplyS:
		high, low := looped(own, rate, most), shapedNoise(own, rate, seed, 2048, 1.3)
		split(high, rate, true)
		split(low, rate, false)
		e.layers = []pcm.Block{high, low}
	default:
		e.layers = []pcm.Block{looped(own, rate, most)}
	}
	thirds := func(b pcm.Block) []float64 { return Thirds(b, []pcm.Span{{To: b.Len()}}, rate) }
	e.own = thirds(parts[e.longest])
	if seconds < amplyS {
		e.rest = thirds(own[e.longest])
	}
	return e
}

// split keeps of a loop what lies above or below splitHz; of both together the power is that of the whole.
func split(b pcm.Block, rate int, above bool) {
	n := int(b.Len())
	fft := fourier.NewFFT(n)
	for c := range b {
		spectrum := fft.Coefficients(nil, b[c])
		for k := range spectrum {
			octaves := math.Log2(max(1, float64(k)*float64(rate)/float64(n)) / splitHz)
			x := math.Pi / 2 * max(0, min(1, 0.5+2*octaves)) // over half an octave
			g := math.Cos(x)
			if above {
				g = math.Sin(x)
			}
			spectrum[k] *= complex(g/float64(n), 0)
		}
		fft.Sequence(b[c], spectrum)
	}
}

// centre takes off a sound's offset from zero.
func centre(v []float64) {
	mean := 0.0
	for _, x := range v {
		mean += x / float64(len(v))
	}
	for i := range v {
		v[i] -= mean
	}
}

// looped joins parts end to end, and the last to the first, at constant power. The loop's length is one that is quick
// to transform.
func looped(parts []pcm.Block, rate int, most int64) pcm.Block {
	join := int64(joinS * float64(rate))
	var used []pcm.Block
	n := int64(0)
	for _, p := range parts {
		if p.Len() > 3*join && n < most {
			used = append(used, p)
			n += p.Len() - join
		}
	}
	if len(used) == 0 { // many short ones: the longest has to do
		used = []pcm.Block{slices.MaxFunc(parts, func(a, b pcm.Block) int { return int(a.Len() - b.Len()) })}
		join = min(join, used[0].Len()/4)
		n = used[0].Len() - join
	}
	length := smooth5(n)
	last := used[len(used)-1]
	used[len(used)-1] = last.Slice(0, last.Len()-(n-length))
	out := pcm.NewBlock(len(parts[0]), length)
	at := int64(0)
	for _, p := range used {
		for c := range out {
			for i, v := range p[c] {
				g := 1.0
				switch i := int64(i); {
				case i < join:
					g = math.Sin(math.Pi / 2 * (float64(i) + 0.5) / float64(join))
				case i >= p.Len()-join:
					g = math.Sin(math.Pi / 2 * (float64(p.Len()-i) - 0.5) / float64(join))
				}
				out[c][mod(at+int64(i), length)] += g * v
			}
		}
		at += p.Len() - join
	}
	return out
}

// smooth5 is the largest number up to n that is a product of 2, 3 and 5.
func smooth5(n int64) int64 {
	for ; n > 1; n-- {
		k := n
		for _, p := range []int64{2, 3, 5} {
			for k%p == 0 {
				k /= p
			}
		}
		if k == 1 {
			return n
		}
	}
	return 1
}

// shapedNoise is a loop of noise with the spectrum of some short sounds: their periodograms' mean in windows of at most
// so many samples, with phases at random. Two channels are as alike as those of the sounds.
func shapedNoise(parts []pcm.Block, rate int, seed uint64, most int, seconds float64) pcm.Block {
	channels := len(parts[0])
	longest := int64(0)
	for _, p := range parts {
		longest = max(longest, p.Len())
	}
	window := 64
	for int64(2*window) <= longest/2 && window < most {
		window *= 2
	}
	fft := fourier.NewFFT(window)
	power, cross := make([][]float64, channels), 0.0
	for c := range power {
		power[c] = make([]float64, window/2+1)
	}
	total, count := make([]float64, channels), 0.0
	x, out := make([]float64, window), make([]complex128, window/2+1)
	for _, p := range parts {
		for at := int64(0); at+int64(window) <= p.Len(); at += int64(window) / 4 {
			count++
			for c := range p {
				for i := range x {
					w := math.Sqrt(8.0/3) * (0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(window)))
					x[i] = w * p[c][at+int64(i)]
				}
				for k, v := range fft.Coefficients(out, x) {
					power[c][k] += (real(v)*real(v) + imag(v)*imag(v)) / float64(window)
				}
			}
		}
		for i := range p[0] {
			for c := range p {
				total[c] += p[c][i] * p[c][i]
			}
			cross += p[0][i] * p[channels-1][i]
		}
	}
	size := 1
	for float64(size) < seconds*float64(rate) {
		size *= 2
	}
	alike := 0.0
	if channels == 2 && total[0] > 0 && total[1] > 0 {
		alike = cross / math.Sqrt(total[0]*total[1])
	}
	g := grains{seed: seed}
	inverse := fourier.NewFFT(size)
	noise := pcm.NewBlock(channels, int64(size))
	turns := make([]complex128, size/2+1)
	for c := range channels {
		for k := range turns {
			own := cmplx.Rect(1, 2*math.Pi*hashnoise.Unit(g.random(uint64(10+c), uint64(k))))
			if c == 0 {
				turns[k] = own
			} else {
				turns[k] = complex(alike, 0)*turns[k] + complex(math.Sqrt(max(0, 1-alike*alike)), 0)*own
			}
		}
		spectrum := make([]complex128, size/2+1)
		for k := 1; k < size/2; k++ {
			at := float64(k) * float64(window) / float64(size)
			i := min(int(at), window/2-1)
			p := power[c][i] + (power[c][i+1]-power[c][i])*(at-float64(i))
			spectrum[k] = turns[k] * complex(math.Sqrt(p/max(1, count)/float64(size)), 0)
		}
		inverse.Sequence(noise[c], spectrum)
	}
	return noise
}

// fine is in how many parts a third-octave is looked at when a colour is changed.
const fine = 8

// levels gives the third-octave levels of a bed's noise in dBFS with a change of its colour, from its power in finer
// bands.
func levels(power []float64, gain []float64) []float64 {
	sums := make([]float64, recipe.Bands)
	for i, p := range power {
		g := gainAt(gain, float64(i)/fine-0.5+0.5/fine)
		sums[i/fine] += p * g * g
	}
	for b := range sums {
		sums[b] = level.OfPower(sums[b])
	}
	return sums
}

// fineBandOf is the index of the part of a third-octave that a frequency lies in; those beyond the lowest and the
// highest count to these. -1 below 15 Hz.
func fineBandOf(hz float64) int {
	if hz < 15 {
		return -1
	}
	n := int(math.Floor((10*math.Log10(hz/1000) - recipe.BandLow + 0.5) * fine))
	return max(0, min(fine*recipe.Bands-1, n))
}

// placeOf is where a frequency lies among the middles of the third-octaves: 0 is the lowest, 1 the next.
func placeOf(hz float64) float64 { return 10*math.Log10(max(1, hz)/1000) - recipe.BandLow }

// gainAt is the gain, as an amplitude, of a colour's change at a place among the bands: straight between their middles.
func gainAt(db []float64, place float64) float64 {
	i := max(0, min(len(db)-2, int(math.Floor(place))))
	x := max(0, min(1, place-float64(i)))
	return math.Exp((db[i] + (db[i+1]-db[i])*x) * math.Ln10 / 20)
}

// A colour is not changed by more than this, in dB.
const mostChange = 30.0

// look has a bed's spectra and its power in fine bands ready, for its colour to be changed.
func (e *bed) look() {
	e.power = make([]float64, fine*recipe.Bands)
	for i, b := range e.layers {
		n := int(b.Len())
		fft := e.fft(i)
		places := make([]float32, n/2+1)
		for k := range places {
			places[k] = float32(placeOf(float64(k) * float64(e.rate) / float64(n)))
		}
		var spectra [][]complex128
		for _, ch := range b {
			spectrum := fft.Coefficients(nil, ch)
			for k, v := range spectrum {
				if f := fineBandOf(float64(k) * float64(e.rate) / float64(n)); f >= 0 {
					e.power[f] += 2 * (real(v)*real(v) + imag(v)*imag(v)) / float64(n) / float64(n) / float64(len(b))
				}
			}
			spectra = append(spectra, spectrum)
		}
		e.spectra, e.places = append(e.spectra, spectra), append(e.places, places)
	}
}

// fft transforms a layer. It keeps its work to itself, so that every caller needs one of its own.
func (e *bed) fft(layer int) *fourier.FFT { return fourier.NewFFT(int(e.layers[layer].Len())) }

// coloured gives the bed's noise and hum with other third-octave levels, as Thirds would measure them; as the material
// has them for nil.
func (e *bed) coloured(target []float64) ([]pcm.Block, []partial) {
	if target == nil && e.rest == nil {
		return e.layers, e.hum
	}
	e.looked.Do(e.look)
	// of the noise, and of the colour as a whole
	gain, change := make([]float64, recipe.Bands), make([]float64, recipe.Bands)
	wanted := levels(e.power, gain)
	for b := range wanted {
		if target != nil {
			change[b] = max(-mostChange, min(mostChange, target[b]-e.own[b]))
		}
		if e.rest != nil {
			wanted[b] = e.rest[b]
		}
		wanted[b] += change[b]
	}
	for range 4 { // the curve is straight between the bands, so that each leaks into its neighbours
		for b, now := range levels(e.power, gain) {
			gain[b] = max(-mostChange, min(mostChange, gain[b]+wanted[b]-now))
		}
	}
	out := make([]pcm.Block, len(e.layers))
	for i, b := range e.layers {
		n := b.Len()
		out[i] = pcm.NewBlock(len(b), n)
		fft, places := e.fft(i), e.places[i]
		turned := make([]complex128, len(places))
		for c, spectrum := range e.spectra[i] {
			for k, v := range spectrum {
				turned[k] = v * complex(gainAt(gain, float64(places[k]))/float64(n), 0)
			}
			fft.Sequence(out[i][c], turned)
		}
	}
	hum := slices.Clone(e.hum)
	for i := range hum {
		hum[i].gain = gainAt(change, placeOf(hum[i].turn*float64(e.rate)))
	}
	return out, hum
}
