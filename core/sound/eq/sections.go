package eq

import (
	"context"
	"math"
	"slices"

	"blendseam/core/cache"
	"blendseam/core/sound/pcm"
)

// sectioned is a recording through sections of the second order. It is filtered in blocks that begin at multiples of
// their length, each with a run-up before it in which what rang before dies away to settledDB: so a block is the same
// whoever asks for it, and nobody hears that what lies before the run-up was left out.
type sectioned struct {
	pcm.ReaderAt
	list  []Section
	block int64
	runUp int64
}

const (
	settledDB  = 180.0
	leastBlock = 1 << 16
	mostRunUp  = 1 << 20
)

// sections keeps the blocks that were filtered last.
var sections = cache.New[sectionKey, pcm.Block](32)

type sectionKey struct {
	of     *sectioned
	number int64
}

func newSectioned(r pcm.ReaderAt, list []Section) *sectioned {
	s := &sectioned{ReaderAt: r, list: list, block: leastBlock}
	for _, x := range list {
		s.runUp += int64(settledDB / (-20 * math.Log10(min(x.Radius(), 1-1e-7))))
	}
	s.runUp = min(s.runUp, mostRunUp)
	for s.block < 4*s.runUp {
		s.block *= 2
	}
	return s
}

// ReadSamplesAt reads and filters; see pcm.ReaderAt.
func (s *sectioned) ReadSamplesAt(dst pcm.Block, at int64) error {
	return pcm.ReadBlocks(dst, at, s.block, func(number int64) (pcm.Block, error) {
		return sections.Get(context.Background(), sectionKey{s, number}, func(context.Context) (pcm.Block, error) {
			return s.filtered(number)
		})
	})
}

func (s *sectioned) filtered(number int64) (pcm.Block, error) {
	from := number * s.block
	b, err := pcm.Read(s.ReaderAt, pcm.Span{From: from - s.runUp, To: from + s.block})
	if err != nil {
		return nil, err
	}
	through := []Section{{B0: 1}} // as it is
	if len(s.list)%2 == 0 {
		through = nil
	}
	for pair := range slices.Chunk(append(through, s.list...), 2) {
		for c := 0; c < len(b); c += 2 {
			both(pair[0], pair[1], b[c], b[min(c+1, len(b)-1)])
		}
	}
	return b.Slice(s.runUp, s.runUp+s.block), nil
}

// both filters two channels by two sections at once, which takes hardly longer than one by one: neither waits for the
// other. The form is the transposed direct form II. The channels may be one and the same.
func both(f, g Section, x, y []float64) {
	if &x[0] == &y[0] {
		y = make([]float64, len(x))
	}
	var fx1, fx2, fy1, fy2, gx1, gx2, gy1, gy2 float64
	y = y[:len(x)]
	for i, u := range x {
		v := y[i]
		a, b := f.B0*u+fx1, f.B0*v+fy1
		fx1, fy1 = f.B1*u-f.A1*a+fx2, f.B1*v-f.A1*b+fy2
		fx2, fy2 = f.B2*u-f.A2*a, f.B2*v-f.A2*b
		c, d := g.B0*a+gx1, g.B0*b+gy1
		gx1, gy1 = g.B1*a-g.A1*c+gx2, g.B1*b-g.A1*d+gy2
		gx2, gy2 = g.B2*a-g.A2*c, g.B2*b-g.A2*d
		x[i], y[i] = c, d
	}
}
