package speech

import (
	"math"

	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// An analysis has the frames of a sound and their activity. Rates above 32 kHz are halved first: speech lies below 8
// kHz.
type analysis struct {
	Frames
	activity
	mono   []float64
	length int64 // of what was given
	rate   int
	bands  *measure.Bands
	fine   *measure.Bands
}

func (a *analysis) done() {
	a.bands.Done()
	a.fine.Done()
}

// analyse gives the frames of a sound, without their activity where they are too few for that.
func analyse(mono []float64, rate int) *analysis {
	a := &analysis{mono: mono, length: int64(len(mono))}
	a.Every = 1
	for rate > 32000 {
		rate /= 2
		a.Every *= 2
		a.mono = measure.Decimate(make([]float64, len(a.mono)/2), a.mono, 2)
	}
	own := a.mono
	if a.Every == 1 {
		own = make([]float64, len(mono))
	}
	NewDrift(a.mono, int64(rate)).TakeOff(own, a.mono) // an offset from zero would leak into the lowest bands
	a.mono = own
	a.rate, a.Hop = rate, int64(max(1, rate*hopMS/1000))
	a.bands = measure.GetBands(rate, rate/100, LowestHz, HighestHz)
	a.fine = measure.GetBands(rate, rate/200, 200, HighestHz)
	a.Window, a.Bands = int64(a.bands.Window()), len(a.bands.Centres)
	if int64(len(a.mono)) < a.Window {
		return a
	}
	n := (int64(len(a.mono))-a.Window)/a.Hop + 1
	a.Power, a.LevelDB = make([]float64, 0, n*int64(a.Bands)), make([]float64, n)
	for i := range a.LevelDB {
		frame := a.mono[int64(i)*a.Hop : int64(i)*a.Hop+a.Window]
		a.Power = a.bands.Powers(a.Power, frame)
		a.LevelDB[i] = measure.RMSDB(pcm.Block{frame})
	}
	return a
}

// FramesOf measures the frames of a mono sound.
func FramesOf(mono []float64, rate int) *Frames {
	a := analyse(mono, rate)
	a.done()
	return &a.Frames
}

func (a *analysis) runs() [][2]int { return a.activity.runs(joinMS / hopMS) }

// stretch makes a word of a run of frames. Its edges are those of the frames in which the activity passes what stirs: a
// frame hears what begins in its second half. rested says whether enough lies between it and what stands out before for
// its first sound to be looked for.
func (a *analysis) stretch(run [2]int, rested bool) (s Part, ok bool) {
	late := a.Hop / 2 // frames overlap: what is heard first lies behind the middle
	s = Part{Kind: Word, Span: pcm.Span{From: a.middle(run[0]) + late, To: a.middle(run[1])}, PeakDB: a.LevelDB[run[0]]}
	first, last := run[0] == 0, run[1] == a.count()-1
	switch {
	case first:
		s.Span.From = 0
	case rested:
		s.Span.From = min(a.onset(s.Span.From), s.Span.To)
	}
	if last {
		s.Span.To = int64(len(a.mono))
	}
	for i := run[0]; i <= run[1]; i++ {
		s.PeakDB = max(s.PeakDB, a.LevelDB[i])
	}
	s.Span = a.given(s.Span)
	return s, !s.Span.Empty()
}

// given is a span in samples of what was given.
func (a *analysis) given(s pcm.Span) pcm.Span {
	if s.To == int64(len(a.mono)) {
		return pcm.Span{From: s.From * a.Every, To: a.length}
	}
	return pcm.Span{From: s.From * a.Every, To: s.To * a.Every}
}

// mostSilent is about how many frames of a background are looked at for it.
const mostSilent = 100

// silenceAt is the power of the background around a sample, in the bands of fine.
func (a *analysis) silenceAt(sample int64) []float64 {
	q := a.quietAt(int(sample / a.Hop))
	if q.silence != nil {
		return q.silence
	}
	n := int64(a.fine.Window())
	q.silence = make([]float64, len(a.fine.Centres))
	var powers []float64
	step := max(1, len(q.frames)/mostSilent)
	looked := (len(q.frames) + step - 1) / step
	for k := 0; k < len(q.frames); k += step {
		at := min(int64(q.frames[k])*a.Hop, int64(len(a.mono))-n)
		powers = a.fine.Powers(powers[:0], a.mono[at:at+n])
		for b, p := range powers {
			q.silence[b] += p/float64(looked) + 1e-16
		}
	}
	return q.silence
}

// onset looks closer at where a word begins: at 5 ms of sound every millisecond, from 80 ms before to 30 ms after a
// first guess. It gives the moment from which on the bands' powers are likelier to be rho times the background's than
// the background's: the largest sum of w (g (1 - 1/rho) - ln rho) over bands and time, g being the power over the
// background's, w the number of independent values in it, and rho, for each band, what follows the guess, 4 at most.
func (a *analysis) onset(guess int64) int64 {
	fine := a.fine
	n, step := int64(fine.Window()), int64(a.rate/1000)
	from, to := max(0, guess-80*step-n/2), min(int64(len(a.mono))-n, guess+30*step-n/2)
	if to <= from {
		return guess
	}
	background := a.silenceAt(guess)
	var frames [][]float64 // every millisecond
	rho := make([]float64, len(background))
	after := 0
	for at := from; at < to; at += step {
		frames = append(frames, fine.Powers(nil, a.mono[at:at+n]))
		if at+n/2 > guess {
			after++
			for b, p := range frames[len(frames)-1] {
				rho[b] += p / background[b]
			}
		}
	}
	// likelier is by how much a rise in band b is likelier than none, in frame i.
	likelier := func(i, b int) float64 {
		r := min(4, rho[b]/float64(max(1, after)))
		if r <= 1.5 {
			return 0
		}
		w := max(1, 0.2316*fine.Centres[b]*float64(n)/float64(a.rate))
		return w * (min(5, frames[i][b]/background[b])*(1-1/r) - math.Log(r))
	}
	first, most, sum := len(frames), 0.0, 0.0
	for i := len(frames) - 1; i >= 0; i-- {
		for b := range background {
			sum += likelier(i, b)
		}
		if sum > most {
			most, first = sum, i
		}
	}
	if first == len(frames) {
		return guess
	}
	// A voice may come up in one band up to 8 ms before all others.
	together := first
	for b := range background {
		most, sum := float64(sure), 0.0
		for i := together - 1; i >= max(0, together-8); i-- {
			if sum += likelier(i, b); sum > most {
				most, first = sum, min(first, i)
			}
		}
	}
	return from + int64(first)*step + n*3/8 // what is heard first enters a window before its middle
}

// sure is how much likelier a rise in one band alone must be, in nepers, to count.
const sure = 8
