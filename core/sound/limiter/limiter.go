// Package limiter keeps sound under a true peak: a Finder says where a stream passes it, and the Plan that it gives
// turns those places down, looking ahead, and no sample elsewhere. A plan is found once; any range that it is used on
// is the same bits as of the whole.
//
// The gain falls over the AttackMS before a peak along a raised cosine, is as low as it must be at the peak, and rises
// again by ReleaseDB a second. It never lies above what a peak asks for: what is smoothed is the least of a window as
// wide as the smoothing, whose mean cannot be more (D. Giannoulis, M. Massberg, J. D. Reiss, "Digital Dynamic Range
// Compressor Design", J. Audio Eng. Soc. 60(6), 2012, for the shapes; the moving minimum before a smoothing of finite
// length is common practice, no source).
package limiter

import (
	"math"
	"slices"

	"blendseam/core/refuse"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

const (
	// AttackMS is how far ahead a peak is met, in milliseconds.
	AttackMS = 5
	// ReleaseDB is how fast the gain rises after a peak, in dB a second.
	ReleaseDB = 40
	// deepest is the reduction that rises again along a slope; what is deeper jumps up to it. No sound that was
	// mixed comes near it.
	deepest = 60
	// group is how many samples share what they ask for.
	group = 16
	// margin, in dB, is kept free for what the turning itself does between samples.
	margin = 0.02
)

// A need is a group of samples that passes the ceiling.
type need struct {
	at int64   // the group
	db float64 // the gain that it asks for, below 0
}

// A Plan turns sound down where it would pass a ceiling.
type Plan struct {
	CeilingDBTP float64
	rate        int
	needs       []need    // in order of time
	shape       []float64 // of the smoothing; they add to 1
}

// A Place is a stretch in which the gain is turned down.
type Place struct {
	Span      pcm.Span
	At        int64   // where most
	ReducedDB float64 // by how much there, above 0
}

// A Finder looks for what passes a ceiling in a stream of blocks, each of which goes on where the one before ended.
type Finder struct {
	plan *Plan
	most float64     // amplitude that may stand
	at   int64       // sample of the stream that kept begins with
	kept [][]float64 // samples that are not judged yet, and those that their interpolation needs
}

// NewFinder gives a finder for sound of a rate and so many channels, whose first block will begin at a sample, and a
// ceiling in dB of true peak, 0 or below. It fails at a ceiling above 0 or below -30.
func NewFinder(rate, channels int, from int64, ceilingDBTP float64) (*Finder, error) {
	if err := Check(ceilingDBTP); err != nil {
		return nil, err
	}
	n := int(math.Ceil(AttackMS * float64(rate) / 1000 / group))
	shape := make([]float64, n+1)
	sum := 0.0
	for i := range shape {
		shape[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n+1))
		sum += shape[i]
	}
	for i := range shape {
		shape[i] /= sum
	}
	start := pcm.Floor(from, group)*group - measure.AroundPeak
	f := &Finder{
		plan: &Plan{CeilingDBTP: ceilingDBTP, rate: rate, shape: shape},
		most: level.Amplitude(ceilingDBTP - margin),
		at:   start,
		kept: make([][]float64, channels),
	}
	for c := range f.kept {
		f.kept[c] = make([]float64, from-start) // silence
	}
	return f, nil
}

// Add takes the next samples.
func (f *Finder) Add(b pcm.Block) {
	for c := range f.kept {
		f.kept[c] = append(f.kept[c], b[c]...)
	}
	f.judge()
}

// judge looks at every group that lies in what is kept with all that its interpolation needs.
func (f *Finder) judge() {
	const around = measure.AroundPeak
	n := int64(len(f.kept[0]))
	done := int64(0)
	for ; done+group+2*around <= n; done += group {
		most := 0.0
		for _, ch := range f.kept {
			most = max(most, measure.OversampledPeak(ch[done:done+group+2*around], f.most))
		}
		if most > f.most {
			f.plan.needs = append(f.plan.needs, need{pcm.Floor(f.at+done+around, group), level.DB(f.most / most)})
		}
	}
	for c := range f.kept {
		f.kept[c] = append(f.kept[c][:0], f.kept[c][done:]...)
	}
	f.at += done
}

