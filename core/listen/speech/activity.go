package speech

import (
	"math"
	"slices"

	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
)

// Frames are the powers of a sound in bands, in frames at even steps. The window of a frame begins where its step does.
type Frames struct {
	Hop, Window int64     // samples
	Every       int64     // of the sound's samples that make one of these, whose bands were looked at
	Bands       int       // of each frame, third-octaves from LowestHz on; those from 200 Hz on are speech
	Power       []float64 // mean squares, frame after frame
	LevelDB     []float64 // of each frame, all bands and what lies beside them
}

// LowestHz is the middle of the lowest band of Frames, HighestHz that of the highest, if the rate allows it. speechBand
// is the number of the first one that words are told by.
const (
	LowestHz   = 125
	HighestHz  = 8000
	speechBand = 2
)

// leastFrames is how many frames there must be for a background to be known.
const leastFrames = 8

// A sound longer than wholeS seconds has a background around each of its seconds: that of what lies within aroundMS to
// both sides.
const (
	wholeS   = 8
	aroundMS = 2500
)

func (f *Frames) count() int { return len(f.LevelDB) }

// Of are the band powers of a frame.
func (f *Frames) Of(i int) []float64 { return f.Power[i*f.Bands : (i+1)*f.Bands] }

// of are those of its bands that words are told by.
func (f *Frames) of(i int) []float64 { return f.Power[i*f.Bands+speechBand : (i+1)*f.Bands] }

// At is the number of the frame that begins nearest to a sample of the sound, where there are frames without end.
func (f *Frames) At(sample int64) int {
	step := f.Hop * f.Every
	return int((sample + step/2) / step)
}

// middle is the sample in the middle of a frame.
func (f *Frames) middle(i int) int64 { return int64(i)*f.Hop + f.Window/2 }

// A quiet part is what the background of some frames is taken from.
type quiet struct {
	to         int   // the frames from that of the quiet part before on up to this one
	frames     []int // of the background
	background []float64
	silence    []float64 // power of the background in finer windows, once it was needed
}

// An activity says how far each frame stands above its background, in spreads of the background there: of all bands or
// of the five highest, whichever is more.
type activity struct {
	of     []float64
	quiets []quiet // in order of time
}

// quietAt is the quiet part that a frame is compared with.
func (a *activity) quietAt(frame int) *quiet {
	for i := range a.quiets {
		if frame < a.quiets[i].to {
			return &a.quiets[i]
		}
	}
	return &a.quiets[len(a.quiets)-1]
}

// stirring finds the activity of frames of sound of rate samples a second. A background is taken from frames that are
// calm, where it is known which are.
func (f *Frames) stirring(rate int64, calm []bool) activity {
	n := f.count()
	each := func(ms int64) int { return int(max(1, ms*rate/1000/f.Hop)) } // frames
	loud := make([]float64, n)                                            // mean of the bands' levels
	for i := range loud {
		for _, p := range f.of(i) {
			loud[i] += level.OfPower(p) / float64(f.Bands-speechBand)
		}
	}
	loud = smooth(loud, each(50))
	a := activity{of: make([]float64, n)}
	step, reach := n, n
	if n > each(wholeS*1000) {
		step, reach = each(1000), each(aroundMS)
	}
	s := standing{frames: f, stand: make([]float64, f.Bands-speechBand)}
	for from := 0; from < n; from += step {
		q := quiet{to: min(n, from+step)}
		if calm == nil {
			first, last := max(0, from-reach), min(n, from+step+reach)
			q.frames = quietest(loud, first, last, (last-first)/5+1)
		}
		for wide := reach; calm != nil && q.frames == nil; wide *= 2 {
			first, last := max(0, from-wide), min(n, q.to+wide)
			there := 0
			for _, is := range calm[first:last] {
				if is {
					there++
				}
			}
			if there >= each(leastCalmMS) {
				order := quietest(loud, first, last, last-first)
				q.frames = those(order, calm, min((last-first)/5+1, there*calmShare/100))
				// Words that nobody heard are no background.
				if meanOf(loud, q.frames) > meanOf(loud, order[:(last-first)/20+1])+mostCalmDB {
					q.frames = nil
					break
				}
			} else if first == 0 && last == n {
				break
			}
		}
		if q.frames != nil {
			s.measure(&q)
		} else { // nobody is ever silent: what is heard in the dips between and within words
			first, last := max(0, from-each(dipsMS)), min(n, q.to+each(dipsMS))
			q.background = f.dips(first, last, each(dipMS))
			q.frames = quietest(loud, first, last, (last-first)/20+1)
			s.background, s.mean, s.spread = q.background, ofDips.mean, ofDips.spread
		}
		for i := from; i < q.to; i++ {
			a.of[i] = s.over(i)
		}
		a.quiets = append(a.quiets, q)
	}
	return a
}

