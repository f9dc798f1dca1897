// Package timing says how long the stretches of a recording take when it is fitted into another length. It is plain
// data and its arithmetic: what sounds is in package fit. Times are samples at the scene's rate.
package timing

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"blendseam/core/refuse"
	"blendseam/core/sound/pcm"
)

// A Kind says how the length of a stretch is changed.
type Kind string

// The kinds. Words keep their consonants sharp; a pause loses or repeats some of its own background and no word; music,
// which is for anything that is not one voice, keeps the partials of held sounds steady, and its beats.
const (
	Words Kind = "words"
	Pause Kind = "pause"
	Music Kind = "music"
	// Tape runs faster or slower as a tape does: the pitch goes along.
	Tape Kind = "tape"
)

// Bounds of how much longer words and music may become; a pause may become shorter than Least of it, and longer than
// Most by what MostPause says.
const (
	Least     = 0.5
	Most      = 2.0
	MostPause = 8.0
	// MostSpeed is how many times as fast, or as slow, a tape runs. Where it eases it may pass that in its middle, up
	// to twice as fast.
	MostSpeed = 8.0
	// MostParts is how many stretches of a recording may be fitted.
	MostParts = 20000
)

// A Part is a stretch of a recording that takes another length.
type Part struct {
	From   int64 `json:"from"` // of the recording
	To     int64 `json:"to"`
	Length int64 `json:"length"` // that it takes
	Kind   Kind  `json:"kind"`
	Ease   int64 `json:"ease,omitempty"` // samples of the recording, at both ends, over which the speed goes over from 1
}

// Span is the stretch in the recording.
func (p Part) Span() pcm.Span { return pcm.Span{From: p.From, To: p.To} }

// Speed is how many times as fast it passes, on the whole.
func (p Part) Speed() float64 { return float64(p.To-p.From) / float64(p.Length) }

// Forward is how far into the fitted stretch lies what is at samples into the recording's, 0 <= at <= To - From. With g
// the length that each sample takes, which is 1 at both ends and goes over to its middle value in a straight line over
// Ease e, it is at + (g-1) at^2 / 2e at first, and then goes on with g.
func (p Part) Forward(at int64) int64 {
	n := p.To - p.From
	if p.Ease <= 0 {
		return mulDiv(at, p.Length, n)
	}
	e := float64(p.Ease)
	extra := float64(p.Length-n) / (float64(n) - e) // g - 1
	x, s := float64(at), 0.0
	switch {
	case x < e:
		s = x * x / (2 * e)
	case x <= float64(n)-e:
		s = x - e/2
	default:
		left := float64(n) - x
		s = float64(n) - e - left*left/(2*e)
	}
	return at + round(extra*s)
}

// BackExact is the place in the recording that sounds at a sample of the fitted stretch, and by how many samples of the
// recording that goes on per sample there. It is the inverse of the formula of Forward, without rounding.
func (p Part) BackExact(at float64) (place, speed float64) {
	n, length := float64(p.To-p.From), float64(p.Length)
	if p.Ease <= 0 {
		return at * n / length, n / length
	}
	e := float64(p.Ease)
	extra := (length - n) / (n - e)
	// eased solves x + extra x^2 / 2e = s
	eased := func(s float64) (x, speed float64) {
		root := math.Sqrt(max(0, 1+2*extra*s/e))
		return 2 * s / (1 + root), 1 / root
	}
	edge := e + extra*e/2 // how long the eased stretch at each end takes
	switch {
	case at < edge:
		return eased(at)
	case at > length-edge:
		x, speed := eased(length - at)
		return n - x, speed
	}
	return (at + extra*e/2) / (1 + extra), 1 / (1 + extra)
}

// Back is the first place whose Forward is at or more.
func (p Part) Back(at int64) int64 {
	n := p.To - p.From
	if p.Ease <= 0 {
		return mulDiv(at, n, p.Length)
	}
	return int64(sort.Search(int(n), func(i int) bool { return p.Forward(int64(i)) >= at }))
}

func round(v float64) int64 {
	if v < 0 {
		return -int64(0.5 - v)
	}
	return int64(v + 0.5)
}

// mulDiv is a b / c, rounded, for numbers whose product may be beyond 64 bits.
func mulDiv(a, b, c int64) int64 {
	q, r := a/c, a%c
	return q*b + (r*b+c/2)/c
}

// A Fit says which recording is fitted and how; what no part names passes as it is.
type Fit struct {
	Of    string `json:"of"` // the source that is fitted
	Parts []Part `json:"parts"`
	// Above 0 it runs backwards: what is at sample i of the fitted recording otherwise is at Len(Reversed) - i. It is
	// the recording's length, or more: then silence comes first.
	Reversed int64 `json:"reversed,omitempty"`
}

