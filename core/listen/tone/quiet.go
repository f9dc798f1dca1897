package tone

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Quiet is a stretch of a recording in which nothing but its room is heard.
type Quiet struct {
	Span     pcm.Span  `json:"span"`
	LevelDB  float64   `json:"level_db"`  // RMS above 30 Hz, dBFS
	SpreadDB float64   `json:"spread_db"` // standard deviation of the levels of 20 ms
	Thirds   []float64 `json:"thirds"`    // third-octave levels, dBFS
}

// Beside words and breaths so much is left out, in milliseconds, more in a longer pause: sounds that come up slowly,
// and the decay of the room.
var beside = struct{ before, after [2]int64 }{before: [2]int64{180, 220}, after: [2]int64{340, 430}}

// A quiet stretch is at least so long, in milliseconds.
const leastQuietMS = 120

// What comes and goes by more than this, as the standard deviation of its levels in dB, is no room: it may be speech
// without a pause, of which nothing stands out.
const mostSpreadDB = 4.5

// A cell is 100 ms of a pause: its levels in wide bands, and its loudest moment.
type quietCell struct {
	span  pcm.Span
	marks []float64 // dB
}

// Find gives the quiet stretches of a sound, in order of time. Left out are words and breaths with what surrounds them,
// and whatever in the pauses stands out of them: 100 ms that lie above the pauses' median, in one of five bands or in
// their loudest moment, by more than four times their spread.
func Find(b pcm.Block, rate int) []Quiet {
	mono := measure.Mono(b)
	words, frames := speech.Find(mono, rate)
	return FindOutside(b, mono, rate, words, frames)
}

// FindOutside is Find where the mean of the sound's channels is known, its words, and its frames.
func FindOutside(b pcm.Block, mono []float64, rate int, words speech.Heard, frames *speech.Frames) []Quiet {
	ms := func(n int64) int64 { return n * int64(rate) / 1000 }
	pauses := pausesOf(words, b.Len(), ms)
	var cells []quietCell
	window := ms(100)
	powers := make([]float64, frames.Bands)
	for _, p := range pauses {
		for at := p.From; at+window <= p.To; at += ms(50) {
			clear(powers)
			first, last := frames.At(at), min(frames.At(at+window-ms(10)), len(frames.LevelDB)-1)
			for i := first; i <= last; i++ {
				for k, v := range frames.Of(i) {
					powers[k] += v / float64(last-first+1)
				}
			}
			cells = append(cells, quietCell{pcm.Span{From: at, To: at + window}, marksOf(powers, mono[at:at+window], rate)})
		}
	}
	usual := usualMarks(cells)
	var list []Quiet
	for _, p := range pauses {
		run := pcm.Span{From: p.From, To: p.From}
		flush := func() {
			if run.Len() < ms(leastQuietMS) {
				return
			}
			if q := quietOf(b, run, rate); q.SpreadDB < mostSpreadDB {
				list = append(list, q)
			}
		}
		for _, c := range cells {
			if !c.span.In(p) {
				continue
			}
			if usual.standsOut(c.marks) {
				run.To = min(run.To, c.span.From)
				flush()
				run = pcm.Span{From: c.span.To, To: c.span.To}
				continue
			}
			run.To = max(run.To, c.span.To)
		}
		flush()
	}
	return list
}

// pausesOf are the pauses between words and breaths, without what lies beside these.
func pausesOf(f speech.Heard, length int64, ms func(int64) int64) (list []pcm.Span) {
	at, spoken := int64(0), false
	for i := range len(f.Parts) + 1 {
		next, speaks := length, false
		if i < len(f.Parts) {
			next, speaks = f.Parts[i].Span.From, true
		}
		p := pcm.Span{From: at, To: next}
		if n := p.Len(); spoken {
			p.From += max(ms(beside.after[0]), min(ms(beside.after[1]), n*4/10))
		}
		if n := next - at; speaks {
			p.To -= max(ms(beside.before[0]), min(ms(beside.before[1]), n/4))
		}
		if !p.Empty() {
			list = append(list, p)
		}
		if speaks {
			at, spoken = f.Parts[i].Span.To, true
		}
	}
	return list
}