// There must be so much calm for a background to be taken from it, of which the quietest share, in percent, is, and it
// must lie no more than mostCalmDB over the softest of all. Else dips of dipMS within dipsMS to both sides have to do.
const (
	leastCalmMS = 300
	calmShare   = 60
	mostCalmDB  = 6.0
	dipMS       = 50
	dipsMS      = 5000
)

// meanOf is the mean of the values at some places.
func meanOf(v []float64, at []int) (mean float64) {
	for _, i := range at {
		mean += v[i] / float64(len(at))
	}
	return mean
}

// ofDips is what stands over a background that was found in dips where nothing but it is heard: measured on noise.
var ofDips = struct{ mean, spread [2]float64 }{[2]float64{-0.3, 2}, [2]float64{0.6, 0.9}}

// dips are the powers of the bands of speech in what is heard between and within words, from frames first up to last:
// what the smallest dipShare of means over so many frames do not pass, with the bias of such a minimum put right: R.
// Martin, "Noise power spectral density estimation based on optimal smoothing and minimum statistics", IEEE Trans.
// Speech and Audio Processing 9, 2001. Here the bias is that of a chi-square variable (E. B. Wilson, M. M. Hilferty,
// "The Distribution of Chi-Square", Proc. Natl. Acad. Sci. 17, 1931) of which so much lies below.
func (f *Frames) dips(first, last, each int) []float64 {
	out := make([]float64, f.Bands-speechBand)
	v := make([]float64, last-first)
	for b := range out {
		for i := range v {
			v[i] = f.of(first + i)[b]
		}
		means := smooth(v, each/2)
		slices.Sort(means)
		hz := LowestHz * math.Pow(2, float64(b+speechBand)/3)
		freedom := 2 * 0.2316 * hz * dipMS / 1000
		spread := 2 / (9 * max(2, freedom))
		bias := math.Pow(max(0.1, 1-spread+dipQuantile*math.Sqrt(spread)), 3)
		out[b] = means[len(means)*dipShare/100]/bias + 1e-16
	}
	return out
}

// Where nobody is ever silent, about a tenth of the time is background; so the dipShare-th hundredth of all is its
// third tenth: dipQuantile standard deviations under the mean.
const (
	dipShare    = 3
	dipQuantile = -0.52
)

// standing is how far frames stand above one background, against how far frames of that background do.
type standing struct {
	frames       *Frames
	background   []float64
	mean, spread [2]float64 // of all bands, and of the five highest
	stand        []float64
}

func (s *standing) measure(q *quiet) {
	q.background = make([]float64, len(s.stand))
	for _, i := range q.frames {
		for b, p := range s.frames.of(i) {
			q.background[b] += p / float64(len(q.frames))
		}
	}
	s.background = q.background
	s.mean, s.spread = [2]float64{}, [2]float64{}
	both := make([][2]float64, len(q.frames))
	for k, i := range q.frames {
		both[k] = s.of(i)
		for m, v := range both[k] {
			s.mean[m] += v / float64(len(q.frames))
		}
	}
	for _, v := range both {
		for m := range v {
			s.spread[m] += (v[m] - s.mean[m]) * (v[m] - s.mean[m]) / float64(len(both))
		}
	}
	for m := range s.spread {
		s.spread[m] = max(math.Sqrt(s.spread[m]), 0.35)
	}
}

