package timestretch

import (
	"math"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// A join leaves a recording at one place and goes on at another, over a crossfade.
type join struct {
	out    int64 // where in the fitted part it begins
	at, to int64 // places in the recording: what is left, and what begins
	n      int64 // samples of the crossfade
	r      float64
}

// How a path goes through words. Between joins everything sounds as it was recorded, so that there are few of them,
// and each can choose its place: a whole number of periods of a voice apart, in what is soft, and not where something
// begins.
const (
	fadeMS    = 6.0
	leastJump = 2.5 // ms
	mostJump  = 9.0 // ms beyond what is due
	fromMS    = 1.5 // ms that it may be away from where it should be, before a join is looked for
	untilMS   = 8.0 // and at most
	places    = 32  // that are tried for a join
	finishS   = 1.5 // at the end of a part in which the last of it is settled
	longS     = 6.0 // and if that is no good place
)

// wordsPath finds the joins that bring a part of words to its length. Their places follow from the likeness of what is
// left and what begins, as in waveform-similarity overlap-add (W. Verhelst and M. Roelands, ICASSP 1993) and
// time-domain harmonic scaling (D. Malah, IEEE Trans. ASSP 27, 1979); onsets pass as they are, after A. Roebel, "A new
// approach to transient processing in the phase vocoder", DAFx-03, 2003.
func wordsPath(t *tape, p timing.Part) (path []join, err error) {
	ms := func(v float64) int64 { return int64(v * float64(t.rate) / 1000) }
	fade := ms(fadeMS)
	n := p.To - p.From
	if n == p.Length && p.Ease == 0 || n < 2*fade || p.Length < 2*fade {
		return shortPath(p, fade), nil
	}
	pos, out := p.From, int64(0) // from here on it would go on as it is
	drift := func(o int64) int64 { return pos + (o - out) - p.From - p.Back(o) }
	for {
		// the moments at which it is away far enough, and too far
		first := out
		for first < p.Length && abs(drift(first)) < ms(fromMS) {
			first += ms(1)
		}
		last := first
		for last < p.Length && abs(drift(last)) < ms(untilMS) {
			last += ms(1)
		}
		first, last = max(first, out+fade), max(last, out+fade)
		if len(path) == 0 {
			first, last = max(first-fade, 0), max(last-fade, 0)
		}
		if last+2*fade >= p.Length {
			break
		}
		best, err := t.bestJoin(pos-out, first, last, drift, ms)
		if err != nil {
			return nil, err
		}
		path = append(path, best)
		pos, out = best.to+best.n, best.out+best.n
	}
	return t.finish(p, path, ms)
}

// bestJoin is the best of all joins that begin from one moment of the part to another; shift is what place of the
// recording is at the moment 0 without a join.
func (t *tape) bestJoin(
	shift, first, last int64, drift func(int64) int64, ms func(float64) int64,
) (best join, err error) {
	fade := ms(fadeMS)
	reach := ms(untilMS + mostJump + 2*fadeMS)
	if err := t.hold(pcm.Span{From: first + shift - reach, To: last + shift + reach}); err != nil {
		return best, err
	}
	most := math.Inf(1)
	step := max(t.coarse, (last-first)/places/t.coarse*t.coarse)
	for o := first; o <= last; o += step {
		d := drift(o)
		sign := int64(1)
		if d > 0 {
			sign = -1
		}
		at := o + shift
		loud := t.loud(at + fade/2)
		for jump := max(ms(leastJump), abs(d)-ms(1)); jump <= abs(d)+ms(mostJump); jump += t.coarse {
			to := at + sign*jump
			apart := t.apart(at, to, fade, d, ms(untilMS))
			if apart >= most {
				continue // however much alike they are
			}
			if m, _ := t.unlike(at, to, fade, false); m*loud+apart < most {
				most, best = m*loud+apart, join{out: o, at: at, to: to, n: fade}
			}
		}
	}
	t.refine(&best)
	return best, nil
}

// apart says what speaks against a join but for how unlike its sides are: how far it and what follows it would be away
// from where it should be, and what begins in what it passes over, or repeats.
func (t *tape) apart(at, to, fade, drift, far int64) float64 {
	before, after := float64(drift)/float64(far), float64(drift+to-at)/float64(far)
	return 0.08*(before*before+after*after) +
		0.4*t.begins(pcm.Span{From: min(at, to) - 2*t.frame, To: max(at, to) + fade})
}

// loud is how much it matters that the sides of a join are unlike: most in what is louder than around it.
func (t *tape) loud(at int64) float64 {
	return 0.3 + 0.7*min(1, t.power(at)/(t.power(at-t.rate/4)+t.power(at+t.rate/4)+1e-12))
}

// refine moves where a join goes on to the sample, and takes the correlation there.
func (t *tape) refine(j *join) {
	best, most := j.to, math.Inf(1)
	for to := j.to - t.coarse; to <= j.to+t.coarse; to++ {
		if m, r := t.unlike(j.at, to, j.n, true); m < most {
			best, most, j.r = to, m, r
		}
	}
	j.to = best
}

// finish makes a path end where the part does: by another length of one of its last joins, or by one more.
func (t *tape) finish(p timing.Part, path []join, ms func(float64) int64) ([]join, error) {
	missing := p.To - p.From - p.Length // of all jumps
	for _, j := range path {
		missing -= j.to - j.at
	}
	if missing == 0 {
		return path, nil
	}
	fade := ms(fadeMS)
	for _, seconds := range []float64{finishS, longS} {
		since := max(0, p.Length-int64(seconds*float64(t.rate)))
		best, most, which, err := t.lastJoin(p, path, since, missing, fade, ms)
		if err != nil {
			return nil, err
		}
		none := math.IsInf(most, 1)
		if since > 0 && (none || most > 0.5 && seconds < longS) {
			continue // there may be a better place further ahead
		}
		if none {
			break
		}
		if which < 0 { // one more
			at := len(path)
			for at > 0 && path[at-1].out > best.out {
				at--
			}
			path = append(path[:at], append([]join{best}, path[at:]...)...)
			which = at
		} else {
			path[which] = best
		}
		for k := which + 1; k < len(path); k++ { // where they are in the recording, they stay
			path[k].out -= missing
		}
		_, path[which].r = t.unlike(path[which].at, path[which].to, path[which].n, true)
		return path, nil
	}
	return shortPath(p, fade), nil
}

// lastJoin is the join, changed or new, by which what is missing of all jumps is made up at the least cost; which is
// its number, -1 if it is new.
func (t *tape) lastJoin(
	p timing.Part, path []join, since, missing, fade int64, ms func(float64) int64,
) (best join, most float64, which int, err error) {
	reach := ms(untilMS+mostJump+2*fadeMS) + abs(missing)
	if err := t.hold(pcm.Span{From: p.From + p.Back(since) - reach, To: p.To + reach}); err != nil {
		return best, 0, 0, err
	}
	most = math.Inf(1)
	price := func(j join, next int) float64 { // it is away from there to the end
		if next < len(path) && path[next].at < j.to+j.n || j.to < p.From || j.to+j.n > p.To {
			return math.Inf(1)
		}
		late := float64(p.Length-j.out) / float64(t.rate) / finishS
		m, _ := t.unlike(j.at, j.to, j.n, false)
		return m*t.loud(j.at+fade/2) + t.apart(j.at, j.to, j.n, 0, ms(untilMS)) +
			0.2*late*min(1, math.Abs(float64(missing))/float64(ms(untilMS)))
	}
	for k := len(path) - 1; k >= 0 && path[k].out >= since; k-- {
		j := path[k]
		if j.to += missing; abs(j.to-j.at) < 1 {
			continue
		}
		if c := price(j, k+1); c < most {
			best, most, which = j, c, k
		}
	}
	for k := len(path); k >= 0; k-- { // between joins, and behind the last
		free := pcm.Span{To: p.Length}
		shift := p.From
		if k > 0 {
			free.From = path[k-1].out + path[k-1].n
			shift = path[k-1].to - path[k-1].out
		}
		if k < len(path) {
			free.To = path[k].out
		}
		if free.To < since {
			break
		}
		for o := max(free.From, since); o+fade <= free.To; o += ms(1) {
			j := join{out: o, at: o + shift, to: o + shift + missing, n: fade}
			if c := price(j, k) + 0.02; c < most {
				best, most, which = j, c, -1
			}
		}
	}
	return best, most, which, nil
}

// shortPath is that of a part that is too short to choose anything: one join in its middle.
func shortPath(p timing.Part, fade int64) []join {
	n := p.To - p.From
	if n == p.Length {
		return nil
	}
	fade = min(fade, n/3, p.Length/3)
	out := (p.Length - fade) / 2
	return []join{{out: out, at: p.From + out, to: p.From + out + n - p.Length, n: max(1, fade)}}
}

// Pauses: what is left at their ends, and how long their joins are at most.
const (
	pauseGuardMS = 20.0
	pauseFadeMS  = 50.0
)

// pausePath brings a pause to its length: by one join to a shorter one, where the levels of both sides are most alike;
// by as many as it takes to a longer one, that go back by different lengths, so that nothing recurs at even steps.
func pausePath(t *tape, p timing.Part) (path []join, err error) {
	ms := func(v float64) int64 { return int64(v * float64(t.rate) / 1000) }
	n := p.To - p.From
	guard := min(ms(pauseGuardMS), n/6, p.Length/6)
	if n == p.Length {
		return nil, nil
	}
	if p.Length < n {
		fade := max(1, min(ms(pauseFadeMS), p.Length/3))
		best, most := join{}, math.Inf(1)
		last := p.Length - guard - fade
		step := max(1, (last-guard)/64)
		for o := guard; o <= last; o += step {
			j := join{out: o, at: p.From + o, to: p.From + o + n - p.Length, n: fade}
			if err := t.hold(pcm.Span{From: j.at - fade, To: j.at + 2*fade}); err != nil {
				return nil, err
			}
			a := t.power(j.at + fade/2)
			if err := t.hold(pcm.Span{From: j.to - fade, To: j.to + 2*fade}); err != nil {
				return nil, err
			}
			b := t.power(j.to + fade/2)
			if cost := math.Abs(math.Log(a/b)) + 0.05*math.Log(a+b); cost < most {
				best, most = j, cost
			}
		}
		return t.farJoins([]join{best})
	}
	fade := max(1, min(ms(pauseFadeMS), (n-2*guard)/4))
	usable := n - 2*guard - fade
	if usable < fade {
		return shortPath(p, fade), nil
	}
	seed := uint64(p.From)*0x9E3779B97F4A7C15 + uint64(p.Length)
	pos, out, left := p.From, int64(0), p.Length-n
	for left > 0 {
		seed = seed*6364136223846793005 + 1442695040888963407
		share := 0.5 + 0.5*float64(seed>>40)/float64(1<<24)
		back := min(left, max(fade, int64(share*float64(usable))))
		if rest := left - back; rest > 0 && rest < fade { // so that what is left is no less than a crossfade
			back = max(1, back-fade)
		}
		// it goes on until there is so much behind it that it can go back
		at := max(pos, p.From+guard+back)
		at = min(max(at, p.To-guard-fade), p.To-fade)
		j := join{out: out + at - pos, at: at, to: at - back, n: fade}
		path = append(path, j)
		pos, out, left = j.to+fade, j.out+fade, left-back
	}
	return t.farJoins(path)
}

// farJoins takes the correlations of joins that may lie further apart than the tape holds.
func (t *tape) farJoins(path []join) ([]join, error) {
	for k := range path {
		j := &path[k]
		a, err := pcm.Read(t.from, pcm.Span{From: j.at, To: j.at + j.n})
		if err != nil {
			return nil, err
		}
		b, err := pcm.Read(t.from, pcm.Span{From: j.to, To: j.to + j.n})
		if err != nil {
			return nil, err
		}
		var xx, yy, xy float64
		for i, x := range pcm.InChannels(a, 1)[0] {
			y := pcm.InChannels(b, 1)[0][i]
			xx, yy, xy = xx+x*x, yy+y*y, xy+x*y
		}
		j.r = xy / math.Sqrt(xx*yy+1e-20)
	}
	return path, nil
}

func abs(v int64) int64 { return max(v, -v) }
