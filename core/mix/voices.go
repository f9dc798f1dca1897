package mix

import (
	"sort"

	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Voice is a clip as it sounds in a mix. Blends let it sound beyond its ends.
type Voice struct {
	Track *scene.Track
	Clip  *scene.Clip
	Span  pcm.Span // of the scene, in which it sounds
	In    int64    // source sample at Span.From
	voice *voice
	bus   *bus
	gain  float64
}

// Voices are the clips that sound in a stretch of the scene, track by track in order of time.
func (m *Mixer) Voices(span pcm.Span) (list []Voice) {
	for i := range m.tracks {
		t := &m.tracks[i]
		k := sort.Search(len(t.list), func(k int) bool { return t.list[k].span.To > span.From })
		for ; k < len(t.list) && t.list[k].span.From < span.To; k++ {
			v := &t.list[k]
			list = append(list, Voice{t.track, v.clip, v.span, v.in, v, &t.bus, t.gain * v.gain})
		}
	}
	return list
}

// Gain is how loud the source is heard at a sample of the scene, as an amplitude: by the gains of track and clip,
// fades, blends, level line, lulls, and how the track makes way for words; 0 outside Span.
func (v Voice) Gain(at int64) (float64, error) {
	if !v.Span.Contains(at) {
		return 0, nil
	}
	gain := v.gain * v.bus.gain(at)
	source := v.In + at - v.Span.From
	if v.voice.lined() {
		gain *= level.Amplitude(v.Clip.LevelDB(source))
	}
	for _, l := range v.voice.lulls {
		if l.Span().Contains(source) {
			gain *= l.Gain(source)
		}
	}
	for _, r := range v.voice.ramps() {
		if r == nil || !r.span.Contains(at) {
			continue
		}
		if r.ready != nil {
			if err := r.ready(); err != nil {
				return 0, err
			}
		}
		gain *= r.at(at)
	}
	return gain, nil
}