// of is how far a frame stands above the background, in dB: in all bands, and in the five where it stands highest. It
// is looked at together with the frames beside it.
func (s *standing) of(i int) (v [2]float64) {
	now := s.frames.of(i)
	var before, after []float64
	if i > 0 {
		before = s.frames.of(i - 1)
	}
	if i+1 < s.frames.count() {
		after = s.frames.of(i + 1)
	}
	for b, p := range now {
		if before != nil {
			p += before[b]
		}
		if after != nil {
			p += after[b]
		}
		s.stand[b] = min(30, level.OfPower((p/3+1e-13)/(s.background[b]+1e-13)))
		v[0] += s.stand[b] / float64(len(now))
	}
	const top = 5
	slices.Sort(s.stand)
	for _, x := range s.stand[len(s.stand)-top:] {
		v[1] += x / top
	}
	return v
}

func (s *standing) over(i int) float64 {
	v := s.of(i)
	return max(0, (v[0]-s.mean[0])/s.spread[0], (v[1]-s.mean[1])/s.spread[1])
}

// Frames are active from activeAt on, and belong to what is active beside them from stirsAt on.
const (
	activeAt = 5.5
	stirsAt  = 2.6
)

// runs are the stretches of frames that are active, joined over breaks shorter than join frames.
func (a *activity) runs(join int) (list [][2]int) {
	n := len(a.of)
	for i := 0; i < n; i++ {
		if a.of[i] < activeAt || i+1 < n && a.of[i+1] < activeAt {
			continue
		}
		from, to := i, i
		for from > 0 && a.of[from-1] >= stirsAt {
			from--
		}
		for to+1 < n && a.of[to+1] >= stirsAt {
			to++
		}
		if n := len(list); n > 0 && from-list[n-1][1] < join {
			list[n-1][1] = to
		} else {
			list = append(list, [2]int{from, to})
		}
		i = to
	}
	return list
}

// Still is what is heard in frames of sound of rate samples a second that are background alone. Every must be 1.
func (f *Frames) Still(rate int64) Heard {
	out := Heard{Length: int64(f.count()) * f.Hop, rate: rate}
	power := 0.0
	for _, db := range f.LevelDB {
		power += level.Power(db) / float64(f.count())
	}
	out.BackgroundDB = level.OfPower(power)
	return out
}

// Sketch finds what stands above the background in frames of sound of rate samples a second, without a closer look at
// where it begins: enough to know the pauses, and their level. Every must be 1.
func (f *Frames) Sketch(rate int64) Heard {
	out := f.Still(rate)
	if f.count() < leastFrames {
		return out
	}
	a := f.stirring(rate, nil)
	last := f.count() - 1
	for _, run := range a.runs(int(max(1, restMS*rate/1000/f.Hop))) {
		s := Part{Kind: Word, PeakDB: level.Silence}
		s.Span.From, s.Span.To = f.middle(run[0])+f.Hop/2, f.middle(run[1])
		if run[0] == 0 {
			s.Span.From = 0
		}
		if run[1] == last {
			s.Span.To = out.Length
		}
		if s.Span.Empty() || run[0] > 0 && run[1] < last && s.Span.Len() < leastMS*rate/1000 {
			continue
		}
		for i := run[0]; i <= run[1]; i++ {
			s.PeakDB = max(s.PeakDB, f.LevelDB[i])
		}
		out.Parts = append(out.Parts, s)
	}
	var levels []float64
	for _, p := range out.Pauses() {
		for i := (p.From + f.Hop - 1) / f.Hop; i*f.Hop+f.Window <= p.To && i < int64(f.count()); i++ {
			levels = append(levels, f.LevelDB[i])
		}
	}
	if len(levels) < LeastLevels {
		out.BackgroundDB = measure.Percentile(f.LevelDB, 0.1)
	} else {
		out.BackgroundDB = measure.Percentile(levels, 0.5)
	}
	return out
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

// quietest gives the numbers of the n smallest values from first up to last, the smallest first.
func quietest(v []float64, first, last, n int) []int {
	order := make([]int, last-first)
	for i := range order {
		order[i] = first + i
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

// those are the first n of some frames that are calm.
func those(order []int, calm []bool, n int) (list []int) {
	for _, i := range order {
		if calm[i] && len(list) < n {
			list = append(list, i)
		}
	}
	return list
}
