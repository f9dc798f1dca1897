package scene

import (
	"fmt"
	"slices"

	"blendseam/core/blend"
)

// Add places a stretch of a source on a track. With Picture, the source's picture for the same stretch
// goes to that track, linked; the stretch then lies on frames.
type Add struct {
	Track   string `json:"track"`
	Source  string `json:"source"`
	In      int64  `json:"in"`
	Start   int64  `json:"start"`
	Length  int64  `json:"length"`
	Name    string `json:"name,omitempty"`
	Picture string `json:"picture,omitempty"`
}

func (e *Add) apply(d *draft) error {
	src, ok := d.Sources[e.Source]
	if !ok {
		return notPossible("The scene has no source %q; bring it in first.", e.Source)
	}
	in, start, end := e.In, e.Start, e.Start+e.Length
	if e.Length <= 0 || e.In < 0 || max(e.In, e.Start, e.Length) > unbounded {
		return notPossible("A clip needs a length above 0 and an in point at or after the start of %s.", src.Name)
	}
	tracks := []string{e.Track}
	link := ""
	if e.Picture != "" {
		tracks = append(tracks, e.Picture)
		link = d.newID("l")
	}
	snap := e.Picture != "" || d.Track(e.Track) != nil && d.Track(e.Track).Kind == Picture
	if snap {
		frame := func(at int64) int64 { return d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate), d.SampleRate) }
		in, start, end = frame(in), frame(start), frame(end)
	}
	for _, id := range tracks {
		i := d.trackIndex(id)
		if i < 0 {
			return notPossible("There is no track %q in this scene.", id)
		}
		t := d.Tracks[i]
		if err := d.unlocked(t); err != nil {
			return err
		}
		c := Clip{ID: d.newID("c"), Source: e.Source, Name: e.Name, In: d.Unit(t, in), Start: d.Unit(t, start), Link: link}
		c.Length = d.Unit(t, end) - c.Start
		if c.Name == "" {
			c.Name = src.Name
		}
		if c.Length <= 0 {
			return notPossible("The stretch of %s is shorter than a frame.", src.Name)
		}
		if t.Kind == Picture && src.Frames == 0 || t.Kind == Sound && src.Samples == 0 && !src.Unknown {
			return notPossible("%s has no %s for track %s.", src.Name, t.Kind, t.Name)
		}
		if _, tail := d.Handles(t, c); tail < 0 {
			r := d.needHandle(t, c, "tail", max(0, d.SourceLength(t, c)-c.In), c.Length)
			if left := d.SourceLength(t, c) - c.In; left > 0 {
				shorter := *e
				shorter.Length = d.Time(t, left)
				d.suggest(&r.options, "take the "+d.lengthWords(shorter.Length)+" that there are", &shorter)
			}
			return r
		}
		if err := d.place(d.touch(i), c); err != nil {
			return err
		}
	}
	return nil
}

func (e *Add) words(before, after *Scene) string {
	name := e.Name
	if name == "" {
		name = after.Sources[e.Source].Name
	}
	return fmt.Sprintf("%s added at %s", name, after.Timecode(e.Start))
}

// Move puts a clip, and all linked with it, at another moment; the clip alone can change to another track.
type Move struct {
	Clip  string `json:"clip"`
	To    int64  `json:"to"`
	Track string `json:"track,omitempty"`
}

func (e *Move) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if e.To > unbounded || e.To < -unbounded {
		return notPossible("Sample %d is outside anything there is.", e.To)
	}
	group := d.Linked(e.Clip)
	by := d.onFrame(d.Time(t, c.Start), group)
	by = d.onFrame(by+e.To-d.Time(t, c.Start), group) - by
	type landing struct {
		track int
		clip  Clip
	}
	var moved []landing
	for _, id := range group {
		ti, ci, _ := d.Find(id)
		if err := d.unlocked(d.Tracks[ti]); err != nil {
			return err
		}
		clip := d.Tracks[ti].Clips[ci]
		clip.Start = d.Unit(d.Tracks[ti], d.Time(d.Tracks[ti], clip.Start)+by)
		to := ti
		if id == e.Clip && e.Track != "" {
			if to, err = d.otherTrack(e.Track, d.Tracks[ti]); err != nil {
				return err
			}
		}
		d.touch(ti).take(id)
		moved = append(moved, landing{to, clip})
	}
	for _, m := range moved {
		track := d.touch(m.track)
		if err := d.place(track, m.clip); err != nil {
			if way, ok := err.(*InTheWay); ok {
				e.nearest(d, way, track, m.clip)
			}
			return err
		}
	}
	return nil
}

