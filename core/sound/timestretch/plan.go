package timestretch

import (
	"fmt"
	"math"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// A Wish is what a stretch of a recording is to become.
type Options struct {
	Length int64       // samples
	Pauses float64     // the share of what is missing that pauses give, as far as they can: 0 to 1
	Kind   timing.Kind // Words or Music; music has no pauses
	Ease   int64       // samples over which the speed goes over at both ends; with Pauses 0 or Music
}

// A Plan is how a stretch is fitted.
type Plan struct {
	Parts  []timing.Part
	Pauses int     // that give something
	Given  int64   // samples that they give; below 0 if they take some
	Speed  float64 // of the words, 1 as they are
}

// Words say what a plan does, of a recording of rate samples a second: "3.1 s out of 14 pauses, words 4.0 % faster".
func (p *Plan) Words(rate int64) string {
	words := ""
	if p.Pauses > 0 && p.Given != 0 {
		words = fmt.Sprintf("%.2f s out of %d pauses", float64(p.Given)/float64(rate), p.Pauses)
		if p.Given < 0 {
			words = fmt.Sprintf("%.2f s into %d pauses", -float64(p.Given)/float64(rate), p.Pauses)
		}
		words += ", "
	}
	percent, what := 100*(p.Speed-1), "words "
	if len(p.Parts) > 0 && p.Parts[0].Kind == timing.Music {
		what = "all of it "
	}
	switch {
	case math.Abs(percent) < 0.05:
		words += "words as they are"
	case percent > 0:
		words += fmt.Sprintf("%s%.1f %% faster", what, percent)
	default:
		words += fmt.Sprintf("%s%.1f %% slower", what, -percent)
	}
	if math.Abs(p.Speed-1) > HeardOver {
		words += ", which starts to be heard"
	}
	return words
}

// LeastPauseMS is what of a pause is left at least; shorter ones stay as they are.
const LeastPauseMS = 120

// HeardOver is the change of speed over which words start to sound changed (common practice, no source).
const HeardOver = 0.15

// TooFar says that a stretch cannot take a length, and which it can.
type TooFar struct {
	Asked, Least, Most int64 // samples
}

func (e *TooFar) Error() string {
	return fmt.Sprintf("%d samples cannot be reached; %d to %d can", e.Asked, e.Least, e.Most)
}

// NewPlan plans how a stretch of a recording of rate samples a second gets another length. Pauses are the stretches
// without words and breaths, in order of time. First they are made shorter, down to LeastPauseMS, or up to twice as
// long, each by the same share of what it has to give; what is missing then is in the speed of all that lies between
// them, evenly. The error is a *TooFar where words would go more than twice, or less than half as fast.
func NewPlan(s pcm.Span, pauses []pcm.Span, w Options, rate int64) (*Plan, error) {
	n := s.Len()
	least, most := int64(math.Ceil(timing.Least*float64(n))), int64(timing.Most*float64(n))
	if n < 1 || w.Length < 1 {
		return nil, &TooFar{w.Length, max(1, least), most}
	}
	p := &Plan{Speed: 1}
	if w.Kind == timing.Music {
		pauses = nil
	}
	var inside []pcm.Span
	room := int64(0) // that pauses can give, or take
	floor := rate * LeastPauseMS / 1000
	for _, x := range pauses {
		if x = x.Intersect(s); x.Len() > floor {
			inside = append(inside, x)
			if w.Length < n {
				room += x.Len() - floor
			} else {
				room += x.Len()
			}
		}
	}
	missing := n - w.Length
	given := int64(w.Pauses * math.Abs(float64(missing)))
	if given = min(given, room); missing < 0 {
		given = -given
	}
	between := n
	for _, x := range inside {
		between -= x.Len()
	}
	if given == 0 {
		inside, between = nil, n
	}
	words := between - (missing - given) // what the words are to take
	if words < int64(math.Ceil(timing.Least*float64(between))) || words > int64(timing.Most*float64(between)) {
		give := int64(w.Pauses * float64(room))
		e := &TooFar{w.Length, least, most}
		if inside != nil {
			rest := n - between
			e.Least = int64(math.Ceil(timing.Least*float64(between))) + max(rest-give, floor*int64(len(inside)))
			e.Most = int64(timing.Most*float64(between)) + rest + give
		}
		return nil, e
	}
	p.Pauses, p.Given, p.Speed = len(inside), given, float64(between)/float64(max(1, words))
	if words == between {
		p.Speed = 1
	}
	p.lay(s, inside, between, words, room, w, floor)
	return p, nil
}

// lay makes the parts: pauses that give by share, and between them words at one speed. Both are rounded so that the
// sums are met to the sample.
func (p *Plan) lay(s pcm.Span, pauses []pcm.Span, between, words, room int64, w Options, floor int64) {
	at := s.From
	var passed, gave, could int64
	put := func(span pcm.Span, length int64, kind timing.Kind) {
		if !span.Empty() && (length != span.Len() || w.Ease > 0 && kind != timing.Pause) {
			p.Parts = append(p.Parts, timing.Part{From: span.From, To: span.To, Length: max(1, length), Kind: kind})
		}
	}
	share := func(part, of, whole int64) int64 {
		return int64(math.Round(float64(part) * float64(whole) / float64(max(1, of))))
	}
	kind := w.Kind
	if kind != timing.Music {
		kind = timing.Words
	}
	text := func(until int64) {
		from := passed
		passed += until - at
		put(pcm.Span{From: at, To: until}, share(passed, between, words)-share(from, between, words), kind)
		at = until
	}
	for _, x := range pauses {
		text(x.From)
		from := could
		if could += x.Len(); p.Given > 0 {
			could -= floor
		}
		give := share(could, room, p.Given) - share(from, room, p.Given)
		gave += give
		put(x, x.Len()-give, timing.Pause)
		at = x.To
	}
	text(s.To)
	if w.Ease > 0 && len(p.Parts) == 1 && p.Parts[0].Kind != timing.Pause {
		p.Parts[0].Ease = min(w.Ease, s.Len()/2)
	}
}
