package seam

import (
	"fmt"
	"math"
	"sync"

	"blendseam/core/blend"
	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
)

// Measures are the figures of a seam; nil is what cannot be measured there.
type Measures struct {
	ClickDB           *float64 `json:"click_db"`            // above what the recordings themselves hold there
	LevelStepLU       *float64 `json:"level_step_lu"`       // of the voices: right minus left
	BackgroundStepDB  *float64 `json:"background_step_db"`  // right minus left
	BackgroundLeftDB  *float64 `json:"background_left_db"`  // dBFS
	BackgroundRightDB *float64 `json:"background_right_db"` // dBFS
	DeadSilenceMS     *float64 `json:"dead_silence_ms"`
	DropDB            *float64 `json:"drop_db"`        // how far the level falls at an end
	BlendLevelDB      *float64 `json:"blend_level_db"` // the summed level where it is furthest from 0
	Correlation       *float64 `json:"correlation"`
	PeakDBFS          *float64 `json:"peak_dbfs"`
	HandleBefore      *int64   `json:"handle_before"` // samples of the right clip before the cut
	HandleAfter       *int64   `json:"handle_after"`  // samples of the left clip after it
}

// A Result is a seam measured and judged.
type Result struct {
	Seam
	Measures Measures `json:"measures"`
	Verdict  Verdict  `json:"verdict"`
	Cause    Cause    `json:"cause"`
	Why      string   `json:"why"`
}

// A Meter measures the seams of one scene. Its methods may be called in parallel.
type Meter struct {
	scene *scene.Scene
	open  mix.Open
	whole *mix.Mixer
	mu    sync.Mutex
	alone map[string]*mix.Mixer // by track
}

// NewMeter prepares a scene for measuring.
func NewMeter(s *scene.Scene, open mix.Open) (*Meter, error) {
	whole, err := mix.New(s, open, mix.Options{})
	if err != nil {
		return nil, err
	}
	return &Meter{scene: s, open: open, whole: whole, alone: map[string]*mix.Mixer{}}, nil
}

func (m *Meter) track(id string) (*mix.Mixer, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if x := m.alone[id]; x != nil {
		return x, nil
	}
	x, err := mix.New(m.scene, m.open, mix.Options{Track: id})
	if err == nil {
		m.alone[id] = x
	}
	return x, err
}

func (m *Meter) ms(n float64) int64 { return int64(math.Round(n * float64(m.scene.SampleRate) / 1000)) }

// Seam measures and judges one seam. Levels of voices and clicks are measured in the track alone, all else in the mix
// of the scene as it is heard, or in the track alone where that is not heard.
func (m *Meter) Seam(s Seam) (Result, error) {
	r := Result{Seam: s}
	alone, err := m.track(s.Track)
	if err != nil {
		return r, err
	}
	heard := m.whole
	if !m.hears(s.Track) {
		heard = alone
	}
	for _, step := range []func() error{
		func() error { return m.backgrounds(&r, heard, alone) },
		func() error { return m.levels(&r, alone) },
		func() error { return m.clicks(&r, heard, alone) },
		func() error { return m.silence(&r, heard) },
		func() error { return m.drop(&r, heard) },
		func() error { return m.blend(&r) },
		func() error { return m.peak(&r, heard) },
	} {
		if err := step(); err != nil {
			return r, fmt.Errorf("seam at %s: %w", m.scene.Timecode(s.At), err)
		}
	}
	m.handles(&r)
	m.judge(&r)
	return r, nil
}

// hears tells whether a track is part of the mix.
func (m *Meter) hears(id string) bool {
	solo := false
	for _, t := range m.scene.Tracks {
		solo = solo || t.Kind == scene.Sound && t.Solo
	}
	t := m.scene.Track(id)
	return !t.Mute && (!solo || t.Solo)
}

func render(x *mix.Mixer, span pcm.Span) (pcm.Block, error) {
	b := pcm.NewBlock(x.Channels(), span.Len())
	return b, x.Render(b, span.From)
}