func (d *draft) otherTrack(id string, from *Track) (int, error) {
	i := d.trackIndex(id)
	if i < 0 {
		return 0, notPossible("There is no track %q in this scene.", id)
	}
	if d.Tracks[i].Kind != from.Kind {
		return 0, notPossible("A clip of %s cannot go to track %s, which holds %s.", from.Kind, d.Tracks[i].Name, d.Tracks[i].Kind)
	}
	return i, d.unlocked(d.Tracks[i])
}

// nearest offers the places before and after the clip that is in the way.
func (e *Move) nearest(d *draft, way *InTheWay, t *Track, c Clip) {
	_, other := d.Clip(way.Other)
	shift := e.To - d.Time(t, c.Start)
	for _, place := range []struct {
		words string
		at    int64
	}{{"right after " + other.Name, other.End()}, {"right before " + other.Name, other.Start - c.Length}} {
		d.suggest(&way.options, place.words, &Move{e.Clip, d.Time(t, place.at) + shift, e.Track})
	}
}

func (e *Move) words(before, after *Scene) string {
	t, c := before.Clip(e.Clip)
	nt, now := after.Clip(e.Clip)
	words := c.Name + " moved"
	if by := after.Time(nt, now.Start) - before.Time(t, c.Start); by != 0 {
		words += " " + before.movedWords(by)
	}
	if nt.ID != t.ID {
		words += " to track " + nt.Name
	}
	return words
}

// Divide cuts clips in two at a moment; clips linked with them that lie over it are cut along.
type Divide struct {
	Clips []string `json:"clips"`
	At    int64    `json:"at"`
}

func (e *Divide) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip lies under the playhead; move it over a clip, or select one.")
	}
	ids := slices.Clone(e.Clips)
	for _, id := range e.Clips {
		for _, other := range d.Linked(id) {
			if t, c := d.Clip(other); t != nil && !slices.Contains(ids, other) && d.ClipTime(t, *c).Contains(e.At) {
				ids = append(ids, other)
			}
		}
	}
	for _, id := range ids {
		if t, _ := d.Clip(id); t == nil {
			return notPossible("There is no clip %q in this scene; it may have been removed.", id)
		}
	}
	at := d.onFrame(e.At, ids)
	links := map[string]string{}
	for _, id := range ids {
		if err := e.divideOne(d, id, at, links); err != nil {
			return err
		}
	}
	return nil
}

func (e *Divide) divideOne(d *draft, id string, at int64, links map[string]string) error {
	t, c, err := d.open(id)
	if err != nil {
		return err
	}
	cut := d.Unit(t, at)
	if cut <= c.Start || cut >= c.End() {
		return notPossible("%s does not lie over %s; it runs from %s to %s.", c.Name, d.Timecode(at), d.Timecode(d.Time(t, c.Start)), d.Timecode(d.Time(t, c.End())))
	}
	head, tail := t.blendsOf(id)
	if head != nil && cut < c.Start+head.After || tail != nil && cut > c.End()-tail.Before {
		r := notPossible("%s lies inside a blend of %s.", d.Timecode(at), c.Name)
		if head != nil && cut < c.Start+head.After {
			d.suggest(&r.options, "divide where the blend ends", &Divide{e.Clips, d.Time(t, c.Start+head.After)})
		} else {
			d.suggest(&r.options, "divide where the blend begins", &Divide{e.Clips, d.Time(t, c.End()-tail.Before)})
		}
		return r
	}
	right := *c
	right.ID = d.newID("c")
	right.In, right.Start, right.Length = c.In+cut-c.Start, cut, c.End()-cut
	right.FadeIn = Fade{}
	if c.Link != "" {
		if links[c.Link] == "" {
			links[c.Link] = d.newID("l")
		}
		right.Link = links[c.Link]
	}
	c.Length = cut - c.Start
	c.FadeOut = Fade{}
	c.fitFades()
	right.fitFades()
	if tail != nil {
		tail.Left = right.ID
	}
	i := slices.IndexFunc(t.Clips, func(o Clip) bool { return o.ID == id })
	t.Clips = slices.Insert(t.Clips, i+1, right)
	return nil
}