// Check says what is wrong with a fit of a recording of n samples.
func (f *Fit) Check(n int64) error {
	if f.Reversed < 0 || f.Reversed > 0 && f.Reversed < n && n < unknown || f.Reversed > unknown {
		return refuse.Errorf("it runs backwards from sample %d of a recording of %d", f.Reversed, n)
	}
	if len(f.Parts) == 0 && f.Reversed == 0 || len(f.Parts) > MostParts {
		return refuse.Errorf("it has %d stretches that are fitted, 1 to %d are possible", len(f.Parts), MostParts)
	}
	until := int64(0)
	for i, p := range f.Parts {
		length := p.To - p.From
		switch {
		case p.From < until || length <= 0 || p.To > n:
			return refuse.Errorf("stretch %d lies from sample %d to %d, which is not behind the one before", i+1, p.From, p.To)
		case p.Kind != Words && p.Kind != Pause && p.Kind != Music && p.Kind != Tape:
			return refuse.Errorf("stretch %d is %q, not words, pause, music or tape", i+1, p.Kind)
		case p.Kind == Tape:
			if why := p.wrongTape(); why != "" {
				return refuse.Errorf("stretch %d %s", i+1, why)
			}
		case p.Kind == Pause && (p.Length < 1 || float64(p.Length) > MostPause*float64(length)+1),
			p.Kind != Pause && (float64(p.Length) < Least*float64(length)-1 || float64(p.Length) > Most*float64(length)+1):
			return refuse.Errorf("stretch %d is to take %d samples for %d; %g to %g times as fast is what can be heard",
				i+1, p.Length, length, 1/Most, 1/Least)
		case p.Ease < 0 || p.Ease > length/2 || p.Ease > 0 && p.Kind == Pause:
			return refuse.Errorf("stretch %d eases in over %d samples, half of it is the most", i+1, p.Ease)
		case p.Ease > 0 && eased(p) < Least/2:
			return refuse.Errorf("stretch %d would have to go over 4 times as fast in its middle; ease in over less", i+1)
		}
		until = p.To
	}
	return nil
}

// unknown is beyond the length of any recording; how long one is may not be known.
const unknown = int64(1) << 49

// wrongTape says why a tape cannot run so, "" if it can.
func (p Part) wrongTape() string {
	n := p.To - p.From
	switch speed := p.Speed(); {
	case p.Length < 1 || speed > MostSpeed*(1+1/float64(p.Length)) || speed < 1/MostSpeed/(1+1/float64(n)):
		return fmt.Sprintf("runs %.3g times as fast; %g to %g times is possible", speed, 1/MostSpeed, MostSpeed)
	case p.Ease < 0 || p.Ease > n/2:
		return fmt.Sprintf("eases in over %d samples, half of it is the most", p.Ease)
	case p.Ease > 0 && eased(p) < 1/(2*MostSpeed):
		return "would have to pass too fast in its middle; ease in over less"
	}
	return ""
}

// eased is what each sample takes in the middle of a part that eases.
func eased(p Part) float64 {
	n := p.To - p.From
	return 1 + float64(p.Length-n)/float64(n-p.Ease)
}

// Len is how long a recording of n samples is when it is fitted.
func (f *Fit) Len(n int64) int64 {
	if f.Reversed > 0 {
		n = f.Reversed
	}
	for _, p := range f.Parts {
		n += p.Length - (p.To - p.From)
	}
	return n
}

// Forward is where in the fitted recording a moment of the recording lies.
func (f *Fit) Forward(at int64) int64 {
	if f.Reversed > 0 {
		return f.Len(f.Reversed) - f.ahead(at)
	}
	return f.ahead(at)
}

// ahead is Forward as if it did not run backwards.
func (f *Fit) ahead(at int64) int64 {
	shift := int64(0)
	for _, p := range f.Parts {
		if at < p.From {
			break
		}
		if at < p.To {
			return p.From + shift + p.Forward(at-p.From)
		}
		shift += p.Length - (p.To - p.From)
	}
	return at + shift
}

// Back is the moment of the recording that lies at one of the fitted recording.
func (f *Fit) Back(at int64) int64 {
	if f.Reversed > 0 {
		at = f.Len(f.Reversed) - at
	}
	shift := int64(0)
	for _, p := range f.Parts {
		begin := p.From + shift
		if at < begin {
			break
		}
		if at < begin+p.Length {
			return p.From + p.Back(at-begin)
		}
		shift += p.Length - (p.To - p.From)
	}
	return at - shift
}

// ForwardSpan is where a stretch of the recording lies in the fitted one.
func (f *Fit) ForwardSpan(s pcm.Span) pcm.Span { return inOrder(f.Forward(s.From), f.Forward(s.To)) }

// BackSpan is the stretch of the recording that lies in one of the fitted recording.
func (f *Fit) BackSpan(s pcm.Span) pcm.Span { return inOrder(f.Back(s.From), f.Back(s.To)) }

func inOrder(a, b int64) pcm.Span { return pcm.Span{From: min(a, b), To: max(a, b)} }

// Recolours tells whether the fitted recording has other spectra than the recording: where its pitch changes, or time
// runs backwards.
func (f *Fit) Recolours() bool {
	return f.Reversed > 0 || slices.ContainsFunc(f.Parts, func(p Part) bool { return p.Kind == Tape })
}

// Outside are the parts that lie outside a stretch of the recording; of those that reach into it what is outside, at
// its own speed.
func (f *Fit) Outside(s pcm.Span) (list []Part) {
	for _, p := range f.Parts {
		if !p.Span().Overlaps(s) {
			list = append(list, p)
			continue
		}
		for _, span := range []pcm.Span{{From: p.From, To: min(p.To, s.From)}, {From: max(p.From, s.To), To: p.To}} {
			if span.Empty() {
				continue
			}
			part := Part{From: span.From, To: span.To, Kind: p.Kind}
			part.Length = max(1, p.Forward(span.To-p.From)-p.Forward(span.From-p.From))
			list = append(list, part)
		}
	}
	return list
}

// With is a fit whose stretch s of the recording is fitted by parts, and by nothing else.
func (f *Fit) With(s pcm.Span, parts []Part) Fit {
	all := append(f.Outside(s), parts...)
	slices.SortFunc(all, func(a, b Part) int { return int(max(-1, min(1, a.From-b.From))) })
	asItIs := func(p Part) bool { return p.Length == p.To-p.From && p.Ease == 0 }
	return Fit{Of: f.Of, Parts: slices.DeleteFunc(all, asItIs), Reversed: f.Reversed}
}
