package timestretch

import (
	"fmt"
	"slices"
	"sort"
	"sync"

	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// A Reader is a recording as it is fitted: a recording of its own. What it gives of any stretch is the same bits as in
// the whole, for where it joins is found once for each part, or stretch of a long one, when that is first heard, and
// kept.
type Reader struct {
	of    pcm.ReaderAt
	fit   timing.Fit
	parts []*fitted
}

// fitted is a part of a fit as it sounds.
type fitted struct {
	timing.Part
	begin int64 // in the fitted recording
	shift int64 // of what follows it: what it takes more than in the recording
	once  sync.Once
	path  []join
	music *vocoder
	err   error
}

// Open fits a recording. It is an error if the fit is none of so long a recording.
func Open(f timing.Fit, of pcm.ReaderAt) (*Reader, error) {
	if err := f.Check(of.Len()); err != nil {
		return nil, fmt.Errorf("the fit of a recording: %w", err)
	}
	r := &Reader{of: of, fit: f}
	shift := int64(0)
	for _, whole := range f.Parts {
		for _, p := range stretches(whole, searchS*int64(of.Format().Rate)) {
			begin := p.From + shift
			shift += p.Length - (p.To - p.From)
			r.parts = append(r.parts, &fitted{Part: p, begin: begin, shift: shift})
		}
	}
	return r, nil
}

// searchS is how long the stretches are, in seconds, in each of which joins are looked for by themselves.
const searchS = 20

// stretches are those of a long part of words at one speed, so that nobody who hears a moment of it waits until the
// joins of hours are found. Each ends where the next begins, to the sample.
func stretches(p timing.Part, long int64) (list []timing.Part) {
	n := p.To - p.From
	if p.Kind != timing.Words || p.Ease > 0 || n < 2*long {
		return []timing.Part{p}
	}
	count := n / long
	for i := range count {
		from, to := n*i/count, n*(i+1)/count
		list = append(list, timing.Part{
			From: p.From + from, To: p.From + to, Length: p.Forward(to) - p.Forward(from), Kind: p.Kind,
		})
	}
	return list
}

// Format is that of the recording, as 64-bit float.
func (r *Reader) Format() pcm.Format {
	f := r.of.Format()
	return pcm.Format{Rate: f.Rate, Channels: f.Channels, Bits: 64, Float: true}
}

// Len is how long it is fitted.
func (r *Reader) Len() int64 { return r.fit.Len(r.of.Len()) }

// most is how many samples are put together at once.
const most = 1 << 16

// ReadSamplesAt puts it together; see pcm.ReaderAt.
func (r *Reader) ReadSamplesAt(dst pcm.Block, at int64) error {
	if r.fit.Reversed == 0 {
		return r.ahead(dst, at)
	}
	if err := r.ahead(dst, r.Len()-at-dst.Len()); err != nil {
		return err
	}
	for _, ch := range dst {
		slices.Reverse(ch)
	}
	return nil
}

// ahead reads it as if it did not run backwards.
func (r *Reader) ahead(dst pcm.Block, at int64) error {
	for from := int64(0); from < dst.Len(); {
		k := sort.Search(len(r.parts), func(i int) bool { return r.parts[i].begin > at+from }) - 1
		until := at + dst.Len()
		if k+1 < len(r.parts) {
			until = min(until, r.parts[k+1].begin)
		}
		if k >= 0 && at+from < r.parts[k].begin+r.parts[k].Length {
			p := r.parts[k]
			until = min(until, p.begin+p.Length, at+from+most)
			if err := r.part(p, dst.Slice(from, until-at), at+from-p.begin); err != nil {
				return err
			}
		} else {
			shift := int64(0)
			if k >= 0 {
				shift = r.parts[k].shift
			}
			if err := r.of.ReadSamplesAt(dst.Slice(from, until-at), at+from-shift); err != nil {
				return err
			}
		}
		from = until - at
	}
	return nil
}

// part gives a stretch of a fitted part from its sample at on.
func (r *Reader) part(p *fitted, dst pcm.Block, at int64) error {
	if p.Kind == timing.Tape {
		return runTape(r.of, p.Part, dst, at)
	}
	p.once.Do(func() {
		switch p.Kind {
		case timing.Pause:
			p.path, p.err = pausePath(newTape(r.of), p.Part)
		case timing.Music:
			v := newVocoder(r.of, p.Part)
			held, err := v.held()
			if p.err = err; held {
				p.music = v
			} else if err == nil { // beats and noise are kept best where there are joins
				p.path, p.err = wordsPath(newTape(r.of), p.Part)
			}
		default:
			p.path, p.err = wordsPath(newTape(r.of), p.Part)
		}
	})
	if p.err != nil {
		return p.err
	}
	if p.music != nil {
		return p.music.ReadSamplesAt(dst, at)
	}
	return joined(r.of, p.Part, p.path, dst, at)
}

// joined gives a stretch of a part that goes along a path.
func joined(of pcm.ReaderAt, p timing.Part, path []join, dst pcm.Block, at int64) error {
	end := at + dst.Len()
	k := sort.Search(len(path), func(i int) bool { return path[i].out > at }) - 1 // the last that has begun
	for o := at; o < end; {
		place, until := p.From+o, end // where the recording is as it passes, and how long
		if k+1 < len(path) {
			until = min(until, path[k+1].out)
		}
		if k >= 0 {
			j := path[k]
			place = j.to + o - j.out
			if o < j.out+j.n {
				until = min(until, j.out+j.n)
				if err := cross(of, j, dst.Slice(o-at, until-at), o-j.out); err != nil {
					return err
				}
				o = until
				continue
			}
		}
		if until > o {
			if err := of.ReadSamplesAt(dst.Slice(o-at, until-at), place); err != nil {
				return err
			}
			o = until
			continue
		}
		k++
	}
	return nil
}

// cross gives the crossfade of a join from its sample at on, by the law that keeps the power of two sides that are as
// much alike as they are.
func cross(of pcm.ReaderAt, j join, dst pcm.Block, at int64) error {
	left := pcm.NewBlock(len(dst), dst.Len())
	if err := of.ReadSamplesAt(left, j.at+at); err != nil {
		return err
	}
	if err := of.ReadSamplesAt(dst, j.to+at); err != nil {
		return err
	}
	for i := range dst.Len() {
		out, in := blend.Matched.Gains(blend.Position(at+i, j.n), j.r)
		for c := range dst {
			dst[c][i] = out*left[c][i] + in*dst[c][i]
		}
	}
	return nil
}
