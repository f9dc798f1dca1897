package meter

import (
	"context"

	"blendseam/core/listen/tone"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// A Room is what is heard of a clip's background beside a hole: its quiet stretches that lie nearest, at the gain of
// the clip.
type Room struct {
	Sound   pcm.Block  // the stretches, one after the other
	Spans   []pcm.Span // of each in Sound
	At      []pcm.Span // and in the scene
	LevelDB float64    // above 30 Hz
}

// roomS is how much of a room is enough, in seconds; farRoomS how far from the hole it may lie, farthestRoomS if there
// is none so near.
const (
	roomS         = 1.0
	farRoomS      = 4.0
	farthestRoomS = 15.0
)

// Quiets are the quiet stretches of a clip's recording within so many seconds of a hole, in samples of the scene, at
// the clip's gain. What lies in the hole is left out.
func (m *Meter) Quiets(
	ctx context.Context,
	c *scene.Clip,
	hole pcm.Span,
	seconds float64,
) (list []tone.Quiet, err error) {
	a, err := m.Says(ctx, c)
	if err != nil {
		return nil, err
	}
	far := int64(seconds * float64(m.Scene.SampleRate))
	shift := c.Shift()
	near := pcm.Span{From: hole.From - far, To: hole.To + far}.Add(-shift)
	for _, q := range a.QuietsIn(near) {
		if q.Span = q.Span.Add(shift); q.Span.Overlaps(hole) {
			continue
		}
		gain := c.GainDB
		if len(c.Level) > 0 {
			gain += c.LevelDB((q.Span.From+q.Span.To)/2 - shift)
		}
		list = append(list, turned(q, gain))
	}
	return list, nil
}

// turned is a quiet stretch at a gain.
func turned(q tone.Quiet, db float64) tone.Quiet {
	if db == 0 {
		return q
	}
	q.LevelDB += db
	q.Thirds = ThirdsAt(q.Thirds, db)
	return q
}

// ThirdsAt are third-octaves at a gain, all in dB.
func ThirdsAt(thirds []float64, db float64) []float64 {
	out := make([]float64, len(thirds))
	for i, v := range thirds {
		out[i] = v + db
	}
	return out
}

// Rooms are the rooms of a clip before and after a hole. nil where there is none.
func (m *Meter) Rooms(ctx context.Context, c *scene.Clip, hole pcm.Span) (sides [2]*Room, err error) {
	list, err := m.Quiets(ctx, c, hole, farRoomS)
	if err == nil && len(list) == 0 {
		list, err = m.Quiets(ctx, c, hole, farthestRoomS)
	}
	if err != nil {
		return sides, err
	}
	for i := range sides {
		enough := int64(roomS * float64(m.Scene.SampleRate))
		r := &Room{}
		for k := range list {
			q := list[k].Span
			if i == 0 {
				q = list[len(list)-1-k].Span
			}
			if (i == 0) != (q.To <= hole.From) || r.Sound.Len() >= enough {
				continue
			}
			if i == 0 { // the part that lies nearest
				q.From = max(q.From, q.To-enough)
			} else {
				q.To = min(q.To, q.From+enough)
			}
			sound, err := m.Raw(c, q)
			if err != nil {
				return sides, err
			}
			r.add(sound, q)
		}
		if r.Sound.Len() > 0 {
			r.measure(m.Rate())
			sides[i] = r
		}
	}
	return sides, nil
}

// add takes a stretch of the scene into the room.
func (r *Room) add(sound pcm.Block, q pcm.Span) {
	at := r.Sound.Len()
	if r.Sound == nil {
		r.Sound = make(pcm.Block, len(sound))
	}
	for ch := range sound {
		r.Sound[ch] = append(r.Sound[ch], sound[ch]...)
	}
	r.Spans, r.At = append(r.Spans, pcm.Span{From: at, To: at + q.Len()}), append(r.At, q)
}

// OneRoom is both sides' rooms together; nil if there is none.
func OneRoom(sides [2]*Room) (all *Room) {
	power := 0.0
	for _, s := range sides {
		if s == nil {
			continue
		}
		if all == nil {
			all = &Room{}
		}
		for i, q := range s.Spans {
			all.add(s.Sound.Slice(q.From, q.To), s.At[i])
		}
		power += level.Power(s.LevelDB) * float64(s.Sound.Len())
	}
	if all != nil {
		all.LevelDB = level.OfPower(power / float64(all.Sound.Len()))
	}
	return all
}

func (r *Room) measure(rate int) {
	sum := 0.0
	for _, s := range r.Spans {
		sum += level.Power(tone.LevelDB(r.Sound.Slice(s.From, s.To), rate)) * float64(s.Len())
	}
	r.LevelDB = level.OfPower(sum / float64(r.Sound.Len()))
}

// Thirds are the levels of the room's third-octaves, dBFS; see tone.Thirds.
func (r *Room) Thirds(rate int) []float64 { return tone.Thirds(r.Sound, r.Spans, rate) }

// Turned is the room at another gain, in dB.
func (r *Room) Turned(db float64) *Room {
	if db == 0 {
		return r
	}
	out := *r
	out.LevelDB += db
	out.Sound = pcm.NewBlock(len(r.Sound), r.Sound.Len())
	gain := level.Amplitude(db)
	for ch := range r.Sound {
		for i, v := range r.Sound[ch] {
			out.Sound[ch][i] = v * gain
		}
	}
	return &out
}

// Mono is the mean of what a clip's recording has over a span of the scene; see Raw.
func (m *Meter) Mono(c *scene.Clip, span pcm.Span) ([]float64, error) {
	b, err := m.Raw(c, span)
	if err != nil {
		return nil, err
	}
	return measure.Mono(b), nil
}
