package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

func checkHow(how string) error {
	if how != scene.Free && how != scene.Over && how != scene.Insert {
		return notPossible(`%q is not a way to place a clip; "over" and "insert" are, or none for a gap.`, how)
	}
	return nil
}

// Add places a stretch of a source on a track. With Picture, the source's picture for the same stretch goes to that
// track, linked; the stretch then lies on frames.
type Add struct {
	Track   scene.TrackID `json:"track"`
	Source  string        `json:"source"`
	In      int64         `json:"in"`
	Start   int64         `json:"start"`
	Length  int64         `json:"length"`
	Name    string        `json:"name,omitempty"`
	Picture scene.TrackID `json:"picture,omitempty"`
	How     string        `json:"how,omitempty"`
}

func (e *Add) apply(d *draft) error {
	src, ok := d.Sources[e.Source]
	if !ok {
		return notPossible("The scene has no source %q; bring it in first.", e.Source)
	}
	if e.Length <= 0 || e.In < 0 || e.Start < 0 || max(e.In, e.Start, e.Length) > scene.Unbounded {
		return notPossible(
			"A clip needs a length above 0, a place in the scene and an in point at or after the start of %s.",
			src.Name,
		)
	}
	if err := checkHow(e.How); err != nil {
		return err
	}
	tracks, err := e.tracks(d)
	if err != nil {
		return err
	}
	in, start, end := e.In, e.Start, e.Start+e.Length
	if slices.ContainsFunc(tracks, func(ti int) bool { return d.Tracks[ti].Kind == scene.Picture }) {
		frame := func(at int64) int64 { return d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate), d.SampleRate) }
		in, start, end = frame(in), frame(start), frame(end)
	}
	clips := make([]scene.Clip, len(tracks))
	var link scene.LinkID
	if len(tracks) > 1 {
		link = d.newLink()
	}
	for k, ti := range tracks {
		if clips[k], err = e.clip(d, d.Tracks[ti], in, start, end, link); err != nil {
			return err
		}
	}
	switch e.How {
	case scene.Over:
		if err := d.clear(tracks, start, end); err != nil {
			return err
		}
	case scene.Insert:
		x, err := openUp(
			d,
			tracks,
			start,
			step{end - start, d.Rate.Nearest(end, d.SampleRate) - d.Rate.Nearest(start, d.SampleRate)},
		)
		if err != nil {
			return err
		}
		for k, ti := range tracks {
			if t := d.Tracks[ti]; t.Kind == scene.Sound && scene.SourceLength(d.Scene, t, clips[k]) >= clips[k].In+x.samples {
				clips[k].Length = x.samples // fills what was opened to the sample
			}
		}
	}
	for k, ti := range tracks {
		if err := d.place(d.touch(ti), clips[k]); err != nil {
			if r, ok := err.(*InTheWay); ok {
				for _, how := range []struct{ how, words string }{{scene.Over, "lay it over what is there"},
					{scene.Insert, "insert it and push what follows"}} {
					other := *e
					other.How = how.how
					d.suggest(&r.options, how.words, &other)
				}
			}
			return err
		}
	}
	return nil
}

// tracks gives the indices of the tracks that get a clip.
func (e *Add) tracks(d *draft) ([]int, error) {
	ids := []scene.TrackID{e.Track}
	if e.Picture != "" {
		ids = append(ids, e.Picture)
	}
	return d.named(ids)
}

func (e *Add) clip(d *draft, t *scene.Track, in, start, end int64, link scene.LinkID) (scene.Clip, error) {
	src := d.Sources[e.Source]
	c := scene.Clip{
		ID:     scene.NewID(d.Scene, scene.AClip),
		Source: e.Source,
		Name:   shortName(e.Name),
		In:     d.Unit(t, in),
		Start:  d.Unit(t, start),
		Link:   link,
	}
	c.Length = d.Unit(t, end) - c.Start
	if c.Name == "" {
		c.Name = src.Name
	}
	if c.Length <= 0 {
		return c, notPossible("The stretch of %s is shorter than a frame.", src.Name)
	}
	if t.Kind == scene.Picture && src.Frames == 0 || t.Kind == scene.Sound && src.Samples == 0 && !src.Unknown {
		return c, notPossible("%s has no %s for track %s.", src.Name, t.Kind, t.Name)
	}
	if _, tail := d.Handles(t, c); tail < 0 {
		left := scene.SourceLength(d.Scene, t, c) - c.In
		r := needHandle(d.Scene, t, c, scene.Tail, max(0, left), c.Length)
		r.Words = fmt.Sprintf(
			"%s has %s from its in point to its tail, and %s.",
			c.Name,
			scene.LengthWords(d.Scene, r.Have),
			scene.NeededWords(scene.LengthWords(d.Scene, r.Want)),
		)
		if left > 0 {
			shorter := *e
			shorter.Length = d.Time(t, left)
			d.suggest(&r.options, "take the "+scene.LengthWords(d.Scene, shorter.Length)+" that there are", &shorter)
		}
		return c, r
	}
	c.Room = roomFor(d.Scene, t, c)
	return c, nil
}

