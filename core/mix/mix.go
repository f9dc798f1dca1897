// Package mix renders a scene to samples: any stretch, on demand. A stretch is the same bits whether it is rendered
// alone or as part of the whole, and memory does not grow with the scene's length.
//
// What a clip sounds like at its gain, with its line and lulls, is rounded to 32-bit float; then come its fades and
// blends, and what all clips of a track sum to with the track's own room is rounded to 32-bit float again. What a track
// does as a whole comes after that, in 64 bits. So clips of a track that are joined into one recording of 32-bit float
// are the same bits as they were apart.
package mix

import (
	"fmt"
	"math"
	"sort"
	"sync"

	"gonum.org/v1/gonum/floats"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/simd"
)

// Open gives the sound of a source, at the scene's rate. It is called once for each source that is heard.
type Open func(source scene.Source) (pcm.ReaderAt, error)

// Options choose what of a scene is heard. The zero value is the whole scene.
type Options struct {
	Track  scene.TrackID // only this track, by its id, muted or not
	Clip   scene.ClipID  // only this clip, by its id, with its fades and its side of blends
	Plain  bool          // blends left out: clips are cut hard
	Bypass bool          // only with Clip: without fades and blends, and with all its handles
	// Within is a stretch of the scene outside of which nothing will be asked for; the zero Span is none. A mixer of a
	// stretch is soon made, however long the scene.
	Within pcm.Span
}

// A Mixer renders one scene. Its methods may be called in parallel.
type Mixer struct {
	channels int
	tracks   []voices
	length   int64
}

// voices are the clips of one track as they sound, in order of time.
type voices struct {
	track *scene.Track
	gain  float64
	bus   bus
	room  *between     // what sounds where no clip does, nil if nothing
	whole pcm.ReaderAt // what all of it sounds like treated as one, nil if it is not
	list  []voice
	of    map[scene.ClipID]int // index in list, by clip
	still bool                 // not heard: it only stands for the rooms of others
}

// New prepares a scene for rendering: it opens the sources that are heard. The correlation that a matched blend needs
// is measured when the blend is first rendered. The scene must hold the laws of Scene.Check; open must know its tones,
// see WithMade.
func New(s *scene.Scene, open Open, opt Options) (*Mixer, error) {
	return newMixer(s, s, open, opt, nil)
}

// NewJoining prepares what clips sound like together, as they are to be joined into one recording.
func NewJoining(s *edit.Joining, open Open) (*Mixer, error) {
	m, err := newMixer(s.Scene, s.Whole, open, Options{Within: s.Sounding()}, s)
	if err == nil {
		m.channels = s.Channels()
	}
	return m, err
}

// newMixer makes a mixer; tracks make way for what is in whole. Of what is joined only the parts are heard, though
// rooms do not sound where other clips do.
func newMixer(s, whole *scene.Scene, open Open, opt Options, of *edit.Joining) (*Mixer, error) {
	m := &Mixer{channels: s.Channels, length: s.Length()}
	open = once(open)
	get := func(c scene.Clip) (pcm.ReaderAt, error) { return WithRoom(s, c, open) }
	solo := false
	for _, t := range s.Tracks {
		solo = solo || t.Solo && t.Kind == scene.Sound && of == nil
	}
	for _, t := range s.Tracks {
		switch {
		case t.Kind != scene.Sound, opt.Track != "" && t.ID != opt.Track:
			continue
		case opt.Track == "" && opt.Clip == "" && (t.Mute || solo && !t.Solo):
			continue
		}
		v, err := trackVoices(s, t, get, opt)
		if err != nil {
			return nil, err
		}
		if opt.Clip == "" {
			v.bus = busOf(whole, t)
		}
		v.still = of != nil && !of.HasOf(t)
		for i := range v.list {
			v.list[i].still = of != nil && !of.Has(v.list[i].clip.ID)
		}
		if of != nil && of.Single {
			v.bus = bus{}
		}
		if len(v.list) > 0 {
			m.tracks = append(m.tracks, v)
		}
	}
	if opt.Bypass {
		return m, nil
	}
	m.pair(s, get, opt)
	if opt.Clip != "" {
		return m, nil
	}
	if err := m.grounds(s, open); err != nil {
		return nil, err
	}
	return m, m.treat(s, open)
}

