// Package noiseevent finds what should not be in the pauses of a recording: bumps, clicks, coughs. What sounds like a
// voice or a breath is left alone, and so is a steady hum, which a lull would not take away. It knows nothing of
// scenes.
package noiseevent

import (
	"math"
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Kind says what a stray sound is like.
type Kind string

// The kinds.
const (
	Bump  Kind = "bump"  // sets in at once and dies away
	Click Kind = "click" // over within 15 ms
	Cough Kind = "cough" // noise that sets in at once and stays for a while
)

// A Stray is a sound that should not be there, and the lull that would take it out. Times are samples of what was
// looked at.
type Event struct {
	Kind    Kind     `json:"kind"`
	Span    pcm.Span `json:"span"`     // from its first sound until nothing of it is left over the background
	AboveDB float64  `json:"above_db"` // its loudest 10 ms over the background, in the band where it stands highest
	PeakDB  float64  `json:"peak_db"`  // its loudest 10 ms, dBFS
	Lull    pcm.Span `json:"lull"`     // fades among it; it leaves words whole
	FadeIn  int64    `json:"fade_in"`
	FadeOut int64    `json:"fade_out"`
}

// Find gives the stray sounds in the pauses of a mono sound, in order of time. A sound of more than a minute is better
// looked at in pieces: rooms change.
func Find(mono []float64, rate int) []Event {
	words, _ := speech.Find(mono, rate)
	return FindOutside(mono, rate, words)
}

// A sound is looked at above each of these frequencies, in Hz: a room's rumble hides what is bright, its hiss hides
// nothing.
var above = [...]float64{30, 300, 2000}

// hopMS is the step of the envelopes.
const hopMS = 5

// An ear has the envelopes of one piece.
type ear struct {
	rate  int64
	mono  []float64
	f     speech.Heard
	hop   int64
	level [len(above)][]float64 // dB of every hop, above each frequency
	usual [len(above)]float64   // median in the pauses
	wild  [len(above)]float64   // how far above it the loudest hundredth of a quiet pause lies
}

// FindOutside is Find where the words of the sound are known.
func FindOutside(mono []float64, rate int, words speech.Heard) []Event {
	e := &ear{rate: int64(rate), mono: mono, hop: int64(rate) * hopMS / 1000, f: words}
	if len(mono) < rate/2 {
		return nil
	}
	e.envelopes()
	e.learn()
	var list []Event
	for _, s := range e.f.Parts {
		if !e.noVoice(s) {
			continue
		}
		kind, ok := e.stray(s.Span)
		if ok && (kind == Bump || s.Span.Len() <= e.rate*mostMS/1000 || s.Sure >= plainly) {
			list = append(list, e.measured(kind, s.Span))
		}
	}
	for _, p := range e.f.Pauses() {
		for _, at := range e.peaks(p) {
			inside := slices.ContainsFunc(list, func(s Event) bool { return s.Span.Overlaps(at) })
			if !inside && e.apart(at) {
				list = append(list, e.measured("", at))
			}
		}
	}
	list = slices.DeleteFunc(list, e.release)
	slices.SortFunc(list, func(a, b Event) int { return int(a.Span.From - b.Span.From) })
	for i := range list {
		e.lull(list, i)
	}
	return slices.DeleteFunc(list, func(s Event) bool { return s.Lull.Empty() })
}

// A stray sound lies at least marginMS from all words, is surely no voice (sureNoVoice), and lasts no longer than
// mostMS unless it plainly is none: by the network (plainly), or as it is struck at once and dies away.
const (
	marginMS    = 100
	mostMS      = 400
	sureNoVoice = 0.85
	plainly     = 0.95
)

// noVoice tells whether a part is surely another sound than a person's.
func (e *ear) noVoice(p speech.Part) bool {
	return p.Kind == speech.Other && p.Sure >= sureNoVoice && e.apart(p.Span)
}

// apart tells whether a span lies far enough from all words, and in no breath.
func (e *ear) apart(s pcm.Span) bool {
	margin := e.rate * marginMS / 1000
	return !slices.ContainsFunc(e.f.Parts, func(p speech.Part) bool {
		switch p.Kind {
		case speech.Word:
			return p.Span.Overlaps(pcm.Span{From: s.From - margin, To: s.To + margin})
		case speech.Breath:
			return p.Span.Overlaps(s)
		}
		return false
	})
}

// envelopes measures the level of each hop above each frequency: without what lies below 30 Hz, and of that what two
// one-pole high-passes let through.
func (e *ear) envelopes() {
	hops := int64(len(e.mono)) / e.hop
	for i := range e.level {
		e.level[i] = make([]float64, hops)
	}
	drift := speech.NewDrift(e.mono, e.rate)
	v := make([]float64, e.hop)
	a1, a2 := onePole(above[1], e.rate), onePole(above[2], e.rate)
	var l1, l2, m1, m2 float64 // what the low-passes hold
	for k := range hops {
		drift.TakeOff(v, e.mono[k*e.hop:(k+1)*e.hop])
		var p0, p1, p2 float64
		for _, x := range v {
			l1 += a1 * (x - l1)
			m1 += a2 * (x - m1)
			y, z := x-l1, x-m1
			l2 += a1 * (y - l2)
			m2 += a2 * (z - m2)
			y, z = y-l2, z-m2
			p0, p1, p2 = p0+x*x, p1+y*y, p2+z*z
		}
		for i, p := range [...]float64{p0, p1, p2} {
			e.level[i][k] = level.OfPower(p / float64(e.hop))
		}
	}
}

// highOf is a stretch of the sound without what lies below above[1], 12 dB an octave. The filter begins settleMS
// before.
func (e *ear) highOf(s pcm.Span) []float64 {
	const settleMS = 50
	from := max(0, s.From-e.rate*settleMS/1000)
	part := e.mono[from:s.To]
	v := make([]float64, len(part))
	speech.NewDrift(part, e.rate).TakeOff(v, part)
	a, l1, l2 := onePole(above[1], e.rate), 0.0, 0.0
	for i, x := range v {
		l1 += a * (x - l1)
		l2 += a * (x - l1 - l2)
		v[i] = x - l1 - l2
	}
	return v[s.From-from:]
}

// onePole is the share of a one-pole low-pass's way that it goes in one sample.
func onePole(hz float64, rate int64) float64 { return 1 - math.Exp(-2*math.Pi*hz/float64(rate)) }

// learn takes the usual levels from the pauses.
func (e *ear) learn() {
	for i, level := range e.level {
		var quiet []float64
		for _, p := range e.f.Pauses() {
			for k := p.From / e.hop; k < p.To/e.hop && k < int64(len(level)); k++ {
				quiet = append(quiet, level[k])
			}
		}
		if len(quiet) < 20 {
			quiet = level
		}
		e.usual[i] = measure.Percentile(quiet, 0.5)
		// Twice the way from the median to the ninth tenth: a bump has less than a tenth of the pauses.
		e.wild[i] = max(6, 2*(measure.Percentile(quiet, 0.9)-e.usual[i]))
	}
}

// over is how far a hop lies over the usual, in the band where that is most, as a multiple of what is wild there, and
// in dB.
func (e *ear) over(k int64) (times, db float64) {
	for i, level := range e.level {
		if k >= 0 && k < int64(len(level)) {
			d := level[k] - e.usual[i]
			times, db = max(times, d/e.wild[i]), max(db, d)
		}
	}
	return times, db
}

// topOf is the loudest hop of a span in a band, and how far it lies over the usual.
func (e *ear) topOf(band int, s pcm.Span) (at int64, db float64) {
	db = math.Inf(-1)
	level := e.level[band]
	for k := s.From / e.hop; k <= s.To/e.hop && k < int64(len(level)); k++ {
		if d := level[k] - e.usual[band]; d > db {
			at, db = k, d
		}
	}
	return at, db
}

// top is the loudest hop of a span in the band where that stands highest.
func (e *ear) top(s pcm.Span) (at int64, band int, db float64) {
	db = math.Inf(-1)
	for i := range e.level {
		if k, d := e.topOf(i, s); d > db {
			at, band, db = k, i, d
		}
	}
	return at, band, db
}

// A blow is loudest within suddenMS of its start, in every band in which it stands out; a voice takes its time.
const suddenMS = 30

// stray tells whether what was found to stand out is no voice: it is loudest at once and dies away, or comes fast and
// has no pitch. A breath comes slowly.
func (e *ear) stray(s pcm.Span) (Kind, bool) {
	at, band, db := e.top(s)
	length := s.Len() * 1000 / e.rate
	if db < 9 || length > 900 {
		return "", false
	}
	last, dies, struck := int64(0), true, true // the latest of the bands' loudest moments
	for i := range e.level {
		k, over := e.topOf(i, s)
		if over < max(9, db/3) {
			continue
		}
		last = max(last, k)
		dies = dies && e.diesAway(k, i, s)
		struck = struck && e.down(k, i, -1, min(12, over-3)) <= 10
	}
	rise := e.down(at, band, -1, min(15, db-3))
	switch late := last*hopMS - s.From*1000/e.rate; {
	case dies && late <= suddenMS && rise <= 20:
		return Bump, true
	case dies && struck && e.down(at, band, 1, 6) <= 25: // more than once, not the hardest at first
		return Bump, true
	case length <= 500 && rise <= 100 && db >= 12 && e.low(s): // a soft thump
		return Bump, true
	case rise <= 40 && length >= 40 && length <= 700 && db >= 12 && e.pitched(s) < 40:
		if length < 150 {
			return Bump, true
		}
		return Cough, true
	}
	return "", false
}

// A stop at the end of a word may be let go so long after it, in ms, for so long, and not as loud as the word.
const (
	releaseAfterMS = 240
	releaseMS      = 90
)

// release tells whether a short sound is the end of the word ahead of it.
func (e *ear) release(s Event) bool {
	if s.Kind == Cough || s.Span.Len() > e.rate*releaseMS/1000 && !e.low(s.Span) {
		return false
	}
	return slices.ContainsFunc(e.f.Parts, func(w speech.Part) bool {
		if w.Kind != speech.Word || w.Span.Overlaps(s.Span) {
			return false
		}
		after, before := s.Span.From-w.Span.To, w.Span.From-s.Span.To
		soon := after > -e.rate/50 && after < e.rate*releaseAfterMS/1000
		near := after > -e.rate/50 && after < e.rate*2/5 || before > -e.rate/50 && before < e.rate/10
		return soon && s.PeakDB < w.PeakDB-3 || near && s.PeakDB < w.PeakDB-10 && (s.AboveDB < 20 || e.low(s.Span))
	})
}

// down is how many ms a band needs from a moment on, or back from there for a step of -1, until it is down by so many
// dB.
func (e *ear) down(at int64, band int, step int64, by float64) (ms int64) {
	level := e.level[band]
	for k := at; k >= 0 && k < int64(len(level)) && level[k] > level[at]-by; k += step {
		ms += hopMS
	}
	return ms - hopMS
}

// low tells whether a sound has next to nothing above 300 Hz, where every voice has something: what the filter lets
// through of it there is 15 dB down.
func (e *ear) low(s pcm.Span) bool {
	_, all := e.topOf(0, s)
	_, high := e.topOf(1, s)
	return high+e.usual[1] < all+e.usual[0]-15
}

// pitched is how long a sound has a pitch above 300 Hz, where a blow's deep note is gone, in ms.
func (e *ear) pitched(s pcm.Span) int64 {
	var voice speech.Heard
	voice.Parts = []speech.Part{{Kind: speech.Word, Span: pcm.Span{To: s.Len()}}}
	voice.VoiceAt(e.highOf(s), e.rate)
	return voice.Parts[0].Voiced.Len() * 1000 / e.rate
}

// diesAway tells whether a sound is never again as loud as it was, unless it is struck again.
func (e *ear) diesAway(at int64, band int, s pcm.Span) bool {
	level := e.level[band]
	lowest, bears := level[at], 7.0
	if s.Len() > e.rate/5 { // what rings for so long dies away evenly
		bears = 4.5
	}
	for k := at + 1; k < s.To/e.hop && k < int64(len(level)); k++ {
		now := level[k]
		if now > lowest+bears && now > e.usual[band]+1.5*e.wild[band] {
			if now-level[max(0, k-2)] < 6 { // it swells
				return false
			}
			lowest = now
		}
		lowest = min(lowest, now)
	}
	return true
}

// peaks are the stretches of a pause that stand out of it: more than wild, and more than anything else does there.
func (e *ear) peaks(p pcm.Span) (list []pcm.Span) {
	join := int64(60 / hopMS)
	for k := p.From/e.hop + 1; k < p.To/e.hop-1; k++ {
		times, db := e.over(k)
		if times < 1.5 || db < 10 {
			continue
		}
		span := pcm.Span{From: k * e.hop, To: (k + 1) * e.hop}
		if n := len(list); n > 0 && span.From-list[n-1].To <= join*e.hop {
			list[n-1].To = span.To
			continue
		}
		list = append(list, span)
	}
	if len(list) > 3+int(p.Len()/e.rate) { // a room that is like that: rain, a fire
		return nil
	}
	return slices.DeleteFunc(list, func(s pcm.Span) bool { return !e.lone(s) })
}

// lone tells whether a short sound stands out of the second before and after it, the 60 ms beside it left out.
func (e *ear) lone(s pcm.Span) bool {
	_, band, db := e.top(s)
	beside := e.rate * 60 / 1000
	var others []float64
	for _, side := range []pcm.Span{{From: s.From - e.rate, To: s.From - beside},
		{From: s.To + beside, To: s.To + e.rate}} {
		for _, p := range e.f.Pauses() {
			q := p.Intersect(side)
			for k := (q.From + e.hop - 1) / e.hop; k < q.To/e.hop && k < int64(len(e.level[band])); k++ {
				others = append(others, e.level[band][k])
			}
		}
	}
	if len(others) < 20 {
		return false
	}
	return db > max(measure.Percentile(others, 0.98)+5, slices.Max(others)+2)-e.usual[band]
}

// measured gives a stray sound its extent and its figures; a kind that is "" is told by its length.
func (e *ear) measured(kind Kind, core pcm.Span) Event {
	at, _, db := e.top(core)
	s := Event{Kind: kind, AboveDB: db, PeakDB: level.Silence}
	for k := max(0, at-1); k <= at; k++ { // 10 ms
		from := k * e.hop
		s.PeakDB = max(s.PeakDB, measure.RMSDB(pcm.Block{e.mono[from:min(int64(len(e.mono)), from+2*e.hop)]}))
	}
	loud, from, to := int64(0), at, at
	for k := core.From / e.hop; k <= core.To/e.hop; k++ {
		if times, _ := e.over(k); times >= 1 {
			loud, from, to = loud+1, min(from, k), max(to, k)
		}
	}
	most := e.rate * 3 / 2 / e.hop
	for n := int64(0); n < most && from > 0 && !e.calm(from-2, from); n++ {
		from--
	}
	for n := int64(0); n < most && !e.calm(to+1, to+9); n++ {
		to++
	}
	s.Span = pcm.Span{From: from * e.hop, To: min(int64(len(e.mono)), (to+1)*e.hop)}
	if kind == "" {
		s.Kind = Bump
		if loud*hopMS <= 15 {
			s.Kind = Click
		}
	}
	return s
}

// calm tells whether some hops together lie where the background lies, in every band.
func (e *ear) calm(from, to int64) bool {
	from = max(0, from)
	for i, heard := range e.level {
		to := min(to, int64(len(heard)))
		if from >= to {
			return true
		}
		sum := 0.0
		for _, db := range heard[from:to] {
			sum += level.Power(db) / float64(to-from)
		}
		// A few hops are as far off the median as chance has them.
		if level.OfPower(sum) > e.usual[i]+1+e.wild[i]/4 {
			return false
		}
	}
	return true
}

// A lull's edges take fadeMS where there is room; it begins and ends beside the sound with a little time to spare, and
// leaves so much beside a word.
const (
	fadeMS      = 40
	leastFadeMS = 8
	spareMS     = 20
	wordMS      = 15
)

// lull lays the lull that takes a sound out: over its span and beyond, between the words beside it.
func (e *ear) lull(list []Event, i int) {
	ms := func(n int64) int64 { return n * e.rate / 1000 }
	s := &list[i]
	room := pcm.Span{To: int64(len(e.mono))}
	for _, w := range e.f.Parts {
		if isStray := slices.ContainsFunc(list, func(o Event) bool { return o.Span.Overlaps(w.Span) }); isStray {
			continue
		}
		if w.Span.To <= s.Span.From+ms(20) {
			room.From = max(room.From, w.Span.To+ms(wordMS))
		} else if w.Span.From >= s.Span.To-ms(20) || w.Span.From > s.Span.From {
			room.To = min(room.To, w.Span.From-ms(wordMS))
		}
	}
	if i > 0 {
		room.From = max(room.From, list[i-1].Lull.To)
	}
	if i+1 < len(list) {
		room.To = min(room.To, max(s.Span.To, (s.Span.To+list[i+1].Span.From)/2))
	}
	s.Lull = pcm.Span{From: s.Span.From - ms(spareMS+fadeMS), To: s.Span.To + ms(spareMS+fadeMS)}.Intersect(room)
	s.FadeIn = max(ms(leastFadeMS), min(ms(fadeMS), s.Span.From-s.Lull.From))
	s.FadeOut = max(ms(leastFadeMS), min(ms(fadeMS), s.Lull.To-s.Span.To))
	if s.Lull.Len() < s.FadeIn+s.FadeOut+ms(1) {
		s.Lull = pcm.Span{}
	}
}
