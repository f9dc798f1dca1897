// Package pcm has the types for recorded sound: a stretch of samples, a block of sound in memory, and
// a recording that can be read anywhere. The formats are in sub-packages that know nothing of one another.
//
// Samples are float64 between channels, full scale at -1 and 1; integer formats are exact in it.
package pcm

import (
	"cmp"
	"fmt"
	"slices"
)

// Floor is a/n rounded down, below 0 too: the number of the block of n samples that sample a lies in.
func Floor(a, n int64) int64 {
	if a < 0 {
		return -((-a + n - 1) / n)
	}
	return a / n
}

// A Span is a half-open stretch of samples: From is inside, To is not.
type Span struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
}

// Len is the number of samples in s, never below 0.
func (s Span) Len() int64 { return max(0, s.To-s.From) }

// Empty tells whether s holds no sample.
func (s Span) Empty() bool { return s.To <= s.From }

// Add is s moved later by n samples.
func (s Span) Add(n int64) Span { return Span{s.From + n, s.To + n} }

// Intersect is the stretch common to s and t, the zero Span if there is none.
func (s Span) Intersect(t Span) Span {
	r := Span{max(s.From, t.From), min(s.To, t.To)}
	if r.Empty() {
		return Span{}
	}
	return r
}

// Overlaps tells whether s and t have a sample in common.
func (s Span) Overlaps(t Span) bool {
	return s.From < s.To && t.From < t.To && s.From < t.To && t.From < s.To
}

// In tells whether every sample of s is in t. An empty s is in every t.
func (s Span) In(t Span) bool { return s.Empty() || s.From >= t.From && s.To <= t.To }

// Contains tells whether sample n is in s.
func (s Span) Contains(n int64) bool { return n >= s.From && n < s.To }

// Union gives spans that hold what lies in any of some spans, in order, none touching another.
func Union(spans []Span) (list []Span) {
	spans = slices.Clone(spans)
	slices.SortFunc(spans, func(a, b Span) int { return cmp.Compare(a.From, b.From) })
	for _, s := range spans {
		if n := len(list); n > 0 && s.From <= list[n-1].To {
			list[n-1].To = max(list[n-1].To, s.To)
		} else if !s.Empty() {
			list = append(list, s)
		}
	}
	return list
}

// A Format says how sound is stored: samples a second, channels, bits a sample, integers or floats.
type Format struct {
	Rate     int
	Channels int
	Bits     int
	Float    bool
}

// String gives "48000 Hz, 2 channels, 24 bits".
func (f Format) String() string {
	kind := "bits"
	if f.Float {
		kind = "bits float"
	}
	return fmt.Sprintf("%d Hz, %d channels, %d %s", f.Rate, f.Channels, f.Bits, kind)
}

// A Block is sound in memory: Block[channel][sample]. All channels have one length.
type Block [][]float64

// NewBlock gives a silent block.
func NewBlock(channels int, samples int64) Block {
	all := make([]float64, int64(channels)*samples)
	b := make(Block, channels)
	for c := range b {
		b[c] = all[int64(c)*samples : int64(c+1)*samples : int64(c+1)*samples]
	}
	return b
}

// Len is the number of samples in each channel.
func (b Block) Len() int64 {
	if len(b) == 0 {
		return 0
	}
	return int64(len(b[0]))
}

// Clone returns a copy of b that shares no memory with it.
func (b Block) Clone() Block {
	out := NewBlock(len(b), b.Len())
	for c := range b {
		copy(out[c], b[c])
	}
	return out
}

// Slice is the part of b from sample from up to to, sharing its memory.
func (b Block) Slice(from, to int64) Block {
	part := make(Block, len(b))
	for c := range b {
		part[c] = b[c][from:to]
	}
	return part
}

// InChannels gives a block so many channels: mono goes to all, more are averaged to mono.
func InChannels(b Block, n int) Block {
	if len(b) == n {
		return b
	}
	out := make(Block, n)
	for c := range out {
		out[c] = b[c%len(b)]
	}
	if n == 1 {
		out = NewBlock(1, b.Len())
		for _, ch := range b {
			for i, v := range ch {
				out[0][i] += v / float64(len(b))
			}
		}
	}
	return out
}

// Clear makes b silent.
func (b Block) Clear() {
	for c := range b {
		clear(b[c])
	}
}

// A ReaderAt is a recording. ReadSamplesAt fills dst, which has the recording's number of
// channels, from sample at on; what lies outside the recording is silence. Calls may run in parallel.
type ReaderAt interface {
	Format() Format
	Len() int64
	ReadSamplesAt(dst Block, at int64) error
}

// An Adder is a recording that can be mixed in without a copy. AddSamplesAt adds the recording from sample at
// on, times gain, to dst, bit for bit as reading and adding would; done is false, and dst as it was, where
// it cannot for dst's channels.
type Adder interface {
	AddSamplesAt(dst Block, at int64, gain float64) (done bool, err error)
}

// ReadBlocks fills dst from sample at on out of blocks of one length: block gives the one that begins at number*length.
func ReadBlocks(dst Block, at, length int64, block func(number int64) (Block, error)) error {
	for done := int64(0); done < dst.Len(); {
		number := Floor(at+done, length)
		b, err := block(number)
		if err != nil {
			return err
		}
		from := at + done - number*length
		n := min(dst.Len()-done, length-from)
		for c := range dst {
			copy(dst[c][done:done+n], b[c][from:from+n])
		}
		done += n
	}
	return nil
}

// Read gives the span of r in memory.
func Read(r ReaderAt, s Span) (Block, error) {
	b := NewBlock(r.Format().Channels, s.Len())
	return b, r.ReadSamplesAt(b, s.From)
}

// Memory is a recording held in memory.
type Memory struct {
	Rate  int
	Sound Block
}

// Format says 64-bit float.
func (m Memory) Format() Format {
	return Format{Rate: m.Rate, Channels: len(m.Sound), Bits: 64, Float: true}
}

// Len is the number of samples.
func (m Memory) Len() int64 { return m.Sound.Len() }

// ReadSamplesAt copies; see ReaderAt.
func (m Memory) ReadSamplesAt(dst Block, at int64) error {
	inside := Span{at, at + dst.Len()}.Intersect(Span{0, m.Len()})
	for c := range dst {
		clear(dst[c])
		if !inside.Empty() {
			copy(dst[c][inside.From-at:], m.Sound[c][inside.From:inside.To])
		}
	}
	return nil
}

// WithGain is a sound at another gain, as an amplitude.
type WithGain struct {
	ReaderAt
	Gain float64
}

// ReadSamplesAt reads and turns; see ReaderAt.
func (t WithGain) ReadSamplesAt(dst Block, at int64) error {
	err := t.ReaderAt.ReadSamplesAt(dst, at)
	for _, ch := range dst {
		for i := range ch {
			ch[i] *= t.Gain
		}
	}
	return err
}

// A Part is a stretch of a recording as a recording.
type Part struct {
	ReaderAt
	Span Span // within it
}

// Len is the length of the stretch.
func (p Part) Len() int64 { return p.Span.Len() }

// ReadSamplesAt reads from the stretch; see ReaderAt.
func (p Part) ReadSamplesAt(dst Block, at int64) error {
	return p.ReaderAt.ReadSamplesAt(dst, p.Span.From+at)
}
