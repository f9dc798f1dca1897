package ambience

import (
	"context"
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/cache"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A hushed recording is looked at in frames of frameLength samples, frameHop apart, with the square root of a Hann
// window before and after; two of them lie over each sample and sum to it where no gain is put on.
//
// What sounds in a band is a word, or anything else that is not the background, where the band stands so far over what
// the background has, in dB, over about 50 ms: from wordFrom on it counts in part, from wordSure on whole. Around that
// the background is left as it is, in that band and in wordBeside to either side, for wordReach frames, and goes over
// from the one to the other within wordEase more. So under a vowel the hiss stays down where it would be heard beside
// it. All of that is of a finite reach, so that a stretch can be made without what came long before it.
const (
	frameLength = 1024
	frameHop    = frameLength / 2
	wordFrom    = 5.0
	wordSure    = 8.0
	wordSmooth  = 2 // frames to either side
	wordReach   = 5 // frames
	wordEase    = 3 // frames
	wordBeside  = 9 // bands to either side
	wordContext = wordSmooth + wordReach + wordEase
)

// Words are looked for in bands of a third of an octave, at least widestBins wide: narrower ones rise by chance.
const (
	leastBins = 5
	wordsLow  = 100.0
	wordsHigh = 8000.0
)

var frames = &transforms{length: frameLength}

// hushed is a recording with its background turned down between words, in one state, or in two between which it goes
// over.
type hushed struct {
	pcm.ReaderAt
	room   *recipe.Room
	states []hushState
	window []float64
	places []place // of each bin
}

// A place is where a bin lies among the bands: at the middle of one, or on the way to the next.
type place struct {
	band int
	next float64 // 0 to 1
}

func placesAmong(bands []wordBand) []place {
	out := make([]place, frameLength/2+1)
	for i := range out {
		b := 0
		for b+1 < len(bands) && bands[b+1].middle() <= float64(i) {
			b++
		}
		out[i].band = b
		if b+1 < len(bands) {
			out[i].next = max(0, (float64(i)-bands[b].middle())/(bands[b+1].middle()-bands[b].middle()))
		}
	}
	return out
}

// A hushState is a background, and how far it is turned down.
type hushState struct {
	gainDB []float64 // of each bin
	bands  []wordBand
}

// A wordBand is some bins, and the power that the background has in them.
type wordBand struct {
	from, to int
	power    float64
}

func (b wordBand) middle() float64 { return float64(b.from+b.to-1) / 2 }

// of is the power of the band in a frame, shared among so many channels.
func (b wordBand) of(bins []complex128, channels float64) (sum float64) {
	for _, v := range bins[b.from:b.to] {
		sum += (real(v)*real(v) + imag(v)*imag(v)) / channels
	}
	return sum
}

// transformed is the transform of a frame through a window; x is room for it.
func transformed(fft *fourier.FFT, frame, window, x []float64) []complex128 {
	for i, v := range frame {
		x[i] = v * window[i]
	}
	return fft.Coefficients(nil, x)
}

func newHushed(r pcm.ReaderAt, room *recipe.Room) *hushed {
	rate := r.Format().Rate
	out := &hushed{ReaderAt: r, room: room, window: frameWindow(), states: []hushState{stateOf(*room.Hush, rate)}}
	if room.Change != nil && room.Change.Hush != nil {
		out.states = append(out.states, stateOf(*room.Change.Hush, rate))
	}
	out.places = placesAmong(out.states[0].bands)
	return out
}

func stateOf(h recipe.Hush, rate int) hushState {
	hz := float64(rate) / frameLength
	out := hushState{gainDB: make([]float64, frameLength/2+1)}
	for k := range out.gainDB {
		x := 12*math.Log2(max(float64(k)*hz, 1)/1000) - recipe.FineLow
		i := max(0, min(len(h.GainDB)-1, int(x)))
		j := min(i+1, len(h.GainDB)-1)
		share := max(0, min(1, x-float64(i)))
		out.gainDB[k] = h.GainDB[i]*(1-share) + h.GainDB[j]*share
	}
	key := fmt.Sprint(rate, h.RoomDB)
	out.bands, _ = backgrounds.Get(context.Background(), key, func(context.Context) ([]wordBand, error) {
		return backgroundOf(h.RoomDB, rate), nil
	})
	return out
}

// share is how far a frame is in the second state.
func (h *hushed) share(frame int64) float64 {
	if len(h.states) == 1 {
		return 0
	}
	return h.room.ShareAt(frame*frameHop + frameHop)
}

// background is the power that the background has in a band in a frame.
func (h *hushed) background(band int, share float64) float64 {
	p := h.states[0].bands[band].power
	if share > 0 {
		p += share * (h.states[1].bands[band].power - p)
	}
	return p
}

// gainDB is that of a bin in a frame.
func (h *hushed) gainDB(bin int, share float64) float64 {
	g := h.states[0].gainDB[bin]
	if share > 0 {
		g += share * (h.states[1].gainDB[bin] - g)
	}
	return g
}

func frameWindow() []float64 {
	w := make([]float64, frameLength)
	for i := range w {
		w[i] = math.Sin(math.Pi * (float64(i) + 0.5) / frameLength)
	}
	return w
}

// backgrounds keeps what was found of those that were needed last, by rate and levels.
var backgrounds = cache.New[string, []wordBand](48)

// backgroundOf gives the bands with what the background has in them, measured on two seconds of noise of its spectrum:
// so that what leaks from one band into another, and from steep ones much, is in it.
func backgroundOf(roomDB []float64, rate int) (bands []wordBand) {
	hz := float64(rate) / frameLength
	for low := wordsLow; low < min(wordsHigh, float64(rate)/2.2); {
		b := wordBand{from: int(low / hz)}
		b.to = max(b.from+leastBins, int(low*math.Cbrt(2)/hz))
		bands = append(bands, b)
		low = float64(b.to) * hz
	}
	sound := pcm.NewBlock(1, 2*int64(rate))
	_ = NewNoise(recipe.Room{Seed: 1, FillDB: roomDB}, rate, nil).Add(sound, 0) // made by chance: nothing is read
	fft, window, x := frames.get(), frameWindow(), make([]float64, frameLength)
	defer frames.put(fft)
	count := 0.0
	for at := 0; at+frameLength <= len(sound[0]); at += frameHop {
		out := transformed(fft, sound[0][at:at+frameLength], window, x)
		for i := range bands {
			bands[i].power += bands[i].of(out, 1)
		}
		count++
	}
	for i := range bands {
		bands[i].power /= count
	}
	return bands
}

// ReadSamplesAt reads and turns down; see pcm.ReaderAt.
func (h *hushed) ReadSamplesAt(dst pcm.Block, at int64) error {
	first := pcm.Floor(at-frameLength+1+frameHop-1, frameHop) // the first frame that reaches into dst
	last := pcm.Floor(at+dst.Len()-1, frameHop)
	count := int(last - first + 1)
	wide := pcm.Span{From: (first - wordContext) * frameHop, To: (last+wordContext)*frameHop + frameLength}
	sound, err := pcm.Read(h.ReaderAt, wide)
	if err != nil {
		return err
	}
	fft := frames.get()
	defer frames.put(fft)
	x := make([]float64, frameLength)
	bins := make([][]complex128, len(sound)*count) // of the frames that are heard
	over := make([][]float64, count+2*wordContext) // power of each band in each frame
	for f := range over {
		over[f] = make([]float64, len(h.states[0].bands))
		for c := range sound {
			out := transformed(fft, sound[c][f*frameHop:f*frameHop+frameLength], h.window, x)
			for b, band := range h.states[0].bands {
				over[f][b] += band.of(out, float64(len(sound)))
			}
			if k := f - wordContext; k >= 0 && k < count {
				bins[k*len(sound)+c] = out
			}
		}
	}
	down := h.down(over, first-wordContext)
	dst.Clear()
	for k := range count {
		from := (first+int64(k))*frameHop - at
		for c := range sound {
			out := bins[k*len(sound)+c]
			if slices.Max(down[k]) > 0 {
				share := h.share(first + int64(k))
				for i := range out {
					p := h.places[i]
					x := down[k][p.band]*(1-p.next) + down[k][min(p.band+1, len(down[k])-1)]*p.next
					out[i] *= complex(level.Amplitude(h.gainDB(i, share)*x), 0)
				}
			}
			x = fft.Sequence(x, out)
			for i := max(0, -from); i < min(frameLength, dst.Len()-from); i++ {
				dst[c][from+i] += x[i] * h.window[i] / frameLength
			}
		}
	}
	return nil
}

// down is how far each band of each frame that is heard is turned down, from 0 to 1, by the powers of the bands in it
// and in those around it; the first frame of over is that of number first.
func (h *hushed) down(over [][]float64, first int64) [][]float64 {
	bands := len(h.states[0].bands)
	own := make([]float64, bands)
	word := make([][]float64, len(over)-2*wordSmooth)
	for f := range word {
		share := h.share(first + int64(f) + wordSmooth)
		for b := range own {
			sum := 0.0
			for k := f; k <= f+2*wordSmooth; k++ {
				sum += over[k][b]
			}
			db := level.OfPower(sum / (2*wordSmooth + 1) / (h.background(b, share) + 1e-30))
			own[b] = max(0, min(1, (db-wordFrom)/(wordSure-wordFrom)))
		}
		word[f] = make([]float64, bands)
		for b := range own {
			word[f][b] = slices.Max(own[max(0, b-wordBeside):min(bands, b+wordBeside+1)])
		}
	}
	wide := make([][]float64, len(word)-2*wordReach)
	for f := range wide {
		wide[f] = make([]float64, bands)
		for _, w := range word[f : f+2*wordReach+1] {
			for b, v := range w {
				wide[f][b] = max(wide[f][b], v)
			}
		}
	}
	out := make([][]float64, len(wide)-2*wordEase)
	for f := range out {
		out[f] = make([]float64, bands)
		for b := range out[f] {
			sum := 0.0
			for _, w := range wide[f : f+2*wordEase+1] {
				sum += w[b]
			}
			out[f][b] = 1 - sum/(2*wordEase+1)
		}
	}
	return out
}