func (e *Add) words(before, after *scene.Scene) string {
	name := e.Name
	if name == "" {
		name = after.Sources[e.Source].Name
	}
	at := after.Timecode(e.Start)
	switch e.How {
	case scene.Over:
		return fmt.Sprintf("%s laid over what was at %s", name, at)
	case scene.Insert:
		return fmt.Sprintf("%s inserted at %s, what follows pushed%s", name, at, stayWords(before, e.Start, e.Start, after))
	}
	return fmt.Sprintf("%s added at %s", name, at)
}

// Fill places a source so that it fills a range of the scene exactly: from its in point on, up to its out point, or
// with a chosen moment of the source at a chosen moment of the range. What lies there is taken out.
type Fill struct {
	Track   scene.TrackID `json:"track"`
	Picture scene.TrackID `json:"picture,omitempty"`
	Source  string        `json:"source"`
	From    int64         `json:"from"`
	To      int64         `json:"to"`
	Fit     string        `json:"fit"`    // "start", "end" or "moment"
	Moment  int64         `json:"moment"` // of the source: its in point, its out point, or the chosen one
	At      int64         `json:"at,omitempty"`
	Name    string        `json:"name,omitempty"`
}

func (e *Fill) apply(d *draft) error {
	src, ok := d.Sources[e.Source]
	if !ok {
		return notPossible("The scene has no source %q; bring it in first.", e.Source)
	}
	if e.From < 0 || e.To <= e.From || e.To > scene.Unbounded {
		return notPossible("Filling needs a range of the scene; drag over the ruler to make one.")
	}
	var in int64
	switch e.Fit {
	case "start":
		in = e.Moment
	case "end":
		in = e.Moment - (e.To - e.From)
	case "moment":
		in = e.Moment - (e.At - e.From)
	default:
		return notPossible(`A range is filled from the "start", the "end" or a "moment" of the source, not from %q.`, e.Fit)
	}
	length, whole := e.To-e.From, sourceSamples(d.Scene, src)
	if in < 0 || in+length > whole {
		side, have, want := scene.Head, max(0, e.Moment), e.Moment-in
		if in >= 0 {
			side, have, want = scene.Tail, max(0, whole-e.Moment), in+length-e.Moment
		}
		r := &NeedHandle{ShortHandle: scene.ShortHandle{Name: src.Name, Side: side, Have: have, Want: want}}
		where := "after"
		if side == scene.Head {
			where = "before"
		}
		r.Words = fmt.Sprintf(
			"%s has %s %s the chosen moment, and %s to fill the range at its %s.",
			src.Name,
			scene.LengthWords(d.Scene, have),
			where,
			scene.NeededWords(scene.LengthWords(d.Scene, want)),
			side,
		)
		for _, fit := range []struct {
			name, words string
			moment      int64
		}{{"start", "fill from the start of the recording", 0}, {"end", "fill up to the end of the recording", whole}} {
			other := *e
			other.Fit, other.Moment = fit.name, fit.moment
			d.suggest(&r.options, fit.words, &other)
		}
		return r
	}
	return (&Add{Track: e.Track, Picture: e.Picture, Source: e.Source, In: in, Start: e.From, Length: length,
		Name: e.Name, How: scene.Over}).apply(
		d,
	)
}

func (e *Fill) words(before, after *scene.Scene) string {
	name := e.Name
	if name == "" {
		name = after.Sources[e.Source].Name
	}
	return fmt.Sprintf("%s from %s filled with %s", scene.LengthWords(before, e.To-e.From), before.Timecode(e.From), name)
}

// Move puts a clip, and all linked with it, at another moment; the clip alone can change to another track. Clips
// named in Also move along by as much.
type Move struct {
	Clip  scene.ClipID   `json:"clip"`
	To    int64          `json:"to"`
	Track scene.TrackID  `json:"track,omitempty"`
	Also  []scene.ClipID `json:"also,omitempty"`
}

