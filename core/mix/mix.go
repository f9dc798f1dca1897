// Package mix renders a scene to samples: any stretch, on demand. A stretch is the same bits whether it is
// rendered alone or as part of the whole, and memory does not grow with the scene's length.
package mix

import (
	"fmt"
	"math"
	"sort"
	"sync"

	"blendseam/core/blend"
	"blendseam/core/measure"
	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// Open gives the sound of a source, at the scene's rate. It is called once for each source that is heard.
type Open func(source scene.Source) (pcm.ReaderAt, error)

// Options choose what of a scene is heard. The zero value is the whole scene.
type Options struct {
	Track  string // only this track, by its id, muted or not
	Clip   string // only this clip, by its id, with its fades and its side of blends
	Plain  bool   // blends left out: clips are cut hard
	Bypass bool   // only with Clip: without fades and blends, and with all its handles
}

// A Mixer renders one scene. Its methods may be called in parallel.
type Mixer struct {
	channels int
	tracks   []voices
	length   int64
}

// voices are the clips of one track as they sound, in order of time.
type voices struct {
	gain float64
	list []voice
	of   map[string]int // index in list, by clip
}

// A voice is a clip as it sounds: blends reach beyond its ends.
type voice struct {
	span    pcm.Span // in the scene
	in      int64    // source sample at span.From
	source  pcm.ReaderAt
	gain    float64
	head    *ramp
	tail    *ramp
	fadeIn  *ramp
	fadeOut *ramp
	level   *scene.Clip // whose level line it has, nil if it has none
	lulls   []scene.Lull
}

// A ramp is a stretch of the scene with a gain that changes.
type ramp struct {
	span pcm.Span
	gain func(x float64) float64
}

// at is the ramp's gain for a sample inside its span.
func (r *ramp) at(sample int64) float64 {
	return r.gain(blend.Position(sample-r.span.From, r.span.Len()))
}

// New prepares a scene for rendering: it opens the sources that are heard and measures the correlation for
// matched blends. The scene must hold the laws of Scene.Check.
func New(s *scene.Scene, open Open, opt Options) (*Mixer, error) {
	m := &Mixer{channels: s.Channels, length: s.Length()}
	opened := map[string]pcm.ReaderAt{}
	get := func(c scene.Clip) (pcm.ReaderAt, error) {
		if r, ok := opened[c.Source]; ok {
			return r, nil
		}
		src, ok := s.Sources[c.Source]
		if !ok {
			return nil, fmt.Errorf("clip %s: the scene has no source %q", c.Name, c.Source)
		}
		r, err := open(src)
		if err != nil {
			return nil, err
		}
		opened[c.Source] = r
		return r, nil
	}
	open = WithTones(s, open)
	solo := false
	for _, t := range s.Tracks {
		solo = solo || t.Solo && t.Kind == scene.Sound
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
		if len(v.list) > 0 {
			m.tracks = append(m.tracks, v)
		}
	}
	if opt.Bypass {
		return m, nil
	}
	return m, m.pair(s, get, opt)
}

// pair gives the clips of pairs the fades of their pair, or none where cuts are heard plain.
func (m *Mixer) pair(s *scene.Scene, get func(scene.Clip) (pcm.ReaderAt, error), opt Options) error {
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
		correlation := 0.0
		if p.Law == blend.Matched {
			left, right, err := PairSides(s, p, get)
			if err != nil {
				return err
			}
			correlation = measure.Correlation(left, right)
		}
		span, _ := s.Overlap(p)
		if out != nil {
			out.fadeOut = &ramp{span, func(x float64) float64 { g, _ := p.Gains(x, correlation); return g }}
		}
		if in != nil {
			in.fadeIn = &ramp{span, func(x float64) float64 { _, g := p.Gains(x, correlation); return g }}
		}
	}
	return nil
}

// voice gives a clip as it sounds, nil if it is not heard.
func (m *Mixer) voice(clip string) *voice {
	for i := range m.tracks {
		if k, ok := m.tracks[i].of[clip]; ok {
			return &m.tracks[i].list[k]
		}
	}
	return nil
}

