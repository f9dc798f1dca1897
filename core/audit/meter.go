package audit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"

	"blendseam/core/listen/analysis"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Meter measures the seams of one scene. Its methods may be called in parallel.
type Meter struct {
	*meter.Sources
	Scene  *scene.Scene
	within pcm.Span // outside of which nothing is measured; the zero Span is none
	heard  map[scene.TrackID]bool
	mu     sync.Mutex
	mixers map[scene.TrackID]*mix.Mixer // by track, "" for the whole
}

// NewMeter prepares a scene for measuring. Nothing is opened before it is needed.
func NewMeter(s *scene.Scene, from *meter.Sources) *Meter {
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

// Seam measures and judges one seam. Levels of voices, words, clicks and ends are measured in the track alone, all else
// in the mix of the scene as it is heard, or in the track alone where that is not heard.
func (m *Meter) Seam(ctx context.Context, s Seam) (Result, error) {
	r := Result{Seam: s}
	if err := ctx.Err(); err != nil {
		return r, err
	}
	l, err := m.look(ctx, &r)
	if err != nil {
		return r, fmt.Errorf("seam at %s: %w", m.Scene.Timecode(s.At), err)
	}
	steps := []func() error{
		l.backgrounds, l.words, l.levels, l.clicks, l.silence, ends{l}.drop, ends{l}.rise, l.blended, l.peak,
	}
	if s.Kind == Lull {
		steps = []func() error{hole{l}.measure, l.silence, l.peak}
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return r, fmt.Errorf("seam at %s: %w", m.Scene.Timecode(s.At), err)
		}
	}
	l.handles()
	r.judge(m.Scene.SampleRate)
	return r, nil
}

// All measures every seam of a scene, on so many threads; 0 is one for each processor. A seam beside which a recording
// is missing has no verdict, and says which recording that is.
func All(ctx context.Context, m *Meter, threads int) ([]Result, error) {
	found := Find(m.Scene)
	results := make([]Result, len(found))
	if err := m.Prepare(ctx, m.Scene, threads); err != nil {
		return nil, err
	}
	err := parallel.Each(ctx, len(found), threads, func(i int) (err error) {
		results[i], err = m.Measured(ctx, found[i])
		return err
	})
	return results, err
}

// Measured is Seam, but a recording that is missing is no error: the result has no verdict then, and says why.
func (m *Meter) Measured(ctx context.Context, s Seam) (Result, error) {
	r, err := m.Seam(ctx, s)
	var missing *meter.MissingRecording
	if errors.As(err, &missing) {
		return Result{Seam: s, Cause: None, Why: "cannot be measured: " + missing.Error()}, nil
	}
	return r, err
}
