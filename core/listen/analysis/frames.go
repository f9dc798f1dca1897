package analysis

import (
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"sync"

	"blendseam/core/listen/speech"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// HopMS is the step of the frames, in milliseconds. The bands of a frame are those of about 20 ms from its start on,
// its level that of 20 ms, its loudness that of its own 10 ms.
const HopMS = 10

// Bands is how many third-octaves a frame has, from 125 Hz to 8 kHz.
const Bands = 19

// Centres are the middles of the bands, Hz.
var Centres = measure.ThirdOctaves(speech.LowestHz, speech.HighestHz)

const (
	magic      = "blendseam analysis 1\n"
	frameBytes = 2 * (Bands + 2)
)

// Frames are what was measured every 10 ms over a stretch of a recording. Powers are mean squares.
type Frames struct {
	First int64     // number of the first; frame i begins at sample i*Hop
	Hop   int64     // samples
	Count int       //
	Bands []float32 // of each frame, one frame after the other, of the mean of the channels
	Level []float32 // above 30 Hz, of the mean of the channels
	Loud  []float32 // K-weighted (ITU-R BS.1770-4), the sum over the channels
}

// Span is what the level of a frame is measured over.
func (f Frames) Span(i int) pcm.Span {
	at := (f.First + int64(i)) * f.Hop
	return pcm.Span{From: at, To: at + 2*f.Hop}
}

// LoudIn is by how much the K-weighted power of the recording grows in a scene of so many channels: mono is heard in
// every one, and loudness is the sum over them; of more than there are the mean is heard.
func (a *Recording) LoudIn(channels int) float64 {
	switch {
	case a.Channels < channels:
		return float64(channels)
	case a.Channels > channels:
		return 1 / float64(a.Channels)
	}
	return 1
}

// A Background is what is heard behind words, as powers.
type Background struct {
	Bands  [Bands]float64
	Loud   float64 // K-weighted
	SureDB float64 // by how much it may be off, dB
}

// Known tells whether there is a background at all.
func (b Background) Known() bool { return b.Loud > 0 }

// Sure tells whether the background is known well enough to act by.
func (b Background) Sure() bool { return b.Known() && b.SureDB <= UnsureDB }

// nearSureDB is by how much the mean of some pauses may be off.
const nearSureDB = 0.5

// Background is that of the pauses in some stretches and a second beside each; where there are none, the floor of the
// recording.
func (a *Recording) Background(stretches ...pcm.Span) (back Background, err error) {
	count := 0.0
	for _, s := range stretches {
		for _, q := range a.QuietsIn(pcm.Span{From: s.From - int64(a.Rate), To: s.To + int64(a.Rate)}) {
			f, err := a.Frames(q.Span)
			if err != nil {
				return back, err
			}
			for i := range f.Count {
				for b, p := range f.Of(i) {
					back.Bands[b] += float64(p)
				}
				back.Loud += float64(f.Loud[i])
				count++
			}
		}
	}
	if count == 0 {
		if a.Floor.Seconds == 0 {
			return back, nil
		}
		return Background{a.Floor.Bands, a.Floor.Loud, a.Floor.SureDB}, nil
	}
	back.SureDB = nearSureDB
	for b := range back.Bands {
		back.Bands[b] /= count
	}
	back.Loud /= count
	return back, nil
}

// Blocks are the powers of 400 ms every 100 ms, as ITU-R BS.1770-4 gates them, of the K-weighted powers of frames.
func Blocks(loud []float64) (list []float64) {
	const block, step = 400 / HopMS, 100 / HopMS
	for at := 0; at+block <= len(loud); at += step {
		sum := 0.0
		for _, p := range loud[at : at+block] {
			sum += p / block
		}
		list = append(list, sum)
	}
	return list
}

// Of are the band powers of a frame.
func (f Frames) Of(i int) []float32 { return f.Bands[i*Bands : (i+1)*Bands] }

// framesIn is how many frames a recording has: every one that begins in it.
func framesIn(length int64, rate int) int64 {
	hop := hopOf(rate)
	return (length + hop - 1) / hop
}

func hopOf(rate int) int64 { return int64(rate) * HopMS / 1000 }

// A frameStore gives so many frames from one on; what lies outside the recording is silent.
type frameStore interface {
	read(first int64, count int) (Frames, error)
}

// Frames are those whose 20 ms lie in a stretch of the recording.
func (a *Recording) Frames(s pcm.Span) (Frames, error) {
	hop := hopOf(a.Rate)
	first := ceil(s.From, hop)
	count := pcm.Floor(s.To-2*hop, hop) - first + 1
	f := Frames{First: first, Hop: hop}
	if count <= 0 {
		return f, nil
	}
	before, after := max(0, -first), max(0, first+count-framesIn(a.Length, a.Rate))
	if before+after == 0 {
		f, err := a.frames.read(first, int(count))
		f.Hop = hop
		return f, err
	}
	f = newFrames(first, int(count), hop)
	if before+after >= count {
		return f, nil
	}
	inside, err := a.frames.read(first+before, int(count-before-after))
	copy(f.Bands[before*Bands:], inside.Bands)
	copy(f.Level[before:], inside.Level)
	copy(f.Loud[before:], inside.Loud)
	return f, err
}

func newFrames(first int64, count int, hop int64) Frames {
	return Frames{first, hop, count, make([]float32, count*Bands), make([]float32, count), make([]float32, count)}
}

func ceil(a, n int64) int64 { return -pcm.Floor(-a, n) }

// A framer measures frames, and what the background is in those where nothing stands out of it.
type framer struct {
	rate  int
	hop   int64
	floor floorer
	older *keptFrames // that were measured before, nil if there are none
}

// Filters are begun so long before what they are to measure, in milliseconds.
const settleMS = 200

func newFramer(r pcm.ReaderAt) *framer {
	rate := r.Format().Rate
	return &framer{rate: rate, hop: hopOf(rate)}
}

// measured gives the frames that begin in core, out of sound that begins at from and may reach beyond core, and the
// frames of it in which words are looked for.
func (m *framer) measured(b pcm.Block, mono []float64, fine *speech.Frames, from int64, core pcm.Span) Frames {
	first, last := ceil(core.From, m.hop), ceil(core.To, m.hop)
	f := newFrames(first, int(last-first), m.hop)
	begin := max(0, first*m.hop-from-int64(m.rate)*settleMS/1000) // of the filters, in b
	end := min(int64(len(mono)), (last+1)*m.hop-from)
	drift := speech.NewDrift(mono[begin:end], int64(m.rate))
	drift.Energy(mono[begin : first*m.hop-from])
	power := make([]float32, f.Count+1) // of 10 ms each
	for i := range power {
		at := min((first+int64(i))*m.hop-from, end)
		power[i] = float32(drift.Energy(mono[at:min(at+m.hop, end)]) / float64(m.hop))
	}
	for i := range f.Level {
		f.Level[i] = (power[i] + power[i+1]) / 2
	}
	for _, ch := range b {
		k := measure.NewKFilter(m.rate)
		k.Energy(ch[begin : first*m.hop-from])
		for i := range f.Loud {
			at := (first+int64(i))*m.hop - from
			f.Loud[i] += float32(k.Energy(ch[at:min(at+m.hop, int64(len(ch)))]) / float64(m.hop))
		}
	}
	m.bands(f, fine, from)
	return f
}

// bands are the means of the frames in which words are looked for: those that begin with a frame, 5 and 10 ms later.
func (m *framer) bands(f Frames, fine *speech.Frames, from int64) {
	for i := range f.Count {
		at := fine.At((f.First+int64(i))*m.hop - from)
		n := min(3, len(fine.LevelDB)-at)
		for k := at; k < at+n; k++ {
			for b, p := range fine.Of(k) {
				f.Bands[i*Bands+b] += float32(p / float64(n))
			}
		}
	}
}

func (m *framer) write(
	to io.Writer,
	b pcm.Block,
	mono []float64,
	fine *speech.Frames,
	from int64,
	core pcm.Span,
	still []bool,
) error {
	raw, err := m.kept(core)
	if err != nil {
		return err
	}
	if raw == nil {
		raw = m.measured(b, mono, fine, from, core).raw()
	}
	f := newFrames(ceil(core.From, m.hop), len(raw)/frameBytes, m.hop) // as whoever reads it has it
	f.decode(raw)
	for i := range f.Count {
		at := fine.At((f.First+int64(i))*m.hop - from)
		switch {
		case at+2 >= len(still):
		case still[at] && still[at+2]:
			m.floor.add(f, i)
		default:
			m.floor.addOther(f, i)
		}
	}
	_, err = to.Write(raw)
	return err
}

// kept is how the frames that begin in core were written before; nil if they were not.
func (m *framer) kept(core pcm.Span) (raw []byte, err error) {
	if m.older == nil {
		return nil, nil
	}
	first, last := ceil(core.From, m.hop), ceil(core.To, m.hop)
	return m.older.raw(first, int(last-first))
}

// raw is how frames are written.
func (f Frames) raw() []byte {
	raw := make([]byte, 0, f.Count*frameBytes)
	for i := range f.Count {
		for _, p := range f.Of(i) {
			raw = binary.LittleEndian.AppendUint16(raw, code(p))
		}
		raw = binary.LittleEndian.AppendUint16(raw, code(f.Level[i]))
		raw = binary.LittleEndian.AppendUint16(raw, code(f.Loud[i]))
	}
	return raw
}

// A power is kept as hundredths of a decibel over level.Silence.
const codesInDB = 100

func code(power float32) uint16 {
	return uint16(max(0, min(math.MaxUint16, math.Round((level.OfPower(float64(power))-level.Silence)*codesInDB))))
}

// decoded are the powers of all codes; 0 is none at all.
var decoded = sync.OnceValue(func() *[1 << 16]float32 {
	var table [1 << 16]float32
	for i := 1; i < len(table); i++ {
		table[i] = float32(level.Power(level.Silence + float64(i)/codesInDB))
	}
	return &table
})

// keptFrames are those of what Write wrote.
type keptFrames struct{ from io.ReaderAt }

func (k *keptFrames) read(first int64, count int) (Frames, error) {
	f := newFrames(first, count, 0)
	raw, err := k.raw(first, count)
	if err == nil {
		f.decode(raw)
	}
	return f, err
}

func (k *keptFrames) raw(first int64, count int) ([]byte, error) {
	raw := make([]byte, count*frameBytes)
	if _, err := k.from.ReadAt(raw, first*frameBytes); err != nil {
		return nil, fmt.Errorf("the analysis of a recording cannot be read: %w", err)
	}
	return raw, nil
}

// decode fills frames with what was written of them.
func (f Frames) decode(raw []byte) {
	table := decoded()
	for i := range f.Count {
		frame := raw[i*frameBytes : (i+1)*frameBytes]
		for b := range Bands {
			f.Bands[i*Bands+b] = table[binary.LittleEndian.Uint16(frame[2*b:])]
		}
		f.Level[i] = table[binary.LittleEndian.Uint16(frame[2*Bands:])]
		f.Loud[i] = table[binary.LittleEndian.Uint16(frame[2*Bands+2:])]
	}
}

// Sounding is the analysis of the recording as r sounds, which is the recording treated, as long and in step with it.
// Its frames are measured in r when they are asked for. What was found in the recording, such as words and pauses,
// stays.
func (a *Recording) Sounding(r pcm.ReaderAt) *Recording {
	out := *a
	out.frames = newMadeFrames(r)
	return &out
}

// madeFrames are made in blocks of blockFrames; the last few blocks are kept.
type madeFrames struct {
	r      pcm.ReaderAt
	mu     sync.Mutex
	blocks map[int64]*madeBlock
	order  []int64
}

type madeBlock struct {
	once   sync.Once
	frames Frames
	err    error
}

const (
	blockFrames = 200
	keptBlocks  = 64
)

func newMadeFrames(r pcm.ReaderAt) *madeFrames {
	return &madeFrames{r: r, blocks: map[int64]*madeBlock{}}
}

func (m *madeFrames) block(n int64) (Frames, error) {
	m.mu.Lock()
	b := m.blocks[n]
	if b == nil {
		b = &madeBlock{}
		m.blocks[n] = b
		if m.order = append(m.order, n); len(m.order) > keptBlocks {
			delete(m.blocks, m.order[0])
			m.order = m.order[1:]
		}
	}
	m.mu.Unlock()
	b.once.Do(func() {
		f := newFramer(m.r)
		core := pcm.Span{From: n * blockFrames * f.hop, To: min(m.r.Len(), (n+1)*blockFrames*f.hop)}
		wide := pcm.Span{From: max(0, core.From-settleMS/HopMS*f.hop), To: min(m.r.Len(), core.To+4*f.hop)}
		sound, err := pcm.Read(m.r, wide)
		if b.err = err; err == nil {
			mono := measure.Mono(sound)
			b.frames = f.measured(sound, mono, speech.FramesOf(mono, f.rate), wide.From, core)
		}
	})
	return b.frames, b.err
}

func (m *madeFrames) read(first int64, count int) (Frames, error) {
	f := newFrames(first, count, 0)
	for done := 0; done < count; {
		at := first + int64(done)
		b, err := m.block(at / blockFrames)
		if err != nil {
			return f, err
		}
		from := int(at % blockFrames)
		n := min(count-done, b.Count-from)
		if n <= 0 {
			break
		}
		copy(f.Bands[done*Bands:], b.Bands[from*Bands:(from+n)*Bands])
		copy(f.Level[done:], b.Level[from:from+n])
		copy(f.Loud[done:], b.Loud[from:from+n])
		done += n
	}
	return f, nil
}
