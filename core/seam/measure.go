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
	"blendseam/core/speech"
)

// A Result is a seam measured and judged.
type Result struct {
	Seam
	Measures Measures `json:"measures"`
	Verdict  Verdict  `json:"verdict"`
	Cause    Cause    `json:"cause"`
	Why      string   `json:"why"`
	worst    float64  // see Measure.grade
}

// A Meter measures the seams of one scene. Its methods may be called in parallel.
type Meter struct {
	scene *scene.Scene
	plain mix.Open // of recordings
	open  mix.Open // and of tones
	whole *mix.Mixer
	heard map[string]bool // sound tracks that are part of the mix
	mu    sync.Mutex
	alone map[string]*mix.Mixer // by track
	read  map[string]pcm.ReaderAt
	known map[string]*Recording          // of short clips, by clip
	words map[string][2][]speech.Stretch // by seam
}

// NewMeter prepares a scene for measuring.
func NewMeter(s *scene.Scene, open mix.Open) (*Meter, error) {
	whole, err := mix.New(s, open, mix.Options{})
	if err != nil {
		return nil, err
	}
	m := &Meter{scene: s, open: mix.WithTones(s, open), plain: open, whole: whole, heard: map[string]bool{}, alone: map[string]*mix.Mixer{}, read: map[string]pcm.ReaderAt{}, known: map[string]*Recording{}, words: map[string][2][]speech.Stretch{}}
	solo := false
	for _, t := range s.Tracks {
		solo = solo || t.Kind == scene.Sound && t.Solo
	}
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound && !t.Mute && (!solo || t.Solo) && len(t.Clips) > 0 {
			m.heard[t.ID] = true
		}
	}
	return m, nil
}

