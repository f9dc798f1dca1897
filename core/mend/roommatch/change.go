package roommatch

import (
	"context"
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/meter"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A background that changes, as when rain begins or a fan is turned off, is taken to go over between two rooms: its
// power at a moment is that of the lower one and a share of what the higher one has more. The share is measured in
// pieces of the pauses, cellMS long, and goes in straight lines between them, under the words.
const (
	cellMS     = 250
	beyondS    = 0.5 // of what lies outside a clip is looked at
	leastCells = 6   // in all, and leastEnd in each of the two rooms
	leastEnd   = 3
	leastOfEnd = 0.2 // a piece with a share of less, or of more than 1 less this, is one of those
	changeDB   = 2.5 // apart at least
	smoothed   = 1   // pieces to either side
	bendShare  = 0.04
)

// A cell is a piece of a pause.
type cell struct {
	span  pcm.Span
	bands []float64
	share float64
}

// changes finds out which recordings have a background that changes within their clips, and gives those its rooms.
func changes(ctx context.Context, m *meter.Meter, list []taking) error {
	for _, all := range byRecording(list) {
		if err := change(ctx, m, list, all); err != nil {
			return err
		}
	}
	return nil
}

func change(ctx context.Context, m *meter.Meter, list []taking, all []int) error {
	first := list[all[0]]
	a, sound, err := recordingOf(ctx, m, first.clip)
	if err != nil {
		return err
	}
	beyond := int64(beyondS * float64(a.Rate))
	var spans []pcm.Span
	for _, i := range all {
		c := list[i].clip
		if len(c.Level) > 0 || list[i].room.Bands == nil {
			return nil
		}
		spans = append(spans, pcm.Span{From: c.In - beyond, To: c.In + c.Length + beyond}.Intersect(pcm.Span{To: a.Length}))
	}
	cells, err := cellsIn(a, pcm.Union(spans))
	if err != nil || !shares(cells) {
		return err
	}
	hum := frequencies(first.room.Hum)
	spectrum := func(of func(share float64) bool) (ambience.Spectrum, float64, error) {
		var sounds [][]float64
		seconds := 0.0
		for _, s := range runs(cells, of) {
			if seconds > mostS {
				break
			}
			b, err := pcm.Read(sound, s)
			if err != nil {
				return nil, 0, err
			}
			sounds = append(sounds, measure.Mono(b))
			seconds += float64(s.Len()) / float64(a.Rate)
		}
		return ambience.Analyze(sounds, a.Rate, hum).Smooth(), seconds, nil
	}
	low, lowS, err := spectrum(func(share float64) bool { return share < leastOfEnd })
	if err != nil {
		return err
	}
	high, highS, err := spectrum(func(share float64) bool { return share > 1-leastOfEnd })
	if err != nil || apart(low.Thirds(), high.Thirds()) < changeDB {
		return err
	}
	course := courseOf(cells)
	for _, i := range all {
		r := &list[i].room
		r.Bands, r.Later, r.Course, r.Seconds, r.Hum = low, high, course, lowS+highS, first.room.Hum
	}
	return nil
}

// cellsIn are the pieces of the quiet stretches in some spans of a recording.
func cellsIn(a *analysis.Recording, spans []pcm.Span) (list []cell, err error) {
	length := cellMS * int64(a.Rate) / 1000
	for _, s := range spans {
		for _, q := range a.QuietsIn(s) {
			for at := q.Span.From; at+length <= q.Span.To; at += length {
				span := pcm.Span{From: at, To: at + length}
				f, err := a.Frames(span)
				if err != nil {
					return nil, err
				}
				c := cell{span: span, bands: make([]float64, analysis.Bands)}
				for i := range f.Count {
					for b, p := range f.Of(i) {
						c.bands[b] += float64(p) / float64(f.Count)
					}
				}
				list = append(list, c)
			}
		}
	}
	return list, nil
}

// shares finds the two rooms that the cells go over between, and how far each has gone; false if there is one room.
func shares(cells []cell) bool {
	if len(cells) < leastCells {
		return false
	}
	var low, high []float64
	least, most := math.Inf(1), math.Inf(-1)
	for i := range cells {
		mean, db := meanOf(cells[max(0, i-smoothed):min(len(cells), i+smoothed+1)]), 0.0
		for _, p := range mean {
			db += level.OfPower(p + 1e-15)
		}
		if db < least {
			least, low = db, mean
		}
		if db > most {
			most, high = db, mean
		}
	}
	for range 3 {
		if apart(low, high) < changeDB {
			return false
		}
		var lows, highs []cell
		for i := range cells {
			c := &cells[i]
			c.share = shareOf(c.bands, low, high)
			if c.share < leastOfEnd {
				lows = append(lows, *c)
			} else if c.share > 1-leastOfEnd {
				highs = append(highs, *c)
			}
		}
		if min(len(lows), len(highs)) < leastEnd {
			return false
		}
		low, high = meanOf(lows), meanOf(highs)
	}
	return apart(low, high) >= changeDB
}

// meanOf is the mean of the powers of some cells.
func meanOf(cells []cell) []float64 {
	mean := make([]float64, analysis.Bands)
	for _, c := range cells {
		for b, p := range c.bands {
			mean[b] += p
		}
	}
	for b := range mean {
		mean[b] /= float64(len(cells))
	}
	return mean
}

// shareOf is how far powers have gone from one room to another, by least squares, each band weighed as its level goes.
func shareOf(bands, low, high []float64) float64 {
	up, down := 0.0, 0.0
	for b, p := range bands {
		w := 1 / (low[b] + high[b] + 1e-15)
		d := (high[b] - low[b]) * w
		up, down = up+(p-low[b])*w*d, down+d*d
	}
	return max(0, min(1, up/down))
}

// runs are the stretches whose cells have such a share.
func runs(cells []cell, of func(share float64) bool) (list []pcm.Span) {
	for _, c := range cells {
		if !of(c.share) {
			continue
		}
		if n := len(list); n > 0 && list[n-1].To == c.span.From {
			list[n-1].To = c.span.To
		} else {
			list = append(list, c.span)
		}
	}
	return list
}

// courseOf is the course of the shares, smoothed over neighbours, with no more points than it needs.
func courseOf(cells []cell) (list []recipe.Share) {
	points := make([]recipe.Share, len(cells))
	for i, c := range cells {
		sum, count := 0.0, 0.0
		for k := max(0, i-smoothed); k <= min(len(cells)-1, i+smoothed); k++ {
			if d := cells[k].span.From - c.span.From; max(d, -d) <= smoothed*c.span.Len() {
				sum, count = sum+cells[k].share, count+1
			}
		}
		points[i] = recipe.Share{At: (c.span.From + c.span.To) / 2, Share: math.Round(1e3*sum/count) / 1e3}
	}
	for bend := bendShare; list == nil || len(list) > mostShares; bend *= 2 {
		list = straightened(points, bend)
	}
	return list
}

// mostShares is how many points a course has at most.
const mostShares = 500

// straightened leaves out the points that lie within off of the straight line between those that stay.
func straightened(points []recipe.Share, off float64) []recipe.Share {
	if len(points) < 3 {
		return points
	}
	a, b := points[0], points[len(points)-1]
	worst, at := off, 0
	for i, p := range points[1 : len(points)-1] {
		x := float64(p.At-a.At) / float64(b.At-a.At)
		if d := math.Abs(p.Share - a.Share - x*(b.Share-a.Share)); d > worst {
			worst, at = d, i+1
		}
	}
	if at == 0 {
		return []recipe.Share{a, b}
	}
	left := straightened(points[:at+1], off)
	return append(left[:len(left)-1:len(left)-1], straightened(points[at:], off)...)
}
