// Package speech finds where words begin and end in a recording, its breaths and its pauses, by what stands above the
// background. It knows nothing of scenes or of cuts. Whether what it finds is a voice is told by its length and its bands
// alone: a tune is found as words too.
package speech

import (
	"math"
	"slices"

	"blendseam/core/measure"
	"blendseam/core/pcm"
)

// Kind says what a stretch of a recording holds.
type Kind string

// The kinds. What is neither is a pause.
const (
	Word   Kind = "word"   // one or more words without a pause between them
	Breath Kind = "breath" // noise of some length without any voice, well below the words
)

// A Stretch is a word or a breath, in samples of what was looked at.
type Stretch struct {
	Kind Kind     `json:"kind"`
	Span pcm.Span `json:"span"`
	// Voiced is from the first to the last sound with a pitch; what lies before and after it is the first and the last
	// consonant. Empty in a breath, and until Voice has looked for it.
	Voiced pcm.Span `json:"voiced"`
	PeakDB float64  `json:"peak_db"` // the loudest 10 ms, dBFS
	above  float64  // the loudest 10 ms over the background, dB
}

// A Finding is what a stretch of sound holds.
type Finding struct {
	Stretches    []Stretch // in order of time
	BackgroundDB float64   // the level of the pauses, dBFS
	Length       int64     // of the sound, samples
	rate         int64
}

// Frames are hopMS apart; words closer than joinMS are one, what is shorter than leastMS is none. MarginMS on both sides of
// a word is neither word nor pause: rooms decay.
const (
	hopMS    = 5
	joinMS   = 140
	leastMS  = 45
	MarginMS = 40
)

// Words are the stretches of kind Word.
func (f Finding) Words() []Stretch {
	return slices.DeleteFunc(slices.Clone(f.Stretches), func(s Stretch) bool { return s.Kind != Word })
}

// WordAt gives the word that sounds at a sample.
func (f Finding) WordAt(at int64) (Stretch, bool) {
	for _, s := range f.Stretches {
		if s.Kind == Word && s.Span.Contains(at) {
			return s, true
		}
	}
	return Stretch{}, false
}

// Pauses are the spans without words and breaths, with a margin.
func (f Finding) Pauses() []pcm.Span {
	margin := f.rate * MarginMS / 1000
	var list []pcm.Span
	at := int64(0)
	for _, s := range f.Stretches {
		if p := (pcm.Span{From: at, To: s.Span.From - margin/4}); !p.Empty() {
			list = append(list, p)
		}
		at = max(at, s.Span.To+margin)
	}
	if at < f.Length {
		list = append(list, pcm.Span{From: at, To: f.Length})
	}
	return list
}

// Find looks at sound of rate samples a second.
//
// Levels are taken in third-octave bands of 10 ms every 5 ms. The background of each band is its mean power over the fifth
// of the sound that is quietest in all bands together. A frame is active where its bands stand above the background by more
// than they do in the background itself: five times the spread there, of all bands or of the five that stand highest. A
// word is what is active without a longer break, from the first frame on from which the level rose.
func Find(mono []float64, rate int) Finding { return find(mono, rate, hopMS) }

// Sketch is Find in steps of 20 ms, without a closer look at where words begin: enough for their background.
func Sketch(mono []float64, rate int) Finding { return find(mono, rate, 4*hopMS) }

func find(mono []float64, rate, hop int) Finding {
	f := Finding{Length: int64(len(mono)), rate: int64(rate), BackgroundDB: measure.Silence}
	a := analyse(mono, rate, hop)
	defer a.done()
	if a.frames() < 8 {
		f.BackgroundDB = measure.RMSDB(pcm.Block{mono})
		return f
	}
	for _, run := range a.runs() {
		if s, ok := a.stretch(run); ok {
			f.Stretches = append(f.Stretches, s)
		}
	}
	f.breaths(mono)
	f.BackgroundDB = f.background(mono)
	return f
}

