package audit

import (
	"context"
	"math"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/speech"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A look is what is measured of one seam.
type look struct {
	*meter.Meter
	ctx         context.Context // of this one look
	r           *Result
	heard       *mix.Mixer // the mix, or the track alone where it is not heard
	alone       *mix.Mixer
	track       *scene.Track
	left, right *scene.Clip
	before      pcm.Span // the stretches before and after the change, within the clips or gaps beside the seam
	after       pcm.Span
	sounds      [2]*meter.Surroundings // of the left and the right clip, nil where there is none
	others      [2]*others             // of all other tracks together, nil where there is nothing
	voiceGoesOn bool                   // a voice runs through the seam in both recordings
}

func lookAt(ctx context.Context, m *meter.Meter, r *Result) (*look, error) {
	l := &look{Meter: m, ctx: ctx, r: r, track: m.Scene.Track(r.Track)}
	var err error
	if l.heard, err = m.Mixer(""); err != nil {
		return nil, err
	}
	if l.alone, err = m.Mixer(r.Track); err != nil {
		return nil, err
	}
	if r.Pair { // two tracks make it
		l.alone = l.heard
	}
	if !m.Heard(r.Track) {
		l.heard = l.alone
	}
	_, l.left = m.Scene.Clip(r.Left)
	if r.Kind == Lull {
		return l, nil
	}
	_, l.right = m.Scene.Clip(r.Right)
	l.before, l.after = sidesOf(m, r.Seam)
	for i, c := range []*scene.Clip{l.left, l.right} {
		if c == nil {
			continue
		}
		if l.sounds[i], err = Beside(ctx, m, c, r.Seam, i == 1); err != nil {
			return nil, err
		}
	}
	for i, span := range []pcm.Span{l.before, l.after} {
		if l.others[i], err = l.elsewhere(span); err != nil {
			return nil, err
		}
	}
	return l, nil
}

// sides gives the stretches before and after the change that lie in the clips or gaps beside the seam and in the scene,
// and in no fade at the clips' other ends.
func sidesOf(m *meter.Meter, s Seam) (left, right pcm.Span) {
	t := m.Scene.Track(s.Track)
	left = pcm.Span{From: max(0, s.From-m.Samples(sideMS)), To: s.From}
	right = pcm.Span{From: s.To, To: min(m.Scene.Length(), s.To+m.Samples(sideMS))}
	if s.Pair {
		_, in := m.Scene.Clip(s.Right)
		return pcm.Span{
				From: max(left.From, t.Clips[s.index].Start),
				To:   left.To,
			}, pcm.Span{
				From: right.From,
				To:   min(right.To, in.End()),
			}
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

// DeadSilenceDB is the level, in dBFS, below which nothing is there.
const DeadSilenceDB = -80

// others are what all other tracks sound together beside a seam, put together from what their recordings say.
type others struct {
	speech.Heard
	frames *speech.Frames
}

// unheard is the level, in dBFS, below which other tracks are as good as silent.
const unheard = -100

// elsewhere puts together what all tracks but the seam's own sound over a stretch: the powers of their frames, at the
// gain at which each is heard. nil if that is nothing.
func (l *look) elsewhere(span pcm.Span) (*others, error) {
	if l.alone == l.heard {
		return nil, nil
	}
	hop := l.Scene.SampleRate * analysis.HopMS / 1000
	n := span.Len()/hop - 1
	if n < 1 {
		return nil, nil
	}
	f := &speech.Frames{
		Hop:     hop,
		Window:  2 * hop,
		Every:   1,
		Bands:   analysis.Bands,
		Power:   make([]float64, n*analysis.Bands),
		LevelDB: make([]float64, n),
	}
	loud, sum, onlyTone := make([]float64, n), 0.0, true
	for _, v := range l.heard.Voices(span) {
		if v.Track.ID == l.track.ID {
			continue
		}
		onlyTone = onlyTone && v.Track.Purpose == scene.ForTone
		if err := l.addVoice(f, loud, v, span.From); err != nil {
			return nil, err
		}
	}
	for i, p := range loud {
		f.LevelDB[i] = level.OfPower(p)
		sum += p / float64(n)
	}
	if level.OfPower(sum) < unheard {
		return nil, nil
	}
	if onlyTone { // it is background, however it comes and goes
		return &others{f.Still(l.Scene.SampleRate), f}, nil
	}
	return &others{f.Sketch(l.Scene.SampleRate), f}, nil
}

// addVoice adds a voice to frames that begin at a moment of the scene.
func (l *look) addVoice(f *speech.Frames, loud []float64, v mix.Voice, from int64) error {
	a, err := l.Says(l.ctx, v.Clip)
	if err != nil {
		return err
	}
	within := pcm.Span{From: from, To: from + int64(len(loud)+1)*f.Hop}
	shift := v.Span.From - v.In
	half := f.Hop / 2 // the analysis' frames lie on the recording's own grid: the nearest is taken
	own, err := a.Frames(pcm.Span{From: within.From - shift - half, To: within.To - shift + half})
	if err != nil {
		return err
	}
	for i := range loud {
		at := from + int64(i)*f.Hop
		gain, err := v.Gain(at + f.Hop)
		if err != nil {
			return err
		}
		k := int((at-shift+half)/f.Hop - own.First)
		if gain == 0 || k < 0 || k >= own.Count {
			continue
		}
		gain *= gain
		loud[i] += gain * float64(own.Level[k])
		to := f.Of(i)
		for b, p := range own.Of(k) {
			to[b] += gain * float64(p)
		}
	}
	return nil
}

// colour is that of the pauses of all other tracks together.
func (o *others) colour() measure.Colour {
	c := measure.Colour{Centres: analysis.Centres, Powers: make([]float64, analysis.Bands)}
	n := 0.0
	for _, p := range o.Pauses() {
		for i := range o.frames.LevelDB {
			if at := int64(i) * o.frames.Hop; at < p.From || at+o.frames.Window > p.To {
				continue
			}
			n++
			for b, v := range o.frames.Of(i) {
				c.Powers[b] += v
			}
		}
	}
	for b := range c.Powers {
		c.Powers[b] /= max(1, n)
	}
	c.Seconds = n * analysis.HopMS / 1000
	return c
}

// backgrounds puts together what goes on behind the words on both sides: the pauses of each side's recording, also
// beyond its edge and under a blend, and the pauses of all other tracks in the mix. At a cut the step is the difference
// of both sides; at an edge it is what the clip adds to the background of all else, so that a voice which sets in on
// another track is not taken for it. Music begins and ends as it likes.
func (l *look) backgrounds() error {
	m := &l.r.Measures
	var db [2]*float64
	var colour [2]measure.Colour
	if l.uncut() {
		quieter := either(l.othersDB(0) <= l.othersDB(1), 0, 1) // it hides less
		l.others[1-quieter] = l.others[quieter]
	}
	toned := l.toneMeets()
	if toned { // its beginning counts, or its end: it may be on its way from one room to another
		if err := l.nearest(either(l.left == nil, 0, 1)); err != nil {
			return err
		}
	}
	for i, r := range l.sounds {
		v := l.othersDB(i)
		switch {
		case r != nil && !r.Known(): // nothing but words: it cannot be told
			if l.track.Purpose == scene.ForDialogue {
				l.r.unjudged = noPause
			}
			continue
		case r != nil:
			v = level.Sum(r.BackgroundDB+l.trackGain(i), v)
			colour[i] = l.colour(i)
		case []pcm.Span{l.before, l.after}[i].Len() < l.Samples(100):
			continue
		}
		v = max(-120, v)
		db[i] = &v
	}
	m.BackgroundLeftDB, m.BackgroundRightDB = db[0], db[1]
	if db[0] == nil || db[1] == nil || *db[0] <= DeadSilenceDB || *db[1] <= DeadSilenceDB ||
		l.r.Kind != Cut && !l.r.Pair && l.track.Purpose == scene.ForMusic {
		return nil
	}
	step := *db[1] - *db[0]
	if (l.left == nil || l.right == nil) && !toned {
		inside, outside, sign := 1, *db[0], 1.0
		if l.right == nil {
			inside, outside, sign = 0, *db[1], -1
		}
		own := l.sounds[inside].BackgroundDB + l.trackGain(inside)
		step = sign * (level.Sum(outside, own) - outside)
	} else {
		for i, r := range l.sounds {
			if r == nil { // tone alone
				colour[i] = l.others[i].colour()
			}
		}
		apart := measure.ColourStepDB(colour[0], colour[1], heardFloor(colour))
		m.ColourStepDB = &apart
	}
	m.BackgroundStepDB = &step
	l.rooms()
	return nil
}

// uncut tells whether one recording goes on at a cut. What other tracks do there is no step of this one.
func (l *look) uncut() bool {
	return l.r.Kind == Cut && l.left != nil && l.right != nil && l.left.Source == l.right.Source &&
		l.left.Shift() == l.right.Shift()
}

// Of a background no band is heard that lies below lowestDB, dBFS, or so far below its loudest, hiddenDB.
const (
	lowestDB = -105.0
	hiddenDB = 45.0
)

// heardFloor is the level below which no band of either colour is heard, dBFS.
func heardFloor(both [2]measure.Colour) float64 {
	most := 0.0
	for _, c := range both {
		for _, p := range c.Powers {
			most = max(most, p)
		}
	}
	return max(lowestDB, level.OfPower(most)-hiddenDB)
}

func (l *look) othersDB(side int) float64 {
	if l.others[side] == nil {
		return level.Silence
	}
	return l.others[side].BackgroundDB
}

// nearest looks at the other tracks of one side again, at what lies next to the seam alone.
func (l *look) nearest(side int) (err error) {
	span := pcm.Span{From: max(l.before.From, l.before.To-l.Samples(400)), To: l.before.To}
	if side == 1 {
		span = pcm.Span{From: l.after.From, To: min(l.after.To, l.after.From+l.Samples(400))}
	}
	if span.Len() < l.Samples(100) {
		return nil
	}
	near, err := l.elsewhere(span)
	if near != nil {
		l.others[side] = near
	}
	return err
}

// toneMeets tells whether a patch begins or ends where a clip does: they go over into each other as two clips at a cut
// do.
func (l *look) toneMeets() bool {
	if l.left != nil && l.right != nil || l.others[either(l.left == nil, 0, 1)] == nil {
		return false
	}
	near := pcm.Span{From: l.r.From - l.Samples(30), To: l.r.To + l.Samples(30)}
	for _, t := range l.Scene.Tracks {
		if t.Purpose != scene.ForTone || !l.Meter.Heard(t.ID) {
			continue
		}
		for i := t.At(near.From); i < len(t.Clips) && t.Clips[i].Start <= near.To; i++ {
			c := t.Clips[i]
			if l.left == nil && near.Contains(c.End()) || l.right == nil && near.Contains(c.Start) {
				return true
			}
		}
	}
	return false
}

func (l *look) trackGain(side int) float64 {
	if t, _ := l.Scene.Clip([]scene.ClipID{l.r.Left, l.r.Right}[side]); t != nil {
		return t.GainDB
	}
	return l.track.GainDB
}

// colour is that of a side's background: of the recording's pauses and those of all other tracks.
func (l *look) colour(side int) measure.Colour {
	sum, gain := l.sounds[side].Colour, level.Power(l.trackGain(side))
	powers := make([]float64, len(sum.Powers))
	for b, p := range sum.Powers {
		powers[b] = p * gain
	}
	if o := l.others[side]; o != nil {
		for b, p := range o.colour().Powers {
			powers[b] += p
		}
	}
	sum.Powers = powers
	return sum
}

// A side has a voice if its words stand at least this far above its background, in dB, for so long.
const (
	voiceAbove = 10
	voiceMS    = 400
)

// levels compares the loudness of the words on both sides, as the track sounds.
func (l *look) levels() error {
	// parts of one word are as loud as they are
	if l.r.Kind != Cut || l.track.Purpose != scene.ForDialogue || l.voiceGoesOn {
		return nil
	}
	var lufs [2]float64
	for i, span := range []pcm.Span{l.before, l.after} {
		v, err := l.voice(i, span)
		if err != nil {
			return err
		}
		if float64(len(v.loud))*analysis.HopMS < voiceMS || v.db-l.sounds[i].BackgroundDB-l.trackGain(i) < voiceAbove {
			return nil
		}
		lufs[i] = measure.IntegratedLUFS(analysis.Blocks(v.loud))
	}
	step := lufs[1] - lufs[0]
	l.r.Measures.LevelStepLU = &step
	return nil
}

// voiced are the words of one side, at the gain at which they are heard.
type voiced struct {
	loud []float64 // K-weighted power of each 10 ms
	db   float64   // RMS level of all of it
}

func (l *look) voice(side int, span pcm.Span) (out voiced, err error) {
	c := []*scene.Clip{l.left, l.right}[side]
	a, err := l.Says(l.ctx, c)
	if err != nil {
		return out, err
	}
	channels := a.LoudIn(l.Scene.Channels)
	power := 0.0
	for _, v := range l.alone.Voices(span) {
		if v.Clip.ID != c.ID {
			continue
		}
		for _, w := range l.sounds[side].Stretches {
			on := w.Span.Intersect(span).Intersect(v.Span)
			if w.Kind != speech.Word || on.Empty() {
				continue
			}
			shift := v.Span.From - v.In
			f, err := a.Frames(pcm.Span{From: on.From - shift, To: on.To - shift + analysis.HopMS*l.Scene.SampleRate/1000})
			if err != nil {
				return out, err
			}
			for i := range f.Count {
				gain, err := v.Gain(f.Span(i).From + f.Hop/2 + shift)
				if err != nil {
					return out, err
				}
				out.loud = append(out.loud, channels*gain*gain*float64(f.Loud[i]))
				power += gain * gain * float64(f.Level[i])
			}
		}
	}
	out.db = level.OfPower(power / float64(max(1, len(out.loud))))
	return out, nil
}

const clickFloor = -72.0 // dBFS: a click below it is not heard

// clicks compares the upper part of the spectrum of the track at the seam with its surroundings, in the track and in
// the mix, and with what both recordings alone hold there, which may well be a consonant. At a plain cut the moment
// itself is left out of the recordings: what one of them holds just there and nowhere near is a click all the same.
func (l *look) clicks() error {
	near := pcm.Span{From: l.r.From - l.Samples(1.5), To: l.r.To + l.Samples(1.5)}
	if near.Len() > l.Samples(400) { // so slow a blend cannot click by itself
		none := 0.0
		l.r.Measures.ClickDB = &none
		return nil
	}
	beside := l.Samples(15)
	window := pcm.Span{From: near.From - beside, To: near.To + beside}
	plain := l.r.From == l.r.To
	split := func(b pcm.Block) (at, surround float64) {
		at, surround = level.Silence, level.Silence
		for i, v := range crispness(b, l.Scene.SampleRate) {
			if s := int64(i) * l.Samples(0.5); s >= beside && s+l.Samples(1) <= beside+near.Len() {
				at = max(at, v)
			} else if s+l.Samples(1) <= beside || s >= beside+near.Len() {
				surround = max(surround, v)
			}
		}
		return at, surround
	}
	b, err := meter.Render(l.alone, window)
	if err != nil {
		return err
	}
	at, surround := split(b)
	reference := max(clickFloor, surround)
	if l.heard != l.alone {
		if b, err = meter.Render(l.heard, window); err != nil {
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
		if b, err = l.Raw(c, window); err != nil {
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
func crispness(b pcm.Block, rate int64) []float64 {
	window, hop := (rate+500)/1000, (rate+1000)/2000
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
		out = append(out, level.DB(math.Sqrt(most)/2))
	}
	return out
}

// silence is how long nothing at all is heard at the seam, or from at most 30 ms beside it, up to ten seconds each way,
// if there is sound at both ends of it.
func (l *look) silence() error {
	const farthest = 10000.0 // ms
	step := l.Samples(5)
	end := l.Scene.Length()
	quiet := func(at int64) (bool, error) {
		if at < 0 || at+step > end {
			return false, nil
		}
		b, err := meter.Render(l.heard, pcm.Span{From: at, To: at + step})
		return err == nil && measure.RMSDB(b) <= DeadSilenceDB, err
	}
	total := 0.0
	l.r.Measures.DeadSilenceMS = &total
	for _, off := range []float64{0, -5, 5, -30, 30, -15, 15} {
		start := l.r.At + l.Samples(off)
		if is, err := quiet(start); err != nil || !is {
			if err != nil {
				return err
			}
			continue
		}
		from, to := start, start+step
		for start-from < l.Samples(farthest) {
			if is, err := quiet(from - step); err != nil {
				return err
			} else if !is {
				break
			}
			from -= step
		}
		for to-start < l.Samples(farthest) {
			if is, err := quiet(to); err != nil {
				return err
			} else if !is {
				break
			}
			to += step
		}
		if from-step >= 0 && to+step <= end { // else nothing follows, or nothing came before
			total = max(total, float64(to-from)*1000/float64(l.Scene.SampleRate))
		}
		return nil
	}
	return nil
}

// blended measures how alike the sides are over the blend, or around a plain cut, and what their sum does.
func (l *look) blended() error {
	l.wordsInBlend()
	if l.r.Pair {
		return l.paired()
	}
	if l.r.Kind != Cut {
		return nil
	}
	b := l.track.Blend(l.r.Left, l.r.Right)
	over := scene.Blend{Left: l.r.Left, Right: l.r.Right, Before: l.Samples(20), After: l.Samples(20)}
	if b != nil {
		over = *b
	}
	sum, c, err := l.Blended(l.track, over)
	if err != nil {
		return err
	}
	l.r.Measures.Correlation = &c
	if b != nil {
		l.r.Measures.BlendLevelDB = &sum
	}
	return nil
}

func (l *look) paired() error {
	p := l.Scene.PairAt(l.r.Left, true)
	out, in, err := mix.PairSides(l.Scene, *p, func(c scene.Clip) (pcm.ReaderAt, error) { return l.Sound(&c) })
	if err != nil {
		return err
	}
	c := measure.Correlation(out, in)
	sum := mix.RenderedSum(
		scene.Blend{Before: l.r.At - l.r.From, After: l.r.To - l.r.At, Law: p.Law, CurveOut: p.CurveOut, CurveIn: p.CurveIn},
		l.left.GainDB,
		l.right.GainDB,
		out,
		in,
		c,
		1,
		l.Scene.SampleRate,
	)
	l.r.Measures.Correlation, l.r.Measures.BlendLevelDB = &c, &sum[0]
	return nil
}

func (l *look) peak() error {
	b, err := meter.Render(l.heard, pcm.Span{From: l.r.At - l.Samples(500), To: l.r.At + l.Samples(500)})
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
	before, _ := l.Scene.Handles(l.track, *l.right)
	_, after := l.Scene.Handles(l.track, *l.left)
	l.r.Measures.HandleBefore, l.r.Measures.HandleAfter = &before, &after
}
