// Package scene has the model of a cut scene and every edit of it.
//
// A Scene is a value: edits never change one, they give another that shares what they left alone.
// Times on a picture track are frames, on a sound track samples at the scene's rate; Scene.Time and
// Scene.Unit go from one to the other. Edits take times in samples. Rendering and measuring are not here.
package scene

import (
	"encoding/json"
	"reflect"
	"slices"
	"sort"

	"blendseam/core/refuse"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/core/sound/timecode"
	"blendseam/core/sound/timestretch/timing"
)

// A Scene is everything that says how recordings are cut together.
type Scene struct {
	Name       string            `json:"name"`
	Rate       timecode.Rate     `json:"rate"`
	SampleRate int64             `json:"sample_rate"`
	Channels   int               `json:"channels"` // 1 or 2
	StartFrame int64             `json:"start_frame"`
	Tracks     []*Track          `json:"tracks" tstype:"Track[]"`
	Pairs      []Pair            `json:"pairs,omitempty"`
	Markers    []Marker          `json:"markers,omitempty"`
	Sources    map[string]Source `json:"sources"`
	Aside      []*Aside          `json:"aside,omitempty" tstype:"-"` // what new cuts of the picture lifted
	// the number in the newest clip's, track's or marker's id
	LastID  int64   `json:"last_id"`
	Foreign Foreign `json:"foreign,omitempty"`
	// the states that it was saved of as a file and came from as a file, the first first
	Origins []Origin `json:"origins,omitempty" tstype:"-"`
}

// An Origin is a state of a scene in a log of edits: what two versions have in common, if both come from it.
type Origin struct {
	Scene string `json:"scene"` // the id that the log has for it
	State int64  `json:"state"`
}

// SavedFrom is a scene with the state that it is saved of.
func SavedFrom(s *Scene, of Origin) *Scene {
	own := *s
	others := slices.DeleteFunc(slices.Clone(s.Origins), func(o Origin) bool { return o.Scene == of.Scene })
	own.Origins = append(others[max(0, len(others)+1-mostOrigins):], of)
	return &own
}

// mostOrigins is how many states a scene remembers that it comes from.
const mostOrigins = 16

// Foreign is what a scene file of other origin said that has no place in the model. It is kept for
// writing the file again.
type Foreign map[string]json.RawMessage

// A Source is a recording as a scene sees it, in the scene's rates.
type Source struct {
	ID       string  `json:"id"`
	Name     string  `json:"name"`
	URL      string  `json:"url,omitempty"`
	Samples  int64   `json:"samples"` // length of its sound, 0 if it has none
	Channels int     `json:"channels,omitempty"`
	Frames   int64   `json:"frames,omitempty"` // length of its picture, 0 if it has none
	Offset   int64   `json:"offset,omitempty"` // samples: the time that scene files give its first moment
	Unknown  bool    `json:"unknown,omitempty"`
	HeldFrom int64   `json:"held_from,omitempty"` // first sample that its file holds, which was cut to what is used
	SHA256   string  `json:"sha256,omitempty"`    // of the file that was brought in, "" if it is not known
	Foreign  Foreign `json:"foreign,omitempty"`

	Stretches []Stretch `json:"stretches,omitempty"` // in order of time

	Corrections []Correction `json:"corrections,omitempty"` // of what is heard in it, in order of time, none over another

	Tone   *recipe.Tone `json:"tone,omitempty"`   // how it is built, if it is room tone and no recording
	Fit    *timing.Fit  `json:"fit,omitempty"`    // of which recording, and how, if it is a fitted one
	Joined *Joined      `json:"joined,omitempty"` // what it was joined from, nil: nothing that is known
	Speech *Speech      `json:"speech,omitempty"` // nil: not known
}

// A Stretch is a named part of a source, marked while listening through it. Times are samples of the source.
type Stretch struct {
	Name string `json:"name"`
	From int64  `json:"from"`
	To   int64  `json:"to"`
}

// Kind says what a track holds.
type Kind string

// The kinds of track.
const (
	Picture Kind = "picture"
	Sound   Kind = "sound"
)

// Purpose says what a track is for; each has its own colour in the interface.
type Purpose string

// The purposes.
const (
	ForPicture  Purpose = "picture"
	ForDialogue Purpose = "dialogue"
	ForTone     Purpose = "tone"
	ForMusic    Purpose = "music"
	ForEffects  Purpose = "effects"
)

// Purposes are all purposes, that of picture tracks first.
var Purposes = []Purpose{ForPicture, ForDialogue, ForTone, ForMusic, ForEffects}

