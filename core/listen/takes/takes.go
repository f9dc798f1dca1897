// Package takes finds where another recording says what a stretch of one says, and puts the two in step.
//
// Where is found by the course of the third-octaves against their levels where something is said, no deeper than the
// backgrounds of both let see, along a path that may run half as fast to twice as fast (H. Sakoe, S. Chiba,
// "Dynamic Programming Algorithm Optimization for Spoken Word Recognition", IEEE Trans. ASSP 26, 1978, with free ends
// in the longer recording). In step they are put by their waveforms where these are those of one performance, by how
// their first word sets in where it was said again.
package takes

import (
	"cmp"
	"context"
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Recording is one that is looked into.
type Recording struct {
	Analysis *analysis.Recording
	Sound    pcm.ReaderAt
}

// A Match is where the other recording says the same.
type Match struct {
	Span        pcm.Span `json:"span"`        // of the other recording
	Shift       int64    `json:"shift"`       // its sample that lies where sample 0 of the first one does
	Alike       float64  `json:"alike"`       // 0, as what has nothing to do with it, to 1
	Same        bool     `json:"same"`        // one performance, heard by another microphone
	Correlation float64  `json:"correlation"` // of the waveforms in step
}

const (
	merged     = 2    // frames of an analysis that are one here
	mostDB     = 35   // above the background; louder is as loud
	talksDB    = 8    // above it, in the mean of the bands: something is said
	risesOver  = 2    // frames to either side over which a level rises
	riseCounts = 0.5  // against how the bands lie
	scaleDB    = 10   // a difference of so much in all bands counts 1
	unlike     = 0.45 // apart are sounds that have nothing to do with one another, or more
	leastLike  = 0.5  // of what is a match
	leastSaid  = 5    // frames, without which there is nothing to look for
	mostS      = 30   // of what is looked for; more of it tells no more
)

// course is a stretch of a recording in frames, band by band, in dB against the band's level where something is said.
type course struct {
	hop   int64 // samples
	x     []float32
	n     int
	talks int                     // frames in which something is said
	floor [analysis.Bands]float32 // the background of each band, as x is
	rise  []float32               // of the level, see shape
}

func (c *course) of(i int) []float32 { return c.x[i*analysis.Bands : (i+1)*analysis.Bands] }

// courseOf gives a stretch of a recording in frames.
func courseOf(a *analysis.Recording, s pcm.Span) (*course, error) {
	f, err := a.Frames(s)
	if err != nil {
		return nil, err
	}
	under, err := a.Background(pcm.Span{To: a.Length})
	if err != nil {
		return nil, err
	}
	c := &course{hop: merged * f.Hop, n: f.Count / merged}
	c.x = make([]float32, c.n*analysis.Bands)
	loudest := 0.0
	for _, p := range f.Bands {
		loudest = max(loudest, float64(p))
	}
	var said [analysis.Bands][]float32
	for i := range c.n {
		row, above := c.of(i), 0.0
		for b := range row {
			power := 0.0
			for k := range merged {
				power += float64(f.Of(i*merged + k)[b]) / merged
			}
			floor := max(under.Bands[b], loudest*1e-6, 1e-14)
			c.floor[b] = float32(level.OfPower(floor))
			row[b] = float32(level.OfPower(max(power, floor)))
			above += float64(row[b]-c.floor[b]) / analysis.Bands
		}
		if above < talksDB {
			continue
		}
		c.talks++
		for b, v := range row {
			said[b] = append(said[b], v)
		}
	}
	for b, list := range said {
		if len(list) == 0 {
			continue
		}
		slices.Sort(list)
		top := list[len(list)*9/10]
		c.floor[b] -= top
		for i := range c.n {
			c.of(i)[b] -= top
		}
	}
	return c, nil
}

// levelled lets both courses see no deeper than the one that sees less, and gives how much each band tells then.
func levelled(a, b *course) (weight [analysis.Bands]float32) {
	sum := float32(0)
	for k := range weight {
		floor := min(0, max(-mostDB, a.floor[k], b.floor[k]))
		for _, c := range []*course{a, b} {
			for i := range c.n {
				c.of(i)[k] = max(floor, c.of(i)[k]) / scaleDB
			}
		}
		weight[k] = -floor
		sum -= floor
	}
	for k := range weight {
		weight[k] /= max(1e-6, sum)
	}
	a.shape()
	b.shape()
	return weight
}

// shape leaves of each frame how its bands lie to one another, and how its level rises or falls: a take may be farther
// from its microphone than the rest of its recording.
func (c *course) shape() {
	means := make([]float32, c.n)
	for i := range c.n {
		for _, v := range c.of(i) {
			means[i] += v / analysis.Bands
		}
		for k := range c.of(i) {
			c.of(i)[k] -= means[i]
		}
	}
	c.rise = make([]float32, c.n)
	for i := range c.n {
		c.rise[i] = means[min(c.n-1, i+risesOver)] - means[max(0, i-risesOver)]
	}
}

// apart is how far frame i of a is from frame j of b.
func apart(a, b *course, i, j int, weight *[analysis.Bands]float32) float32 {
	rise := a.rise[i] - b.rise[j]
	sum := rise * rise * riseCounts
	x, y := a.of(i), b.of(j)
	for k, v := range x {
		d := v - y[k]
		sum += weight[k] * d * d
	}
	return sum
}

// path is one way through both courses, as it is made: what it has cost, and where in the other it began.
type path struct {
	cost  float32
	start int32
}

// ends gives for each frame of b what the best path that says all of a and ends there costs a frame, and its start.
func ends(ctx context.Context, a, b *course) ([]path, error) {
	rows := [3][]path{}
	apartOf := [2][]float32{}
	for i := range rows {
		rows[i] = make([]path, b.n)
	}
	for i := range apartOf {
		apartOf[i] = make([]float32, b.n)
	}
	weight := levelled(a, b)
	far := path{cost: math.MaxFloat32 / 4}
	for i := range a.n {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		now, one, two := rows[i%3], rows[(i+2)%3], rows[(i+1)%3]
		d, before := apartOf[i%2], apartOf[(i+1)%2]
		for j := range b.n {
			d[j] = apart(a, b, i, j, &weight)
			if i == 0 {
				now[j] = path{d[j], int32(j)}
				continue
			}
			best := far
			if j > 0 {
				best = one[j-1]
				if i > 1 {
					if p := two[j-1]; p.cost+before[j] < best.cost {
						best = path{p.cost + before[j], p.start}
					}
				}
			}
			if j > 1 && one[j-2].cost < best.cost {
				best = one[j-2]
			}
			now[j] = path{best.cost + d[j], best.start}
		}
	}
	last := rows[(a.n-1)%3]
	for j := range last {
		last[j].cost /= float32(a.n)
	}
	return last, nil
}

// Find finds where b says what a says in a stretch: at most so many places, the likest first. Nothing that lies over
// the stretch itself is found where both are one recording, which same tells.
func Find(ctx context.Context, a Recording, said pcm.Span, b Recording, same bool, most int) ([]Match, error) {
	if limit := int64(a.Analysis.Rate) * mostS; said.Len() > limit {
		said.To = said.From + limit
	}
	words, err := a.Analysis.Spoken(said)
	if err != nil {
		return nil, err
	}
	look := said
	if len(words) > 0 { // without the pauses around it
		look = pcm.Span{From: max(said.From, words[0].From), To: min(said.To, words[len(words)-1].To)}
	}
	from, err := courseOf(a.Analysis, look)
	if err != nil {
		return nil, err
	}
	in, err := courseOf(b.Analysis, pcm.Span{To: b.Analysis.Length})
	if err != nil || from.talks < leastSaid || in.n < from.n/2 {
		return nil, err
	}
	all, err := ends(ctx, from, in)
	if err != nil {
		return nil, err
	}
	order := make([]int, len(all))
	for j := range order {
		order[j] = j
	}
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(all[x].cost, all[y].cost) })
	var found []Match
	for _, j := range order {
		like := 1 - float64(all[j].cost)/unlike
		if len(found) == most || like < leastLike {
			break
		}
		at := pcm.Span{From: int64(all[j].start) * in.hop, To: int64(j+1) * in.hop}
		overlaps := func(m Match) bool { return m.Span.Overlaps(at) }
		if slices.ContainsFunc(found, overlaps) || same && at.Overlaps(look) {
			continue
		}
		m, err := Align(ctx, a, look, b, at.From-look.From)
		if err != nil {
			return nil, err
		}
		m.Span, m.Alike = at, like
		found = append(found, m)
	}
	return found, nil
}

