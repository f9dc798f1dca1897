package seam

import (
	"fmt"
	"math"

	"blendseam/core/measure"
	"blendseam/core/mix"
	"blendseam/core/pcm"
	"blendseam/core/scene"
	"blendseam/core/tone"
)

// A room is what is heard of a clip's background beside a hole: its quiet stretches, at the level at which the clip sounds.
type room struct {
	sound  pcm.Block  // the stretches, one after the other
	spans  []pcm.Span // of each in sound
	at     []pcm.Span // and in the scene
	level  float64    // tone.LevelDB
	thirds []float64
}

// roomS is how much of a room is enough, in seconds; farS how far from the hole it may lie.
const (
	roomS = 1.0
	farS  = 4.0
)

// quiets are the quiet stretches of a clip's recording around a hole, in samples of the scene, at the clip's gain, and their sound. What
// lies in the hole is left out.
func (m *Meter) quiets(c *scene.Clip, hole pcm.Span, seconds float64) ([]tone.Quiet, pcm.Block, pcm.Span, error) {
	r, err := m.recording(c)
	if err != nil {
		return nil, nil, pcm.Span{}, err
	}
	far := int64(seconds * float64(m.scene.SampleRate))
	span := pcm.Span{From: hole.From - far, To: hole.To + far}.Intersect(pcm.Span{To: r.Len()}.Add(c.Shift()))
	if span.Empty() {
		return nil, nil, span, nil
	}
	b, err := m.raw(c, span)
	if err != nil {
		return nil, nil, span, err
	}
	var list []tone.Quiet
	for _, q := range tone.Find(b, int(m.scene.SampleRate)) {
		if q.Span = q.Span.Add(span.From); !q.Span.Overlaps(hole) {
			list = append(list, q)
		}
	}
	return list, b, span, nil
}

// rooms are the rooms before and after a hole: the quiet stretches that lie nearest. nil where there is none.
func (m *Meter) rooms(c *scene.Clip, hole pcm.Span) (sides [2]*room, err error) {
	list, sound, span, err := m.quiets(c, hole, farS)
	if err == nil && len(list) == 0 {
		list, sound, span, err = m.quiets(c, hole, nearS)
	}
	if err != nil {
		return sides, err
	}
	for i := range sides {
		r := &room{sound: pcm.NewBlock(len(sound), 0)}
		enough := int64(roomS * float64(m.scene.SampleRate))
		for k := range list {
			q := list[k].Span
			if i == 0 {
				q = list[len(list)-1-k].Span
			}
			if (i == 0) != (q.To <= hole.From) || r.sound.Len() >= enough {
				continue
			}
			if i == 0 { // the part that lies nearest
				q.From = max(q.From, q.To-enough)
			} else {
				q.To = min(q.To, q.From+enough)
			}
			r.add(sound, q, span.From)
		}
		if r.sound.Len() > 0 {
			r.measure(int(m.scene.SampleRate))
			sides[i] = r
		}
	}
	return sides, nil
}

// add takes a stretch of the scene into the room, out of sound that begins at from.
func (r *room) add(sound pcm.Block, q pcm.Span, from int64) {
	at := r.sound.Len()
	for ch := range sound {
		r.sound[ch] = append(r.sound[ch], sound[ch][q.From-from:q.To-from]...)
	}
	r.spans, r.at = append(r.spans, pcm.Span{From: at, To: at + q.Len()}), append(r.at, q)
}

// oneRoom is both sides' rooms together, not measured yet; nil if there is none.
func oneRoom(sides [2]*room) (all *room) {
	for _, s := range sides {
		if s == nil {
			continue
		}
		if all == nil {
			all = &room{sound: pcm.NewBlock(len(s.sound), 0)}
		}
		for i, q := range s.spans {
			all.add(s.sound.Slice(q.From, q.To), s.at[i], s.at[i].From)
		}
	}
	return all
}

func (r *room) measure(rate int) {
	sum := 0.0
	for _, s := range r.spans {
		sum += math.Pow(10, tone.LevelDB(r.sound.Slice(s.From, s.To), rate)/10) * float64(s.Len())
	}
	r.level, r.thirds = 10*math.Log10(sum/float64(r.sound.Len())+1e-30), tone.Thirds(r.sound, r.spans, rate)
}

// turned is the room at another gain, in dB.
func (r *room) turned(db float64) *room {
	out := *r
	out.level += db
	out.sound = pcm.NewBlock(len(r.sound), r.sound.Len())
	for ch := range r.sound {
		for i, v := range r.sound[ch] {
			out.sound[ch][i] = v * measure.Amplitude(db)
		}
	}
	out.thirds = make([]float64, len(r.thirds))
	for i, v := range r.thirds {
		out.thirds[i] = v + db
	}
	return &out
}

