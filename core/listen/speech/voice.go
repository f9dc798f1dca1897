package speech

import (
	"slices"

	"blendseam/core/listen/speech/network"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// An Ear hears where somebody speaks in a recording, stretch by stretch from its beginning on.
type Ear struct {
	rate, length int64
	listener     *network.Listener
	resampler    *network.Resampler
	likely       []float32 // the probability of each window from number first on
	first        int64
}

// NewEar is for a recording of length samples, rate of them a second.
func NewEar(rate int, length int64) *Ear {
	return &Ear{
		rate:      int64(rate),
		length:    length,
		listener:  network.NewListener(),
		resampler: network.NewResampler(rate),
	}
}

// Hear says how likely somebody speaks in a stretch of the recording that begins at sample from. Stretches come in
// order, and each begins no later than the one before ended. Windows that reach beyond a stretch are heard with the
// next one.
func (e *Ear) Hear(mono []float64, from int64) Voice {
	end := from + int64(len(mono))
	next := e.first + int64(len(e.likely))
	upTo := (end - e.resampler.Reach()) * network.Rate / e.rate / network.Window
	if end == e.length {
		upTo = (end*network.Rate/e.rate + network.Window - 1) / network.Window
	}
	if gone := from*network.Rate/e.rate/network.Window - e.first; gone > 0 && gone <= int64(len(e.likely)) {
		e.likely, e.first = append([]float32(nil), e.likely[gone:]...), e.first+gone
	}
	if upTo > next {
		sound := e.resampler.Between(mono, from, next*network.Window, upTo*network.Window)
		raise(sound)
		e.likely = append(e.likely, e.listener.Hear(sound)...)
	}
	return Voice{likely: e.likely, first: e.first, from: from, rate: e.rate}
}

// The network hears soft and short words better where they are brought near to heardDB, dBFS, by mostRaiseDB at most.
const (
	heardDB     = -20.0
	mostRaiseDB = 40.0
)

// raise brings a sound to where the network hears it best: the level that a twentieth of its windows pass.
func raise(sound []float32) {
	var levels []float64
	for w := range slices.Chunk(sound, network.Window) {
		sum := 1e-20
		for _, x := range w {
			sum += float64(x) * float64(x)
		}
		levels = append(levels, level.OfPower(sum/network.Window))
	}
	by := min(mostRaiseDB, heardDB-measure.Percentile(levels, 0.95))
	gain := float32(level.Amplitude(max(0, by)))
	for i := range sound {
		sound[i] *= gain
	}
}

// A Voice says how likely somebody speaks at each moment of a sound, from 0 to 1. The zero Voice is that of a sound in
// which nobody does.
type Voice struct {
	likely []float32
	first  int64 // number of the first window
	from   int64 // sample of the recording where the sound begins
	rate   int64
}

// VoiceOf hears a whole mono sound of rate samples a second.
func VoiceOf(mono []float64, rate int) Voice {
	return NewEar(rate, int64(len(mono))).Hear(mono, 0)
}

// window is the number, in likely, of the window in which a sample of the sound lies.
func (v Voice) window(sample int64) int64 {
	return (v.from+sample)*network.Rate/v.rate/network.Window - v.first
}

// Most is the highest probability within a span of the sound.
func (v Voice) Most(s pcm.Span) float64 {
	if len(v.likely) == 0 || s.Empty() {
		return 0
	}
	most := float32(0)
	for k := max(0, v.window(s.From)); k <= min(int64(len(v.likely))-1, v.window(s.To-1)); k++ {
		most = max(most, v.likely[k])
	}
	return float64(most)
}

// Held is the probability that two windows within a span of the sound reach, or the only one there is: a single blow
// may sound like the beginning of a word.
func (v Voice) Held(s pcm.Span) float64 {
	if len(v.likely) == 0 || s.Empty() {
		return 0
	}
	var most, second float32
	first, last := max(0, v.window(s.From)), min(int64(len(v.likely))-1, v.window(s.To-1))
	for k := first; k <= last; k++ {
		if p := v.likely[k]; p > most {
			most, second = p, most
		} else if p > second {
			second = p
		}
	}
	if first == last {
		return float64(most)
	}
	return float64(second)
}

// start is the sample of a sound of some length with which window k begins.
func (v Voice) start(k, length int64) int64 {
	return max(0, min(length, ((k+v.first)*network.Window*v.rate+network.Rate-1)/network.Rate-v.from))
}

// above are the windows of a sound in which somebody speaks with a probability or more.
func (v Voice) above(least float32, length int64) (list []pcm.Span) {
	for k := range int64(len(v.likely)) {
		if s := (pcm.Span{From: v.start(k, length), To: v.start(k+1, length)}); v.likely[k] >= least && !s.Empty() {
			list = append(list, s)
		}
	}
	return list
}

// spoken are the stretches of the sound in which somebody surely speaks: windows from surely on, with those beside them
// from perhaps on.
func (v Voice) spoken(length int64) (list []pcm.Span) {
	n := int64(len(v.likely))
	for k := int64(0); k < n; k++ {
		if v.likely[k] < surely {
			continue
		}
		first, last := k, k
		for first > 0 && v.likely[first-1] >= perhaps {
			first--
		}
		for last+1 < n && v.likely[last+1] >= perhaps {
			last++
		}
		if s := (pcm.Span{From: v.start(first, length), To: v.start(last+1, length)}); !s.Empty() {
			list = append(list, s)
		}
		k = last
	}
	return list
}

// From surely on somebody speaks; from perhaps on, beside that; under hardly nobody does.
const (
	surely  = 0.5
	perhaps = 0.2
	hardly  = 0.1
)
