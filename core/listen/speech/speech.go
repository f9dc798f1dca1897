// Package speech finds where words begin and end in a recording, its breaths, its pauses and its other sounds. A
// trained network says where somebody speaks; what stands above the background says, there, where words begin and end.
// It knows nothing of scenes or of cuts.
package speech

import (
	"math"
	"slices"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// Kind says what a stretch of a recording holds.
type Kind string

// The kinds. What is none of them is a pause.
const (
	Word   Kind = "word"   // one or more words without a pause between them
	Breath Kind = "breath" // noise of some length without any voice, well below the words
	Other  Kind = "other"  // a sound in which nobody speaks
)

// A Part is a word, a breath or another sound, in samples of what was looked at.
type Part struct {
	Kind Kind     `json:"kind"`
	Span pcm.Span `json:"span"`
	// Voiced is from the first to the last sound with a pitch; what lies before and after it is the first and the last
	// consonant. Empty in a breath, and until Voice has looked for it.
	Voiced pcm.Span `json:"voiced"`
	PeakDB float64  `json:"peak_db"` // the loudest 10 ms, dBFS
	Sure   float64  `json:"sure"`    // how sure it is what it is, from 0 to 1
}

// Heard is what a stretch of sound holds.
type Heard struct {
	Parts        []Part  // in order of time
	BackgroundDB float64 // the level of the pauses, dBFS; Find does not look for it
	Still        []bool  // of each frame: nothing stands out of the background in it and beside it
	Length       int64   // of the sound, samples
	rate         int64
}

// Frames are hopMS apart; words closer than joinMS are one, what is shorter than leastMS is none. MarginMS on both
// sides of a word is neither word nor pause: rooms decay. What is shorter than restMS between two words is no pause in
// which a background is heard.
const (
	hopMS    = 5
	joinMS   = 60
	restMS   = 140
	leastMS  = 45
	MarginMS = 40
)

// Words are the stretches of kind Word.
func (f Heard) Words() []Part {
	return slices.DeleteFunc(slices.Clone(f.Parts), func(s Part) bool { return s.Kind != Word })
}

// WordAt gives the word that sounds at a sample.
func (f Heard) WordAt(at int64) (Part, bool) {
	for _, s := range f.Parts {
		if s.Kind == Word && s.Span.Contains(at) {
			return s, true
		}
	}
	return Part{}, false
}

// Pauses are the spans without words and breaths, with a margin.
func (f Heard) Pauses() []pcm.Span { return Pauses(f.Parts, pcm.Span{To: f.Length}, f.rate) }

// Pauses are the spans within a stretch of sound, of rate samples a second, that its words and breaths leave, with a
// margin.
func Pauses(list []Part, within pcm.Span, rate int64) (out []pcm.Span) {
	margin, rest := rate*MarginMS/1000, rate*(restMS-MarginMS)/1000
	at := within.From
	for i, s := range list {
		p := pcm.Span{From: at, To: min(within.To, s.Span.From-margin/4)}
		if !p.Empty() && (i == 0 || p.Len() >= rest-margin/4) {
			out = append(out, p)
		}
		at = max(at, s.Span.To+margin)
	}
	if at < within.To {
		out = append(out, pcm.Span{From: at, To: within.To})
	}
	return out
}

// Find looks at a mono sound of rate samples a second.
//
// Levels are taken in third-octave bands of 10 ms every 5 ms. The background of each band is its mean power over the
// quietest of what is calm, where nobody speaks (see Voice); of a sound longer than wholeS it is that of the seconds
// around each moment, for rooms change. Where nobody is ever silent, it is that of the dips between and within words. A
// frame is active where its bands stand above the background by more than they do in the background itself: five and a
// half times the spread there (activeAt), of all bands or of the five that stand highest. What is active without a
// longer break is a word where somebody speaks, and another sound elsewhere; a word begins with the first frame from
// which the level rose. The frames are given as well.
func Find(mono []float64, rate int) (Heard, *Frames) {
	return FindWith(mono, rate, VoiceOf(mono, rate))
}

// FindWith is Find where it is known how likely somebody speaks.
func FindWith(mono []float64, rate int, voice Voice) (Heard, *Frames) {
	f := Heard{Length: int64(len(mono)), rate: int64(rate), BackgroundDB: level.Silence}
	a := analyse(mono, rate)
	defer a.done()
	if a.count() < leastFrames {
		return f, &a.Frames
	}
	a.activity = a.stirring(int64(a.rate), a.calm(voice))
	f.Parts, f.Still = a.parts(voice), a.still()
	f.breaths(mono)
	return f, &a.Frames
}

// LeastLevels is how many 20 ms of pause there must be for their median to be the background.
const LeastLevels = 5

// WithoutDrift takes off what lies below 30 Hz, a sound's offset from zero among it: a one-pole high-pass, begun at the
// mean of the first 10 ms.
func WithoutDrift(v []float64, rate int64) []float64 {
	out := make([]float64, len(v))
	d := NewDrift(v, rate)
	d.TakeOff(out, v)
	return out
}

// A Drift follows what lies below 30 Hz of a sound; see WithoutDrift.
type Drift struct{ share, low float64 }

// NewDrift is for a sound that begins with v.
func NewDrift(v []float64, rate int64) *Drift {
	d := &Drift{share: 1 - math.Exp(-2*math.Pi*30/float64(rate))}
	first := v[:min(len(v), int(rate/100))]
	for _, x := range first {
		d.low += x / float64(len(first))
	}
	return d
}

// TakeOff fills out, which may be v, with the next samples v without their drift.
func (d *Drift) TakeOff(out, v []float64) {
	low := d.low
	for i, x := range v {
		low += d.share * (x - low)
		out[i] = x - low
	}
	d.low = low
}

// Energy is the sum of squares of the next samples without their drift.
func (d *Drift) Energy(v []float64) (sum float64) {
	low := d.low
	for _, x := range v {
		low += d.share * (x - low)
		sum += (x - low) * (x - low)
	}
	d.low = low
	return sum
}

// A breath has no pitch, lasts at least 80 ms, and stays this far below the loudest word around it, in dB. What is
// surer to be no voice than sureOther is none of a person's sounds.
const (
	breathBelow = 12
	sureOther   = 0.98
)

func (f *Heard) breaths(mono []float64) {
	far := f.Length
	if f.Length > wholeS*f.rate {
		far = aroundMS * f.rate / 1000
	}
	near := 0 // the first stretch within reach
	for i := range f.Parts {
		s := &f.Parts[i]
		if s.Kind == Other && s.Sure > sureOther || s.Span.Len() < f.rate*80/1000 {
			continue
		}
		for f.Parts[near].Span.To < s.Span.From-far {
			near++
		}
		loudest := level.Silence
		for k := near; k < len(f.Parts) && f.Parts[k].Span.From < s.Span.To+far; k++ {
			if f.Parts[k].Kind == Word {
				loudest = max(loudest, f.Parts[k].PeakDB)
			}
		}
		if s.PeakDB < loudest-breathBelow && voiced(mono, s.Span, f.rate).Empty() {
			s.Kind = Breath
		}
	}
}

// Voice looks for the pitched part of each word of the sound that was looked at.
func (f *Heard) Voice(mono []float64) { f.VoiceAt(mono, f.rate) }

// VoiceAt is Voice for sound of rate samples a second.
func (f *Heard) VoiceAt(mono []float64, rate int64) {
	for i := range f.Parts {
		if s := &f.Parts[i]; s.Kind == Word {
			s.Voiced = voiced(mono, s.Span, rate)
		}
	}
}