// marksOf are the levels of a cell, in dB: of groups of four third-octaves, and of its steepest and its loudest 2 ms.
func marksOf(powers, v []float64, rate int) (marks []float64) {
	for group := range slices.Chunk(powers, 4) {
		sum := 1e-15
		for _, p := range group {
			sum += p
		}
		marks = append(marks, level.OfPower(sum))
	}
	n := rate / 500
	steep, loud := 1e-8, 1e-8
	for at := 1; at+n <= len(v); at += n {
		d, l := 0.0, 0.0
		for i := at; i < at+n; i++ {
			d += (v[i] - v[i-1]) * (v[i] - v[i-1])
			l += v[i] * v[i]
		}
		steep, loud = max(steep, math.Sqrt(d/float64(n))), max(loud, math.Sqrt(l/float64(n)))
	}
	return append(marks, level.DB(steep), level.DB(loud))
}

// usualMarks has the median of each mark, and how far above it one may lie.
type usual struct{ median, bears []float64 }

func usualMarks(cells []quietCell) (u usual) {
	if len(cells) == 0 {
		return u
	}
	n := len(cells[0].marks)
	for m := range n {
		var v []float64
		for _, c := range cells {
			v = append(v, c.marks[m])
		}
		median := measure.Percentile(v, 0.5)
		for i := range v {
			v[i] = math.Abs(v[i] - median)
		}
		least := 2.0
		if m >= n-2 {
			least = 4
		}
		u.median, u.bears = append(u.median, median), append(u.bears, max(least, 4*1.4826*measure.Percentile(v, 0.5)))
	}
	return u
}

func (u usual) standsOut(marks []float64) bool {
	for m, v := range marks {
		if v > u.median[m]+u.bears[m] {
			return true
		}
	}
	return false
}

func quietOf(b pcm.Block, span pcm.Span, rate int) Quiet {
	part := b.Slice(span.From, span.To)
	q := Quiet{Span: span, LevelDB: LevelDB(part, rate), Thirds: Thirds(b, []pcm.Span{span}, rate)}
	levels := measure.FrameLevels(part, rate)
	mean := 0.0
	for _, l := range levels {
		mean += l / float64(len(levels))
	}
	for _, l := range levels {
		q.SpreadDB += (l - mean) * (l - mean) / float64(len(levels))
	}
	q.SpreadDB = math.Sqrt(q.SpreadDB)
	return q
}

// Mean are the level and the third-octaves of some quiet stretches as one: the means of their powers, in dBFS. Of
// none they are level.Silence and nil.
func Mean(list []Quiet) (levelDB float64, thirds []float64) {
	power, n := 0.0, 0.0
	for _, q := range list {
		weight := float64(q.Span.Len())
		power, n = power+level.Power(q.LevelDB)*weight, n+weight
		if thirds == nil {
			thirds = make([]float64, len(q.Thirds))
		}
		for i, v := range q.Thirds {
			thirds[i] += level.Power(v) * weight
		}
	}
	if n == 0 {
		return level.Silence, nil
	}
	for i := range thirds {
		thirds[i] = math.Round(100*level.OfPower(thirds[i]/n)) / 100
	}
	return level.OfPower(power / n), thirds
}

// LevelDB is the RMS level of a sound without what lies below 30 Hz, dBFS.
func LevelDB(b pcm.Block, rate int) float64 {
	own := make(pcm.Block, len(b))
	for c := range b {
		own[c] = speech.WithoutDrift(b[c], int64(rate))
	}
	return measure.RMSDB(own)
}

// A Side is the room on one side of a hole.
type Side struct {
	LevelDB float64   `json:"level_db"`
	Thirds  []float64 `json:"thirds"`
}

// A Candidate is a quiet stretch that could fill a hole, and why.
type Candidate struct {
	Quiet
	Reasons []string `json:"reasons"`
	LevelBy float64  `json:"level_by_db"` // how far its level lies from that of the sides, dB
	Colour  float64  `json:"colour_db"`   // how far its colour lies from that of the nearer side, dB
	AwayS   float64  `json:"away_s"`      // how far it lies from the hole, seconds; below 0 if in another recording
	cost    float64
}

