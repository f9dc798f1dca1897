package mix

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// between is the room of a track, which sounds where clips of dialogue do not: in gaps, lulls and fades, and as much of
// its noise in a blend as its two sides lack of constant power. Their hum is in step, so that it is amplitudes that add
// up: of that it sounds as much as they lack of 1, and takes off what they have more.
type between struct {
	noise *ambience.Noise
	span  pcm.Span // outside of which it is not heard
	cover []voices // what may stand for a room
}

// WithRoom opens the sound of a clip: as its room makes it, through its filters and those of its track, and treated.
func WithRoom(s *scene.Scene, c scene.Clip, open Open) (pcm.ReaderAt, error) {
	src, ok := s.Sources[c.Source]
	if !ok {
		return nil, fmt.Errorf("clip %s: the scene has no source %q", c.Name, c.Source)
	}
	r, err := open(src)
	if err != nil {
		return nil, err
	}
	tone, err := toneOf(s, c.Room, open)
	if err != nil {
		return nil, fmt.Errorf("clip %s: %w", c.Name, err)
	}
	out, err := treated(s, eq.New(ambience.WithRoom(r, c.Room, tone), scene.CurveOf(s, c)), c.Treatments, open)
	if err != nil {
		return nil, fmt.Errorf("clip %s: %w", c.Name, err)
	}
	return out, nil
}

// treated is a recording as a chain makes it sound.
func treated(s *scene.Scene, r pcm.ReaderAt, chain *effects.Chain, open Open) (pcm.ReaderAt, error) {
	var impulse pcm.ReaderAt
	if src, ok := s.Sources[chain.Impulse()]; ok && chain.Does() {
		var err error
		if impulse, err = open(src); err != nil {
			return nil, err
		}
	}
	return effects.New(r, chain, impulse)
}

// summed is what the clips of a track, and its room, sum to, before what the track does as a whole.
type summed struct {
	of       *voices
	channels int
	rate     int
}

// Format is that of the scene, in floats.
func (s *summed) Format() pcm.Format {
	return pcm.Format{Rate: s.rate, Channels: s.channels, Bits: 64, Float: true}
}

// Len is beyond any scene: echoes and rooms go on after the last clip.
func (s *summed) Len() int64 { return math.MaxInt64 }

// ReadSamplesAt sums them; see pcm.ReaderAt.
func (s *summed) ReadSamplesAt(dst pcm.Block, at int64) error {
	dst.Clear()
	for from := int64(0); from < dst.Len(); from += renderStep {
		part := dst.Slice(from, min(dst.Len(), from+renderStep))
		window := pcm.Span{From: at + from, To: at + from + part.Len()}
		if err := s.of.own(part, s.of.within(window), window); err != nil {
			return err
		}
	}
	return nil
}

// toneOf opens the tone that the noise of a room is made from, nil if it is made by chance.
func toneOf(s *scene.Scene, r *recipe.Room, open Open) (pcm.ReaderAt, error) {
	if r == nil || r.Tone == "" {
		return nil, nil
	}
	src, ok := s.Sources[r.Tone]
	if !ok {
		return nil, fmt.Errorf("the scene has no tone %q, which its room is made from", r.Tone)
	}
	return open(src)
}

// once opens each source only once.
func once(open Open) Open {
	opened := map[string]pcm.ReaderAt{}
	return func(src scene.Source) (pcm.ReaderAt, error) {
		if r, ok := opened[src.ID]; ok {
			return r, nil
		}
		r, err := open(src)
		if err == nil {
			opened[src.ID] = r
		}
		return r, err
	}
}

// grounds makes the rooms of the tracks that are heard.
func (m *Mixer) grounds(s *scene.Scene, open Open) error {
	for i := range m.tracks {
		t := m.tracks[i].track
		if t.Room == nil {
			continue
		}
		tone, err := toneOf(s, t.Room, open)
		if err != nil {
			return fmt.Errorf("track %s: %w", t.Name, err)
		}
		room := filteredRoom(*t.Room, t.Filters, float64(s.SampleRate))
		noise := ambience.NewNoise(room, int(s.SampleRate), tone)
		b := between{noise: noise, cover: m.tracks}
		for _, o := range s.Tracks {
			for _, c := range o.Clips {
				if o.Kind != scene.Sound || !scene.HasRoom(s, c) || !s.Heard(c) {
					continue
				}
				own := pcm.Span{From: c.Start + c.FadeIn.Length, To: c.End() - c.FadeOut.Length}
				if b.span.Empty() {
					b.span = own
				}
				b.span.From, b.span.To = min(b.span.From, own.From), max(b.span.To, own.To)
			}
		}
		m.tracks[i].room = &b
	}
	return nil
}

// filteredRoom is a track's room through the filters of the track.
func filteredRoom(r recipe.Room, f *eq.Filters, rate float64) recipe.Room {
	all := eq.Curve{Track: f}
	if !all.Does() {
		return r
	}
	filtered := func(bands []float64) []float64 {
		bands = slices.Clone(bands)
		for i := range bands {
			bands[i] += all.DB(recipe.FineHz(i), rate)
		}
		return bands
	}
	r.FillDB = filtered(r.FillDB)
	r.Hum = slices.Clone(r.Hum)
	for i, h := range r.Hum {
		r.Hum[i].LevelDB += all.DB(h.Hz, rate)
	}
	if r.Change != nil {
		later := *r.Change
		later.FillDB = filtered(later.FillDB)
		r.Change = &later
	}
	return r
}

// add adds what of the room is heard in a window.
func (b *between) add(dst pcm.Block, at int64) error {
	window := pcm.Span{From: at, To: at + dst.Len()}
	part := window.Intersect(b.span)
	if part.Empty() {
		return nil
	}
	// of what stands for a room already, whole being 1
	power, amplitude := make([]float64, part.Len()), make([]float64, part.Len())
	for k := range b.cover {
		t := &b.cover[k]
		for i := t.first(part); i < len(t.list) && t.list[i].span.From < part.To; i++ {
			v := &t.list[i]
			if t.track.Purpose != scene.ForDialogue && v.clip.Fills == nil {
				continue
			}
			own := v.span.Intersect(part)
			if own == part && !v.contoured(part) {
				return nil // nothing is lacking
			}
			contour := pcm.NewBlock(1, own.Len())
			for k := range contour[0] {
				contour[0][k] = 1
			}
			if err := v.contour(contour, own); err != nil {
				return err
			}
			for k, g := range contour[0] {
				at := own.From - part.From + int64(k)
				power[at] += g * g
				amplitude[at] += g
			}
		}
	}
	lacks := false
	for i, p := range power {
		power[i] = math.Sqrt(max(0, 1-p))
		amplitude[i] = 1 - amplitude[i]
		lacks = lacks || p < 1-1e-9 || amplitude[i] < -1e-9
	}
	if !lacks {
		return nil
	}
	return b.noise.AddTimes(dst.Slice(part.From-at, part.To-at), part.From, power, amplitude)
}
