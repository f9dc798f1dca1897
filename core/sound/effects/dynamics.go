package effects

import (
	"context"
	"math"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A law is a compressor or a gate: reduction is by how many dB it wants to turn down a peak of so many dBFS. Reductions
// are smoothed by the smooth decoupled detector of D. Giannoulis, M. Massberg, J. Reiss, "Digital Dynamic Range
// Compressor Design: A Tutorial and Analysis", JAES 60 (2012), equation 17, in the logarithmic domain, feed-forward
// (from memory). With a = exp(-1 / (t rate)) for a time constant t,
//
//	y1[n] = max(x[n], aRelease y1[n-1] + (1 - aRelease) x[n])
//	y[n]  = aAttack y[n-1] + (1 - aAttack) y1[n]
//
// A gate opens as a compressor closes, so that min stands for max in it.
type law struct {
	reduction       func(peakDB float64) float64
	opens           bool // min for max
	attack, release float64
	hold            int64   // samples that a gate stays open
	thresholdDB     float64 // above which a gate is open
	makeUp          float64
	settle          int64 // samples after which nobody can tell what was before
}

// settled is the share of a reduction that is left after law.settle: 100 dB become 0.001.
const settled = 1e-5

func coefficient(ms float64, rate int) float64 {
	if ms <= 0 {
		return 0
	}
	return math.Exp(-1000 / (ms * float64(rate)))
}

func settleOf(rate int, ms ...float64) int64 {
	sum := 0.0
	for _, m := range ms {
		sum += m
	}
	return int64(-math.Log(settled) * sum * float64(rate) / 1000)
}

// newCompressor has the static curve of the same paper, equation 4: with threshold T, ratio R and knee W, a level x is
// let through as x below T - W/2, as T + (x-T)/R above T + W/2, and between them as x + (1/R-1)(x-T+W/2)^2 / 2W.
func newCompressor(c Compressor, rate int) law {
	slope := 1 - 1/c.Ratio
	return law{
		reduction: func(x float64) float64 {
			over := x - c.ThresholdDB
			switch {
			case 2*over <= -c.KneeDB:
				return 0
			case 2*over < c.KneeDB:
				return slope * (over + c.KneeDB/2) * (over + c.KneeDB/2) / (2 * c.KneeDB)
			}
			return slope * over
		},
		attack: coefficient(c.AttackMS, rate), release: coefficient(c.ReleaseMS, rate),
		makeUp: level.Amplitude(c.MakeUpDB), settle: settleOf(rate, c.AttackMS, c.ReleaseMS),
	}
}

// newGate lets a level x below the threshold T through as T - R (T-x), but no more than its range lower.
func newGate(g Gate, rate int) law {
	return law{
		reduction: func(x float64) float64 { return min(g.RangeDB, max(0, g.ThresholdDB-x)*(g.Ratio-1)) },
		opens:     true,
		attack:    coefficient(g.AttackMS, rate), release: coefficient(g.ReleaseMS, rate),
		hold: samplesOf(g.HoldMS, rate), thresholdDB: g.ThresholdDB,
		makeUp: 1, settle: settleOf(rate, g.AttackMS, g.ReleaseMS) + samplesOf(g.HoldMS, rate),
	}
}

// A state is what a law remembers of the sound before a moment.
type state struct {
	envelope, reduction float64 // y1 and y above, dB
	open                int64   // samples for which a gate is held open yet
}

// step takes the peak of one more sample and returns the gain for it.
func (l *law) step(s *state, peak float64) float64 {
	db := 20 * math.Log10(peak+1e-10)
	want := l.reduction(db)
	if l.hold > 0 {
		if db > l.thresholdDB {
			s.open = l.hold
		} else if s.open > 0 {
			s.open, want = s.open-1, 0
		}
	}
	slow := l.release*s.envelope + (1-l.release)*want
	if l.opens {
		s.envelope = min(want, slow)
	} else {
		s.envelope = max(want, slow)
	}
	s.reduction = l.attack*s.reduction + (1-l.attack)*s.envelope
	if s.reduction < 1e-9 {
		return l.makeUp
	}
	return l.makeUp * level.Amplitude(-s.reduction)
}

// run takes a block of sound through the law, and turns it down if that is wanted.
func (l *law) run(s *state, b pcm.Block, turn bool) {
	for i := range b[0] {
		peak := 0.0
		for _, ch := range b {
			peak = max(peak, math.Abs(ch[i]))
		}
		gain := l.step(s, peak)
		if turn {
			for _, ch := range b {
				ch[i] *= gain
			}
		}
	}
}

// dynamics is a recording through a law. What a law does follows from all the sound before; so that a stretch is the
// same bits whoever asks for it, it begins anew, with nothing remembered, before every segment, and far enough before
// it that nobody hears that. The states inside a segment are kept.
type dynamics struct {
	pcm.ReaderAt
	law     law
	segment int64 // samples, a multiple of dynamicBlock

	mu       sync.Mutex
	segments map[int64]*segment
	order    []int64
}

type segment struct {
	mu     sync.Mutex
	states []state // at the start of each of its blocks, as far as they are known
}

const (
	dynamicBlock = 1 << 14
	keptSegments = 64
)

// dynamicBlocks keeps the blocks that were made last.
var dynamicBlocks = cache.New[dynamicKey, pcm.Block](64)

type dynamicKey struct {
	of     *dynamics
	number int64
}

func newDynamics(r pcm.ReaderAt, l law) *dynamics {
	d := &dynamics{ReaderAt: r, law: l, segment: 4 * dynamicBlock, segments: map[int64]*segment{}}
	for d.segment < 4*l.settle {
		d.segment *= 2
	}
	return d
}

// ReadSamplesAt reads and turns down; see pcm.ReaderAt.
func (d *dynamics) ReadSamplesAt(dst pcm.Block, at int64) error {
	return pcm.ReadBlocks(dst, at, dynamicBlock, func(number int64) (pcm.Block, error) {
		return dynamicBlocks.Get(context.Background(), dynamicKey{d, number}, func(context.Context) (pcm.Block, error) {
			return d.block(number)
		})
	})
}

func (d *dynamics) part(n int64) *segment {
	d.mu.Lock()
	defer d.mu.Unlock()
	s := d.segments[n]
	if s == nil {
		s = &segment{}
		d.segments[n] = s
		if d.order = append(d.order, n); len(d.order) > keptSegments {
			delete(d.segments, d.order[0])
			d.order = d.order[1:]
		}
	}
	return s
}

func (d *dynamics) block(number int64) (pcm.Block, error) {
	n := pcm.Floor(number*dynamicBlock, d.segment)
	from := n * d.segment
	s := d.part(n)
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.states) == 0 {
		var begin state
		for at := from - d.law.settle; at < from; at += dynamicBlock {
			b, err := pcm.Read(d.ReaderAt, pcm.Span{From: at, To: min(from, at+dynamicBlock)})
			if err != nil {
				return nil, err
			}
			d.law.run(&begin, b, false)
		}
		s.states = []state{begin}
	}
	index := int((number*dynamicBlock - from) / dynamicBlock)
	for {
		k := min(len(s.states)-1, index)
		at := from + int64(k)*dynamicBlock
		b, err := pcm.Read(d.ReaderAt, pcm.Span{From: at, To: at + dynamicBlock})
		if err != nil {
			return nil, err
		}
		now := s.states[k]
		d.law.run(&now, b, k == index)
		if k == len(s.states)-1 {
			s.states = append(s.states, now)
		}
		if k == index {
			return b, nil
		}
	}
}
