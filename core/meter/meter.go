package meter

import (
	"context"
	"fmt"
	"math"
	"sync"

	"blendseam/core/listen/analysis"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Meter measures the seams of one scene. Its methods may be called in parallel.
type Meter struct {
	*Sources
	Scene  *scene.Scene
	within pcm.Span // outside of which nothing is measured; the zero Span is none
	heard  map[scene.TrackID]bool
	mu     sync.Mutex
	mixers map[scene.TrackID]*mix.Mixer // by track, "" for the whole
}

// NewMeter prepares a scene for measuring. Nothing is opened before it is needed.
func NewMeter(s *scene.Scene, from *Sources) *Meter {
	m := &Meter{Sources: from, Scene: s, heard: map[scene.TrackID]bool{}, mixers: map[scene.TrackID]*mix.Mixer{}}
	solo := false
	for _, t := range s.Tracks {
		solo = solo || t.Kind == scene.Sound && t.Solo
	}
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound && !t.Mute && (!solo || t.Solo) && len(t.Clips) > 0 {
			m.heard[t.ID] = true
		}
	}
	return m
}

// farS is how far from a seam anything is looked at, in seconds: dead silence is followed for ten.
const farS = 11

// Part is a meter for what lies near a span of another state of the scene alone, which is soon made, however long the
// scene.
func (m *Meter) Part(s *scene.Scene, span pcm.Span) *Meter {
	near := NewMeter(s, m.Sources)
	far := farS * s.SampleRate
	near.within = pcm.Span{From: span.From - far, To: span.To + far}
	return near
}

// Mixer gives the mix of one track, or of the whole scene for "".
func (m *Meter) Mixer(track scene.TrackID) (*mix.Mixer, error) {
	if track != "" && m.heard[track] && len(m.heard) == 1 {
		track = ""
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if x := m.mixers[track]; x != nil {
		return x, nil
	}
	x, err := mix.New(m.Scene, m.Mix(m.Scene), mix.Options{Track: track, Within: m.within})
	if err == nil {
		m.mixers[track] = x
	}
	return x, err
}

// Heard tells whether a track of sound is part of the mix.
func (m *Meter) Heard(track scene.TrackID) bool { return m.heard[track] }

// Sound gives the sound of a clip's source.
func (m *Meter) Sound(c *scene.Clip) (pcm.ReaderAt, error) {
	return mix.WithRoom(m.Scene, *c, func(src scene.Source) (pcm.ReaderAt, error) { return m.Open(m.Scene, src) })
}

// Blended is the level of a blend as it sounds in its middle third, in dB against both sides going over into each other
// at constant power, and the correlation of its sides.
func (m *Meter) Blended(t *scene.Track, b scene.Blend) (sumDB, correlation float64, err error) {
	out, in, err := mix.Sides(t, b, func(c scene.Clip) (pcm.ReaderAt, error) { return m.Sound(&c) })
	if err != nil {
		return 0, 0, err
	}
	gains := [2]float64{}
	for i, id := range []scene.ClipID{b.Left, b.Right} {
		_, c := m.Scene.Clip(id)
		gains[i] = c.GainDB
	}
	correlation = measure.Correlation(out, in)
	return mix.RenderedSum(b, gains[0], gains[1], out, in, correlation, 1, m.Scene.SampleRate)[0], correlation, nil
}

func (m *Meter) source(c *scene.Clip) (scene.Source, error) {
	src, ok := m.Scene.Sources[c.Source]
	if !ok {
		return src, fmt.Errorf("clip %s: the scene has no source %q", c.Name, c.Source)
	}
	return src, nil
}

// Says gives what a clip's source says by itself.
func (m *Meter) Says(ctx context.Context, c *scene.Clip) (*analysis.Recording, error) {
	src, err := m.source(c)
	if err == nil {
		err = ctx.Err() // whoever looks at clip after clip asks here
	}
	if err != nil {
		return nil, err
	}
	a, err := m.Under(ctx, m.Scene, src, c.Room)
	if err != nil {
		return nil, err
	}
	return m.Treated(ctx, m.Scene, c, a.Through(scene.CurveOf(m.Scene, *c)))
}

// Raw is the recording of a clip over a span of the scene, at the clip's gain and beyond its edges, silent where there
// is none.
func (m *Meter) Raw(c *scene.Clip, span pcm.Span) (pcm.Block, error) {
	r, err := m.Sound(c)
	if err != nil {
		return nil, err
	}
	at := span.From - c.Shift()
	b, err := pcm.Read(r, span.Add(-c.Shift()))
	gain := level.Amplitude(c.GainDB)
	for i := range b.Len() {
		if len(c.Level) > 0 {
			gain = level.Amplitude(c.GainDB + c.LevelDB(at+i))
		}
		for _, ch := range b {
			ch[i] *= gain
		}
	}
	return b, err
}

// Samples is how many samples so many milliseconds are.
func (m *Meter) Samples(ms float64) int64 {
	return int64(math.Round(ms * float64(m.Scene.SampleRate) / 1000))
}

// MS is how many milliseconds so many samples are.
func (m *Meter) MS(samples int64) float64 {
	return float64(samples) * 1000 / float64(m.Scene.SampleRate)
}

// Rate is the scene's rate as most of core takes it.
func (m *Meter) Rate() int { return int(m.Scene.SampleRate) }

// Render gives a stretch of a mix.
func Render(x *mix.Mixer, span pcm.Span) (pcm.Block, error) {
	b := pcm.NewBlock(x.Channels(), span.Len())
	return b, x.Render(b, span.From)
}

// LengthWords is a short length within a sentence.
func (m *Meter) LengthWords(samples int64) string { return fmt.Sprintf("%.0f ms", m.MS(samples)) }