// HasRoom tells whether a room is behind what a track of a purpose holds, which tone can stand for. Music and effects
// have none of their own.
func (p Purpose) HasRoom() bool { return p != ForMusic && p != ForEffects }

// Hues are the colours that a track can have in place of its purpose's, by name.
var Hues = []string{"indigo", "weld", "plum", "rust", "slate", "walnut", "olive"}

// A Track is clips in order of time, no two overlapping, and the blends on its cuts.
type Track struct {
	ID      TrackID `json:"id"`
	Kind    Kind    `json:"kind"`
	Purpose Purpose `json:"purpose"`
	Name    string  `json:"name"`
	Hue     string  `json:"hue,omitempty"`
	Mute    bool    `json:"mute,omitempty"`
	Solo    bool    `json:"solo,omitempty"`
	GainDB  float64 `json:"gain_db,omitempty"`
	Balance float64 `json:"balance,omitempty"` // -1, all to the left, to 1
	Stays   bool    `json:"stays,omitempty"`   // does not follow what closes up or opens elsewhere
	Locked  bool    `json:"locked,omitempty"`
	Clips   []Clip  `json:"clips"`
	Blends  []Blend `json:"blends,omitempty"`
	Foreign Foreign `json:"foreign,omitempty"`

	// What sounds where none of its clips does, between the first and the last that have a room themselves.
	Room *recipe.Room `json:"room,omitempty"`

	Ducks   []Duck      `json:"ducks,omitempty"`   // for whose words it makes way
	Filters *eq.Filters `json:"filters,omitempty"` // of all its clips

	Treatments *effects.Chain `json:"treatments,omitempty"` // of what its clips sum to
}

// Needs are the ids of the sources that a track itself needs, beside those of its clips.
func (t *Track) Needs() []string { return append(t.Room.Tones(), t.Treatments.Needs()...) }

// A Clip is a stretch of a source on a track.
type Clip struct {
	ID      ClipID  `json:"id"`
	Source  string  `json:"source"`
	Name    string  `json:"name"`
	In      int64   `json:"in"` // first moment of the source that sounds
	Start   int64   `json:"start"`
	Length  int64   `json:"length"`
	GainDB  float64 `json:"gain_db,omitempty"`
	FadeIn  Fade    `json:"fade_in,omitzero"`
	FadeOut Fade    `json:"fade_out,omitzero"`
	Link    LinkID  `json:"link,omitempty"` // clips of one link move together
	Muted   bool    `json:"muted,omitempty"`
	Note    string  `json:"note,omitempty"`
	Foreign Foreign `json:"foreign,omitempty"`

	// in order of time; straight in dB between points, on like the outermost beyond them
	Level []LevelPoint `json:"level,omitempty"`

	Room  *recipe.Room `json:"room,omitempty"`  // what is done to its background, at its gain
	Lulls []Lull       `json:"lulls,omitempty"` // in order of time, apart

	Filters *eq.Filters `json:"filters,omitempty"` // set by hand
	Like    *eq.Like    `json:"like,omitempty"`    // brings it near another voice

	Treatments *effects.Chain `json:"treatments,omitempty"` // after its filters

	Fills *Hole `json:"fills,omitempty"` // the hole that it is a patch for, and follows

	Takes *Takes `json:"takes,omitempty"` // others of what it says, which may sound in its place

	AcceptedHead *Accepted `json:"accepted_head,omitempty"` // the seam at its head, where no other clip touches it
	AcceptedTail *Accepted `json:"accepted_tail,omitempty"` // the seam at its tail, the cut to the next clip among them
}

// A LevelPoint is a gain at a moment of the recording, so that it stays on its word however the clip is trimmed.
type LevelPoint struct {
	At int64   `json:"at"` // sample of the source
	DB float64 `json:"db"`
}

// Accepted says that an editor lets a seam be as it sounds.
type Accepted struct {
	Sound string `json:"sound"` // digest of what sounded there; with another sound the seam is not accepted any more
	Note  string `json:"note,omitempty"`
}

// Equal tells whether two clips are the same in everything; a list without entries is as good as none.
func (c Clip) Equal(o Clip) bool {
	if c.ID != o.ID || c.Start != o.Start || c.In != o.In || c.Length != o.Length {
		return false
	}
	return reflect.DeepEqual(c.bare(), o.bare())
}

// bare is the clip without lists that have no entries.
func (c Clip) bare() Clip {
	if len(c.Level) == 0 {
		c.Level = nil
	}
	if len(c.Lulls) == 0 {
		c.Lulls = nil
	}
	if len(c.Foreign) == 0 {
		c.Foreign = nil
	}
	return c
}