const (
	alignMS  = 90  // by how much the place that was found may be off
	phaseMS  = 4   // and where the word sets in
	aheadMS  = 150 // of where a word sets in, and
	behindMS = 250 // behind it: what is compared there
	wordMS   = 60  // and for its waves
	longS    = 4   // of one performance
	sameFrom = 0.6 // correlation of what is one performance
)

// Align puts b in step with a stretch of a, which shift does within alignMS.
func Align(ctx context.Context, a Recording, said pcm.Span, b Recording, shift int64) (m Match, err error) {
	if err := ctx.Err(); err != nil {
		return m, err
	}
	rate := int64(a.Analysis.Rate)
	ms := func(n int64) int64 { return n * rate / 1000 }
	long := pcm.Span{From: said.From, To: min(said.To, said.From+longS*rate)}
	x, y, err := sides(a, long, b, shift)
	if err != nil {
		return m, err
	}
	lag, r := measure.BestOffset(x, y, int(ms(alignMS)))
	m = Match{Span: said.Add(shift), Shift: shift + int64(lag), Same: r >= sameFrom, Correlation: r}
	if m.Same {
		return m, nil
	}
	words, err := a.Analysis.Spoken(said)
	if err != nil {
		return m, err
	}
	onset := said.From
	if len(words) > 0 {
		onset = words[0].From
	}
	around := pcm.Span{From: onset - ms(aheadMS+alignMS), To: onset + ms(behindMS+alignMS)}
	if x, y, err = sides(a, around, b, shift); err != nil {
		return m, err
	}
	lag = setsIn(x, y, int(ms(1)), alignMS)
	m.Shift = shift + int64(lag)
	word := pcm.Span{From: onset - ms(phaseMS), To: onset + ms(wordMS+phaseMS)}
	if x, y, err = sides(a, word, b, m.Shift); err != nil {
		return m, err
	}
	lag, m.Correlation = measure.BestOffset(x, y, int(ms(phaseMS)))
	m.Shift += int64(lag)
	return m, nil
}

// sides are a stretch of a, and what of b lies there, as mono.
func sides(a Recording, at pcm.Span, b Recording, shift int64) (x, y []float64, err error) {
	one, err := pcm.Read(a.Sound, at)
	if err != nil {
		return nil, nil, err
	}
	two, err := pcm.Read(b.Sound, at.Add(shift))
	return measure.Mono(one), measure.Mono(two), err
}

// setsIn is by how many samples y lies later than x, by their levels in steps of so many samples.
func setsIn(x, y []float64, step, most int) int {
	levels := func(v []float64) []float64 {
		list := make([]float64, len(v)/step)
		top := -300.0
		for i := range list {
			sum := 0.0
			for _, s := range v[i*step : (i+1)*step] {
				sum += s * s
			}
			list[i] = level.OfPower(max(1e-14, sum/float64(step)))
			top = max(top, list[i])
		}
		mean := 0.0
		for i := range list {
			list[i] = max(list[i], top-40)
			mean += list[i] / float64(len(list))
		}
		for i := range list {
			list[i] -= mean
		}
		return list
	}
	lag, _ := measure.BestOffset(levels(x), levels(y), most)
	return lag * step
}