// tones are the mixers of the tone tracks that are heard.
func (m *Meter) tones() (list []*mix.Mixer, err error) {
	for _, t := range m.scene.Tracks {
		if t.Purpose != "tone" || !m.heard[t.ID] {
			continue
		}
		x, err := m.track(t.ID)
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
		b, err := render(x, span)
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

// lull measures a stretch that is turned down: what is heard in it, of its track and of the tone tracks, against the room beside it.
func (m *Meter) lull(r *Result) error {
	t, c := m.scene.Clip(r.Left)
	alone, err := m.track(t.ID)
	if err != nil {
		return err
	}
	l := &look{Meter: m, r: r, heard: m.whole, alone: alone, track: t, left: c}
	if !m.heard[t.ID] {
		l.heard = alone
	}
	if err := l.hole(); err != nil {
		return fmt.Errorf("lull at %s: %w", m.scene.Timecode(r.From), err)
	}
	for _, step := range []func() error{l.silence, l.peak} {
		if err := step(); err != nil {
			return fmt.Errorf("lull at %s: %w", m.scene.Timecode(r.From), err)
		}
	}
	r.judge(m.scene.SampleRate)
	return nil
}

// floorOf is the part of a hole that lies between the fades of its lull.
func (m *Meter) floorOf(r *Result, c *scene.Clip) pcm.Span {
	floor := pcm.Span{From: r.From, To: r.To}
	if u := c.Lull(r.Lull); u != nil {
		floor.From, floor.To = floor.From+u.FadeIn, floor.To-u.FadeOut
	}
	if floor.Len() < m.ms(10) {
		floor = pcm.Span{From: r.At - m.ms(5), To: r.At + m.ms(5)}
	}
	floor.To = min(floor.To, floor.From+mostHoleS*m.scene.SampleRate)
	return floor
}

func (l *look) hole() error {
	m, rate := &l.r.Measures, int(l.scene.SampleRate)
	span := pcm.Span{From: l.r.From, To: l.r.To}
	sides, err := l.rooms(l.left, span)
	if err != nil {
		return err
	}
	outside := oneRoom(sides)
	if outside == nil { // nothing but words
		return nil
	}
	outside.measure(rate)
	outside = outside.turned(l.track.GainDB)
	tones, err := l.tones()
	if err != nil {
		return err
	}
	inside, err := together(append([]*mix.Mixer{l.alone}, tones...), span)
	if err != nil {
		return err
	}
	floor := l.floorOf(l.r, l.left).Add(-span.From)
	floor.To = min(floor.To, inside.Len())
	heard := inside.Slice(floor.From, floor.To)
	in, out := math.Pow(10, tone.LevelDB(heard, rate)/10), math.Pow(10, outside.level/10)
	for _, q := range outside.at { // a bed that lies under both
		b, err := together(tones, q)
		if err != nil {
			return err
		}
		if b != nil {
			out += math.Pow(10, tone.LevelDB(b, rate)/10) * float64(q.Len()) / float64(outside.sound.Len())
		}
	}
	if others := l.elsewhere(tones, span); others > 0 {
		in, out = in+others, out+others
	}
	left, right := max(-120, 10*math.Log10(out+1e-30)), max(-120, 10*math.Log10(in+1e-30))
	m.BackgroundLeftDB, m.BackgroundRightDB = &left, &right
	if right > silent && left > silent {
		const floorDB = -110
		step := right - left
		apart := measure.ColourStepDB(measure.ColourOf(outside.sound, outside.spans, rate), measure.ColourOf(inside, []pcm.Span{floor}, rate), floorDB)
		m.BackgroundStepDB, m.ColourStepDB = &step, &apart
	}
	l.lullClick(inside, outside)
	return nil
}

// elsewhere is the power of all other tracks at a hole, music among them: what it covers is not missed.
func (l *look) elsewhere(tones []*mix.Mixer, span pcm.Span) float64 {
	if l.heard == l.alone {
		return 0
	}
	all, err := render(l.heard, span)
	if err != nil {
		return 0
	}
	own, err := together(append([]*mix.Mixer{l.alone}, tones...), span)
	if err != nil {
		return 0
	}
	for ch := range all {
		for i, v := range own[ch] {
			all[ch][i] -= v
		}
	}
	if db := tone.LevelDB(all, int(l.scene.SampleRate)); db > -100 {
		return math.Pow(10, db/10)
	}
	return 0
}

// lullClick is the steepest millisecond in the hole over the steepest of the room.
func (l *look) lullClick(inside pcm.Block, outside *room) {
	most := func(b pcm.Block) float64 {
		top := measure.Silence
		for _, v := range l.crispness(b) {
			top = max(top, v)
		}
		return top
	}
	surround := measure.Silence
	for _, s := range outside.spans {
		surround = max(surround, most(outside.sound.Slice(s.From, s.To)))
	}
	click := max(0, most(inside)-surround)
	l.r.Measures.ClickDB = &click
}