// sides gives the stretches before and after the change, at most so many milliseconds each, that lie in the clips or
// gaps beside the seam and in the scene.
func (m *Meter) sides(s Seam, most float64) (left, right pcm.Span) {
	t := m.scene.Track(s.Track)
	left = pcm.Span{From: max(0, s.From-m.ms(most)), To: s.From}
	right = pcm.Span{From: s.To, To: min(m.scene.Length(), s.To+m.ms(most))}
	before, after := s.index, s.index+1 // the clips that bound the sides
	if s.Left == "" {
		before, after = s.index-1, s.index
	}
	if s.Left != "" {
		left.From = max(left.From, t.Clips[before].Start)
	} else if before >= 0 {
		left.From = max(left.From, t.Clips[before].End())
	}
	if s.Right != "" {
		right.To = min(right.To, t.Clips[after].End())
	} else if after < len(t.Clips) {
		right.To = min(right.To, t.Clips[after].Start)
	}
	return left, right
}

// silent is the level, in dBFS, below which nothing is there.
const silent = -80

// backgrounds measures both sides of the mix. At a cut the step is their difference; at an edge it is what the clip
// adds to the background of all else, so that a voice which sets in on another track is not taken for it.
func (m *Meter) backgrounds(r *Result, heard, alone *mix.Mixer) error {
	left, right := m.sides(r.Seam, 2000)
	background := func(x *mix.Mixer, span pcm.Span) (*float64, error) {
		if span.Len() < m.ms(100) {
			return nil, nil
		}
		b, err := render(x, span)
		if err != nil {
			return nil, err
		}
		db := max(-120, measure.BackgroundDB(b, int(m.scene.SampleRate)))
		return &db, nil
	}
	var err error
	if r.Measures.BackgroundLeftDB, err = background(heard, left); err != nil {
		return err
	}
	if r.Measures.BackgroundRightDB, err = background(heard, right); err != nil {
		return err
	}
	l, rt := r.Measures.BackgroundLeftDB, r.Measures.BackgroundRightDB
	if l == nil || rt == nil || *l <= silent || *rt <= silent {
		return nil
	}
	step := *rt - *l
	if r.Kind != Cut {
		inside, outside, sign := right, *l, 1.0
		if r.Right == "" {
			inside, outside, sign = left, *rt, -1
		}
		own, err := background(alone, inside)
		if err != nil {
			return err
		}
		step = sign * (10*math.Log10(math.Pow(10, outside/10)+math.Pow(10, *own/10)) - outside)
	}
	r.Measures.BackgroundStepDB = &step
	return nil
}

// A side has a voice if its louder frames stand at least this far above its background, in dB.
const voiceAbove = 14

func (m *Meter) levels(r *Result, alone *mix.Mixer) error {
	if r.Kind != Cut {
		return nil
	}
	left, right := m.sides(r.Seam, 3000)
	var lufs [2]float64
	for i, span := range []pcm.Span{left, right} {
		if span.Len() < m.ms(500) {
			return nil
		}
		b, err := render(alone, span)
		if err != nil {
			return err
		}
		frames := measure.FrameLevels(b, int(m.scene.SampleRate))
		if measure.Percentile(frames, 0.95)-measure.Percentile(frames, 0.1) < voiceAbove {
			return nil
		}
		if lufs[i] = measure.LoudnessOf(b, int(m.scene.SampleRate)).IntegratedLUFS; lufs[i] < -70 {
			return nil
		}
	}
	step := lufs[1] - lufs[0]
	r.Measures.LevelStepLU = &step
	return nil
}

// clicks compares the upper part of the spectrum of the track at the seam with the same moment of both recordings alone,
// which may well hold a consonant there, and with what surrounds it in the mix.
func (m *Meter) clicks(r *Result, heard, alone *mix.Mixer) error {
	near := pcm.Span{From: r.From - m.ms(2), To: r.To + m.ms(2)}
	if near.Len() > m.ms(3000) { // a blend that long cannot click
		return nil
	}
	beside := m.ms(40)
	level := func(x *mix.Mixer) (at, surround float64, err error) {
		b, err := render(x, pcm.Span{From: near.From - beside, To: near.To + beside})
		if err != nil {
			return 0, 0, err
		}
		at = measure.Silence
		var others []float64
		for i, v := range m.crispness(b) {
			if s := int64(i) * m.ms(0.5); s >= beside && s < beside+near.Len() {
				at = max(at, v)
			} else {
				others = append(others, v)
			}
		}
		return at, measure.Percentile(others, 0.9), nil
	}
	at, _, err := level(alone)
	if err != nil {
		return err
	}
	_, surround, err := level(heard)
	if err != nil {
		return err
	}
	const floor = -72 // dBFS: a click below it is not heard
	reference := max(floor, surround)
	for _, id := range []string{r.Left, r.Right} {
		if id == "" {
			continue
		}
		one, err := mix.New(m.scene, m.open, mix.Options{Clip: id, Bypass: true})
		if err != nil {
			return err
		}
		own, _, err := level(one)
		if err != nil {
			return err
		}
		reference = max(reference, own)
	}
	click := max(0, at-reference)
	r.Measures.ClickDB = &click
	return nil
}