func (m *Meter) track(id string) (*mix.Mixer, error) {
	if m.heard[id] && len(m.heard) == 1 {
		return m.whole, nil
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if x := m.alone[id]; x != nil {
		return x, nil
	}
	x, err := mix.New(m.scene, m.plain, mix.Options{Track: id})
	if err == nil {
		m.alone[id] = x
	}
	return x, err
}

// recording gives the sound of a clip's source.
func (m *Meter) recording(c *scene.Clip) (pcm.ReaderAt, error) { return m.source(c.Source) }

// source gives the sound of a source of the scene.
func (m *Meter) source(id string) (pcm.ReaderAt, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if r := m.read[id]; r != nil {
		return r, nil
	}
	src, ok := m.scene.Sources[id]
	if !ok {
		return nil, fmt.Errorf("the scene has no source %q", id)
	}
	r, err := m.open(src)
	if err == nil {
		m.read[id] = r
	}
	return r, err
}

// raw is the recording of a clip over a span of the scene, at the clip's gain and beyond its edges, silent where there is none.
func (m *Meter) raw(c *scene.Clip, span pcm.Span) (pcm.Block, error) {
	r, err := m.recording(c)
	if err != nil {
		return nil, err
	}
	at := span.From + c.In - c.Start
	b, err := pcm.Read(r, span.Add(c.In-c.Start))
	gain := measure.Amplitude(c.GainDB)
	for i := range b.Len() {
		if len(c.Level) > 0 {
			gain = measure.Amplitude(c.GainDB + c.LevelDB(at+i))
		}
		for _, ch := range b {
			ch[i] *= gain
		}
	}
	return b, err
}

func (m *Meter) ms(n float64) int64 { return int64(math.Round(n * float64(m.scene.SampleRate) / 1000)) }

// sideMS is how much to each side of a seam is looked at, in milliseconds.
const sideMS = 2000

// A look is what is measured of one seam.
type look struct {
	*Meter
	r           *Result
	heard       *mix.Mixer // the mix, or the track alone where it is not heard
	alone       *mix.Mixer
	track       *scene.Track
	left, right *scene.Clip
	before      pcm.Span // the stretches before and after the change, within the clips or gaps beside the seam
	after       pcm.Span
	sounds      [2]*Recording // of the left and the right clip, nil where there is none
	own         [2]pcm.Block  // the track alone, before and after
	findings    [2]speech.Finding
	others      [2]speech.Finding // of all other tracks together
	otherSound  [2]pcm.Block      // nil where there is none
	voiceGoesOn bool              // a voice runs through the seam in both recordings
}

// Seam measures and judges one seam. Levels of voices, words, clicks and ends are measured in the track alone, all else in the
// mix of the scene as it is heard, or in the track alone where that is not heard.
func (m *Meter) Seam(s Seam) (Result, error) {
	r := Result{Seam: s}
	if s.Kind == Lull {
		return r, m.lull(&r)
	}
	l, err := m.look(&r)
	if err == nil {
		for _, step := range []func() error{l.backgrounds, l.words, l.levels, l.clicks, l.silence, l.drop, l.blended, l.peak} {
			if err = step(); err != nil {
				break
			}
		}
	}
	if err != nil {
		return r, fmt.Errorf("seam at %s: %w", m.scene.Timecode(s.At), err)
	}
	l.handles()
	r.judge(m.scene.SampleRate)
	return r, nil
}

func (m *Meter) look(r *Result) (*look, error) {
	l := &look{Meter: m, r: r, heard: m.whole, track: m.scene.Track(r.Track)}
	var err error
	if l.alone, err = m.track(r.Track); err != nil {
		return nil, err
	}
	if r.Pair { // two tracks make it
		l.alone = l.heard
	}
	if !m.heard[r.Track] {
		l.heard = l.alone
	}
	_, l.left = m.scene.Clip(r.Left)
	_, l.right = m.scene.Clip(r.Right)
	l.before, l.after = m.sides(r.Seam)
	for i, c := range []*scene.Clip{l.left, l.right} {
		if c == nil {
			continue
		}
		if l.sounds[i], err = m.around(c, r.Seam, i == 1); err != nil {
			return nil, err
		}
	}
	for i, span := range []pcm.Span{l.before, l.after} {
		if err := l.side(i, span); err != nil {
			return nil, err
		}
	}
	return l, nil
}

// side renders one side of the seam: the track alone, and by difference all other tracks of the mix.
func (l *look) side(i int, span pcm.Span) (err error) {
	if l.own[i], err = render(l.alone, span); err != nil {
		return err
	}
	if r := l.sounds[i]; r != nil && span.In(r.Span) {
		l.findings[i] = r.finding.Within(span.Add(-r.Span.From), measure.Mono(l.own[i]))
	} else {
		l.findings[i] = speech.Sketch(measure.Mono(l.own[i]), int(l.scene.SampleRate))
	}
	l.others[i] = speech.Finding{Length: span.Len(), BackgroundDB: measure.Silence}
	if l.alone == l.heard {
		return nil
	}
	mixed, err := render(l.heard, span)
	if err != nil {
		return err
	}
	for c := range mixed {
		for k, v := range l.own[i][c] {
			mixed[c][k] -= v
		}
	}
	if measure.RMSDB(mixed) > -100 {
		l.others[i], l.otherSound[i] = speech.Sketch(measure.Mono(mixed), int(l.scene.SampleRate)), mixed
	}
	return nil
}

func render(x *mix.Mixer, span pcm.Span) (pcm.Block, error) {
	b := pcm.NewBlock(x.Channels(), span.Len())
	return b, x.Render(b, span.From)
}

// sides gives the stretches before and after the change that lie in the clips or gaps beside the seam and in the scene, and
// in no fade at the clips' other ends.
func (m *Meter) sides(s Seam) (left, right pcm.Span) {
	t := m.scene.Track(s.Track)
	left = pcm.Span{From: max(0, s.From-m.ms(sideMS)), To: s.From}
	right = pcm.Span{From: s.To, To: min(m.scene.Length(), s.To+m.ms(sideMS))}
	if s.Pair {
		_, in := m.scene.Clip(s.Right)
		return pcm.Span{From: max(left.From, t.Clips[s.index].Start), To: left.To}, pcm.Span{From: right.From, To: min(right.To, in.End())}
	}
	before, after := s.index, s.index+1 // the clips that bound the sides
	if s.Left == "" {
		before, after = s.index-1, s.index
	}
	if s.Left != "" {
		c := t.Clips[before]
		left.From = max(left.From, min(c.Start+c.FadeIn.Length, left.To))
	} else if before >= 0 {
		left.From = max(left.From, t.Clips[before].End())
	}
	if s.Right != "" {
		c := t.Clips[after]
		right.To = min(right.To, max(c.End()-c.FadeOut.Length, right.From))
	} else if after < len(t.Clips) {
		right.To = min(right.To, t.Clips[after].Start)
	}
	return left, right
}

// silent is the level, in dBFS, below which nothing is there.
const silent = -80

// backgrounds puts together what goes on behind the words on both sides: the pauses of each side's recording, also beyond its
// edge and under a blend, and the pauses of all other tracks in the mix. At a cut the step is the difference of both
// sides; at an edge it is what the clip adds to the background of all else, so that a voice which sets in on another
// track is not taken for it. Music begins and ends as it likes.
func (l *look) backgrounds() error {
	m := &l.r.Measures
	var level [2]*float64
	var colour [2]measure.Colour
	toned := l.toneMeets()
	if toned { // its beginning counts, or its end: it may be on its way from one room to another
		i := either(l.left == nil, 0, 1)
		if n := min(l.ms(400), l.others[i].Length); n >= l.ms(100) {
			near := pcm.Span{To: n}
			if i == 0 {
				near = near.Add(l.others[i].Length - n)
			}
			l.otherSound[i] = l.otherSound[i].Slice(near.From, near.To)
			l.others[i] = speech.Sketch(measure.Mono(l.otherSound[i]), int(l.scene.SampleRate))
		}
	}
	for i, r := range l.sounds {
		var db float64
		switch others := l.others[i]; {
		case r != nil && r.pauses < l.ms(100): // nothing but words: it cannot be told
			continue
		case r != nil:
			db = 10 * math.Log10(math.Pow(10, (r.BackgroundDB+l.trackGain(i))/10)+math.Pow(10, others.BackgroundDB/10))
			colour[i] = l.colour(i)
		case others.Length < l.ms(100):
			continue
		default:
			db = others.BackgroundDB
		}
		db = max(-120, db)
		level[i] = &db
	}
	m.BackgroundLeftDB, m.BackgroundRightDB = level[0], level[1]
	if level[0] == nil || level[1] == nil || *level[0] <= silent || *level[1] <= silent || l.r.Kind != Cut && !l.r.Pair && l.track.Purpose == "music" {
		return nil
	}
	step := *level[1] - *level[0]
	if (l.left == nil || l.right == nil) && !toned {
		inside, outside, sign := 1, *level[0], 1.0
		if l.right == nil {
			inside, outside, sign = 0, *level[1], -1
		}
		own := l.sounds[inside].BackgroundDB + l.trackGain(inside)
		step = sign * (10*math.Log10(math.Pow(10, outside/10)+math.Pow(10, own/10)) - outside)
	} else {
		for i, r := range l.sounds {
			if r == nil { // tone alone
				colour[i] = measure.ColourOf(l.otherSound[i], l.others[i].Pauses(), int(l.scene.SampleRate))
			}
		}
		const floor = -110 // dBFS of a third-octave: below it nothing is heard
		apart := measure.ColourStepDB(colour[0], colour[1], floor)
		m.ColourStepDB = &apart
	}
	m.BackgroundStepDB = &step
	return nil
}

// toneMeets tells whether a patch begins or ends where a clip does: they go over into each other as two clips at a cut do.
func (l *look) toneMeets() bool {
	if l.left != nil && l.right != nil || l.otherSound[0] == nil && l.otherSound[1] == nil {
		return false
	}
	near := pcm.Span{From: l.r.From - l.ms(30), To: l.r.To + l.ms(30)}
	for _, t := range l.scene.Tracks {
		if t.Purpose != "tone" || !l.Meter.heard[t.ID] {
			continue
		}
		for i := t.At(near.From); i < len(t.Clips) && t.Clips[i].Start <= near.To; i++ {
			c := t.Clips[i]
			if side := l.otherSound[either(l.left == nil, 0, 1)]; side != nil && (l.left == nil && near.Contains(c.End()) || l.right == nil && near.Contains(c.Start)) {
				return true
			}
		}
	}
	return false
}

func (l *look) trackGain(side int) float64 {
	if t, _ := l.scene.Clip([]string{l.r.Left, l.r.Right}[side]); t != nil {
		return t.GainDB
	}
	return l.track.GainDB
}

// colour is that of a side's background: of the recording's pauses and those of all other tracks.
func (l *look) colour(side int) measure.Colour {
	own, gain := l.sounds[side].colour, math.Pow(10, l.trackGain(side)/10)
	sum := own
	sum.Powers = make([]float64, len(own.Powers))
	for b, p := range own.Powers {
		sum.Powers[b] = p * gain
	}
	if others := l.otherSound[side]; others != nil {
		c := measure.ColourOf(others, l.others[side].Pauses(), int(l.scene.SampleRate))
		for b, p := range c.Powers {
			sum.Powers[b] += p
		}
	}
	return sum
}

// A side has a voice if its words stand at least this far above its background, in dB, for so long.
const (
	voiceAbove = 10
	voiceMS    = 400
)

func (l *look) levels() error {
	if l.r.Kind != Cut || l.track.Purpose != "dialogue" || l.voiceGoesOn { // parts of one word are as loud as they are
		return nil
	}
	var lufs [2]float64
	for i, b := range l.own {
		f := l.findings[i]
		words := pcm.NewBlock(len(b), 0)
		for _, w := range f.Words() {
			for c := range b {
				words[c] = append(words[c], b[c][w.Span.From:w.Span.To]...)
			}
		}
		if words.Len() < l.ms(voiceMS) || measure.RMSDB(words)-f.BackgroundDB < voiceAbove {
			return nil
		}
		lufs[i] = measure.LoudnessOf(words, int(l.scene.SampleRate)).IntegratedLUFS
	}
	step := lufs[1] - lufs[0]
	l.r.Measures.LevelStepLU = &step
	return nil
}

// clicks compares the upper part of the spectrum of the track at the seam with its surroundings, in the track and in the
// mix, and with what both recordings alone hold there, which may well be a consonant. At a plain cut the moment itself is
// left out of the recordings: what one of them holds just there and nowhere near is a click all the same.
func (l *look) clicks() error {
	near := pcm.Span{From: l.r.From - l.ms(1.5), To: l.r.To + l.ms(1.5)}
	if near.Len() > l.ms(3000) { // a blend that long cannot click
		return nil
	}
	beside := l.ms(15)
	window := pcm.Span{From: near.From - beside, To: near.To + beside}
	plain := l.r.From == l.r.To
	split := func(b pcm.Block) (at, surround float64) {
		at, surround = measure.Silence, measure.Silence
		for i, v := range l.crispness(b) {
			if s := int64(i) * l.ms(0.5); s >= beside && s+l.ms(1) <= beside+near.Len() {
				at = max(at, v)
			} else if s+l.ms(1) <= beside || s >= beside+near.Len() {
				surround = max(surround, v)
			}
		}
		return at, surround
	}
	b, err := render(l.alone, window)
	if err != nil {
		return err
	}
	at, surround := split(b)
	const floor = -72 // dBFS: a click below it is not heard
	reference := max(floor, surround)
	if l.heard != l.alone {
		if b, err = render(l.heard, window); err != nil {
			return err
		}
		_, surround = split(b)
		reference = max(reference, surround)
	}
	trackGain := l.track.GainDB
	for _, c := range []*scene.Clip{l.left, l.right} {
		if c == nil {
			continue
		}
		if b, err = l.raw(c, window); err != nil {
			return err
		}
		own, surround := split(b)
		if reference = max(reference, surround+trackGain); !plain {
			reference = max(reference, own+trackGain)
		}
	}
	click := max(0, at-reference)
	l.r.Measures.ClickDB = &click
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

// silence is how long nothing at all is heard at the seam, or from at most 30 ms beside it, up to ten seconds each way, if
// there is sound at both ends of it.
func (l *look) silence() error {
	const farthest = 10000.0 // ms
	step := l.ms(5)
	end := l.scene.Length()
	quiet := func(at int64) (bool, error) {
		if at < 0 || at+step > end {
			return false, nil
		}
		b, err := render(l.heard, pcm.Span{From: at, To: at + step})
		return err == nil && measure.RMSDB(b) <= silent, err
	}
	total := 0.0
	l.r.Measures.DeadSilenceMS = &total
	for _, off := range []float64{0, -5, 5, -30, 30, -15, 15} {
		start := l.r.At + l.ms(off)
		if is, err := quiet(start); err != nil || !is {
			if err != nil {
				return err
			}
			continue
		}
		from, to := start, start+step
		for start-from < l.ms(farthest) {
			if is, err := quiet(from - step); err != nil {
				return err
			} else if !is {
				break
			}
			from -= step
		}
		for to-start < l.ms(farthest) {
			if is, err := quiet(to); err != nil {
				return err
			} else if !is {
				break
			}
			to += step
		}
		if from-step >= 0 && to+step <= end { // else nothing follows, or nothing came before
			total = max(total, float64(to-from)*1000/float64(l.scene.SampleRate))
		}
		return nil
	}
	return nil
}

// drop is how far the level falls at once at the end of a track: that of the track before, to that of the scene after.
func (l *look) drop() error {
	r := l.r
	if r.Right != "" || r.Kind == GapStart {
		return nil
	}
	const unheard = -70 // dBFS: what falls below it is not missed
	var db [3]float64   // a while before, the last moment, a while after
	for i, part := range []struct {
		of   *mix.Mixer
		span pcm.Span
	}{{l.alone, pcm.Span{From: r.At - l.ms(250), To: r.At - l.ms(5)}}, {l.alone, pcm.Span{From: r.At - l.ms(5), To: r.At}}, {l.heard, pcm.Span{From: r.At, To: r.At + l.ms(250)}}} {
		b, err := render(part.of, part.span)
		if err != nil {
			return err
		}
		db[i] = max(unheard, measure.RMSDB(b))
	}
	drop := max(0, min(db[0], db[1])-db[2])
	r.Measures.DropDB = &drop
	return nil
}

// blended measures how alike the sides are over the blend, or around a plain cut, and what their sum does.
func (l *look) blended() error {
	if l.r.Pair {
		return l.paired()
	}
	if l.r.Kind != Cut {
		return nil
	}
	b := l.track.Blend(l.r.Left, l.r.Right)
	over := scene.Blend{Left: l.r.Left, Right: l.r.Right, Before: l.ms(20), After: l.ms(20)}
	if b != nil {
		over = *b
	}
	out, in, err := mix.Sides(l.track, over, func(c scene.Clip) (pcm.ReaderAt, error) { return l.recording(&c) })
	if err != nil {
		return err
	}
	c := measure.Correlation(out, in)
	l.r.Measures.Correlation = &c
	if b == nil {
		return nil
	}
	sum := RenderedSum(*b, l.left.GainDB, l.right.GainDB, out, in, c, 1, l.scene.SampleRate)
	l.r.Measures.BlendLevelDB = &sum[0]
	return nil
}

func (l *look) paired() error {
	p := l.scene.PairAt(l.r.Left, true)
	out, in, err := mix.PairSides(l.scene, *p, func(c scene.Clip) (pcm.ReaderAt, error) { return l.recording(&c) })
	if err != nil {
		return err
	}
	c := measure.Correlation(out, in)
	sum := RenderedSum(scene.Blend{Before: l.r.At - l.r.From, After: l.r.To - l.r.At, Law: p.Law, CurveOut: p.CurveOut, CurveIn: p.CurveIn}, l.left.GainDB, l.right.GainDB, out, in, c, 1, l.scene.SampleRate)
	l.r.Measures.Correlation, l.r.Measures.BlendLevelDB = &c, &sum[0]
	return nil
}

// RenderedSum is the level of a blend as it sounds, in dB at so many moments along it, against both sides going over into
// each other at constant power without being alike: 10 lg (sum (o L + i R)^2 / sum ((L cos)^2 + (R sin)^2)). The sums run
// over a third of the blend around each moment. left and right are the sides over the blend, r their correlation.
func RenderedSum(b scene.Blend, leftDB, rightDB float64, left, right pcm.Block, r float64, moments int, sampleRate int64) []float64 {
	n := min(left.Len(), right.Len())
	heard, held := make([]float64, n+1), make([]float64, n+1)
	gl, gr := measure.Amplitude(leftDB), measure.Amplitude(rightDB)
	for i := range n {
		x := blend.Position(i, b.Length())
		out, in := b.Gains(x, r)
		s, c := math.Sincos(math.Pi / 2 * x)
		heard[i+1], held[i+1] = heard[i], held[i]
		for ch := range max(len(left), len(right)) {
			v, w := gl*left[min(ch, len(left)-1)][i], gr*right[min(ch, len(right)-1)][i]
			heard[i+1] += (out*v + in*w) * (out*v + in*w)
			held[i+1] += c*c*v*v + s*s*w*w
		}
	}
	window := max(n/3, min(n, sampleRate/50))
	sum := make([]float64, moments)
	for k := range sum {
		mid := int64(2*k+1) * n / int64(2*moments)
		a := max(0, min(n-window, mid-window/2))
		z := min(n, a+window)
		if e := held[z] - held[a]; e > 1e-12*float64(z-a) {
			sum[k] = 10 * math.Log10(max(1e-12, (heard[z]-heard[a])/e))
		}
	}
	return sum
}

func (l *look) peak() error {
	b, err := render(l.heard, pcm.Span{From: l.r.At - l.ms(500), To: l.r.At + l.ms(500)})
	if err != nil {
		return err
	}
	db := max(-120, measure.SamplePeakDB(b))
	l.r.Measures.PeakDBFS = &db
	return nil
}

func (l *look) handles() {
	if l.r.Kind != Cut {
		return
	}
	before, _ := l.scene.Handles(l.track, *l.right)
	_, after := l.scene.Handles(l.track, *l.left)
	l.r.Measures.HandleBefore, l.r.Measures.HandleAfter = &before, &after
}
