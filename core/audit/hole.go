package audit

import (
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A hole is a look at a stretch that is turned down: at what is heard in it, of its track and of the tone tracks,
// against the room beside it.
type hole struct{ *look }

// tones are the mixers of the tone tracks that are heard.
func (l hole) tones() (list []*mix.Mixer, err error) {
	for _, t := range l.Scene.Tracks {
		if t.Purpose != scene.ForTone || !l.Meter.Heard(t.ID) {
			continue
		}
		x, err := l.Mixer(t.ID)
		if err != nil {
			return nil, err
		}
		list = append(list, x)
	}
	return list, nil
}

// together renders what some mixers sound together.
func together(list []*mix.Mixer, span pcm.Span) (pcm.Block, error) {
	var sum pcm.Block
	for _, x := range list {
		b, err := meter.Render(x, span)
		if err != nil {
			return nil, err
		}
		if sum == nil {
			sum = b
			continue
		}
		for ch := range sum {
			for i, v := range b[ch] {
				sum[ch][i] += v
			}
		}
	}
	return sum, nil
}

// mostHoleS is how much of a long hole is looked at, in seconds.
const mostHoleS = 20

// floor is the part of a hole that lies between the fades of its lull.
func (l hole) floor() pcm.Span {
	r, c := l.r, l.left
	floor := pcm.Span{From: r.From, To: r.To}
	if u := c.Lull(r.Lull); u != nil {
		floor.From, floor.To = floor.From+u.FadeIn, floor.To-u.FadeOut
	}
	if floor.Len() < l.Samples(10) {
		floor = pcm.Span{From: r.At - l.Samples(5), To: r.At + l.Samples(5)}
	}
	floor.To = min(floor.To, floor.From+mostHoleS*l.Scene.SampleRate)
	return floor
}

func (l hole) measure() error {
	if !l.track.Purpose.HasRoom() {
		return l.edges()
	}
	m, rate := &l.r.Measures, l.Rate()
	span := pcm.Span{From: l.r.From, To: l.r.To}
	sides, err := l.Rooms(l.ctx, l.left, span)
	if err != nil {
		return err
	}
	outside := meter.OneRoom(sides)
	if outside == nil { // nothing but words
		return nil
	}
	outside = outside.Turned(l.track.GainDB)
	tones, err := l.tones()
	if err != nil {
		return err
	}
	whole := span
	span = l.seen(whole)
	own := append([]*mix.Mixer{l.alone}, tones...)
	inside, err := together(own, span)
	if err != nil {
		return err
	}
	floor := l.floor().Add(-span.From)
	floor.To = min(floor.To, inside.Len())
	heard := inside.Slice(floor.From, floor.To)
	in, out := level.Power(tone.LevelDB(heard, rate)), level.Power(outside.LevelDB)
	for _, q := range outside.At { // a bed that lies under both
		b, err := together(tones, q)
		if err != nil {
			return err
		}
		if b != nil {
			out += level.Power(tone.LevelDB(b, rate)) * float64(q.Len()) / float64(outside.Sound.Len())
		}
	}
	others, err := l.otherTracks(tones, span)
	if err != nil {
		return err
	}
	in, out = in+others, out+others
	left, right := max(-120, level.OfPower(out)), max(-120, level.OfPower(in))
	m.BackgroundLeftDB, m.BackgroundRightDB = &left, &right
	if right > DeadSilenceDB && left > DeadSilenceDB {
		const floorDB = -110
		step := right - left
		apart := measure.ColourStepDB(
			measure.ColourOf(outside.Sound, outside.Spans, rate),
			measure.ColourOf(inside, []pcm.Span{floor}, rate),
			floorDB,
		)
		m.BackgroundStepDB, m.ColourStepDB = &step, &apart
	}
	end, err := together(own, pcm.Span{From: max(span.To, whole.To-l.Scene.SampleRate), To: whole.To})
	if err != nil {
		return err
	}
	return l.lullClick(outside, inside, end)
}

// seen is the part of a hole that is looked at: all of it, or of a long one its floor with what lies around it.
func (l hole) seen(whole pcm.Span) pcm.Span {
	if whole.Len() <= 3*mostHoleS*l.Scene.SampleRate {
		return whole
	}
	floor := l.floor()
	around := mostHoleS * l.Scene.SampleRate
	return pcm.Span{From: floor.From - around, To: floor.To + around}.Intersect(whole)
}

// otherTracks is the power of all other tracks at a hole, music among them: what it covers is not missed.
func (l hole) otherTracks(tones []*mix.Mixer, span pcm.Span) (float64, error) {
	if l.heard == l.alone {
		return 0, nil
	}
	all, err := meter.Render(l.heard, span)
	if err != nil {
		return 0, err
	}
	own, err := together(append([]*mix.Mixer{l.alone}, tones...), span)
	if err != nil {
		return 0, err
	}
	for ch := range all {
		for i, v := range own[ch] {
			all[ch][i] -= v
		}
	}
	db := tone.LevelDB(all, l.Rate())
	if db <= unheard {
		return 0, nil
	}
	return level.Power(db), nil
}

// slopeMS is from where on the slope of an edge takes it all that could click.
const slopeMS = 5

// edges looks for clicks at the edges of a lull alone: what is turned down there may be as loud and of any colour as an
// editor wishes.
func (l hole) edges() error {
	click := 0.0
	l.r.Measures.ClickDB = &click
	u := l.left.Lull(l.r.Lull)
	for i, at := range []int64{l.r.From, l.r.To} {
		if u == nil || []int64{u.FadeIn, u.FadeOut}[i] >= l.Samples(slopeMS) {
			continue
		}
		b, err := meter.Render(l.alone, pcm.Span{From: at - l.Samples(15), To: at + l.Samples(15)})
		if err != nil {
			return err
		}
		top, beside := level.Silence, clickFloor
		for k, v := range crispness(b, l.Scene.SampleRate) {
			if s := int64(k) * l.Samples(0.5); s > l.Samples(13) && s < l.Samples(16) {
				top = max(top, v)
			} else {
				beside = max(beside, v)
			}
		}
		click = max(click, top-beside)
	}
	return nil
}

// lullClick is the steepest millisecond in the hole over the steepest of the room, and of what goes on beside an edge
// with a slope: a voice that is turned down in its middle goes down it.
func (l hole) lullClick(outside *meter.Room, inside ...pcm.Block) error {
	most := func(b pcm.Block) float64 {
		top := level.Silence
		for _, v := range crispness(b, l.Scene.SampleRate) {
			top = max(top, v)
		}
		return top
	}
	surround := level.Silence
	for _, s := range outside.Spans {
		surround = max(surround, most(outside.Sound.Slice(s.From, s.To)))
	}
	if u := l.left.Lull(l.r.Lull); u != nil {
		for i, at := range []int64{l.r.From - l.Samples(30), l.r.To} {
			if []int64{u.FadeIn, u.FadeOut}[i] < l.Samples(slopeMS) {
				continue
			}
			b, err := meter.Render(l.alone, pcm.Span{From: at, To: at + l.Samples(30)})
			if err != nil {
				return err
			}
			surround = max(surround, most(b))
		}
	}
	click := 0.0
	for _, b := range inside {
		if b.Len() > 0 {
			click = max(click, most(b)-surround)
		}
	}
	l.r.Measures.ClickDB = &click
	return nil
}
