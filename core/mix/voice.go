package mix

import (
	"blendseam/core/scene"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A voice is a clip as it sounds: blends reach beyond its ends.
type voice struct {
	clip    *scene.Clip
	span    pcm.Span // in the scene
	in      int64    // source sample at span.From
	source  pcm.ReaderAt
	gain    float64
	head    *ramp
	tail    *ramp
	fadeIn  *ramp
	fadeOut *ramp
	lulls   []scene.Lull
	shapes  bool // fades, line and lulls are heard
	still   bool // not heard: it only stands for rooms
}

// A ramp is a stretch of the scene with a gain that changes.
type ramp struct {
	span  pcm.Span
	gain  func(x float64) float64
	ready func() error // finds out what gain needs to know; nil if nothing
}

// at is the ramp's gain for a sample inside its span.
func (r *ramp) at(sample int64) float64 {
	return r.gain(blend.Position(sample-r.span.From, r.span.Len()))
}

// voiceOf is a clip as it sounds on its own, without fades and blends.
func voiceOf(c *scene.Clip, source pcm.ReaderAt) voice {
	v := voice{clip: c, span: c.Span(), in: c.In, source: source, gain: level.Amplitude(c.GainDB), shapes: true}
	for _, l := range c.Lulls {
		if !l.Off {
			v.lulls = append(v.lulls, l)
		}
	}
	return v
}

func (v *voice) fades(c scene.Clip) {
	if n := c.FadeIn.Length; n > 0 {
		v.fadeIn = &ramp{pcm.Span{From: c.Start, To: c.Start + n}, c.FadeIn.Curve.Rise, nil}
	}
	if n := c.FadeOut.Length; n > 0 {
		curve := c.FadeOut.Curve
		v.fadeOut = &ramp{pcm.Span{From: c.End() - n, To: c.End()}, func(x float64) float64 { return curve.Rise(1 - x) }, nil}
	}
}

// add adds what is heard of a voice in a window, through the gain and the bus of its track.
func (v *voice) add(dst pcm.Block, window pcm.Span, trackGain float64, bus *bus) error {
	part := v.span.Intersect(window)
	if part.Empty() || v.still {
		return nil
	}
	to := dst.Slice(part.From-window.From, part.To-window.From)
	// what is added without a copy has 24 bits, which rounding leaves alone
	if adder, ok := v.source.(pcm.Adder); ok && v.gain == 1 && !v.shaped(part) && !bus.does() {
		at := v.in + part.From - v.span.From
		if done, err := adder.AddSamplesAt(to, at, trackGain); done || err != nil {
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
	if err := v.read(src, part); err != nil {
		return err
	}
	faded, err := v.fade(src, part)
	if err != nil {
		return err
	}
	if faded {
		round32(src)
	}
	times(src, trackGain)
	turnBy(src, bus.duck, part.From)
	join(to, src, bus.sides)
	return nil
}

// read gives what the clip sounds like over a part of its span, without fades and blends.
func (v *voice) read(src pcm.Block, part pcm.Span) error {
	at := v.in + part.From - v.span.From
	if err := v.source.ReadSamplesAt(src, at); err != nil {
		return err
	}
	times(src, v.gain)
	if v.lined() {
		turnBy(src, v.clip.Level, at)
	}
	v.lull(src, part)
	round32(src)
	return nil
}

func (v *voice) ramps() [4]*ramp { return [...]*ramp{v.head, v.fadeIn, v.fadeOut, v.tail} }

// lined tells whether the voice has a level line.
func (v *voice) lined() bool { return v.shapes && len(v.clip.Level) > 0 }

// shaped tells whether a ramp or a level line lies over a part of the voice.
func (v *voice) shaped(part pcm.Span) bool {
	return v.lined() || v.contoured(part)
}

// contoured tells whether a ramp or a lull lies over a part of the voice.
func (v *voice) contoured(part pcm.Span) bool {
	for _, r := range v.ramps() {
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

// contour applies lulls, fades and blends.
func (v *voice) contour(src pcm.Block, part pcm.Span) error {
	v.lull(src, part)
	_, err := v.fade(src, part)
	return err
}

// lull turns sound down in the lulls that lie over a part of the voice.
func (v *voice) lull(src pcm.Block, part pcm.Span) {
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
}

// fade applies fades and blends, and tells whether any lies over a part of the voice.
func (v *voice) fade(src pcm.Block, part pcm.Span) (faded bool, err error) {
	for _, r := range v.ramps() {
		if r == nil || !r.span.Overlaps(part) {
			continue
		}
		faded = true
		if r.ready != nil {
			if err := r.ready(); err != nil {
				return true, err
			}
		}
		over := r.span.Intersect(part)
		for s := over.From; s < over.To; s++ {
			g := r.at(s)
			for _, ch := range src {
				ch[s-part.From] *= g
			}
		}
	}
	return faded, nil
}