// PairSides gives the sound of both clips of a pair while they overlap, without any gain.
func PairSides(s *scene.Scene, p scene.Pair, get func(scene.Clip) (pcm.ReaderAt, error)) (left, right pcm.Block, err error) {
	span, _ := s.Overlap(p)
	for id, to := range map[string]*pcm.Block{p.Out: &left, p.In: &right} {
		_, c := s.Clip(id)
		if c == nil {
			return nil, nil, fmt.Errorf("a pair names the clip %s, which is gone", id)
		}
		r, err := get(*c)
		if err != nil {
			return nil, nil, err
		}
		span := span.Add(c.In - c.Start)
		if *to, err = pcm.Read(r, pcm.Span{From: span.From, To: span.From + min(span.Len(), int64(r.Format().Rate)*60)}); err != nil {
			return nil, nil, err
		}
	}
	return left, right, nil
}

func trackVoices(s *scene.Scene, t *scene.Track, get func(scene.Clip) (pcm.ReaderAt, error), opt Options) (voices, error) {
	index := make(map[string]int, len(t.Clips)) // of voices
	out := voices{gain: measure.Amplitude(t.GainDB), of: index}
	starts := make(map[string]int64, len(t.Clips))
	for _, c := range t.Clips {
		starts[c.ID] = c.Start
		if opt.Clip != "" && c.ID != opt.Clip || opt.Clip == "" && !s.Heard(c) {
			continue
		}
		src, err := get(c)
		if err != nil {
			return out, err
		}
		v := voice{span: c.Span(), in: c.In, source: src, gain: measure.Amplitude(c.GainDB)}
		if opt.Bypass {
			v.span = pcm.Span{From: c.Start - c.In, To: c.Start - c.In + src.Len()}
			v.in = 0
		} else {
			v.fades(c)
			if len(c.Level) > 0 {
				v.level = &c
			}
			for _, l := range c.Lulls {
				if !l.Off {
					v.lulls = append(v.lulls, l)
				}
			}
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
		correlation, err := correlationOf(t, b, get)
		if err != nil {
			return out, err
		}
		cut := starts[b.Right]
		span := pcm.Span{From: cut - b.Before, To: cut + b.After}
		if okL {
			v := &out.list[l]
			v.tail = &ramp{span, func(x float64) float64 { g, _ := b.Gains(x, correlation); return g }}
			v.fadeOut = nil
			v.span.To = span.To
		}
		if okR {
			v := &out.list[r]
			v.head = &ramp{span, func(x float64) float64 { _, g := b.Gains(x, correlation); return g }}
			v.fadeIn = nil
			v.in -= v.span.From - span.From
			v.span.From = span.From
		}
	}
	return out, nil
}

func (v *voice) fades(c scene.Clip) {
	if n := c.FadeIn.Length; n > 0 {
		v.fadeIn = &ramp{pcm.Span{From: c.Start, To: c.Start + n}, c.FadeIn.Curve.Rise}
	}
	if n := c.FadeOut.Length; n > 0 {
		curve := c.FadeOut.Curve
		v.fadeOut = &ramp{pcm.Span{From: c.End() - n, To: c.End()}, func(x float64) float64 { return curve.Rise(1 - x) }}
	}
}

// correlationOf measures the two sides of a blend over its length, for the matched law alone.
func correlationOf(t *scene.Track, b scene.Blend, get func(scene.Clip) (pcm.ReaderAt, error)) (float64, error) {
	if b.Law != blend.Matched {
		return 0, nil
	}
	left, right, err := Sides(t, b, get)
	if err != nil {
		return 0, err
	}
	return measure.Correlation(left, right), nil
}

// Sides gives the sound of both sides of a blend over its length, without any gain, at most a
// minute of it. A side that has no handle there is silent where it is missing.
func Sides(t *scene.Track, b scene.Blend, get func(scene.Clip) (pcm.ReaderAt, error)) (left, right pcm.Block, err error) {
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

// scratch blocks, for reading sources.
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
			if err := m.tracks[i].add(part, at+from); err != nil {
				return err
			}
		}
	}
	return nil
}