func (e *Divide) words(before, after *Scene) string {
	_, c := before.Clip(e.Clips[0])
	return fmt.Sprintf("%s divided at %s", c.Name, before.Timecode(e.At))
}

// Remove takes clips, and those linked with them unless Alone, off their tracks and leaves a gap or, with
// Close, moves all that follows up by the stretch from the first one's head to the last one's tail.
type Remove struct {
	Clips []string `json:"clips"`
	Close bool     `json:"close,omitempty"`
	Alone bool     `json:"alone,omitempty"`
}

func (e *Remove) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip is selected; select one to remove it.")
	}
	from, to := unbounded, int64(0)
	for _, id := range e.Clips {
		group := []string{id}
		if !e.Alone {
			group = d.Linked(id)
		}
		for _, one := range group {
			ti, ci, ok := d.Find(one)
			if !ok && slices.Contains(e.Clips, one) && one == id {
				if _, was := d.base.Clip(id); was != nil {
					continue // went along with one it is linked to
				}
				return notPossible("There is no clip %q in this scene; it may have been removed.", one)
			}
			if !ok {
				continue
			}
			t := d.Tracks[ti]
			if err := d.unlocked(t); err != nil {
				return err
			}
			span := d.ClipTime(t, t.Clips[ci])
			from, to = min(from, span.From), max(to, span.To)
			d.touch(ti).take(one)
		}
	}
	if !e.Close {
		return nil
	}
	err := d.ripple(to, from-to, nil)
	if way, ok := err.(*InTheWay); ok {
		d.suggest(&way.options, "leave a gap", &Remove{e.Clips, false, e.Alone})
	}
	return err
}

func (e *Remove) words(before, after *Scene) string {
	_, c := before.Clip(e.Clips[0])
	what := c.Name
	if len(e.Clips) > 1 {
		what = count(len(e.Clips), "clip")
	}
	if e.Close {
		return what + " removed, closed up"
	}
	return what + " removed, a gap left"
}

// Gain sets the gain of clips in dB.
type Gain struct {
	Clips []string `json:"clips"`
	DB    float64  `json:"db"`
}

func (e *Gain) apply(d *draft) error {
	if !sane(e.DB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", e.DB)
	}
	for _, id := range e.Clips {
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		if t.Kind != Sound {
			return notPossible("%s is picture and has no level.", c.Name)
		}
		c.GainDB = e.DB
	}
	return nil
}

func (e *Gain) words(before, after *Scene) string {
	if len(e.Clips) != 1 {
		return fmt.Sprintf("%s at %+.1f dB", count(len(e.Clips), "clip"), e.DB)
	}
	_, c := before.Clip(e.Clips[0])
	return fmt.Sprintf("%s at %+.1f dB", c.Name, e.DB)
}

// FadeEdge sets the fade at a clip's head or tail; a length of 0 takes it off.
type FadeEdge struct {
	Clip   string      `json:"clip"`
	Edge   string      `json:"edge"`
	Length int64       `json:"length"`
	Curve  blend.Curve `json:"curve"`
}

