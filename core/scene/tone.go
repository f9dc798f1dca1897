package scene

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"iter"
	"maps"
	"slices"

	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// A tone has no end that an editor would meet: it is a day long, and clips begin at its middle.
const (
	toneHours  = 24
	toneMiddle = toneHours / 2
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
		Samples:  toneHours * 3600 * s.SampleRate,
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

// joinedOf tells whether a recording was joined from a source.
func joinedOf(s *Scene, source string) bool {
	for _, src := range s.Sources {
		if slices.Contains(PartsOf(s, src), source) {
			return true
		}
	}
	return false
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
	return !lullOf(s, c.Fills.Clip, c.Fills.Lull).Off
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

// LayTone lays tone over a stretch of the scene: a patch for a hole, or a bed. Its fades are at constant power and
// lie inside the stretch. Without a track it goes to the first tone track with room there, to a new one if there is
// none.
type LayTone struct {
	Tone    recipe.Tone `json:"tone"`
	Name    string      `json:"name"`
	Track   TrackID     `json:"track,omitempty"`
	From    int64       `json:"from"`
	To      int64       `json:"to"`
	In      int64       `json:"in"` // moment of the tone at From
	GainDB  float64     `json:"gain_db,omitempty"`
	FadeIn  int64       `json:"fade_in,omitempty"`
	FadeOut int64       `json:"fade_out,omitempty"`
	Fills   *Hole       `json:"fills,omitempty"`
}

func (e *LayTone) apply(d *draft) error {
	if e.From < 0 || e.To <= e.From || e.To > unbounded || e.FadeIn < 0 || e.FadeOut < 0 ||
		e.FadeIn+e.FadeOut > e.To-e.From {
		return notPossible("Tone needs a stretch of the scene, and fades within it.")
	}
	if !sane(e.GainDB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", e.GainDB)
	}
	if !d.replay {
		if err := checkTone(d.Scene, e.Tone); err != nil {
			return err
		}
	}
	if e.Fills != nil {
		if span, ok := d.HoleSpan(*e.Fills); !ok || span.Empty() {
			return notPossible("The hole that the patch is for is not there any more.")
		}
	}
	src, err := d.ToneSource(e.Tone, shortName(e.Name))
	if err != nil {
		return err
	}
	if e.In < 0 || e.In+e.To-e.From > src.Samples {
		return notPossible(
			"Tone is %d hours long; %s do not fit in behind its first %s.",
			toneHours,
			LengthWords(d.Scene, e.To-e.From),
			LengthWords(d.Scene, e.In),
		)
	}
	ti, err := toneTrackFor(d, e.Track, pcm.Span{From: e.From, To: e.To})
	if err != nil {
		return err
	}
	d.Sources = maps.Clone(d.Sources)
	d.Sources[src.ID] = src
	c := Clip{
		ID:      NewID(d.Scene, AClip),
		Source:  src.ID,
		Name:    shortName(e.Name),
		In:      e.In,
		Start:   e.From,
		Length:  e.To - e.From,
		GainDB:  e.GainDB,
		FadeIn:  toneFade(e.FadeIn),
		FadeOut: toneFade(e.FadeOut),
		Fills:   e.Fills,
	}
	return d.place(d.touch(ti), c)
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

// toneTrackFor is the index of the track that tone goes to.
func toneTrackFor(d *draft, id TrackID, span pcm.Span) (int, error) {
	if id != "" {
		list, err := d.named([]TrackID{id})
		if err != nil {
			return 0, err
		}
		return list[0], nil
	}
	if i := ToneTrack(d.Scene, span); i >= 0 {
		return i, nil
	}
	n := 0
	for _, t := range d.Tracks {
		if t.Purpose == ForTone {
			n++
		}
	}
	name := "Tone"
	if n > 0 {
		name = fmt.Sprintf("Tone %d", n+1)
	}
	at := 0 // below the dialogue that it goes with
	for i, t := range d.Tracks {
		if t.Purpose == ForDialogue || t.Purpose == ForTone || t.Purpose == ForPicture {
			at = i + 1
		}
	}
	if err := (&AddTrack{Name: name, Purpose: ForTone}).apply(d); err != nil {
		return 0, err
	}
	last := len(d.Tracks) - 1
	d.Tracks = slices.Insert(slices.Clone(d.Tracks[:last]), at, d.Tracks[last])
	return at, nil
}

// toneFade is a fade at constant power.
func toneFade(length int64) Fade {
	if length <= 0 {
		return Fade{}
	}
	return Fade{length, blend.Curve{Shape: blend.QuarterSine}}
}

func (e *LayTone) words(before, after *Scene) string {
	at := before.Timecode(e.From)
	if e.Fills != nil {
		return fmt.Sprintf("patch of %s laid at %s", LengthWords(before, e.To-e.From), at)
	}
	return fmt.Sprintf("bed of %s laid from %s on", LengthWords(before, e.To-e.From), at)
}

// fitPatches lets patches follow their holes. A patch goes with a hole that is gone, and stays where it is when the
// clips of its hole are; what an editor does to the patch itself stays as it is.
func (d *draft) fitPatches() {
	for ti := 0; ti < len(d.Tracks); ti++ {
		t := d.Tracks[ti]
		if t.Kind != Sound || t.Locked {
			continue
		}
		for ci := 0; ci < len(t.Clips); ci++ {
			c := t.Clips[ci]
			if c.Fills == nil {
				continue
			}
			now, ok := d.HoleSpan(*c.Fills)
			if ok && now.Empty() || !ok && c.Fills.Lull != "" {
				t = d.touch(ti)
				t.take(c.ID)
				ci--
				continue
			}
			t = d.touch(ti)
			if !ok {
				t.Clips[ci].Fills = nil
				continue
			}
			if _, was := d.base.Clip(c.ID); was != nil && was.Fills != nil {
				if hole, ok := d.base.HoleSpan(*was.Fills); ok && hole != now {
					d.follow(t, ci, *was, hole, now)
				}
			}
		}
	}
}

// follow lays a patch, which lay as was says when its hole was at before, so that it lies in the same way over its
// hole now. A tone that goes over from one colour to another does so within the hole.
func (d *draft) follow(t *Track, ci int, was Clip, before, now pcm.Span) {
	c := &t.Clips[ci]
	want := pcm.Span{From: was.Start + now.From - before.From, To: was.End() + now.To - before.To}
	if ci > 0 {
		want.From = max(want.From, t.Clips[ci-1].End())
	}
	if ci+1 < len(t.Clips) {
		want.To = min(want.To, t.Clips[ci+1].Start)
	}
	want.From = max(0, want.From)
	if want.Len() < 2 {
		c.Fills = nil // something else lies there
		return
	}
	moved := now.From - before.From // by how much the tone goes along; where one edge alone moved it stays
	if to := now.To - before.To; abs(to) < abs(moved) {
		moved = to
	}
	c.In = max(0, was.In+want.From-was.Start-moved)
	c.Start, c.Length = want.From, want.Len()
	c.FadeIn, c.FadeOut = was.FadeIn, was.FadeOut
	c.fitFades()
	src := d.Sources[c.Source]
	if src.Tone == nil || src.Tone.To <= src.Tone.From {
		return
	}
	tone := *src.Tone
	tone.From, tone.To = c.In+now.From-c.Start, c.In+now.To-c.Start
	if next, err := d.ToneSource(tone, src.Name); err == nil {
		was := c.Source
		d.Sources = maps.Clone(d.Sources)
		d.Sources[next.ID] = next
		c.Source = next.ID
		if !usedIn(d.Scene, was) {
			delete(d.Sources, was)
		}
	}
}

// usedIn tells whether any clip of a scene needs a source, those that lie aside and those that others were joined from
// among them.
func usedIn(s *Scene, source string) bool {
	if joinedOf(s, source) || slices.Contains(NeededAside(s), source) {
		return true
	}
	for _, t := range s.Tracks {
		if slices.Contains(t.Needs(), source) {
			return true
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			if c.hasTake(source) || slices.Contains(c.Sources(), source) {
				return true
			}
		}
	}
	return false
}

// Keep keeps of a clip only some stretches of the scene, with soft edges, and leaves gaps between them.
type Keep struct {
	Clip      ClipID     `json:"clip"`
	Stretches []pcm.Span `json:"stretches"`
	Fade      int64      `json:"fade"`
}

func (e *Keep) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != Sound || len(e.Stretches) == 0 {
		return notPossible("To keep the words of a clip, it must be sound and have some.")
	}
	whole, end := *c, c.Start
	var parts []Clip
	for i, s := range e.Stretches {
		if s.From < end || s.Empty() || s.To > whole.End() {
			return notPossible("The stretches to keep of %s must lie inside it, one after the other.", whole.Name)
		}
		end = s.To
		part := whole
		part.In, part.Start, part.Length = whole.In+s.From-whole.Start, s.From, s.Len()
		fade := toneFade(min(e.Fade, s.Len()/3))
		if s.From > whole.Start {
			part.FadeIn, part.AcceptedHead = fade, nil
		}
		if s.To < whole.End() {
			part.FadeOut, part.AcceptedTail = fade, nil
		}
		if part.fitFades(); i > 0 {
			part.ID = NewID(d.Scene, AClip)
			dividedDucks(d, whole.ID, part.ID)
		}
		parts = append(parts, part)
	}
	if _, tail := t.blendsOf(e.Clip); tail != nil && end == whole.End() {
		tail.Left = parts[len(parts)-1].ID
	}
	tailIsNow(d, whole.ID, parts[len(parts)-1].ID)
	i := slices.IndexFunc(t.Clips, func(o Clip) bool { return o.ID == e.Clip })
	t.Clips = slices.Replace(t.Clips, i, i+1, parts...)
	return nil
}

func (e *Keep) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf("%s cut down to its words, %s", c.Name, count(len(e.Stretches), "stretch"))
}

// tailIsNow says that a clip's tail belongs to another clip from now on: the holes behind it do, too.
func tailIsNow(d *draft, was, now ClipID) {
	for ti, t := range d.Tracks {
		for ci, c := range t.Clips {
			if h := c.Fills; h != nil && h.Lull == "" && h.Clip == was && was != now {
				d.touch(ti).Clips[ci].Fills = &Hole{Clip: now, Next: h.Next}
			}
		}
	}
}
