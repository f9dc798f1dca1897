// Package openings finds where words could lie in music and effects: stretches that are quiet, that have no voice where
// others have one, or into which the level rises, so that words before it have their place.
package openings

import (
	"cmp"
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Kind is why words could lie somewhere.
type Kind string

// The kinds of openings.
const (
	Quiet   Kind = "quiet"    // softer than the rest
	NoVoice Kind = "no_voice" // somebody sings or speaks elsewhere, and not here
	Rise    Kind = "rise"     // the level grows all the way through it
)

// An Opening is a stretch of a recording where words could lie, in its samples.
type Opening struct {
	pcm.Span
	Kind Kind
	DB   float64 // by how much it is softer than the rest, or grows
}

// Limits of openings (common practice, no source).
const (
	leastS   = 1.2 // a short line
	quietDB  = 6.0 // softer than the rest
	riseDB   = 6.0 // from its beginning to its end
	riseS    = 2.0
	risingMS = 400 // over which the level is taken
	voiceS   = 1.0 // of voice that there must be for its absence to count
	besideS  = 0.2 // kept free beside a voice
)

// Find returns the openings of a stretch of a recording in order of time, of which none overlap: where one is quiet and
// without a voice, it counts as quiet. The rest of the stretch is the median of its levels over 400 ms. It fails as
// reading the frames does.
func Find(a *analysis.Recording, span pcm.Span) ([]Opening, error) {
	f, err := a.Frames(span)
	if err != nil || f.Count == 0 {
		return nil, err
	}
	smooth := levels(f)
	sorted := slices.Clone(smooth)
	slices.Sort(sorted)
	usual := sorted[len(sorted)/2]
	at := func(i int) int64 { return (f.First+int64(i))*f.Hop + f.Hop/2 }
	rate := float64(a.Rate)
	var list []Opening
	add := func(o Opening, least float64) {
		free := func(x Opening) bool { return x.Overlaps(o.Span) }
		if float64(o.Len()) >= least*rate && !slices.ContainsFunc(list, free) {
			list = append(list, o)
		}
	}
	for _, r := range runs(len(smooth), func(i int) bool { return smooth[i] <= usual-quietDB }) {
		mean := 0.0
		for _, db := range smooth[r[0]:r[1]] {
			mean += (usual - db) / float64(r[1]-r[0])
		}
		add(Opening{pcm.Span{From: at(r[0]), To: at(r[1])}, Quiet, mean}, leastS)
	}
	for _, o := range voiceless(a, span) {
		add(o, leastS)
	}
	for _, r := range rises(smooth, f.Hop, rate) {
		add(Opening{pcm.Span{From: at(r[0]), To: at(r[1])}, Rise, smooth[r[1]-1] - smooth[r[0]]}, riseS)
	}
	slices.SortFunc(list, func(a, b Opening) int { return cmp.Compare(a.From, b.From) })
	return list, nil
}

// levels are the levels of frames over risingMS around each, dBFS.
func levels(f analysis.Frames) []float64 {
	const half = risingMS / analysis.HopMS / 2
	sums := make([]float64, f.Count+1)
	for i := range f.Count {
		sums[i+1] = sums[i] + float64(f.Level[i])
	}
	out := make([]float64, f.Count)
	for i := range out {
		low, high := max(0, i-half), min(f.Count, i+half+1)
		out[i] = math.Max(-100, level.OfPower((sums[high]-sums[low])/float64(high-low)))
	}
	return out
}

// runs are the stretches of indices, to one before the second, of which all are so.
func runs(n int, is func(i int) bool) (list [][2]int) {
	for i := 0; i < n; i++ {
		if from := i; is(i) {
			for i < n && is(i) {
				i++
			}
			list = append(list, [2]int{from, i})
		}
	}
	return list
}

// voiceless are the stretches without a voice of one that has one.
func voiceless(a *analysis.Recording, span pcm.Span) (list []Opening) {
	beside := int64(besideS * float64(a.Rate))
	said, from := int64(0), span.From
	for _, p := range a.Within(span) {
		if p.Kind != speech.Word {
			continue
		}
		on := p.Span.Intersect(span)
		said += on.Len()
		list = append(list, Opening{pcm.Span{From: from, To: on.From - beside}, NoVoice, 0})
		from = on.To + beside
	}
	list = append(list, Opening{pcm.Span{From: from, To: span.To}, NoVoice, 0})
	if float64(said) < voiceS*float64(a.Rate) {
		return nil
	}
	return list
}

// rises are the longest stretches over which the level grows by riseDB and more, and falls by no more than 1 dB.
func rises(db []float64, hop int64, rate float64) (list [][2]int) {
	for i := 0; i < len(db); {
		top, end := db[i], i
		for k := i + 1; k < len(db) && db[k] > top-1; k++ {
			if db[k] > top {
				top, end = db[k], k
			}
		}
		for end > i && db[end-1] > top-1 { // where it has come to its top
			end--
		}
		if db[end]-db[i] >= riseDB && float64(int64(end-i)*hop) >= riseS*rate {
			list = append(list, [2]int{i, end + 1})
			i = end
		}
		i++
	}
	return list
}