// treat gives the tracks that are treated as a whole their sound.
func (m *Mixer) treat(s *scene.Scene, open Open) error {
	for i := range m.tracks {
		t := &m.tracks[i]
		if !t.track.Treatments.Does() {
			continue
		}
		whole, err := treated(s, &summed{t, m.channels, int(s.SampleRate)}, t.track.Treatments, open)
		if err != nil {
			return fmt.Errorf("track %s: %w", t.track.Name, err)
		}
		t.whole = whole
	}
	return nil
}

// pair gives the clips of pairs the fades of their pair, or none where cuts are heard plain.
func (m *Mixer) pair(s *scene.Scene, get func(scene.Clip) (pcm.ReaderAt, error), opt Options) {
	for _, p := range s.Pairs {
		out, in := m.voice(p.Out), m.voice(p.In)
		if out == nil && in == nil {
			continue
		}
		if opt.Plain {
			if out != nil {
				out.fadeOut = nil
			}
			if in != nil {
				in.fadeIn = nil
			}
			continue
		}
		span, _ := s.Overlap(p)
		_, left := s.Clip(p.Out)
		_, right := s.Clip(p.In)
		likeness := likenessFor(p.Law, left, right, span, get)
		if out != nil {
			out.fadeOut = &ramp{span, func(x float64) float64 { g, _ := p.Gains(x, likeness.r); return g }, likeness.ready}
		}
		if in != nil {
			in.fadeIn = &ramp{span, func(x float64) float64 { _, g := p.Gains(x, likeness.r); return g }, likeness.ready}
		}
	}
}

// A likeness is the correlation of the two sides of a blend, for the matched law alone; 0 until it is ready.
type likeness struct {
	r     float64
	ready func() error // nil if nothing is to be measured
}

// likenessFor is that of two clips at their gains, with lines and lulls, over a stretch of the scene, of which a minute
// counts.
func likenessFor(
	law blend.Law, out, in *scene.Clip, span pcm.Span, get func(scene.Clip) (pcm.ReaderAt, error),
) *likeness {
	l := &likeness{}
	if law != blend.Matched {
		return l
	}
	l.ready = sync.OnceValue(func() error {
		var sides [2]pcm.Block
		for i, c := range []*scene.Clip{out, in} {
			if c == nil {
				return fmt.Errorf("a blend at %d names a clip that is gone", span.From)
			}
			r, err := get(*c)
			if err != nil {
				return err
			}
			v := voiceOf(c, r)
			span := pcm.Span{From: span.From, To: min(span.To, span.From+int64(r.Format().Rate)*60)}
			sides[i] = pcm.NewBlock(r.Format().Channels, span.Len())
			if err := v.read(sides[i], span); err != nil {
				return err
			}
		}
		l.r = measure.Correlation(sides[0], sides[1])
		return nil
	})
	return l
}

// clipOn gives a clip of a track by its id, nil if there is none.
func clipOn(t *scene.Track, id scene.ClipID) *scene.Clip {
	for i := range t.Clips {
		if t.Clips[i].ID == id {
			return &t.Clips[i]
		}
	}
	return nil
}

// voice gives a clip as it sounds, nil if it is not heard.
func (m *Mixer) voice(clip scene.ClipID) *voice {
	for i := range m.tracks {
		if k, ok := m.tracks[i].of[clip]; ok {
			return &m.tracks[i].list[k]
		}
	}
	return nil
}

// PairSides gives the sound of both clips of a pair while they overlap, without any gain.
func PairSides(
	s *scene.Scene,
	p scene.Pair,
	get func(scene.Clip) (pcm.ReaderAt, error),
) (left, right pcm.Block, err error) {
	span, _ := s.Overlap(p)
	for id, to := range map[scene.ClipID]*pcm.Block{p.Out: &left, p.In: &right} {
		_, c := s.Clip(id)
		if c == nil {
			return nil, nil, fmt.Errorf("a pair names the clip %s, which is gone", id)
		}
		r, err := get(*c)
		if err != nil {
			return nil, nil, err
		}
		span := span.Add(c.In - c.Start)
		span.To = span.From + min(span.Len(), int64(r.Format().Rate)*60)
		if *to, err = pcm.Read(r, span); err != nil {
			return nil, nil, err
		}
	}
	return left, right, nil
}

