package timestretch

import (
	"math"
	"math/cmplx"
	"sort"
	"sync"

	"gonum.org/v1/gonum/dsp/fourier"

	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// How music is fitted: frames of so many samples at 48 kHz, a third of which they go on, so that the squares of their
// windows, sin^2, sum to 9/8; an onset and what follows it at once pass as they are.
const (
	frameAt48k = 9216
	overlap    = 3
	windowSum  = 9.0 / 8
	attackMS   = 30.0
	apartMS    = 50.0 // onsets are at least
	enterMS    = 5.0  // the crossfade ahead of an onset
	leaveMS    = 40.0 // and at the end of the part
	pieceS     = 16   // put together at once
	keptS      = 48
)

// A vocoder gives a part of a fit by its spectrum: the phase vocoder with identity phase locking (J. Laroche and M.
// Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech and Audio Processing 7, 1999).
// Each frame is turned, around each of its peaks as a whole, so that it goes on where the one before it ended; the
// channels are turned together. What begins with an onset begins anew with the phases of the recording, at its own
// speed at first, and frames ahead of an onset do not reach into it, after A. Roebel (DAFx-03, 2003).
type vocoder struct {
	of       pcm.ReaderAt
	part     timing.Part
	n, hop   int64
	enter    int64
	leave    int64
	window   []float64
	fft      *fourier.FFT
	wave     []float64 // of a frame
	block    pcm.Block // read for one
	power    []float64 // of its bins
	spare    [][]complex128
	segments []segment

	mu    sync.Mutex
	kept  map[pieceOf]*piece
	order []pieceOf // as they were made
	size  int64     // samples in all that are kept
	err   error
}

// A segment goes from one onset to the next. Its own time begins with its onset.
type segment struct {
	in     pcm.Span         // of the recording
	out    pcm.Span         // of the part
	held   int64            // so much of it passes as it is
	end    bool             // an onset follows
	begins [][][]complex128 // by piece: the frame before its first, by channel; nil where nothing goes before
}

// A pieceOf names a stretch of a segment that is put together at once.
type pieceOf struct {
	segment int
	number  int64
}

// A piece is what sounds from a moment of its segment on.
type piece struct {
	from  int64
	sound pcm.Block
}

func newVocoder(of pcm.ReaderAt, p timing.Part) *vocoder {
	rate := int64(of.Format().Rate)
	n := int64(9 * 16)
	for n < frameAt48k*rate/48000 {
		n *= 2
	}
	v := &vocoder{of: of, part: p, n: n, hop: n / overlap, enter: int64(enterMS * float64(rate) / 1000),
		leave: min(p.Length/4, int64(leaveMS*float64(rate)/1000)), kept: map[pieceOf]*piece{}}
	v.window = make([]float64, n)
	v.fft, v.wave = fourier.NewFFT(int(n)), make([]float64, n)
	v.block, v.power = pcm.NewBlock(of.Format().Channels, n), make([]float64, n/2+1)
	v.spare = v.spectra()
	for i := range v.window {
		s := math.Sin(math.Pi * (float64(i) + 0.5) / float64(n))
		v.window[i] = s * s
	}
	v.err = v.divide(rate)
	return v
}

// divide finds the onsets, and with them the segments.
func (v *vocoder) divide(rate int64) error {
	t := newTape(v.of)
	p, apart := v.part, rate*int64(apartMS)/1000
	onsets := []int64{p.From}
	for at := p.From; at < p.To; {
		span := pcm.Span{From: at, To: min(p.To, at+8*rate)}
		if err := t.hold(span); err != nil {
			return err
		}
		onsets = append(onsets, t.onsets(span, onsets[len(onsets)-1], apart)...)
		at = span.To
	}
	for i, at := range onsets {
		s := segment{in: pcm.Span{From: at, To: p.To}, end: i+1 < len(onsets)}
		if s.end {
			s.in.To = onsets[i+1]
		}
		s.out = pcm.Span{From: p.Forward(s.in.From - p.From), To: p.Forward(s.in.To - p.From)}
		s.held = min(rate*int64(attackMS)/1000, s.in.Len()/2, s.out.Len()/2)
		v.segments = append(v.segments, s)
	}
	return nil
}

// held tells whether the part is made of sounds with partials that are held: onsets come less than every two seconds,
// and around its loud frequencies a few bins stand out of the others. Of noise a vocoder would take some, and it would
// soften beats.
func (v *vocoder) held() (bool, error) {
	const looks, bins, least = 16, 32, 0.2
	n := v.part.To - v.part.From
	if v.err != nil || float64(len(v.segments)-1) > float64(n)/float64(v.of.Format().Rate)/2 {
		return false, v.err
	}
	var flat, all float64
	for k := range int64(looks) {
		if err := v.frame(v.spare, v.part.From+n*(2*k+1)/(2*looks)); err != nil {
			return false, err
		}
		for _, ch := range v.spare {
			for from := bins / 4; from+bins < len(ch)/3; from += bins { // up to 8 kHz of 48
				sum, logs := 0.0, 0.0
				for _, x := range ch[from : from+bins] {
					p := real(x)*real(x) + imag(x)*imag(x) + 1e-15
					sum, logs = sum+p, logs+math.Log(p)
				}
				// the geometric mean of powers over their mean is 0.56 for noise
				flat, all = flat+bins*math.Exp(logs/bins), all+sum
			}
		}
	}
	return flat < least*all, nil
}

// onsets are the moments of a span at which something begins of a sudden, each so far from the one before.
func (t *tape) onsets(s pcm.Span, last, apart int64) (list []int64) {
	const least = 0.35
	for at := s.From; at < s.To; at += t.frame {
		here := t.begins(pcm.Span{From: at, To: at + t.frame})
		if here < least || at-last < apart || s.To-at < t.frame {
			continue
		}
		top, most := at, here // the steepest of what rises there
		for k := at; k < at+8*t.frame; k += t.frame {
			if x := t.begins(pcm.Span{From: k, To: k + t.frame}); x > most {
				top, most = k, x
			}
		}
		list, last = append(list, top), top
	}
	return list
}

// source is the place in the recording whose frame is laid at a moment of a segment.
func (v *vocoder) source(s *segment, into int64) int64 {
	at := s.in.From + into // ahead of its onset and at first: as it is
	switch {
	case v.part.Ease > 0 && into > 0:
		at = v.part.From + v.part.Back(min(v.part.Length, s.out.From+into))
	case into > s.held:
		left, long := s.in.Len()-s.held, s.out.Len()-s.held
		at = s.in.From + s.held + int64(math.Round(float64(into-s.held)*float64(left)/float64(max(1, long))))
	}
	if s.end { // it does not reach into what follows
		at = min(at, max(s.in.From, s.in.To-v.n/2))
	}
	return at
}

// ReadSamplesAt gives a stretch of the part.
func (v *vocoder) ReadSamplesAt(dst pcm.Block, at int64) error {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.err != nil {
		return v.err
	}
	end := at + dst.Len()
	for from := at; from < end; {
		k := sort.Search(len(v.segments), func(i int) bool { return v.segments[i].out.From > from }) - 1
		s := &v.segments[k]
		until := min(end, s.out.To)
		edge := s.out.To - v.enter // from here on what follows comes in
		if s.end && from < edge {
			until = min(until, edge)
		}
		if !s.end {
			until = end
		}
		out := dst.Slice(from-at, until-at)
		if err := v.sounds(k, out, from-s.out.From); err != nil {
			return err
		}
		if s.end && from >= edge {
			next := pcm.NewBlock(len(out), out.Len())
			if err := v.sounds(k+1, next, from-s.out.To); err != nil {
				return err
			}
			over(out, next, from-edge, v.enter)
		}
		from = until
	}
	// its end goes over into what follows in the recording, as it is
	if edge := v.part.Length - v.leave; end > edge && v.part.To < v.of.Len() {
		from := max(at, edge)
		out := dst.Slice(from-at, end-at)
		next := pcm.NewBlock(len(out), out.Len())
		if err := v.of.ReadSamplesAt(next, v.part.To+from-v.part.Length); err != nil {
			return err
		}
		over(out, next, from-edge, v.leave)
	}
	return nil
}

// over lets one sound go over into another that is unlike it, from sample at of n on.
func over(out, next pcm.Block, at, n int64) {
	for i := range out.Len() {
		x, y := blend.ConstantPower.Gains(blend.Position(at+i, n), 0)
		for c := range out {
			out[c][i] = x*out[c][i] + y*next[c][i]
		}
	}
}

// of1 gives what sounds of one segment, from a moment of it on.
func (v *vocoder) sounds(k int, dst pcm.Block, at int64) error {
	long := int64(v.of.Format().Rate) * pieceS / v.hop * v.hop
	for from := int64(0); from < dst.Len(); {
		number := max(0, (at+from)/long)
		p, err := v.piece(pieceOf{k, number}, long)
		if err != nil {
			return err
		}
		inside := at + from - p.from
		n := min(dst.Len()-from, p.sound.Len()-inside)
		for c := range dst {
			copy(dst[c][from:from+n], p.sound[c][inside:inside+n])
		}
		from += n
	}
	return nil
}

// piece gives a piece of a segment, made one after the other from the last that is known to begin with what.
func (v *vocoder) piece(id pieceOf, long int64) (*piece, error) {
	if p, ok := v.kept[id]; ok {
		return p, nil
	}
	s := &v.segments[id.segment]
	if s.begins == nil {
		s.begins = append(s.begins, nil)
	}
	for number := min(id.number, int64(len(s.begins))-1); ; number++ {
		p, next, err := v.render(s, number, long)
		if err != nil {
			return nil, err
		}
		if int64(len(s.begins)) == number+1 {
			s.begins = append(s.begins, next)
		}
		if number < id.number {
			continue
		}
		v.kept[id], v.order, v.size = p, append(v.order, id), v.size+p.sound.Len()
		for v.size > keptS*int64(v.of.Format().Rate) && len(v.order) > 1 {
			v.size -= v.kept[v.order[0]].sound.Len()
			delete(v.kept, v.order[0])
			v.order = v.order[1:]
		}
		return p, nil
	}
}

// render puts a piece of a segment together, and gives the frame ahead of the first of the next piece.
func (v *vocoder) render(s *segment, number, long int64) (p *piece, next [][]complex128, err error) {
	span := pcm.Span{From: number * long, To: min((number+1)*long, s.out.Len())}
	if number == 0 {
		span.From = -v.enter
	}
	if number*long >= s.out.Len() { // behind its end only what rounds
		span.To = span.From + long
	}
	first := func(at int64) int64 { return pcm.Floor(at-v.n/2, v.hop) + 1 } // frame that reaches a moment
	p = &piece{from: span.From, sound: pcm.NewBlock(v.of.Format().Channels, span.Len())}
	last := s.begins[number]
	beginsNext := first((number + 1) * long)
	for k := first(span.From); k*v.hop-v.n/2 < span.To; k++ {
		if k == beginsNext {
			next = last
		}
		at := v.source(s, k*v.hop)
		now := v.spectra()
		if err := v.frame(now, at); err != nil {
			return nil, nil, err
		}
		if last != nil {
			if err := v.frame(v.spare, at-v.hop); err != nil {
				return nil, nil, err
			}
			v.turn(now, v.spare, last)
		}
		last = now
		scale := 1 / (windowSum * float64(v.n))
		begin := k*v.hop - v.n/2 - span.From
		on := pcm.Span{From: max(0, -begin), To: min(v.n, span.Len()-begin)}
		for c := range now {
			v.fft.Sequence(v.wave, now[c])
			for i := on.From; i < on.To; i++ {
				p.sound[c][begin+i] += scale * v.window[i] * v.wave[i]
			}
		}
	}
	if next == nil {
		next = last
	}
	return p, next, nil
}

// spectra has room for those of all channels.
func (v *vocoder) spectra() (list [][]complex128) {
	for range v.of.Format().Channels {
		list = append(list, make([]complex128, v.n/2+1))
	}
	return list
}

// frame takes the spectrum around a place of the recording, by channel.
func (v *vocoder) frame(to [][]complex128, at int64) error {
	err := v.of.ReadSamplesAt(v.block, at-v.n/2)
	for c, ch := range v.block {
		for i, w := range v.window {
			ch[i] *= w
		}
		v.fft.Coefficients(to[c], ch)
	}
	return err
}

// turn turns a frame around each of its peaks so that it goes on from last, the frame laid before it, as it does in the
// recording from the frame before it there: all bins nearer to a peak than to others by one angle.
func (v *vocoder) turn(now, before, last [][]complex128) {
	power, n := v.power, len(now[0])
	clear(power)
	for _, ch := range now {
		for i, x := range ch {
			power[i] += real(x)*real(x) + imag(x)*imag(x)
		}
	}
	from, peak := 0, -1
	flush := func(until int) {
		if peak < 0 {
			return
		}
		var u complex128
		for c := range now {
			u += last[c][peak] * cmplx.Conj(before[c][peak])
		}
		if m := cmplx.Abs(u); m > 1e-30 {
			u /= complex(m, 0)
			for c := range now {
				for i := from; i < until; i++ {
					now[c][i] *= u
				}
			}
		}
		from = until
	}
	for i := range power {
		if !(i > 1 && i+2 < n && power[i] > power[i-1] && power[i] > power[i-2] && power[i] >= power[i+1] &&
			power[i] >= power[i+2]) {
			continue
		}
		if peak >= 0 { // regions meet at the lowest bin between their peaks
			low := peak
			for k := peak; k <= i; k++ {
				if power[k] < power[low] {
					low = k
				}
			}
			flush(low)
		}
		peak = i
	}
	flush(n)
}