// Within is what a finding says of a part of its sound; part is that stretch of it, as it sounds.
func (f Finding) Within(span pcm.Span, part []float64) Finding {
	w := Finding{Length: span.Len(), rate: f.rate}
	for _, s := range f.Stretches {
		if s.Span = s.Span.Intersect(span); s.Span.Empty() {
			continue
		}
		s.Voiced = s.Voiced.Intersect(span)
		s.Span, s.Voiced = s.Span.Add(-span.From), s.Voiced.Add(-span.From)
		w.Stretches = append(w.Stretches, s)
	}
	w.BackgroundDB = w.background(part)
	return w
}

// background is the level of the pauses above 30 Hz: the median over 20 ms frames, the 10th percentile of all frames where
// there are hardly any pauses.
func (f Finding) background(mono []float64) float64 {
	n := int64(measure.FrameMS) * f.rate / 1000
	var levels []float64
	mono = WithoutDrift(mono, f.rate)
	for _, p := range f.Pauses() {
		for at := p.From; at+n <= p.To; at += n {
			levels = append(levels, measure.RMSDB(pcm.Block{mono[at : at+n]}))
		}
	}
	if len(levels) < 5 {
		return measure.BackgroundDB(pcm.Block{mono}, int(f.rate))
	}
	return measure.Percentile(levels, 0.5)
}

// WithoutDrift takes off what lies below 30 Hz, a sound's offset from zero among it: a one-pole high-pass, begun at the mean of
// the first 10 ms.
func WithoutDrift(v []float64, rate int64) []float64 {
	out := make([]float64, len(v))
	a, low := 1-math.Exp(-2*math.Pi*30/float64(rate)), 0.0
	first := v[:min(len(v), int(rate/100))]
	for _, x := range first {
		low += x / float64(len(first))
	}
	for i, x := range v {
		low += a * (x - low)
		out[i] = x - low
	}
	return out
}

// A breath has no pitch, lasts at least 80 ms, and stays this far below the loudest word beside it, in dB.
const breathBelow = 12

func (f *Finding) breaths(mono []float64) {
	loudest := measure.Silence
	for _, s := range f.Stretches {
		loudest = max(loudest, s.PeakDB)
	}
	for i := range f.Stretches {
		s := &f.Stretches[i]
		if s.PeakDB < loudest-breathBelow && s.Span.Len() >= f.rate*80/1000 && voiced(mono, s.Span, f.rate).Empty() {
			s.Kind = Breath
		}
	}
}

// Voice looks for the pitched part of each word of the sound that was looked at.
func (f *Finding) Voice(mono []float64) {
	for i := range f.Stretches {
		if s := &f.Stretches[i]; s.Kind == Word {
			s.Voiced = voiced(mono, s.Span, f.rate)
		}
	}
}

// An analysis has the activity of each frame. Rates above 32 kHz are halved first: speech lies below 8 kHz.
type analysis struct {
	mono     []float64
	hopMS    int
	every    int64 // samples of what was given for each of mono
	length   int64 // of what was given
	rate     int
	hop      int
	bands    *measure.Bands
	fine     *measure.Bands
	silence  []float64 // power of the background in the bands of fine
	activity []float64 // of all bands and of the five highest, in spreads of the background; the larger of both
	level    []float64 // dBFS, of each frame
	quiet    []int     // frames of the background
	floor    float64   // dBFS
}

func (a *analysis) frames() int { return len(a.activity) }

// middle is the sample in the middle of a frame.
func (a *analysis) middle(i int) int64 { return int64(i*a.hop + a.bands.Window()/2) }

func (a *analysis) done() {
	a.bands.Done()
	a.fine.Done()
}