// Sounding is the clip with nothing but what is heard of it, wherever it lies: two clips of which that is equal sound
// the same. A state that is new is heard unless it is named here.
func (c Clip) Sounding() Clip {
	c = c.bare()
	c.Start, c.Name, c.Link, c.Note, c.Foreign, c.Fills, c.Takes = 0, "", "", "", nil, nil, nil
	c.AcceptedHead, c.AcceptedTail = nil, nil
	return c
}

func same[T comparable](a, b *T) bool { return a == b || a != nil && b != nil && *a == *b }

// A Fade takes a clip's head from silence, or its tail to silence, within the clip.
type Fade struct {
	Length int64       `json:"length"`
	Curve  blend.Curve `json:"curve"`
}

// A Blend is a crossfade on the cut between two touching clips of a track, from Before ahead of the
// cut to After behind it. Left needs After of handle, Right needs Before.
type Blend struct {
	Left     ClipID       `json:"left"`
	Right    ClipID       `json:"right"`
	Before   int64        `json:"before"`
	After    int64        `json:"after"`
	Law      blend.Law    `json:"law"`
	CurveOut *blend.Curve `json:"curve_out,omitempty"` // the sides' own shapes, when unlinked from the law
	CurveIn  *blend.Curve `json:"curve_in,omitempty"`
	Foreign  Foreign      `json:"foreign,omitempty"`
}

// Length is the whole length of the blend.
func (b Blend) Length() int64 { return b.Before + b.After }

// Gains gives both sides' gains at x, 0..1, for sides of correlation r.
func (b Blend) Gains(x, r float64) (out, in float64) {
	out, in = b.Law.Gains(x, r)
	if b.CurveOut != nil {
		out = b.CurveOut.Rise(1 - x)
	}
	if b.CurveIn != nil {
		in = b.CurveIn.Rise(x)
	}
	return out, in
}

// A Marker is a named moment or, with a length, a named range, in samples.
type Marker struct {
	ID      MarkerID `json:"id"`
	At      int64    `json:"at"`
	Length  int64    `json:"length,omitempty"`
	Name    string   `json:"name"`
	Foreign Foreign  `json:"foreign,omitempty"`
}

// Span is the range that a marker names, empty for a moment.
func (m Marker) Span() pcm.Span { return pcm.Span{From: m.At, To: m.At + m.Length} }

// New gives a stereo scene without tracks that starts at one hour of timecode.
func New(name string, rate timecode.Rate, sampleRate int64) *Scene {
	hour, err := rate.Parse("01:00:00:00")
	if err != nil { // not at any rate there is
		hour = 3600 * rate.Nominal()
	}
	return &Scene{
		Name:       name,
		Rate:       rate,
		SampleRate: sampleRate,
		Channels:   2,
		StartFrame: hour,
		Tracks:     []*Track{},
		Sources:    map[string]Source{},
	}
}

// End is where the clip ends on its track, in the track's unit.
func (c Clip) End() int64 { return c.Start + c.Length }

// Span is where the clip lies on its track, in the track's unit.
func (c Clip) Span() pcm.Span { return pcm.Span{From: c.Start, To: c.End()} }

// Time turns a time on a track into samples.
func (s *Scene) Time(t *Track, at int64) int64 {
	if t.Kind == Picture {
		return s.Rate.SampleOf(at, s.SampleRate)
	}
	return at
}

// Unit turns samples into a time on a track: on a picture track the nearest frame.
func (s *Scene) Unit(t *Track, sample int64) int64 {
	if t.Kind == Picture {
		return s.Rate.Nearest(sample, s.SampleRate)
	}
	return sample
}

// ClipTime is where a clip lies, in samples.
func ClipTime(s *Scene, t *Track, c Clip) pcm.Span {
	return pcm.Span{From: s.Time(t, c.Start), To: s.Time(t, c.End())}
}

// Frames is a length in samples as whole frames, to the nearest.
func (s *Scene) Frames(samples int64) int64 { return s.Rate.Frames(samples, s.SampleRate) }

// Length is where the last clip of any track ends, in samples.
func (s *Scene) Length() int64 {
	var end int64
	for _, t := range s.Tracks {
		end = max(end, TrackEnd(s, t))
	}
	return end
}

// TrackEnd is where the last clip of a track ends, in samples.
func TrackEnd(s *Scene, t *Track) int64 {
	if n := len(t.Clips); n > 0 {
		return s.Time(t, t.Clips[n-1].End())
	}
	return 0
}

