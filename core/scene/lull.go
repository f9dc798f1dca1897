package scene

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
)

// A Lull is a stretch of a clip turned down, with soft edges inside it. It lies on its sound: its times are samples
// of the source, so that it stays there however the clip is trimmed, slipped, moved or divided.
type Lull struct {
	ID      LullID  `json:"id"`
	From    int64   `json:"from"`
	To      int64   `json:"to"`
	DepthDB float64 `json:"depth_db,omitempty"` // by how much it is turned down; 0 is to silence
	FadeIn  int64   `json:"fade_in"`            // samples from From on in which it goes down
	FadeOut int64   `json:"fade_out"`           // samples up to To in which it comes back
	Off     bool    `json:"off,omitempty"`      // switched off, to compare
}

// Span is where the lull lies in the source.
func (l Lull) Span() pcm.Span { return pcm.Span{From: l.From, To: l.To} }

// Floor is the gain at the bottom of the lull.
func (l Lull) Floor() float64 {
	if l.DepthDB == 0 {
		return 0
	}
	return level.Amplitude(-l.DepthDB)
}

// Gain is the lull's gain at a sample of the source. At its edges the power goes between 1 and the floor's as cos^2,
// so that tone which fades in as sin holds the power of a background.
func (l Lull) Gain(at int64) float64 {
	if l.Off || at < l.From || at >= l.To {
		return 1
	}
	x := 1.0 // how far down
	if n := l.FadeIn; at < l.From+n {
		x = (float64(at-l.From) + 0.5) / float64(n)
	}
	if n := l.FadeOut; at >= l.To-n {
		x = min(x, (float64(l.To-at)-0.5)/float64(n))
	}
	floor := l.Floor()
	if x == 1 {
		return floor
	}
	c := math.Cos(math.Pi / 2 * x)
	return math.Sqrt(floor*floor + (1-floor*floor)*c*c)
}

// depthWords is how deep the lull is.
func (l Lull) depthWords() string {
	if l.DepthDB == 0 {
		return "to silence"
	}
	return fmt.Sprintf("%.1f dB down", l.DepthDB)
}

// Shift is what takes a sample of a clip's source to its place on the track.
func (c *Clip) Shift() int64 { return c.Start - c.In }

// LullSpan is where a lull is heard on the clip's track; empty if the clip does not show it.
func (c *Clip) LullSpan(l Lull) pcm.Span { return l.Span().Add(c.Shift()).Intersect(c.Span()) }

// Lull gives a lull of the clip by its id, nil if there is none.
func (c *Clip) Lull(id LullID) *Lull {
	for i := range c.Lulls {
		if c.Lulls[i].ID == id {
			return &c.Lulls[i]
		}
	}
	return nil
}

// putLull sets a lull among those of a clip, in order of time; a Refusal if it has no room.
func putLull(d *draft, c *Clip, l Lull) error {
	list := slices.DeleteFunc(slices.Clone(c.Lulls), func(o Lull) bool { return o.ID == l.ID })
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
			LengthWords(d.Scene, l.FadeIn),
			LengthWords(d.Scene, l.FadeOut),
			LengthWords(d.Scene, l.To-l.From),
		)
	}
	if !sane(l.DepthDB) || l.DepthDB < 0 || l.DepthDB > 120 {
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
	slices.SortFunc(c.Lulls, func(a, b Lull) int { return int(a.From - b.From) })
	return nil
}

// lulledBy opens a clip of sound for an edit of its lulls.
func lulledBy(d *draft, id ClipID) (*Clip, error) {
	t, c, err := d.open(id)
	if err == nil && t.Kind != Sound {
		err = notPossible("%s is picture; a lull is a stretch of sound.", c.Name)
	}
	return c, err
}