func analyse(mono []float64, rate, hop int) *analysis {
	a := &analysis{hopMS: hop, mono: mono, every: 1, length: int64(len(mono))}
	for rate > 32000 {
		rate /= 2
		a.every *= 2
		a.mono = measure.Thinned(make([]float64, len(a.mono)/2), a.mono, 2)
	}
	mono = a.mono
	a.rate, a.hop = rate, max(1, rate*hop/1000)
	a.bands, a.fine = measure.GetBands(rate, rate/100, 200, 8000), measure.GetBands(rate, rate/200, 200, 8000)
	n := (len(mono)-a.bands.Window())/a.hop + 1
	if n < 8 {
		return a
	}
	power := make([][]float64, n) // of each frame by band
	loud := make([]float64, n)    // mean of the bands' levels
	for i := range power {
		frame := mono[i*a.hop : i*a.hop+a.bands.Window()]
		power[i] = a.bands.Powers(nil, frame)
		for _, p := range power[i] {
			loud[i] += 10 * math.Log10(p+1e-15) / float64(len(power[i]))
		}
		a.level = append(a.level, measure.RMSDB(pcm.Block{frame}))
	}
	quiet := quietest(smooth(loud, 50/hop), n/5+1)
	a.quiet = quiet
	background := make([]float64, len(power[0]))
	for _, i := range quiet {
		for b, p := range power[i] {
			background[b] += p / float64(len(quiet))
		}
	}
	all, top := make([]float64, n), make([]float64, n)
	stand := make([]float64, len(background))
	for i := range power {
		for b := range stand {
			p := power[i][b]
			if i > 0 {
				p += power[i-1][b]
			}
			if i+1 < n {
				p += power[i+1][b]
			}
			stand[b] = min(30, 10*math.Log10((p/3+1e-13)/(background[b]+1e-13)))
			all[i] += stand[b] / float64(len(stand))
		}
		slices.Sort(stand)
		for _, v := range stand[len(stand)-5:] {
			top[i] += v / 5
		}
	}
	a.activity = make([]float64, n)
	for _, v := range [][]float64{all, top} {
		mean, spread := spreadOf(v, quiet)
		for i := range v {
			a.activity[i] = max(a.activity[i], (v[i]-mean)/max(spread, 0.35))
		}
	}
	var floor []float64
	for _, i := range quiet {
		floor = append(floor, a.level[i])
	}
	a.floor = measure.Percentile(floor, 0.5)
	return a
}

// Frames are active from activeAt on, and belong to what is active beside them from stirsAt on.
const (
	activeAt = 5.5
	stirsAt  = 2.6
)

// runs are the stretches of frames that are active, joined over short breaks.
func (a *analysis) runs() (list [][2]int) {
	for i := 0; i < a.frames(); i++ {
		if a.activity[i] < activeAt || i+1 < a.frames() && a.activity[i+1] < activeAt {
			continue
		}
		from, to := i, i
		for from > 0 && a.activity[from-1] >= stirsAt {
			from--
		}
		for to+1 < a.frames() && a.activity[to+1] >= stirsAt {
			to++
		}
		if n := len(list); n > 0 && (from-list[n-1][1])*a.hopMS < joinMS {
			list[n-1][1] = to
		} else {
			list = append(list, [2]int{from, to})
		}
		i = to
	}
	return list
}

// stretch makes a word of a run of frames. Its edges are those of the frames in which the activity passes what stirs: a
// frame hears what begins in its second half.
func (a *analysis) stretch(run [2]int) (s Stretch, ok bool) {
	late := int64(a.hop / 2) // frames overlap: what is heard first lies behind the middle
	s = Stretch{Kind: Word, Span: pcm.Span{From: a.middle(run[0]) + late, To: a.middle(run[1])}, PeakDB: measure.Silence}
	if run[0] == 0 {
		s.Span.From = 0
	}
	if run[1] == a.frames()-1 {
		s.Span.To = int64(len(a.mono))
	}
	if run[0] > 0 && a.hopMS == hopMS {
		s.Span.From = min(a.onset(s.Span.From), s.Span.To)
	}
	for i := run[0]; i <= run[1]; i++ {
		s.PeakDB = max(s.PeakDB, a.level[i])
	}
	s.above = s.PeakDB - a.floor
	edge := run[0] == 0 || run[1] == a.frames()-1
	if !edge && s.Span.Len() < int64(a.rate)*leastMS/1000 || s.Span.Empty() {
		return s, false
	}
	s.Span = a.given(s.Span)
	return s, true
}

