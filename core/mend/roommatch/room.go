// Package roommatch brings the takes of a scene to one room: it measures what lies behind the words of each clip,
// chooses a room for all of them, and says what each lacks of it and has too much. It proposes; core/sound/ambience and
// core/mix make the sound.
package roommatch

import (
	"context"
	"math"
	"slices"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/tone"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/sound/ambience"
	"blendseam/core/sound/level"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A Room is what lies behind the words of a clip, as it is heard: at the gains of clip and track. While rooms are
// measured and compared, they are at the recording's own gain.
type Room struct {
	Bands   ambience.Spectrum // without its hum
	Hum     []recipe.Sine
	Width   float64 // share of it that is another in each channel
	Seconds float64 // of quiet stretches that it was measured on

	parts   []pcm.Span        // of its recording, on which it was measured
	driftHz float64           // of its hum
	excess  float64           // by how much it lies over the floor of its recording, dB
	Later   ambience.Spectrum // what it goes over to, if it changes
	Course  []recipe.Share    // when
}

// LevelDB is how loud the room is, above 30 Hz, dBFS; of one that changes, before it does.
func (r Room) LevelDB() float64 { return level.OfPower(r.Bands.Power() + humPower(r.Hum)) }

// MostDB is how loud it is where it is loudest.
func (r Room) MostDB() float64 {
	return max(r.LevelDB(), r.laterDB())
}

// laterDB is how loud it is when it has changed.
func (r Room) laterDB() float64 {
	states := r.states()
	return level.OfPower(states[len(states)-1].Power() + humPower(r.Hum))
}

// states are the spectra that it goes over between, or the one it has.
func (r Room) states() []ambience.Spectrum {
	if r.Later == nil {
		return []ambience.Spectrum{r.Bands}
	}
	return []ambience.Spectrum{r.Bands, r.Later}
}

func humPower(list []recipe.Sine) (sum float64) {
	for _, h := range list {
		sum += level.Power(h.LevelDB)
	}
	return sum
}

// Material is looked for in the clip and so many seconds beyond it, farther where there is less than enoughS of it;
// more than mostS is not looked at.
const (
	enoughS = 1.5
	mostS   = 12.0
)

var reachS = [...]float64{0.5, 3, 15, 3600}

// A stretch of hum in which a Spectrum is told apart from it is at least so long, in seconds.
const leastHumS = 0.3

// recordingOf gives what a clip's recording says by itself, and its sound.
func recordingOf(ctx context.Context, m *meter.Meter, c *scene.Clip) (*analysis.Recording, pcm.ReaderAt, error) {
	src := m.Scene.Sources[c.Source]
	a, err := m.Analysis(ctx, m.Scene, src)
	if err != nil {
		return nil, nil, err
	}
	sound, err := m.Open(m.Scene, src)
	return a, sound, err
}

// roomOf measures the room of a clip, at its recording's own gain. The Room has no bands if there is no pause in its
// recording.
func roomOf(ctx context.Context, m *meter.Meter, c *scene.Clip) (Room, error) {
	a, sound, err := recordingOf(ctx, m, c)
	if err != nil {
		return Room{}, err
	}
	rate := m.Scene.SampleRate
	var quiets []tone.Quiet
	for _, reach := range reachS {
		far := int64(reach * float64(rate))
		quiets = a.QuietsIn(pcm.Span{From: c.In - far, To: c.In + c.Length + far})
		if seconds(quiets, rate) >= enoughS {
			break
		}
	}
	slices.SortStableFunc(quiets, func(x, y tone.Quiet) int { return int(y.Span.Len() - x.Span.Len()) })
	r := Room{}
	if r.Hum, err = humOf(a, sound); err != nil {
		return Room{}, err
	}
	hum := frequencies(r.Hum)
	var sounds [][]float64
	for _, q := range quiets {
		s := seconds([]tone.Quiet{q}, rate)
		if len(hum) > 0 && s < leastHumS && r.Seconds > 0 || r.Seconds >= mostS {
			continue
		}
		b, err := pcm.Read(sound, q.Span)
		if err != nil {
			return Room{}, err
		}
		r.Width += width(b) * s
		mono := measure.Mono(b)
		if len(c.Level) > 0 {
			by := level.Amplitude(c.LevelDB((q.Span.From + q.Span.To) / 2))
			for i := range mono {
				mono[i] *= by
			}
		}
		sounds = append(sounds, mono)
		r.parts = append(r.parts, q.Span)
		r.Seconds += s
	}
	if r.Seconds > 0 {
		r.Width = math.Round(100*r.Width/r.Seconds) / 100
	}
	if r.Bands = ambience.Analyze(sounds, int(rate), hum); r.Bands != nil {
		r.Bands = r.Bands.Smooth()
		if a.Floor.Sure() {
			r.excess = max(0, r.LevelDB()-a.Floor.DB)
		}
	}
	return r, nil
}

// ownDB is how loud the room is, but no louder than the floor of its recording lets it be, unless it changes.
func (r Room) ownDB() float64 {
	if r.Later != nil || r.excess < mostExcessDB {
		return r.MostDB()
	}
	return r.MostDB() - r.excess
}

// mostExcessDB is how far a room may lie over the floor of its recording, dB: what lies further up may be no room.
const mostExcessDB = 3.0

// width is which share of a sound is another in each channel: what two channels lack of being one, by their
// correlation; 0 for one channel.
func width(b pcm.Block) float64 {
	if len(b) < 2 {
		return 0
	}
	return 1 - max(0, measure.Correlation(b[:1], b[1:2]))
}

func seconds(list []tone.Quiet, rate int64) float64 {
	n := int64(0)
	for _, q := range list {
		n += q.Span.Len()
	}
	return float64(n) / float64(rate)
}

// A taking is a clip of dialogue with its room.
type taking struct {
	track  *scene.Track
	clip   *scene.Clip
	room   Room
	answer *Reverberation // nil: it is given none
}

// named tells whether a clip is meant by its id or its name.
func (t taking) named(name string) bool { return string(t.clip.ID) == name || t.clip.Name == name }

// takings are the clips of dialogue in a span, of all tracks that are heard, in order of time. Those without a pause
// have the room of another clip of their recording, if one has.
func takings(
	ctx context.Context,
	m *meter.Meter,
	span pcm.Span,
	threads int,
) (list []taking, without []string, err error) {
	without = []string{}
	for t, c := range scene.Dialogue(m.Scene) {
		if !t.Locked && c.Span().Overlaps(span) {
			list = append(list, taking{track: t, clip: c})
		}
	}
	slices.SortStableFunc(list, func(a, b taking) int { return int(a.clip.Start - b.clip.Start) })
	err = parallel.Each(ctx, len(list), threads, func(i int) (err error) {
		list[i].room, err = roomOf(ctx, m, list[i].clip)
		return err
	})
	if err != nil {
		return nil, nil, err
	}
	if err := changes(ctx, m, list); err != nil {
		return nil, nil, err
	}
	pool(list, m.Scene.SampleRate)
	atGain(list)
	for _, t := range list {
		if t.room.Bands == nil {
			without = append(without, t.clip.Name)
		}
	}
	return slices.DeleteFunc(list, func(t taking) bool { return t.room.Bands == nil }), without, nil
}

// uncovered are the clips but those over which other, and louder, rooms are heard all the time: a narrator's, say.
// Theirs is not heard, and noise laid under them would come on top of what is there.
func uncovered(list []taking) (rest []taking, covered []string) {
	covered = []string{}
	for i, t := range list {
		at := t.clip.Start // up to where others lie over it
		for k, o := range list {
			louder := o.room.LevelDB() > t.room.LevelDB()+coverDB
			if k != i && o.track != t.track && louder && o.clip.Start <= at {
				at = max(at, o.clip.End())
			}
		}
		if at >= t.clip.End() {
			covered = append(covered, t.clip.Name)
			continue
		}
		rest = append(rest, t)
	}
	return rest, covered
}

// coverDB is how much louder a room is where another under it is not heard.
const coverDB = 6

// Clips of one recording have one room where theirs differ by no more than this, in dB: what was measured on more is
// surer.
const sameRoomDB = 1.5

// atGain turns rooms to the gains at which they are heard. Clips of one room and one gain have one list of bands.
func atGain(list []taking) {
	type key struct {
		bands *float64
		gain  float64
	}
	turned := map[key]Room{}
	for i := range list {
		t := &list[i]
		gain := t.clip.GainDB + t.track.GainDB
		if gain == 0 || t.room.Bands == nil {
			continue
		}
		k := key{&t.room.Bands[0], gain}
		if _, ok := turned[k]; !ok {
			turned[k] = t.room.turned(gain)
		}
		t.room = turned[k]
	}
}

// turned is the room at a gain, in dB.
func (r Room) turned(gain float64) Room {
	r.Bands, r.Later, r.Hum = r.Bands.Times(level.Power(gain)), r.Later.Times(level.Power(gain)), slices.Clone(r.Hum)
	for i := range r.Hum {
		r.Hum[i].LevelDB += gain
	}
	return r
}

// byRecording are the clips by recording.
func byRecording(list []taking) (groups [][]int) {
	of := map[string]int{}
	for i, t := range list {
		g, ok := of[t.clip.Source]
		if !ok {
			g = len(groups)
			of[t.clip.Source] = g
			groups = append(groups, nil)
		}
		groups[g] = append(groups[g], i)
	}
	return groups
}

// pool gives clips of one recording, whose rooms are alike, their common room.
func pool(list []taking, rate int64) {
	for _, all := range byRecording(list) {
		if list[all[0]].room.Later != nil {
			continue
		}
		known := slices.IndexFunc(all, func(i int) bool { return list[i].room.Bands != nil })
		for known >= 0 && len(all) > 0 {
			slices.SortStableFunc(all, func(a, b int) int {
				return int(math.Copysign(1, list[b].room.Seconds-list[a].room.Seconds))
			})
			first := list[all[0]].room
			if first.Bands == nil {
				break
			}
			firstThirds := first.Bands.Thirds()
			sum, weight := make(ambience.Spectrum, len(first.Bands)), 0.0
			var parts []pcm.Span
			var mine, rest []int
			for _, i := range all {
				r := list[i].room
				if r.Bands != nil && apart(firstThirds, r.Bands.Thirds()) > sameRoomDB {
					rest = append(rest, i)
					continue
				}
				mine = append(mine, i)
				for b := range r.Bands {
					sum[b] += r.Bands[b] * r.Seconds
				}
				weight += r.Seconds
				parts = append(parts, r.parts...)
			}
			heard := int64(0)
			parts = pcm.Union(parts)
			for _, s := range parts {
				heard += s.Len()
			}
			for b := range sum {
				sum[b] /= weight
			}
			for _, i := range mine {
				list[i].room.Bands, list[i].room.Hum, list[i].room.parts = sum, first.Hum, parts
				list[i].room.Seconds = float64(heard) / float64(rate)
			}
			all = rest
		}
	}
}

// DifferenceDB is how far two rooms lie apart: the root mean square of the differences of their third-octaves from 125
// Hz to 8 kHz, level among it, in dB.
func DifferenceDB(a, b Room) float64 { return apart(a.Bands.Thirds(), b.Bands.Thirds()) }

func apart(a, b []float64) float64 {
	sum := 0.0
	for i := range a {
		d := ratioDB(a[i], b[i])
		sum += d * d
	}
	return math.Sqrt(sum / float64(len(a)))
}

// ratioDB is how far one power lies over another, where neither need be there.
func ratioDB(a, b float64) float64 { return level.OfPower((a + 1e-15) / (b + 1e-15)) }
