package edit

import (
	"fmt"
	"maps"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/blend"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// joinedOf tells whether a recording was joined from a source.
func joinedOf(s *scene.Scene, source string) bool {
	for _, src := range s.Sources {
		if slices.Contains(scene.PartsOf(s, src), source) {
			return true
		}
	}
	return false
}

// LayTone lays tone over a stretch of the scene: a patch for a hole, or a bed. Its fades are at constant power and
// lie inside the stretch. Without a track it goes to the first tone track with room there, to a new one if there is
// none.
type LayTone struct {
	Tone    recipe.Tone   `json:"tone"`
	Name    string        `json:"name"`
	Track   scene.TrackID `json:"track,omitempty"`
	From    int64         `json:"from"`
	To      int64         `json:"to"`
	In      int64         `json:"in"` // moment of the tone at From
	GainDB  float64       `json:"gain_db,omitempty"`
	FadeIn  int64         `json:"fade_in,omitempty"`
	FadeOut int64         `json:"fade_out,omitempty"`
	Fills   *scene.Hole   `json:"fills,omitempty"`
}

func (e *LayTone) apply(d *draft) error {
	if e.From < 0 || e.To <= e.From || e.To > scene.Unbounded || e.FadeIn < 0 || e.FadeOut < 0 ||
		e.FadeIn+e.FadeOut > e.To-e.From {
		return notPossible("Tone needs a stretch of the scene, and fades within it.")
	}
	if !scene.SaneDB(e.GainDB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", e.GainDB)
	}
	if !d.replay {
		if err := scene.CheckTone(d.Scene, e.Tone); err != nil {
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
			scene.ToneHours,
			scene.LengthWords(d.Scene, e.To-e.From),
			scene.LengthWords(d.Scene, e.In),
		)
	}
	ti, err := toneTrackFor(d, e.Track, pcm.Span{From: e.From, To: e.To})
	if err != nil {
		return err
	}
	d.Sources = maps.Clone(d.Sources)
	d.Sources[src.ID] = src
	c := scene.Clip{
		ID:      scene.NewID(d.Scene, scene.AClip),
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

// toneTrackFor is the index of the track that tone goes to.
func toneTrackFor(d *draft, id scene.TrackID, span pcm.Span) (int, error) {
	if id != "" {
		list, err := d.named([]scene.TrackID{id})
		if err != nil {
			return 0, err
		}
		return list[0], nil
	}
	if i := scene.ToneTrack(d.Scene, span); i >= 0 {
		return i, nil
	}
	n := 0
	for _, t := range d.Tracks {
		if t.Purpose == scene.ForTone {
			n++
		}
	}
	name := "Tone"
	if n > 0 {
		name = fmt.Sprintf("Tone %d", n+1)
	}
	at := 0 // below the dialogue that it goes with
	for i, t := range d.Tracks {
		if t.Purpose == scene.ForDialogue || t.Purpose == scene.ForTone || t.Purpose == scene.ForPicture {
			at = i + 1
		}
	}
	if err := (&AddTrack{Name: name, Purpose: scene.ForTone}).apply(d); err != nil {
		return 0, err
	}
	last := len(d.Tracks) - 1
	d.Tracks = slices.Insert(slices.Clone(d.Tracks[:last]), at, d.Tracks[last])
	return at, nil
}

// toneFade is a fade at constant power.
func toneFade(length int64) scene.Fade {
	if length <= 0 {
		return scene.Fade{}
	}
	return scene.Fade{Length: length, Curve: blend.Curve{Shape: blend.QuarterSine}}
}

func (e *LayTone) words(before, after *scene.Scene) string {
	at := before.Timecode(e.From)
	if e.Fills != nil {
		return fmt.Sprintf("patch of %s laid at %s", scene.LengthWords(before, e.To-e.From), at)
	}
	return fmt.Sprintf("bed of %s laid from %s on", scene.LengthWords(before, e.To-e.From), at)
}

// fitPatches lets patches follow their holes. A patch goes with a hole that is gone, and stays where it is when the
// clips of its hole are; what an editor does to the patch itself stays as it is.
func (d *draft) fitPatches() {
	for ti := 0; ti < len(d.Tracks); ti++ {
		t := d.Tracks[ti]
		if t.Kind != scene.Sound || t.Locked {
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
				t.Remove(c.ID)
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
func (d *draft) follow(t *scene.Track, ci int, was scene.Clip, before, now pcm.Span) {
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
	c.FitFades()
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
func usedIn(s *scene.Scene, source string) bool {
	if joinedOf(s, source) || slices.Contains(scene.NeededAside(s), source) {
		return true
	}
	for _, t := range s.Tracks {
		if slices.Contains(t.Needs(), source) {
			return true
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			if c.HasTake(source) || slices.Contains(c.Sources(), source) {
				return true
			}
		}
	}
	return false
}

// Keep keeps of a clip only some stretches of the scene, with soft edges, and leaves gaps between them.
type Keep struct {
	Clip      scene.ClipID `json:"clip"`
	Stretches []pcm.Span   `json:"stretches"`
	Fade      int64        `json:"fade"`
}

func (e *Keep) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound || len(e.Stretches) == 0 {
		return notPossible("To keep the words of a clip, it must be sound and have some.")
	}
	whole, end := *c, c.Start
	var parts []scene.Clip
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
		if part.FitFades(); i > 0 {
			part.ID = scene.NewID(d.Scene, scene.AClip)
			dividedDucks(d, whole.ID, part.ID)
		}
		parts = append(parts, part)
	}
	if _, tail := t.BlendsOf(e.Clip); tail != nil && end == whole.End() {
		tail.Left = parts[len(parts)-1].ID
	}
	tailIsNow(d, whole.ID, parts[len(parts)-1].ID)
	i := slices.IndexFunc(t.Clips, func(o scene.Clip) bool { return o.ID == e.Clip })
	t.Clips = slices.Replace(t.Clips, i, i+1, parts...)
	return nil
}

func (e *Keep) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf("%s cut down to its words, %s", c.Name, phrase.Count(len(e.Stretches), "stretch"))
}

// tailIsNow says that a clip's tail belongs to another clip from now on: the holes behind it do, too.
func tailIsNow(d *draft, was, now scene.ClipID) {
	for ti, t := range d.Tracks {
		for ci, c := range t.Clips {
			if h := c.Fills; h != nil && h.Lull == "" && h.Clip == was && was != now {
				d.touch(ti).Clips[ci].Fills = &scene.Hole{Clip: now, Next: h.Next}
			}
		}
	}
}
