package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
)

// putLull sets a lull among those of a clip, in order of time; a Refusal if it has no room.
func putLull(d *draft, c *scene.Clip, l scene.Lull) error {
	list := slices.DeleteFunc(slices.Clone(c.Lulls), func(o scene.Lull) bool { return o.ID == l.ID })
	if l.To-l.From < 2 {
		return notPossible(
			"A lull needs a length; it would run from %s to %s.",
			d.Timecode(l.From+c.Shift()),
			d.Timecode(l.To+c.Shift()),
		)
	}
	if l.FadeIn < 0 || l.FadeOut < 0 || l.FadeIn+l.FadeOut > l.To-l.From {
		return notPossible(
			"Fades of %s and %s have no room in a lull of %s.",
			scene.LengthWords(d.Scene, l.FadeIn),
			scene.LengthWords(d.Scene, l.FadeOut),
			scene.LengthWords(d.Scene, l.To-l.From),
		)
	}
	if !scene.SaneDB(l.DepthDB) || l.DepthDB < 0 || l.DepthDB > 120 {
		return notPossible("A lull turns down by up to 120 dB, or to silence; %g dB is neither.", l.DepthDB)
	}
	for _, o := range list {
		if o.Span().Overlaps(l.Span()) {
			r := notPossible(
				"%s has a lull there already, from %s to %s.",
				c.Name,
				d.Timecode(o.From+c.Shift()),
				d.Timecode(o.To+c.Shift()),
			)
			from, to := min(o.From, l.From)+c.Shift(), max(o.To, l.To)+c.Shift()
			if c.Lull(l.ID) == nil {
				d.suggest(&r.options, "draw that one over both", &SetLull{Clip: c.ID, Lull: o.ID, From: &from, To: &to})
			}
			return r
		}
	}
	c.Lulls = append(list, l)
	slices.SortFunc(c.Lulls, func(a, b scene.Lull) int { return int(a.From - b.From) })
	return nil
}

// lulledBy opens a clip of sound for an edit of its lulls.
func lulledBy(d *draft, id scene.ClipID) (*scene.Clip, error) {
	t, c, err := d.open(id)
	if err == nil && t.Kind != scene.Sound {
		err = notPossible("%s is picture; a lull is a stretch of sound.", c.Name)
	}
	return c, err
}

// AddLull turns a stretch of a clip down, from one moment of the scene to another. Fades not given are a frame long,
// or a third of the lull where that is shorter. An id may be given, for a patch that is laid in the same edit.
type AddLull struct {
	Clip    scene.ClipID `json:"clip"`
	Lull    scene.LullID `json:"lull,omitempty"`
	From    int64        `json:"from"`
	To      int64        `json:"to"`
	DepthDB float64      `json:"depth_db,omitempty"`
	FadeIn  *int64       `json:"fade_in,omitempty"`
	FadeOut *int64       `json:"fade_out,omitempty"`
}

func (e *AddLull) apply(d *draft) error {
	c, err := lulledBy(d, e.Clip)
	if err != nil {
		return err
	}
	span := pcm.Span{From: e.From, To: e.To}.Intersect(c.Span())
	if span.Empty() {
		return notPossible("%s does not sound from %s to %s.", c.Name, d.Timecode(e.From), d.Timecode(e.To))
	}
	fade := min(d.Rate.SampleOf(1, d.SampleRate), span.Len()/3)
	id := e.Lull
	if id == "" || c.Lull(id) != nil {
		id = scene.NewID(d.Scene, scene.ALull)
	}
	l := scene.Lull{
		ID:      id,
		From:    span.From - c.Shift(),
		To:      span.To - c.Shift(),
		DepthDB: e.DepthDB,
		FadeIn:  fade,
		FadeOut: fade,
	}
	set(&l.FadeIn, e.FadeIn)
	set(&l.FadeOut, e.FadeOut)
	return putLull(d, c, l)
}

func (e *AddLull) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf(
		"lull of %s in %s, %s",
		scene.LengthWords(before, e.To-e.From),
		c.Name,
		scene.Lull{DepthDB: e.DepthDB}.DepthWords(),
	)
}

// SetLull changes a lull of a clip; what is nil stays. From and To are moments of the scene. Fades are shortened with
// the lull.
type SetLull struct {
	Clip    scene.ClipID `json:"clip"`
	Lull    scene.LullID `json:"lull"`
	From    *int64       `json:"from,omitempty"`
	To      *int64       `json:"to,omitempty"`
	DepthDB *float64     `json:"depth_db,omitempty"`
	FadeIn  *int64       `json:"fade_in,omitempty"`
	FadeOut *int64       `json:"fade_out,omitempty"`
	Off     *bool        `json:"off,omitempty"`
}

func (e *SetLull) apply(d *draft) error {
	c, err := lulledBy(d, e.Clip)
	if err != nil {
		return err
	}
	is := c.Lull(e.Lull)
	if is == nil {
		return noLull(c, e.Lull)
	}
	l := *is
	if e.From != nil {
		l.From = max(0, *e.From-c.Shift())
	}
	if e.To != nil {
		l.To = *e.To - c.Shift()
		if _, tail := d.Handles(&scene.Track{Kind: scene.Sound}, *c); l.To > c.In+c.Length+tail {
			l.To = c.In + c.Length + tail
		}
	}
	set(&l.DepthDB, e.DepthDB)
	set(&l.Off, e.Off)
	set(&l.FadeIn, e.FadeIn)
	set(&l.FadeOut, e.FadeOut)
	if n := l.To - l.From; e.FadeIn == nil && e.FadeOut == nil && n > 0 && l.FadeIn+l.FadeOut > n {
		l.FadeIn = n * l.FadeIn / (l.FadeIn + l.FadeOut)
		l.FadeOut = n - l.FadeIn
	}
	return putLull(d, c, l)
}

func noLull(c *scene.Clip, id scene.LullID) error {
	return notPossible("%s has no lull %q; it may have been removed.", c.Name, id)
}

func (e *SetLull) words(before, after *scene.Scene) string {
	_, c := after.Clip(e.Clip)
	was, now := scene.LullByID(before, e.Clip, e.Lull), scene.LullByID(after, e.Clip, e.Lull)
	words := "lull in " + c.Name
	if e.Off != nil {
		words += phrase.Either(*e.Off, " switched off", " switched on")
	}
	if by := now.From - was.From; by != 0 {
		words += fmt.Sprintf(", its start %s", scene.MovedWords(before, by))
	}
	if by := now.To - was.To; by != 0 {
		words += fmt.Sprintf(", its end %s", scene.MovedWords(before, by))
	}
	if now.DepthDB != was.DepthDB {
		words += ", " + now.DepthWords()
	}
	if e.FadeIn != nil || e.FadeOut != nil {
		words += fmt.Sprintf(
			", fades of %s and %s",
			scene.LengthWords(before, now.FadeIn),
			scene.LengthWords(before, now.FadeOut),
		)
	}
	return words
}

// RemoveLull lets a stretch of a clip sound again as it was. A patch that fills the lull goes with it.
type RemoveLull struct {
	Clip scene.ClipID `json:"clip"`
	Lull scene.LullID `json:"lull"`
}

func (e *RemoveLull) apply(d *draft) error {
	c, err := lulledBy(d, e.Clip)
	if err != nil {
		return err
	}
	if c.Lull(e.Lull) == nil {
		return noLull(c, e.Lull)
	}
	c.Lulls = slices.DeleteFunc(slices.Clone(c.Lulls), func(l scene.Lull) bool { return l.ID == e.Lull })
	return nil
}

func (e *RemoveLull) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	return "lull taken off " + c.Name
}
