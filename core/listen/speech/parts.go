package speech

import (
	"slices"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// aroundVoiceMS is how far from a moment nobody speaks for it to be calm: the network hears a word late, and a room
// goes on after it.
const aroundVoiceMS = 100

// calm says of each frame whether nobody speaks in it or near it.
func (a *analysis) calm(v Voice) []bool {
	near := aroundVoiceMS * int64(a.rate) / 1000
	out := make([]bool, a.count())
	for i := range out {
		m := a.middle(i)
		span := pcm.Span{From: (m - near) * a.Every, To: (m + near) * a.Every}
		out[i] = v.Most(span) < hardly
	}
	return out
}

// still says of each frame whether nothing stands out of the background in it, in the two before it and in the two
// after it.
func (a *analysis) still() []bool {
	const beside = 2
	out := make([]bool, a.count())
	active := -1 - beside // the last frame that was
	for i := range a.count() + beside {
		if i < a.count() && a.activity.of[i] >= stirsAt {
			active = i
		}
		if k := i - beside; k >= 0 {
			out[k] = active < k-beside
		}
	}
	return out
}

// A word is heard by the network up to lateMS after its beginning, and up to lastsMS after its end.
const (
	lateMS  = 120
	lastsMS = 100
)

// parts are the words and the other sounds: what is active, as somebody speaks there or nobody does. What lies between
// two of a word's own sounds is a pause if it is long enough; where a voice hardly stands out of the background, a
// pause is told by the network alone.
func (a *analysis) parts(v Voice) (list []Part) {
	runs := a.runs()
	spoken := v.spoken(a.length)
	ms := func(n int64) int64 { return n * a.givenRate() / 1000 }
	last := -restMS / hopMS // where what stood out before ended
	for _, run := range runs {
		s, ok := a.stretch(run, (run[0]-last)*hopMS >= restMS)
		last = run[1]
		if !ok {
			continue
		}
		edge := run[0] == 0 || run[1] == a.count()-1
		near := pcm.Span{From: s.Span.From - ms(lastsMS), To: s.Span.To + ms(lateMS)}
		likely := v.Held(near)
		wide := pcm.Span{From: near.From - ms(companyMS), To: near.To + ms(companyMS)}
		is := likely >= surely || likely >= inCompany && overlapsAny(spoken, wide)
		if s.Sure = likely; !is {
			s.Kind, s.Sure = Other, 1-likely
		}
		if !edge && !is && s.Span.Len() < ms(leastMS) { // within words the release of a stop may be shorter
			continue
		}
		if s.Kind == Word && s.Span.Len() > ms(longMS) {
			list = append(list, a.within(s, v)...)
		} else {
			list = append(list, s)
		}
	}
	return a.bridged(list, spoken)
}

// A short word by itself is heard with less certainty: inCompany is enough where somebody surely speaks within
// companyMS.
const (
	inCompany = 0.15
	companyMS = 8000
)

func overlapsAny(list []pcm.Span, s pcm.Span) bool {
	return slices.ContainsFunc(list, func(o pcm.Span) bool { return o.Overlaps(s) })
}

// In what stands out for longer than longMS, words go on nearMS beyond where somebody is heard; the rest is another
// sound, unless words have mostOf of it, in percent.
const (
	longMS = 700
	nearMS = 400
	mostOf = 70
)

// within parts a long word into what lies near to where somebody is heard, and the rest.
func (a *analysis) within(s Part, v Voice) (list []Part) {
	near := nearMS * a.givenRate() / 1000
	var heard []pcm.Span
	total := int64(0)
	for _, on := range v.above(inCompany, a.length) {
		on = pcm.Span{From: on.From - near, To: on.To + near}.Intersect(s.Span)
		if n := len(heard); n > 0 && !on.Empty() && on.From <= heard[n-1].To {
			total += on.To - heard[n-1].To
			heard[n-1].To = on.To
		} else if !on.Empty() {
			heard, total = append(heard, on), total+on.Len()
		}
	}
	if total*100 >= s.Span.Len()*mostOf {
		return []Part{s}
	}
	at := s.Span.From
	rest := func(to int64) {
		if o := (pcm.Span{From: at, To: to}); o.Len() >= leastMS*a.givenRate()/1000 {
			list = append(list, Part{Kind: Other, Span: o, PeakDB: a.peakDB(o), Sure: 1 - v.Held(o)})
		}
	}
	for _, on := range heard {
		rest(on.From)
		word := s
		word.Span, word.PeakDB, at = on, a.peakDB(on), on.To
		list = append(list, word)
	}
	rest(s.Span.To)
	return list
}

// givenRate is the rate of what was given.
func (a *analysis) givenRate() int64 { return int64(a.rate) * a.Every }

// bridged joins words between which somebody goes on speaking, and adds what somebody says without anything standing
// out of the background.
func (a *analysis) bridged(list []Part, spoken []pcm.Span) []Part {
	rate := a.givenRate()
	ms := func(n int64) int64 { return n * rate / 1000 }
	for _, s := range spoken {
		inside := slices.ContainsFunc(list, func(p Part) bool { return p.Kind == Word && p.Span.Overlaps(s) })
		if !inside && s.Len() >= ms(leastHeardMS) {
			list = append(list, Part{Kind: Word, Span: s, PeakDB: a.peakDB(s), Sure: surely})
		}
	}
	slices.SortFunc(list, func(x, y Part) int { return int(x.Span.From - y.Span.From) })
	out := list[:0]
	for _, p := range list {
		if n := len(out); n > 0 && out[n-1].Kind == Word && p.Kind == Word {
			last := &out[n-1]
			gap := pcm.Span{From: last.Span.To, To: p.Span.From}
			over := min(a.overDB(last.Span), a.overDB(p.Span))
			goesOn := slices.ContainsFunc(spoken, func(s pcm.Span) bool { return gap.In(s) })
			if gap.Len() < ms(joinMS) || goesOn && gap.Len() < ms(bridgeMS(over)) {
				last.Span.To, last.PeakDB = max(last.Span.To, p.Span.To), max(last.PeakDB, p.PeakDB)
				last.Sure = max(last.Sure, p.Sure)
				continue
			}
		}
		out = append(out, p)
	}
	return out
}

// leastHeardMS is how long the network must hear somebody of whom nothing stands out.
const leastHeardMS = 150

// bridgeMS is how long nothing may stand out while somebody speaks who stands so far over the background, in dB: the
// softer a voice, the more of it is under the background.
func bridgeMS(over float64) int64 { return joinMS + int64(max(0, 25-over)*10) }

// overDB is how far the loudest of a span stands over the background there.
func (a *analysis) overDB(s pcm.Span) (most float64) {
	first, last := a.At(s.From), min(a.At(s.To), a.count()-1)
	for i := max(0, first); i <= last; i++ {
		power, back := 0.0, 0.0
		q := a.quietAt(i)
		for b, p := range a.Frames.of(i) {
			power, back = power+p, back+q.background[b]
		}
		most = max(most, level.OfPower((power+1e-16)/(back+1e-16)))
	}
	return most
}

func (a *analysis) peakDB(s pcm.Span) float64 {
	first, last := max(0, a.At(s.From)), min(a.At(s.To), a.count()-1)
	return slices.Max(append([]float64{level.Silence}, a.LevelDB[min(first, last):last+1]...))
}