func trackVoices(
	s *scene.Scene,
	t *scene.Track,
	get func(scene.Clip) (pcm.ReaderAt, error),
	opt Options,
) (voices, error) {
	first, last := 0, len(t.Clips)
	// what a treated track sounds like follows from all before
	if within := opt.Within; !within.Empty() && !t.Treatments.Does() {
		// and those beside it, whose blends may reach into it
		first = max(0, t.At(within.From)-1)
		last = min(len(t.Clips), sort.Search(len(t.Clips), func(i int) bool { return t.Clips[i].Start >= within.To })+1)
	}
	index := make(map[scene.ClipID]int, last-first) // of voices
	out := voices{track: t, gain: level.Amplitude(t.GainDB), of: index}
	for i := first; i < last; i++ {
		c := t.Clips[i]
		if opt.Clip != "" && c.ID != opt.Clip || opt.Clip == "" && !s.Heard(c) {
			continue
		}
		src, err := get(c)
		if err != nil {
			return out, err
		}
		v := voiceOf(&t.Clips[i], src)
		if opt.Bypass {
			v.span = pcm.Span{From: c.Start - c.In, To: c.Start - c.In + src.Len()}
			v.in, v.lulls, v.shapes = 0, nil, false
		} else {
			v.fades(c)
		}
		index[c.ID] = len(out.list)
		out.list = append(out.list, v)
	}
	if opt.Plain || opt.Bypass {
		return out, nil
	}
	for _, b := range t.Blends {
		l, okL := index[b.Left]
		r, okR := index[b.Right]
		if !okL && !okR {
			continue
		}
		cut := int64(0)
		if okL {
			cut = out.list[l].clip.End()
		} else {
			cut = out.list[r].clip.Start
		}
		span := pcm.Span{From: cut - b.Before, To: cut + b.After}
		likeness := likenessFor(b.Law, clipOn(t, b.Left), clipOn(t, b.Right), span, get)
		if okL {
			v := &out.list[l]
			v.tail = &ramp{span, func(x float64) float64 { g, _ := b.Gains(x, likeness.r); return g }, likeness.ready}
			v.fadeOut = nil
			v.span.To = span.To
		}
		if okR {
			v := &out.list[r]
			v.head = &ramp{span, func(x float64) float64 { _, g := b.Gains(x, likeness.r); return g }, likeness.ready}
			v.fadeIn = nil
			v.in -= v.span.From - span.From
			v.span.From = span.From
		}
	}
	return out, nil
}

// Sides gives the sound of both sides of a blend over its length, without any gain, at most a
// minute of it. A side that has no handle there is silent where it is missing.
func Sides(
	t *scene.Track,
	b scene.Blend,
	get func(scene.Clip) (pcm.ReaderAt, error),
) (left, right pcm.Block, err error) {
	n := b.Length()
	for _, c := range t.Clips {
		if c.ID != b.Left && c.ID != b.Right {
			continue
		}
		r, err := get(c)
		if err != nil {
			return nil, nil, err
		}
		at := c.In - b.Before
		if c.ID == b.Left {
			at += c.Length
		}
		block, err := pcm.Read(r, pcm.Span{From: at, To: at + min(n, int64(r.Format().Rate)*60)})
		if err != nil {
			return nil, nil, err
		}
		if c.ID == b.Left {
			left = block
		} else {
			right = block
		}
	}
	return left, right, nil
}

// Length is where the last clip of the scene ends, in samples.
func (m *Mixer) Length() int64 { return m.length }

// Channels is the number of channels of the blocks to render into.
func (m *Mixer) Channels() int { return m.channels }

// A Recording is a mix as a recording, at a rate.
type Recording struct {
	*Mixer
	Rate int
}

// Format is that of what Render fills.
func (r Recording) Format() pcm.Format {
	return pcm.Format{Rate: r.Rate, Channels: r.channels, Bits: 64, Float: true}
}

// Len is the length of the scene.
func (r Recording) Len() int64 { return r.length }

// ReadSamplesAt renders; see pcm.ReaderAt.
func (r Recording) ReadSamplesAt(dst pcm.Block, at int64) error { return r.Render(dst, at) }

// scratch blocks, for reading sources, and to sum a track in.
var scratch = sync.Pool{New: func() any { b := pcm.NewBlock(2, renderStep); return &b }}

// renderStep is how many samples are rendered in one go; small enough for all to stay in the cache.
const renderStep = 8192