func (t *voices) add(dst pcm.Block, at int64) error {
	window := pcm.Span{From: at, To: at + dst.Len()}
	// Blends make neighbours overlap, but both ends of voices still rise along the track.
	i := sort.Search(len(t.list), func(i int) bool { return t.list[i].span.To > window.From })
	for ; i < len(t.list) && t.list[i].span.From < window.To; i++ {
		if err := t.list[i].add(dst, window, t.gain); err != nil {
			return err
		}
	}
	return nil
}

func (v *voice) add(dst pcm.Block, window pcm.Span, trackGain float64) error {
	part := v.span.Intersect(window)
	if part.Empty() {
		return nil
	}
	to := dst.Slice(part.From-window.From, part.To-window.From)
	at := v.in + part.From - v.span.From
	if adder, ok := v.source.(pcm.Adder); ok && !v.shaped(part) {
		if done, err := adder.AddSamplesAt(to, at, v.gain*trackGain); done || err != nil {
			return err
		}
	}
	buffer := scratch.Get().(*pcm.Block)
	defer scratch.Put(buffer)
	channels := v.source.Format().Channels
	for len(*buffer) < channels {
		*buffer = append(*buffer, make([]float64, renderStep))
	}
	src := (*buffer)[:channels].Slice(0, part.Len())
	if err := v.source.ReadSamplesAt(src, at); err != nil {
		return err
	}
	v.shape(src, part, v.gain*trackGain)
	join(to, src)
	return nil
}

// shaped tells whether a ramp or a level line lies over a part of the voice.
func (v *voice) shaped(part pcm.Span) bool {
	if v.level != nil {
		return true
	}
	for _, r := range []*ramp{v.head, v.fadeIn, v.fadeOut, v.tail} {
		if r != nil && r.span.Overlaps(part) {
			return true
		}
	}
	source := part.Add(v.in - v.span.From)
	for _, l := range v.lulls {
		if l.Span().Overlaps(source) {
			return true
		}
	}
	return false
}

// shape applies the clip's gain and its ramps to what was read for a part of its span.
func (v *voice) shape(src pcm.Block, part pcm.Span, gain float64) {
	if gain != 1 {
		for _, ch := range src {
			for i := range ch {
				ch[i] *= gain
			}
		}
	}
	if v.level != nil {
		at, db, g := v.in+part.From-v.span.From, 0.0, 1.0
		for i := range src[0] {
			if now := v.level.LevelDB(at + int64(i)); now != db {
				db, g = now, measure.Amplitude(now)
			}
			for _, ch := range src {
				ch[i] *= g
			}
		}
	}
	source := part.Add(v.in - v.span.From)
	for _, l := range v.lulls {
		over := l.Span().Intersect(source)
		for s := over.From; s < over.To; s++ {
			g := l.Gain(s)
			for _, ch := range src {
				ch[s-source.From] *= g
			}
		}
	}
	for _, r := range []*ramp{v.head, v.fadeIn, v.fadeOut, v.tail} {
		if r == nil {
			continue
		}
		over := r.span.Intersect(part)
		for s := over.From; s < over.To; s++ {
			g := r.at(s)
			for _, ch := range src {
				ch[s-part.From] *= g
			}
		}
	}
}

// join adds sound to the mix: mono goes to every channel at unity, more channels to one as their mean, more
// than two channels in pairs.
func join(dst, src pcm.Block) {
	switch {
	case len(src) == len(dst):
		for c := range dst {
			sum(dst[c], src[c])
		}
	case len(src) == 1:
		for c := range dst {
			sum(dst[c], src[0])
		}
	default:
		share := 1 / math.Ceil(float64(len(src))/float64(len(dst)))
		for c := range src {
			to := dst[c%len(dst)]
			for i, v := range src[c] {
				to[i] += v * share
			}
		}
	}
}

func sum(dst, src []float64) {
	src = src[:len(dst)]
	for i, v := range src {
		dst[i] += v
	}
}

// Correlation measures how alike the two sides of a blend are over its length; see measure.Correlation.
func Correlation(t *scene.Track, b scene.Blend, sources map[string]scene.Source, open Open) (float64, error) {
	left, right, err := Sides(t, b, func(c scene.Clip) (pcm.ReaderAt, error) { return open(sources[c.Source]) })
	if err != nil {
		return 0, err
	}
	return measure.Correlation(left, right), nil
}