// AddLull turns a stretch of a clip down, from one moment of the scene to another. Fades not given are a frame long,
// or a third of the lull where that is shorter. An id may be given, for a patch that is laid in the same edit.
type AddLull struct {
	Clip    ClipID  `json:"clip"`
	Lull    LullID  `json:"lull,omitempty"`
	From    int64   `json:"from"`
	To      int64   `json:"to"`
	DepthDB float64 `json:"depth_db,omitempty"`
	FadeIn  *int64  `json:"fade_in,omitempty"`
	FadeOut *int64  `json:"fade_out,omitempty"`
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
		id = NewID(d.Scene, ALull)
	}
	l := Lull{
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

func (e *AddLull) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf(
		"lull of %s in %s, %s",
		LengthWords(before, e.To-e.From),
		c.Name,
		Lull{DepthDB: e.DepthDB}.depthWords(),
	)
}

// SetLull changes a lull of a clip; what is nil stays. From and To are moments of the scene. Fades are shortened with
// the lull.
type SetLull struct {
	Clip    ClipID   `json:"clip"`
	Lull    LullID   `json:"lull"`
	From    *int64   `json:"from,omitempty"`
	To      *int64   `json:"to,omitempty"`
	DepthDB *float64 `json:"depth_db,omitempty"`
	FadeIn  *int64   `json:"fade_in,omitempty"`
	FadeOut *int64   `json:"fade_out,omitempty"`
	Off     *bool    `json:"off,omitempty"`
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
		if _, tail := d.Handles(&Track{Kind: Sound}, *c); l.To > c.In+c.Length+tail {
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

func noLull(c *Clip, id LullID) error {
	return notPossible("%s has no lull %q; it may have been removed.", c.Name, id)
}

func (e *SetLull) words(before, after *Scene) string {
	_, c := after.Clip(e.Clip)
	was, now := lullOf(before, e.Clip, e.Lull), lullOf(after, e.Clip, e.Lull)
	words := "lull in " + c.Name
	if e.Off != nil {
		words += either(*e.Off, " switched off", " switched on")
	}
	if by := now.From - was.From; by != 0 {
		words += fmt.Sprintf(", its start %s", movedWords(before, by))
	}
	if by := now.To - was.To; by != 0 {
		words += fmt.Sprintf(", its end %s", movedWords(before, by))
	}
	if now.DepthDB != was.DepthDB {
		words += ", " + now.depthWords()
	}
	if e.FadeIn != nil || e.FadeOut != nil {
		words += fmt.Sprintf(", fades of %s and %s", LengthWords(before, now.FadeIn), LengthWords(before, now.FadeOut))
	}
	return words
}

// lullOf gives a lull by its clip's id and its own.
func lullOf(s *Scene, clip ClipID, lull LullID) Lull {
	if _, c := s.Clip(clip); c != nil {
		if l := c.Lull(lull); l != nil {
			return *l
		}
	}
	return Lull{}
}

// RemoveLull lets a stretch of a clip sound again as it was. A patch that fills the lull goes with it.
type RemoveLull struct {
	Clip ClipID `json:"clip"`
	Lull LullID `json:"lull"`
}

func (e *RemoveLull) apply(d *draft) error {
	c, err := lulledBy(d, e.Clip)
	if err != nil {
		return err
	}
	if c.Lull(e.Lull) == nil {
		return noLull(c, e.Lull)
	}
	c.Lulls = slices.DeleteFunc(slices.Clone(c.Lulls), func(l Lull) bool { return l.ID == e.Lull })
	return nil
}

func (e *RemoveLull) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	return "lull taken off " + c.Name
}

// checkLulls says which law the lulls of a clip break, nil if none.
func (c *Clip) checkLulls() error {
	end := int64(math.MinInt64)
	for _, l := range c.Lulls {
		if l.From < end || l.From < -unbounded || l.To > unbounded || l.To <= l.From ||
			max(l.FadeIn, l.FadeOut) > unbounded ||
			l.FadeIn < 0 ||
			l.FadeOut < 0 ||
			l.FadeIn+l.FadeOut > l.To-l.From ||
			l.DepthDB < 0 {
			return fmt.Errorf(
				"clip %s: a lull from %d to %d with fades of %d and %d, after one that ends at %d",
				c.Name,
				l.From,
				l.To,
				l.FadeIn,
				l.FadeOut,
				end,
			)
		}
		end = l.To
	}
	return nil
}
