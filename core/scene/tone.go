package scene

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"iter"
	"slices"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A tone has no end that an editor would meet: it is a day long, and clips begin at its middle.
const (
	ToneHours  = 24
	toneMiddle = ToneHours / 2
)

// ToneMiddle is the moment of a tone from which on it is laid out.
func (s *Scene) ToneMiddle() int64 { return toneMiddle * 3600 * s.SampleRate }

// ToneSource is the source that a tone is, with an id that says all of its recipe.
func (s *Scene) ToneSource(t recipe.Tone, name string) (Source, error) {
	raw, err := json.Marshal(t)
	if err != nil {
		return Source{}, fmt.Errorf("a tone's recipe: %w", err)
	}
	sum := sha256.Sum256(raw)
	src := Source{
		ID:       "tone-" + hex.EncodeToString(sum[:16]),
		Name:     name,
		Samples:  ToneHours * 3600 * s.SampleRate,
		Channels: 1,
		Tone:     &t,
	}
	for _, m := range t.Materials() {
		src.Channels = max(src.Channels, s.Sources[m.Source].Channels)
	}
	return src, nil
}

// Made tells whether a source is no recording, but made from some: tone, or a recording as it is fitted.
func (s Source) Made() bool { return s.Tone != nil || s.Fit != nil }

// Sources are the ids of the sources that a clip's sound is made from: its own, and the tone of its room.
func (c *Clip) Sources() []string {
	return append(append([]string{c.Source}, c.Room.Tones()...), c.Treatments.Needs()...)
}

// Recordings are the ids of the recordings that some sources are, or are made from if they are tones or fitted.
func Recordings(s *Scene, sources ...string) (list []string) {
	for _, id := range sources {
		tone := s.Sources[id].Tone
		if tone == nil {
			list = append(list, FitOf(s, id).Of)
			continue
		}
		for _, m := range tone.Materials() {
			list = append(list, FitOf(s, m.Source).Of)
		}
	}
	return list
}

// Needed are the ids of all sources that are needed to have a clip as it is: those that its sound is made from, and
// what they are made or were joined from.
func Needed(s *Scene, c *Clip) []string { return neededBy(s, c, nil) }

func neededBy(s *Scene, c *Clip, list []string) []string {
	own := c.Sources()
	if c.Takes != nil {
		for _, t := range c.Takes.Others {
			own = append(own, t.Needs()...)
		}
	}
	for _, id := range append(own, Recordings(s, own...)...) {
		if slices.Contains(list, id) {
			continue
		}
		list = append(list, id)
		j := s.Sources[id].Joined
		if j == nil {
			continue
		}
		for _, t := range j.Tracks {
			for i := range t.Clips {
				list = neededBy(s, &t.Clips[i], list)
			}
		}
	}
	return list
}

// NeededAside are the ids of the sources that what is kept aside cannot be without.
func NeededAside(s *Scene) (list []string) {
	for _, a := range s.Aside {
		for _, t := range a.Tracks {
			for i := range t.Clips {
				list = neededBy(s, &t.Clips[i], list)
			}
		}
	}
	return list
}

// PartsOf are the ids of the sources that a recording was joined from, each once, with those that they are made from.
func PartsOf(s *Scene, src Source) (list []string) {
	if src.Joined == nil {
		return nil
	}
	for _, t := range src.Joined.Tracks {
		for i := range t.Clips {
			own := t.Clips[i].Sources()
			list = append(append(list, own...), Recordings(s, own...)...)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// Dialogue goes through the clips of recordings that are not muted, track by track of dialogue, in order of time.
func Dialogue(s *Scene) iter.Seq2[*Track, *Clip] {
	return func(yield func(*Track, *Clip) bool) {
		for _, t := range s.Tracks {
			if t.Kind != Sound || t.Purpose != ForDialogue {
				continue
			}
			for i := range t.Clips {
				c := &t.Clips[i]
				if !c.Muted && s.Sources[c.Source].Tone == nil && !yield(t, c) {
					return
				}
			}
		}
	}
}

// A Hole is what a patch fills: a lull of a clip, or the gap between two clips of a track. A patch follows its hole.
type Hole struct {
	Clip ClipID `json:"clip"`           // whose lull it is, or ahead of the gap
	Lull LullID `json:"lull,omitempty"` // "" for a gap
	Next ClipID `json:"next,omitempty"` // behind the gap
}

// HoleSpan is where a hole lies; ok is false if its clips are gone or are no neighbours any more. A gap that was
// closed and a lull that is not heard any more are empty.
func (s *Scene) HoleSpan(h Hole) (span pcm.Span, ok bool) {
	if h.Lull != "" {
		return spanOfLull(s, h)
	}
	ti, ci, ok := s.Find(h.Clip)
	if !ok {
		return span, false
	}
	t := s.Tracks[ti]
	if ci+1 >= len(t.Clips) || t.Clips[ci+1].ID != h.Next {
		return span, false
	}
	return pcm.Span{From: t.Clips[ci].End(), To: t.Clips[ci+1].Start}, true
}

// spanOfLull finds a lull in its clip or, where that was divided, in the part that shows it now.
func spanOfLull(s *Scene, h Hole) (span pcm.Span, ok bool) {
	_, own := s.Clip(h.Clip)
	if own == nil {
		return span, false
	}
	if l := own.Lull(h.Lull); l != nil {
		if span := own.LullSpan(*l); !span.Empty() {
			return span, true
		}
	}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if l := t.Clips[i].Lull(h.Lull); l != nil && t.Kind == Sound {
				if span := t.Clips[i].LullSpan(*l); !span.Empty() {
					return span, true
				}
			}
		}
	}
	return span, true
}

// Heard tells whether a clip is part of the mix: it is not muted, and the lull that it fills is not switched off.
func (s *Scene) Heard(c Clip) bool {
	if c.Muted {
		return false
	}
	if c.Fills == nil || c.Fills.Lull == "" {
		return true
	}
	return !LullByID(s, c.Fills.Clip, c.Fills.Lull).Off
}

// Patch gives the clip that fills a hole, nil if there is none.
func (s *Scene) Patch(h Hole) *Clip {
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if f := t.Clips[i].Fills; f != nil && f.Lull == h.Lull && (h.Lull == "" && *f == h || h.Lull != "") {
				return &t.Clips[i]
			}
		}
	}
	return nil
}

// ToneTrack is the index of the first tone track with room for tone over a span, -1 if there is none.
func ToneTrack(s *Scene, span pcm.Span) int {
	return slices.IndexFunc(s.Tracks, func(t *Track) bool {
		if t.Purpose != ForTone || t.Kind != Sound || t.Locked {
			return false
		}
		k := t.At(span.From)
		return k == len(t.Clips) || t.Clips[k].Start >= span.To
	})
}