// given is a span in samples of what was given.
func (a *analysis) given(s pcm.Span) pcm.Span {
	if s.To == int64(len(a.mono)) {
		return pcm.Span{From: s.From * a.every, To: a.length}
	}
	return pcm.Span{From: s.From * a.every, To: s.To * a.every}
}

// onset looks closer at where a word begins: at 5 ms of sound every millisecond, from 80 ms before to 30 ms after a first
// guess. It gives the moment from which on the bands' powers are likelier to be rho times the background's than the
// background's: the largest sum of w (g (1 - 1/rho) - ln rho) over bands and time, g being the power over the background's,
// w the number of independent values in it, and rho, for each band, what follows the guess, 4 at most.
func (a *analysis) onset(guess int64) int64 {
	fine := a.fine
	n, step := int64(fine.Window()), int64(a.rate/1000)
	from, to := max(0, guess-80*step-n/2), min(int64(len(a.mono))-n, guess+30*step-n/2)
	if to <= from {
		return guess
	}
	if a.silence == nil {
		a.silence = make([]float64, len(fine.Centres))
		var powers []float64
		for _, i := range a.quiet {
			at := min(int64(i*a.hop), int64(len(a.mono))-n)
			powers = fine.Powers(powers[:0], a.mono[at:at+n])
			for b, p := range powers {
				a.silence[b] += p/float64(len(a.quiet)) + 1e-16
			}
		}
	}
	background := a.silence
	var frames [][]float64
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

// voiced is from the first to the last 30 ms of a span in which the sound repeats itself 70 to 400 times a second.
func voiced(mono []float64, span pcm.Span, rate int64) (v pcm.Span) {
	window, step := rate*30/1000, rate/100
	for at := span.From; at+window <= span.To; at += step {
		if pitched(mono[at:at+window], int(rate)) {
			if v.Empty() {
				v.From = at
			}
			v.To = at + window
		}
	}
	return v
}

// pitched tells whether a sound repeats itself within 70 to 400 Hz: its autocorrelation there reaches half of its power.
func pitched(x []float64, rate int) bool {
	step := max(1, rate/12000) // 12 kHz are enough for a pitch
	y := make([]float64, len(x)/step)
	for i := range y {
		for k := range step {
			y[i] += x[i*step+k]
		}
	}
	energy := make([]float64, len(y)+1) // up to each sample
	for i, v := range y {
		energy[i+1] = energy[i] + v*v
	}
	n := len(y)
	for lag := rate / step / 400; lag <= rate/step/70 && lag < n*2/3; lag++ {
		sum := 0.0
		for i, v := range y[lag:] {
			sum += v * y[i]
		}
		if sum > 0 && sum > 0.55*math.Sqrt((energy[n]-energy[lag])*energy[n-lag]) {
			return true
		}
	}
	return false
}

// smooth is the running mean over n frames to each side.
func smooth(v []float64, n int) []float64 {
	sums := make([]float64, len(v)+1)
	for i, x := range v {
		sums[i+1] = sums[i] + x
	}
	out := make([]float64, len(v))
	for i := range v {
		a, z := max(0, i-n), min(len(v), i+n+1)
		out[i] = (sums[z] - sums[a]) / float64(z-a)
	}
	return out
}

// quietest gives the indices of the n smallest values.
func quietest(v []float64, n int) []int {
	order := make([]int, len(v))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int {
		switch {
		case v[a] < v[b]:
			return -1
		case v[a] > v[b]:
			return 1
		}
		return a - b
	})
	return order[:min(n, len(order))]
}

// spreadOf gives the mean and the standard deviation of v at some indices.
func spreadOf(v []float64, at []int) (mean, spread float64) {
	for _, i := range at {
		mean += v[i] / float64(len(at))
	}
	for _, i := range at {
		spread += (v[i] - mean) * (v[i] - mean) / float64(len(at))
	}
	return mean, math.Sqrt(spread)
}