// Render fills dst, of Channels channels, with the scene from sample at on. Before its start and after its
// end a scene is silent.
func (m *Mixer) Render(dst pcm.Block, at int64) error {
	for from := int64(0); from < dst.Len(); from += renderStep {
		part := dst.Slice(from, min(dst.Len(), from+renderStep))
		part.Clear()
		for i := range m.tracks {
			if m.tracks[i].still {
				continue
			}
			if err := m.tracks[i].add(part, at+from); err != nil {
				return err
			}
		}
	}
	return nil
}

// first is the first voice that may sound in a window. Blends make neighbours overlap, but both ends of voices still
// rise along the track.
func (t *voices) first(window pcm.Span) int {
	return sort.Search(len(t.list), func(i int) bool { return t.list[i].span.To > window.From })
}

// within are the voices that may sound in a window.
func (t *voices) within(window pcm.Span) []voice {
	from := t.first(window)
	to := from
	for to < len(t.list) && t.list[to].span.From < window.To {
		to++
	}
	return t.list[from:to]
}

// add adds what is heard of the track in a window from sample at of the scene on.
func (t *voices) add(dst pcm.Block, at int64) error {
	window := pcm.Span{From: at, To: at + dst.Len()}
	if t.whole != nil {
		buffer := scratch.Get().(*pcm.Block)
		defer scratch.Put(buffer)
		own := (*buffer)[:len(dst)].Slice(0, dst.Len())
		if err := t.whole.ReadSamplesAt(own, at); err != nil {
			return err
		}
		t.through(dst, own, at)
		return nil
	}
	list := t.within(window)
	if t.sums(list, window, len(dst)) {
		return t.addSum(dst, list, window)
	}
	for i := range list {
		if err := list[i].add(dst, window, t.gain, &t.bus); err != nil {
			return err
		}
	}
	return nil
}

// sums tells whether voices of a window have to be summed before they are rounded: where some may sound together, or
// with the track's room, or where their channels do.
func (t *voices) sums(list []voice, window pcm.Span, channels int) bool {
	if t.room != nil {
		return true
	}
	for i := range list {
		v := &list[i]
		if n := v.source.Format().Channels; n > 1 && n != channels {
			return true
		}
		for _, r := range []*ramp{v.head, v.tail} {
			if r != nil && r.span.Overlaps(window) {
				return true
			}
		}
	}
	return false
}

// addSum adds voices, and the track's room, that sound together.
func (t *voices) addSum(dst pcm.Block, list []voice, window pcm.Span) error {
	buffer := scratch.Get().(*pcm.Block)
	defer scratch.Put(buffer)
	own := (*buffer)[:len(dst)].Slice(0, dst.Len())
	own.Clear()
	if err := t.own(own, list, window); err != nil {
		return err
	}
	t.through(dst, own, window.From)
	return nil
}

// own sums voices, and the track's room, into a block that is silent.
func (t *voices) own(own pcm.Block, list []voice, window pcm.Span) error {
	for i := range list {
		if err := list[i].add(own, window, 1, &bus{}); err != nil {
			return err
		}
	}
	if t.room != nil {
		if err := t.room.add(own, window.From); err != nil {
			return err
		}
	}
	round32(own)
	return nil
}

// through adds what a track sums to from sample at on, through its gain and what it does as a whole.
func (t *voices) through(dst, own pcm.Block, at int64) {
	times(own, t.gain)
	t.bus.apply(own, at)
	for c := range dst {
		addTo(dst[c], own[c])
	}
}

func round32(sound pcm.Block) {
	for _, ch := range sound {
		simd.Round32(ch)
	}
}

// join adds sound to the mix: mono goes to every channel at unity, more channels to one as their mean, more than two
// channels in pairs; each channel by its own gain, if there are any.
func join(dst, src pcm.Block, sides []float64) {
	switch {
	case len(src) == len(dst) && sides == nil:
		for c := range dst {
			addTo(dst[c], src[c])
		}
	case len(src) == 1 && sides == nil:
		for c := range dst {
			addTo(dst[c], src[0])
		}
	default:
		share := 1 / math.Ceil(float64(len(src))/float64(len(dst)))
		for c := range max(len(src), len(dst)) {
			side := c % len(dst)
			gain := share
			if sides != nil {
				gain *= sides[side]
			}
			to := dst[side]
			for i, v := range src[min(c, len(src)-1)] {
				to[i] += v * gain
			}
		}
	}
}

func addTo(dst, src []float64) { floats.Add(dst, src[:len(dst)]) }
