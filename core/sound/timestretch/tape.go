package timestretch

import (
	"math"

	"blendseam/core/sound/pcm"
)

// A tape holds a stretch of a recording as it is searched: mono, a coarse copy of it, and where something begins. It
// goes along with the search, so that it takes the same memory for any length.
type tape struct {
	from   pcm.ReaderAt
	rate   int64
	coarse int64 // samples to one of the coarse copy
	frame  int64 // samples of an onset frame

	held    pcm.Span
	mono    []float64
	rough   []float64 // mean of coarse samples, from held.From on
	squares []float64 // sums of the squares of rough up to each
	rises   []float64 // sums of how suddenly it becomes louder, by frames from held.From on: the sum up to each
	levels  []float64 // mean power of levelMS around each frame
}

const (
	coarseHz = 8000
	frameMS  = 1
	tapeS    = 12.0 // of which it holds at least so much behind what is asked for
	behindS  = 8.0  // and so much before it
	levelMS  = 20
)

func newTape(of pcm.ReaderAt) *tape {
	rate := int64(of.Format().Rate)
	return &tape{from: of, rate: rate, coarse: max(1, rate/coarseHz), frame: max(1, rate*frameMS/1000)}
}

// hold loads what a search in a span needs.
func (t *tape) hold(s pcm.Span) error {
	if s.In(t.held) && !t.held.Empty() {
		return nil
	}
	grid := t.coarse * t.frame
	from := pcm.Floor(s.From-int64(behindS*float64(t.rate)), grid) * grid
	span := pcm.Span{From: from, To: max(s.To, s.From+int64(tapeS*float64(t.rate)))}
	b, err := pcm.Read(t.from, span)
	if err != nil {
		return err
	}
	t.held, t.mono = span, pcm.InChannels(b, 1)[0]
	t.rough = make([]float64, int64(len(t.mono))/t.coarse)
	for i := range t.rough {
		sum := 0.0
		for _, v := range t.mono[int64(i)*t.coarse : int64(i+1)*t.coarse] {
			sum += v
		}
		t.rough[i] = sum / float64(t.coarse)
	}
	t.squares = make([]float64, len(t.rough)+1)
	for i, v := range t.rough {
		t.squares[i+1] = t.squares[i] + v*v
	}
	t.listen()
	return nil
}

// listen finds where something begins: where the power of the first difference, in which consonants stand out, rises
// within 8 ms by over 6 dB.
func (t *tape) listen() {
	const before, after, leastDB, fullDB = 8, 4, 6.0, 16.0
	n := len(t.mono) / int(t.frame)
	power := make([]float64, n)
	for i := range power {
		at := i * int(t.frame)
		for k := max(1, at); k < at+int(t.frame); k++ {
			d := t.mono[k] - t.mono[k-1]
			power[i] += d * d
		}
		power[i] = power[i]/float64(t.frame) + 1e-12
	}
	sums := make([]float64, n+1)
	for i, p := range power {
		sums[i+1] = sums[i] + p
	}
	mean := func(a, b int) float64 { return (sums[b] - sums[a]) / float64(b-a) }
	t.rises = make([]float64, n+1)
	for i := range n {
		rise := 0.0
		if i >= before && i+after <= n {
			db := 10 * math.Log10(mean(i, i+after)/mean(i-before, i))
			rise = max(0, min(1, (db-leastDB)/(fullDB-leastDB)))
		}
		t.rises[i+1] = t.rises[i] + rise
	}
	long := int(t.rate*levelMS/1000) / int(t.frame)
	t.levels = make([]float64, n)
	wide := make([]float64, n+1)
	for i := range n {
		at, sum := i*int(t.frame), 0.0
		for _, v := range t.mono[at : at+int(t.frame)] {
			sum += v * v
		}
		wide[i+1] = wide[i] + sum/float64(t.frame)
	}
	for i := range n {
		a, b := max(0, i-long/2), min(n, i+long/2)
		t.levels[i] = (wide[b]-wide[a])/float64(max(1, b-a)) + 1e-12
	}
}

// begins is how much begins in a span.
func (t *tape) begins(s pcm.Span) float64 {
	n := int64(len(t.rises) - 1)
	at := func(x int64) int64 { return max(0, min(n, (x-t.held.From)/t.frame)) }
	return t.rises[at(s.To+t.frame-1)] - t.rises[at(s.From)]
}

// power is the mean power around a moment.
func (t *tape) power(at int64) float64 {
	return t.levels[max(0, min(int64(len(t.levels))-1, (at-t.held.From)/t.frame))]
}

// unlike is how little two stretches of n samples are alike, from 0 for the same to 1 for such as have nothing to do
// with one another, and to 2: the power of their difference over the sum of theirs. It looks at the coarse copy, or
// with fine at the sound itself; r is their correlation.
func (t *tape) unlike(a, b, n int64, fine bool) (m, r float64) {
	v, sums, i, k := t.rough, t.squares, (a-t.held.From)/t.coarse, (b-t.held.From)/t.coarse
	if n /= t.coarse; fine {
		v, sums, i, k, n = t.mono, nil, a-t.held.From, b-t.held.From, n*t.coarse
	}
	if i < 0 || k < 0 || max(i, k)+n > int64(len(v)) {
		return 2, 0
	}
	x, y := v[i:i+n], v[k:k+n]
	var xx, yy, xy, other float64
	j := 0
	for ; j+2 <= len(x); j += 2 {
		xy += x[j] * y[j]
		other += x[j+1] * y[j+1]
	}
	if xy += other; j < len(x) {
		xy += x[j] * y[j]
	}
	if sums != nil {
		xx, yy = sums[i+n]-sums[i], sums[k+n]-sums[k]
	} else {
		for j, p := range x {
			xx, yy = xx+p*p, yy+y[j]*y[j]
		}
	}
	sum := xx + yy + 1e-12
	return (sum - 2*xy) / sum, xy / math.Sqrt(max(0, xx*yy)+1e-20)
}