// Rank orders quiet stretches by how well they fit a hole: likeness of level and colour to both its sides, steadiness,
// length, and how near they lie. away gives the distance of a stretch in seconds, below 0 for one of another recording.
func Rank(list []Quiet, sides []Side, seconds float64, rate int, away func(Quiet) float64) []Candidate {
	var out []Candidate
	for _, q := range list {
		c := Candidate{Quiet: q, AwayS: away(q), LevelBy: math.Inf(1), Colour: math.Inf(1)}
		for _, s := range sides {
			if d := q.LevelDB - s.LevelDB; math.Abs(d) < math.Abs(c.LevelBy) {
				c.LevelBy = d
			}
			c.Colour = min(c.Colour, ColourDB(q.Thirds, s.Thirds))
		}
		length := float64(q.Span.Len()) / float64(rate)
		short := max(0, math.Log2(min(1.5, max(0.7, seconds))/length))
		c.cost = short + max(0, q.SpreadDB-1)/2
		if len(sides) > 0 {
			c.cost += math.Abs(c.LevelBy)/2 + c.Colour/1.5
		}
		if c.AwayS >= 0 {
			c.cost += min(2, c.AwayS/10)
		} else {
			c.cost += 2.5
		}
		if c.Reasons = c.reasons(length); len(sides) == 0 {
			c.LevelBy, c.Colour = 0, 0 // there is nothing to be like
		}
		out = append(out, c)
	}
	slices.SortStableFunc(out, func(a, b Candidate) int { return cmp.Compare(a.cost, b.cost) })
	return out
}

// Similar are those of some quiet stretches of one recording that go together with the first: as loud within 1 dB and
// coloured like it within 2 dB, up to so many samples in all.
func Similar(list []Quiet, most int64) (out []Quiet) {
	n := int64(0)
	for _, q := range list {
		if math.Abs(q.LevelDB-list[0].LevelDB) < 1 && ColourDB(q.Thirds, list[0].Thirds) < 2 && n < most {
			out = append(out, q)
			n += q.Span.Len()
		}
	}
	return out
}

// EnoughS is how much material, in seconds, a tone is made from where there is as much that is alike.
const EnoughS = 4

// Cost is how badly the stretch fits, 0 for not at all badly.
func (c Candidate) Cost() float64 { return c.cost }

func (c Candidate) reasons(length float64) []string {
	list := []string{fmt.Sprintf("%.2f s without voice, breath or bump", length)}
	switch by := math.Abs(c.LevelBy); {
	case math.IsInf(by, 0):
	case by < 0.5:
		list = append(list, "as loud as the room beside the hole")
	default:
		list = append(
			list,
			fmt.Sprintf("%.1f dB %s than the room beside the hole", by, either(c.LevelBy < 0, "quieter", "louder")),
		)
	}
	if !math.IsInf(c.Colour, 0) {
		list = append(
			list,
			either(
				c.Colour < 1.5,
				fmt.Sprintf("coloured like it, within %.1f dB", c.Colour),
				fmt.Sprintf("coloured otherwise by %.1f dB", c.Colour),
			),
		)
	}
	list = append(
		list,
		fmt.Sprintf("%s, levels spread by %.1f dB", either(c.SpreadDB < 1.5, "steady", "not quite steady"), c.SpreadDB),
	)
	if c.AwayS >= 0 {
		list = append(list, fmt.Sprintf("%.1f s from the hole", c.AwayS))
	}
	return list
}

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}

// ColourDB is how far two colours differ when their levels are made equal: the root mean square of the differences of
// their third-octaves from 125 Hz to 8 kHz, in dB.
func ColourDB(a, b []float64) float64 {
	if len(a) == 0 || len(a) != len(b) {
		return 0
	}
	const low, high = 6, 25 // 125 Hz and 8 kHz
	mean, square := 0.0, 0.0
	for i := low; i < high; i++ {
		mean += (b[i] - a[i]) / (high - low)
	}
	for i := low; i < high; i++ {
		d := b[i] - a[i] - mean
		square += d * d / (high - low)
	}
	return math.Sqrt(square)
}