// crispness gives the RMS levels, in dBFS, of 1 ms windows every 0.5 ms of the sound's third difference, which keeps
// the top of the spectrum, where speech has little and a click as much as anywhere.
func (m *Meter) crispness(b pcm.Block) []float64 {
	window, hop := m.ms(1), m.ms(0.5)
	var out []float64
	for from := int64(0); from+window <= b.Len(); from += hop {
		var most float64
		for _, ch := range b {
			sum := 0.0
			for i := max(3, from); i < from+window; i++ {
				d := ch[i] - 3*ch[i-1] + 3*ch[i-2] - ch[i-3]
				sum += d * d
			}
			most = max(most, sum/float64(window))
		}
		out = append(out, measure.DB(math.Sqrt(most)/2))
	}
	return out
}

// silence is how long nothing at all is heard, from the seam on to both sides, up to ten seconds each way.
func (m *Meter) silence(r *Result, heard *mix.Mixer) error {
	const step = 20.0 // ms
	var total float64
	end := m.scene.Length()
	for _, later := range []bool{false, true} {
		for n := int64(0); n < 500; n++ {
			span := pcm.Span{From: r.From - (n+1)*m.ms(step), To: r.From - n*m.ms(step)}
			if later {
				span = pcm.Span{From: r.To + n*m.ms(step), To: r.To + (n+1)*m.ms(step)}
			}
			if span.From < 0 || span.To > end {
				break
			}
			b, err := render(heard, span)
			if err != nil {
				return err
			}
			if measure.RMSDB(b) > silent {
				break
			}
			total += step
		}
	}
	r.Measures.DeadSilenceMS = &total
	return nil
}

// drop is how far the level falls at once at the end of a track.
func (m *Meter) drop(r *Result, heard *mix.Mixer) error {
	if r.Right != "" || r.Kind == GapStart {
		return nil
	}
	const unheard = -70 // dBFS: what falls below it is not missed
	var db [3]float64   // a while before, the last moment, a while after
	for i, span := range []pcm.Span{{From: r.At - m.ms(250), To: r.At - m.ms(5)}, {From: r.At - m.ms(5), To: r.At}, {From: r.At, To: r.At + m.ms(250)}} {
		b, err := render(heard, span)
		if err != nil {
			return err
		}
		db[i] = max(unheard, measure.RMSDB(b))
	}
	drop := max(0, min(db[0], db[1])-db[2])
	r.Measures.DropDB = &drop
	return nil
}

// blend measures how alike the sides are over the blend, or around a plain cut, and what their sum does.
func (m *Meter) blend(r *Result) error {
	if r.Kind != Cut {
		return nil
	}
	t := m.scene.Track(r.Track)
	b := t.Blend(r.Left, r.Right)
	over := scene.Blend{Left: r.Left, Right: r.Right, Before: m.ms(20), After: m.ms(20)}
	if b != nil {
		over = *b
	}
	c, err := mix.Correlation(t, over, m.scene.Sources, m.open)
	if err != nil {
		return err
	}
	r.Measures.Correlation = &c
	if b == nil {
		return nil
	}
	furthest := 0.0
	for i := range int64(200) {
		out, in := b.Gains(blend.Position(i, 200), c)
		if db := blend.PowerDB(out, in, c); math.Abs(db) > math.Abs(furthest) {
			furthest = db
		}
	}
	r.Measures.BlendLevelDB = &furthest
	return nil
}

func (m *Meter) peak(r *Result, heard *mix.Mixer) error {
	b, err := render(heard, pcm.Span{From: r.From - m.ms(500), To: r.To + m.ms(500)})
	if err != nil {
		return err
	}
	db := max(-120, measure.SamplePeakDB(b))
	r.Measures.PeakDBFS = &db
	return nil
}

func (m *Meter) handles(r *Result) {
	if r.Kind != Cut {
		return
	}
	t := m.scene.Track(r.Track)
	before, _ := m.scene.Handles(t, t.Clips[r.index+1])
	_, after := m.scene.Handles(t, t.Clips[r.index])
	r.Measures.HandleBefore, r.Measures.HandleAfter = &before, &after
}