func (e *Move) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if e.To > scene.Unbounded || e.To < -scene.Unbounded {
		return notPossible("Sample %d is outside anything there is.", e.To)
	}
	in := map[scene.ClipID]bool{}
	var group []scene.ClipID
	for _, id := range append([]scene.ClipID{e.Clip}, e.Also...) {
		if _, _, ok := d.Find(id); !ok {
			return notPossible("There is no clip %q in this scene; it may have been removed.", id)
		}
		for _, one := range d.Linked(id) {
			if !in[one] {
				in[one] = true
				group = append(group, one)
			}
		}
	}
	old := d.Time(t, c.Start)
	x := stepTo(d.Scene, old, e.To, group)
	type landing struct {
		track int
		clip  scene.Clip
	}
	pictures := map[scene.LinkID]int64{} // by link, where its picture starts
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			if t.Kind == scene.Picture && c.Link != "" && in[c.ID] {
				pictures[c.Link] = c.Start
			}
		}
	}
	var moved []landing
	for _, id := range group {
		ti, ci, _ := d.Find(id)
		if err := d.unlocked(d.Tracks[ti]); err != nil {
			return err
		}
		clip := d.Tracks[ti].Clips[ci]
		if p, ok := pictures[clip.Link]; ok && d.Tracks[ti].Kind == scene.Sound {
			clip.Start += scene.FramesAt(d.Scene, p, x.frames)
		} else {
			clip.Start += x.on(d.Tracks[ti])
		}
		to := ti
		if id == e.Clip && e.Track != "" {
			if to, err = otherTrack(d, e.Track, d.Tracks[ti]); err != nil {
				return err
			}
			movedDucks(d, id, d.Tracks[to].ID)
		}
		d.touch(ti).Remove(id)
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

func otherTrack(d *draft, id scene.TrackID, from *scene.Track) (int, error) {
	i := scene.TrackIndex(d.Scene, id)
	if i < 0 {
		return 0, notPossible("There is no track %q in this scene.", id)
	}
	if d.Tracks[i].Kind != from.Kind {
		return 0, notPossible(
			"A clip of %s cannot go to track %s, which holds %s.",
			from.Kind,
			d.Tracks[i].Name,
			d.Tracks[i].Kind,
		)
	}
	return i, d.unlocked(d.Tracks[i])
}

// nearest offers the places before and after the clip that is in the way.
func (e *Move) nearest(d *draft, way *InTheWay, t *scene.Track, c scene.Clip) {
	_, other := d.Clip(way.Other)
	shift := e.To - d.Time(t, c.Start)
	for _, place := range []struct {
		words string
		at    int64
	}{{"right after " + other.Name, other.End()}, {"right before " + other.Name, other.Start - c.Length}} {
		d.suggest(&way.options, place.words, &Move{e.Clip, d.Time(t, place.at) + shift, e.Track, e.Also})
	}
}

func (e *Move) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clip)
	nt, now := after.Clip(e.Clip)
	words := c.Name + " moved"
	if len(e.Also) > 0 {
		words = phrase.Count(len(e.Also)+1, "clip") + " moved"
	}
	if by := after.Time(nt, now.Start) - before.Time(t, c.Start); by != 0 {
		words += " " + scene.MovedWords(before, by)
	}
	if nt.ID != t.ID {
		words += " to track " + nt.Name
	}
	return words
}

// Duplicate puts a copy of clips, with those linked with them, right behind them and pushes what follows.
type Duplicate struct {
	Clips []scene.ClipID `json:"clips"`
}

func (e *Duplicate) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip is selected; select one to duplicate it.")
	}
	in := map[scene.ClipID]bool{}
	for _, id := range e.Clips {
		if _, _, ok := d.Find(id); !ok {
			return notPossible("There is no clip %q in this scene; it may have been removed.", id)
		}
		for _, one := range d.Linked(id) {
			in[one] = true
		}
	}
	piece := pieceOf(d.Scene, in)
	return piece.insert(d, piece.from+piece.Length, scene.Insert)
}

func (e *Duplicate) words(before, after *scene.Scene) string {
	if len(e.Clips) > 1 {
		return phrase.Count(len(e.Clips), "clip") + " duplicated"
	}
	_, c := before.Clip(e.Clips[0])
	return c.Name + " duplicated"
}