// Plan gives the plan, the stream being silent after what was added.
func (f *Finder) Plan() *Plan {
	f.Add(pcm.NewBlock(len(f.kept), 2*measure.AroundPeak+group))
	return f.plan
}

// Reach gives how many samples before and after a range have to be known for its gains to be those of the whole.
func Reach(rate int) (before, after int64) {
	smoothing := int64(math.Ceil(AttackMS*float64(rate)/1000/group)) + 4
	rise := int64(math.Ceil(deepest / ReleaseDB * float64(rate) / group))
	return (rise+smoothing)*group + measure.AroundPeak, smoothing*group + measure.AroundPeak
}

// Quiet tells whether nothing passes the ceiling.
func (p *Plan) Quiet() bool { return p == nil || len(p.needs) == 0 }

// Apply turns a block down that begins at a sample of the stream.
func (p *Plan) Apply(b pcm.Block, at int64) {
	if p.Quiet() || b.Len() == 0 {
		return
	}
	first := pcm.Floor(at, group)
	gains := p.groups(first, pcm.Floor(at+b.Len()-1, group)+2)
	if gains == nil {
		return
	}
	for c := range b {
		for i := range b[c] {
			b[c][i] *= gainAt(gains, first, at+int64(i))
		}
	}
}

// gainAt is the gain of a sample, straight between those of groups.
func gainAt(gains []float64, first, at int64) float64 {
	k := pcm.Floor(at, group)
	x := float64(at-k*group) / group
	g := gains[k-first]
	return g + x*(gains[k-first+1]-g)
}

// groups gives the gains at the first samples of groups from one up to another, as amplitudes; nil if all are 1.
func (p *Plan) groups(from, to int64) []float64 {
	n := int64(len(p.shape)) // the smoothing's length
	rise := ReleaseDB * group / float64(p.rate)
	reach := int64(math.Ceil(deepest/rise)) + 1
	// What a group asks for counts from n before it, and till reach and n after it.
	low, high := from-n-1-reach, to+n
	i, _ := slices.BinarySearchFunc(p.needs, low, func(x need, at int64) int { return int(x.at - at) })
	if i == len(p.needs) || p.needs[i].at >= high {
		return nil
	}
	held := make([]float64, high-low) // dB that each group may have at most
	at, now := low, 0.0
	for k := range held {
		now = min(0, max(now, -deepest)+rise)
		if i < len(p.needs) && p.needs[i].at == at+int64(k) {
			now = min(now, p.needs[i].db)
			i++
		}
		held[k] = now
	}
	// The least of a group, the one before it, and n ahead.
	least := make([]float64, len(held))
	for k := range held {
		v := 0.0
		for j := max(0, k-1); j < min(len(held), k+int(n)+1); j++ {
			v = min(v, held[j])
		}
		least[k] = v
	}
	gains := make([]float64, to-from)
	for k := range gains {
		sum := 0.0
		for j, w := range p.shape {
			sum += w * least[from-low+int64(k)-int64(j)]
		}
		gains[k] = level.Amplitude(sum)
	}
	return gains
}

// Places are the stretches in which a plan works inside a span, those less than half a second apart as one.
func (p *Plan) Places(span pcm.Span) (list []Place) {
	if p == nil {
		return nil
	}
	for _, x := range p.needs {
		s := pcm.Span{From: x.at * group, To: (x.at + 1) * group}.Intersect(span)
		if s.Empty() {
			continue
		}
		if n := len(list); n > 0 && s.From-list[n-1].Span.To < int64(p.rate)/2 {
			last := &list[n-1]
			last.Span.To = s.To
			if -x.db > last.ReducedDB {
				last.At, last.ReducedDB = s.From, -x.db
			}
			continue
		}
		list = append(list, Place{s, s.From, -x.db})
	}
	return list
}

// Check tells whether a true peak, in dBTP, can be a ceiling.
func Check(dbtp float64) error {
	if math.IsNaN(dbtp) || dbtp > 0 || dbtp < -30 {
		return refuse.Errorf("a ceiling of %g dBTP is not one; from -30 to 0 it can be, -1 and -2 are usual", dbtp)
	}
	return nil
}