func (e *FadeEdge) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != Sound || e.Edge != "head" && e.Edge != "tail" || e.Length < 0 {
		return notPossible(`A fade needs a clip of sound, the edge "head" or "tail", and a length of 0 or more.`)
	}
	if e.Curve.Shape == "" {
		e.Curve.Shape = blend.Straight
	}
	if err := e.Curve.Check(); err != nil {
		return notPossible("%s.", err)
	}
	head, tail := t.blendsOf(e.Clip)
	on, other := head, c.FadeOut.Length
	if e.Edge == "tail" {
		on, other = tail, c.FadeIn.Length
	}
	if on != nil && e.Length > 0 {
		r := notPossible("The %s of %s is blended with its neighbour.", e.Edge, c.Name)
		d.suggest(&r.options, "take the blend off and fade", InOrder("", &RemoveBlend{on.Left, on.Right}, e))
		return r
	}
	if room := c.Length - other; e.Length > room {
		r := notPossible("%s has room for a fade of %s at its %s, not of %s.", c.Name, d.lengthWords(room), e.Edge, d.lengthWords(e.Length))
		if room > 0 {
			d.suggest(&r.options, "fade over "+d.lengthWords(room), &FadeEdge{e.Clip, e.Edge, room, e.Curve})
		}
		return r
	}
	fade := Fade{}
	if e.Length > 0 {
		fade = Fade{e.Length, e.Curve}
	}
	if e.Edge == "head" {
		c.FadeIn = fade
	} else {
		c.FadeOut = fade
	}
	return nil
}

func (e *FadeEdge) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	if e.Length == 0 {
		return fmt.Sprintf("fade taken off the %s of %s", e.Edge, c.Name)
	}
	return fmt.Sprintf("%s of %s faded over %s", e.Edge, c.Name, before.lengthWords(e.Length))
}

// SetClip changes what is said of a clip; what is nil stays.
type SetClip struct {
	Clip  string  `json:"clip"`
	Name  *string `json:"name,omitempty"`
	Muted *bool   `json:"muted,omitempty"`
	Note  *string `json:"note,omitempty"`
}

func (e *SetClip) apply(d *draft) error {
	_, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	set(&c.Name, e.Name)
	set(&c.Muted, e.Muted)
	set(&c.Note, e.Note)
	return nil
}

func (e *SetClip) words(before, after *Scene) string {
	_, c := after.Clip(e.Clip)
	if e.Muted != nil && *e.Muted {
		return c.Name + " muted"
	}
	return c.Name + " changed"
}

// Link makes clips move together from where they lie.
type Link struct {
	Clips []string `json:"clips"`
}

func (e *Link) apply(d *draft) error {
	if len(e.Clips) < 2 {
		return notPossible("Linking needs two clips or more; select them together.")
	}
	link := d.newID("l")
	for _, id := range e.Clips {
		_, c, err := d.open(id)
		if err != nil {
			return err
		}
		c.Link = link
	}
	return nil
}

func (e *Link) words(before, after *Scene) string { return count(len(e.Clips), "clip") + " linked" }

// Unlink frees clips from those they are linked with.
type Unlink struct {
	Clips []string `json:"clips"`
}

func (e *Unlink) apply(d *draft) error {
	freed := map[string]bool{} // the last of a link goes free with the one before it
	for _, id := range e.Clips {
		_, c, err := d.open(id)
		if err != nil {
			return err
		}
		link := c.Link
		if freed[id] {
			continue
		}
		if link == "" {
			return notPossible("%s is not linked to another clip.", c.Name)
		}
		c.Link = ""
		if rest := d.linkedBy(link); len(rest) == 1 {
			if _, last, err := d.open(rest[0]); err == nil {
				last.Link = ""
				freed[rest[0]] = true
			}
		}
	}
	return nil
}

func (s *Scene) linkedBy(link string) (ids []string) {
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Link == link {
				ids = append(ids, c.ID)
			}
		}
	}
	return ids
}

func (e *Unlink) words(before, after *Scene) string { return count(len(e.Clips), "clip") + " unlinked" }