// Timecode prints a moment, in samples, as the timecode of its frame.
func (s *Scene) Timecode(sample int64) string {
	return s.Rate.Format(s.StartFrame + s.Rate.FrameOf(sample, s.SampleRate))
}

// Stretch is the part of the scene from one timecode up to another, in samples; "" is its start or its end. The error
// says what the scene has.
func (s *Scene) Stretch(from, to string) (pcm.Span, error) {
	all := pcm.Span{To: s.Length()}
	span := all
	if all.Empty() {
		return span, refuse.Errorf("the scene is empty; lay clips out first")
	}
	for _, end := range []struct {
		text string
		to   *int64
	}{{from, &span.From}, {to, &span.To}} {
		if end.text == "" {
			continue
		}
		at, err := Moment(s, end.text)
		if err != nil {
			return span, err
		}
		*end.to = at
	}
	// The scene may end within its last frame.
	if last := s.Rate.FrameOf(all.To-1, s.SampleRate) + 1; span.To <= s.Rate.SampleOf(last, s.SampleRate) {
		span.To = min(span.To, all.To)
	}
	if span.Empty() || !span.In(all) {
		return span, refuse.Errorf(
			"the stretch must lie in the scene, which runs from %s to %s, its start before its end",
			s.Timecode(0),
			s.Timecode(s.Length()),
		)
	}
	return span, nil
}

// Find looks up a clip by its id: the index of its track, and its own. ok is false if there is none.
func (s *Scene) Find(id ClipID) (track, clip int, ok bool) {
	for ti, t := range s.Tracks {
		for ci := range t.Clips {
			if t.Clips[ci].ID == id {
				return ti, ci, true
			}
		}
	}
	return 0, 0, false
}

// Clip gives a clip and its track by its id, nil if there is none.
func (s *Scene) Clip(id ClipID) (*Track, *Clip) {
	if ti, ci, ok := s.Find(id); ok {
		return s.Tracks[ti], &s.Tracks[ti].Clips[ci]
	}
	return nil, nil
}

// Track gives a track by its id, nil if there is none.
func (s *Scene) Track(id TrackID) *Track {
	if i := TrackIndex(s, id); i >= 0 {
		return s.Tracks[i]
	}
	return nil
}

func TrackIndex(s *Scene, id TrackID) int {
	return slices.IndexFunc(s.Tracks, func(t *Track) bool { return t.ID == id })
}

// Blend gives the blend on the cut between two clips, nil if there is none.
func (t *Track) Blend(left, right ClipID) *Blend {
	for i := range t.Blends {
		if t.Blends[i].Left == left && t.Blends[i].Right == right {
			return &t.Blends[i]
		}
	}
	return nil
}

// At is the index of the first clip of t that ends after a time in the track's unit, len(t.Clips)
// if none does.
func (t *Track) At(at int64) int {
	return sort.Search(len(t.Clips), func(i int) bool { return t.Clips[i].End() > at })
}

// Touches tells whether clip i and the next one share a cut.
func (t *Track) Touches(i int) bool {
	return i >= 0 && i+1 < len(t.Clips) && t.Clips[i].End() == t.Clips[i+1].Start
}

// blendOf gives the blends at a clip's head and tail, nil where there is none.
func (t *Track) BlendsOf(clip ClipID) (head, tail *Blend) {
	for i := range t.Blends {
		if t.Blends[i].Right == clip {
			head = &t.Blends[i]
		}
		if t.Blends[i].Left == clip {
			tail = &t.Blends[i]
		}
	}
	return head, tail
}

// SourceLength is the length of a clip's source in its track's unit.
func SourceLength(s *Scene, t *Track, c Clip) int64 {
	src, ok := s.Sources[c.Source]
	switch {
	case !ok || src.Unknown:
		return Unbounded
	case t.Kind == Picture:
		return src.Frames
	}
	return src.Samples
}

// Handles gives the unused material of a clip's source ahead of its head and behind its tail, in the
// track's unit.
func (s *Scene) Handles(t *Track, c Clip) (head, tail int64) {
	return c.In, SourceLength(s, t, c) - c.In - c.Length
}

// Linked gives the ids of all clips linked with one, itself among them, in order of tracks.
func (s *Scene) Linked(id ClipID) []ClipID {
	_, c := s.Clip(id)
	if c == nil || c.Link == "" {
		return []ClipID{id}
	}
	var ids []ClipID
	for _, t := range s.Tracks {
		for _, o := range t.Clips {
			if o.Link == c.Link {
				ids = append(ids, o.ID)
			}
		}
	}
	return ids
}
