package edit

import (
	"fmt"
	"maps"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// A Clipboard is a range of a scene on its own, to be pasted: clips with their fades and gains, and the blends between
// them. Times are from the start of the range. It carries what is known of its sources, so that it can go to another
// scene.
type Clipboard struct {
	Rate       timecode.Rate           `json:"rate"`
	SampleRate int64                   `json:"sample_rate"`
	Length     int64                   `json:"length"` // samples
	Tracks     []*scene.Track          `json:"tracks"`
	Sources    map[string]scene.Source `json:"sources"`
	from       int64
}

// Copy takes a range out of a scene as a piece, on the named tracks, or on all if none is named. Clips are cut at the
// range's edges, blends that run over them left behind; dropped says how many those are.
func Copy(s *scene.Scene, span pcm.Span, tracks []scene.TrackID) (p Clipboard, dropped int, err error) {
	d := newDraft(s)
	var list []int
	for i, t := range s.Tracks {
		if len(tracks) == 0 || slices.Contains(tracks, t.ID) {
			list = append(list, i)
		}
	}
	from, to, err := rangeOn(d, list, span.From, span.To)
	if err != nil {
		return p, 0, err
	}
	for _, ti := range list { // to copy from a locked track is no harm
		d.touch(ti).Locked = false
	}
	blends := func() (n int) {
		for _, ti := range list {
			for _, b := range d.Tracks[ti].Blends {
				left, right := clipOn(d, ti, b.Left), clipOn(d, ti, b.Right)
				if reach := (pcm.Span{From: right.Start - b.Before, To: left.End() + b.After}); reach.Overlaps(
					pcm.Span{From: from, To: to},
				) {
					n++
				}
			}
		}
		return n
	}
	dropped = blends()
	for _, at := range []int64{from, to} {
		if err := d.cut(d.over(list, at), at); err != nil {
			return p, 0, err
		}
	}
	in := map[scene.ClipID]bool{}
	for _, ti := range list {
		t := d.Tracks[ti]
		for _, c := range t.Clips {
			if c.Start >= d.Unit(t, from) && c.End() <= d.Unit(t, to) {
				in[c.ID] = true
			}
		}
	}
	if len(in) == 0 {
		return p, 0, notPossible("Nothing lies in the range on the chosen tracks, so there is nothing to copy.")
	}
	p = pieceOf(d.Scene, in)
	p.shift(s, from-p.from)
	p.from, p.Length = from, to-from
	for _, t := range p.Tracks {
		dropped -= len(t.Blends)
	}
	return p, dropped, nil
}

// Describe says what was copied, and how many blends were left out.
func (p Clipboard) Describe(dropped int) string {
	clips, blends := 0, 0
	for _, t := range p.Tracks {
		clips += len(t.Clips)
		blends += len(t.Blends)
	}
	words := phrase.Count(clips, "clip") + " copied"
	if blends > 0 {
		words += " with " + phrase.Count(blends, "blend")
	}
	if dropped > 0 {
		words += "; " + phrase.Count(dropped, "blend") + " left out, which the range's edge runs through"
	}
	return words
}

func clipOn(d *draft, track int, id scene.ClipID) scene.Clip {
	for _, c := range d.Tracks[track].Clips {
		if c.ID == id {
			return c
		}
	}
	return scene.Clip{}
}

// pieceOf makes a piece of clips, from the first one's head to the last one's tail.
func pieceOf(s *scene.Scene, in map[scene.ClipID]bool) Clipboard {
	p := Clipboard{Rate: s.Rate, SampleRate: s.SampleRate, Sources: map[string]scene.Source{}, from: scene.Unbounded}
	end := int64(0)
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if in[c.ID] {
				at := scene.ClipTime(s, t, c)
				p.from, end = min(p.from, at.From), max(end, at.To)
			}
		}
	}
	if slices.ContainsFunc(s.Tracks, func(t *scene.Track) bool {
		return t.Kind == scene.Picture && slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return in[c.ID] })
	}) {
		p.from = s.Rate.SampleOf(s.Rate.FrameOf(p.from, s.SampleRate), s.SampleRate)
		end = s.Rate.SampleOf(s.Rate.FrameOf(end-1, s.SampleRate)+1, s.SampleRate)
	}
	p.Length = end - p.from
	for _, t := range s.Tracks {
		c := scene.Track{ID: t.ID, Kind: t.Kind, Purpose: t.Purpose, Name: t.Name, Clips: []scene.Clip{}}
		for _, clip := range t.Clips {
			if in[clip.ID] {
				clip.Start -= s.Unit(t, p.from)
				c.Clips = append(c.Clips, clip)
				for _, id := range scene.Needed(s, &clip) {
					p.Sources[id] = s.Sources[id]
				}
			}
		}
		for _, b := range t.Blends {
			if in[b.Left] && in[b.Right] {
				c.Blends = append(c.Blends, b)
			}
		}
		if len(c.Clips) > 0 {
			p.Tracks = append(p.Tracks, &c)
		}
	}
	return p
}

// shift counts a piece's times from a moment so many samples later.
func (p *Clipboard) shift(s *scene.Scene, by int64) {
	frames := s.Rate.Nearest(p.from+by, s.SampleRate) - s.Rate.Nearest(p.from, s.SampleRate)
	for _, t := range p.Tracks {
		for i := range t.Clips {
			t.Clips[i].Start -= step{by, frames}.on(t)
		}
	}
}

// Paste puts a piece at a moment: over what is there, or pushing what follows.
type Paste struct {
	Clipboard Clipboard `json:"piece"`
	At        int64     `json:"at"`
	How       string    `json:"how,omitempty"`
}

func (e *Paste) apply(d *draft) error {
	if err := e.Clipboard.check(d.Scene, d.replay); err != nil {
		return err
	}
	if e.At < 0 || e.At > scene.Unbounded {
		return notPossible("A piece cannot be pasted before the scene.")
	}
	how := e.How
	if how == scene.Free {
		how = scene.Over
	}
	if err := checkHow(how); err != nil {
		return err
	}
	err := e.Clipboard.insert(d, e.At, how)
	if r, ok := err.(*NoTrack); ok && !d.trial {
		d.suggest(
			&r.options,
			fmt.Sprintf("add a track for %s and paste", r.Purpose),
			NewBatch("", &AddTrack{Name: r.Name, Purpose: r.Purpose}, e),
		)
	}
	return err
}

// check refuses a piece that this scene cannot take or that is not one.
func (p Clipboard) check(s *scene.Scene, replay bool) error {
	if len(p.Tracks) == 0 || p.Length <= 0 || p.Length > scene.Unbounded {
		return notPossible("There is nothing to paste. Copy a range or a clip first.")
	}
	if p.Rate != s.Rate || p.SampleRate != s.SampleRate {
		return notPossible(
			"The copied piece is of a scene with %s frames and %d samples a second; this one has %s and %d.",
			p.Rate,
			p.SampleRate,
			s.Rate,
			s.SampleRate,
		)
	}
	if err := checkTones(s, p); err != nil && !replay {
		return err
	}
	for _, t := range p.Tracks {
		if !replay && t.Kind != scene.Picture && t.Kind != scene.Sound {
			return notPossible("The copied piece is damaged at track %s.", shortName(t.Name))
		}
		for _, c := range t.Clips {
			if _, ok := p.Sources[c.Source]; !ok || c.Start < 0 || c.Start > scene.Unbounded || c.In < 0 ||
				c.In > scene.Unbounded ||
				c.Length <= 0 ||
				c.Length > scene.Unbounded {
				return notPossible("The copied piece is damaged at %s.", c.Name)
			}
		}
	}
	return nil
}

// checkTones refuses a piece whose sources cannot be, or whose tones are not what their recipes say.
func checkTones(s *scene.Scene, p Clipboard) error {
	both := *s
	both.Sources = maps.Clone(s.Sources)
	for id, src := range p.Sources {
		if _, known := both.Sources[id]; !known {
			both.Sources[id] = src
		}
	}
	for id, src := range p.Sources {
		if _, known := s.Sources[id]; known {
			continue
		}
		if err := scene.CheckSource(&both, src); err != nil {
			return err
		}
		if src.Tone != nil {
			is, err := both.ToneSource(*src.Tone, src.Name)
			if err != nil || is.ID != src.ID || is.Samples != src.Samples || src.Unknown {
				return notPossible("The copied piece is damaged at %s.", shortName(src.Name))
			}
		}
		if src.Fit != nil {
			is, err := scene.FitSource(&both, *src.Fit, src.Name)
			if err != nil || is.ID != src.ID || is.Samples != src.Samples {
				return notPossible("The copied piece is damaged at %s.", shortName(src.Name))
			}
		}
		if id != src.ID {
			return notPossible("The copied piece is damaged at %s.", shortName(src.Name))
		}
	}
	return nil
}

func (p Clipboard) insert(d *draft, at int64, how string) error {
	picture := slices.ContainsFunc(p.Tracks, func(t *scene.Track) bool { return t.Kind == scene.Picture })
	end := at + p.Length
	if picture {
		frame := d.Rate.Nearest(at, d.SampleRate)
		at = d.Rate.SampleOf(frame, d.SampleRate)
		end = d.Rate.SampleOf(frame+d.Rate.Frames(p.Length, d.SampleRate), d.SampleRate)
	}
	to, err := p.targets(d)
	if err != nil {
		return err
	}
	switch how {
	case scene.Over:
		err = d.clear(to, at, end)
	case scene.Insert:
		var x step
		x, err = openUp(d, to, at, step{end - at, d.Rate.Nearest(end, d.SampleRate) - d.Rate.Nearest(at, d.SampleRate)})
		end = at + x.samples
	}
	if err != nil {
		return err
	}
	d.Sources = maps.Clone(d.Sources)
	for id, src := range p.Sources {
		if _, known := d.Sources[id]; !known {
			d.Sources[id] = src
		}
	}
	links := map[scene.LinkID]scene.LinkID{}
	for k, t := range p.Tracks {
		if err := p.lay(d, d.touch(to[k]), t, at, end, links); err != nil {
			return err
		}
	}
	for _, link := range links {
		if len(linkedBy(d.Scene, link)) == 1 {
			d.unlinkAll(link)
		}
	}
	return nil
}

// lay puts one track of a piece on a track. Sound that reaches the end of the piece meets what follows to the sample.
func (p Clipboard) lay(d *draft, to, from *scene.Track, at, end int64, links map[scene.LinkID]scene.LinkID) error {
	ids := map[scene.ClipID]scene.ClipID{}
	for _, c := range from.Clips {
		last := to.Kind == scene.Sound && c.End() == p.Length
		ids[c.ID] = scene.NewID(d.Scene, scene.AClip)
		c.ID, c.Name = ids[c.ID], shortName(c.Name)
		setText(&c.Note, &c.Note, limit.Notes)
		c.Start += d.Unit(to, at)
		c.Fills = nil // the hole is elsewhere
		if fit := end - c.Start; last && fit > 0 && scene.SourceLength(d.Scene, to, c) >= c.In+fit {
			c.Length = fit
			c.FitFades()
		}
		if c.Link != "" {
			if links[c.Link] == "" {
				links[c.Link] = d.newLink()
				d.free[links[c.Link]] = true
			}
			c.Link = links[c.Link]
		}
		if err := d.place(to, c); err != nil {
			return err
		}
	}
	for _, b := range from.Blends {
		b.Left, b.Right = ids[b.Left], ids[b.Right]
		to.Blends = append(to.Blends, b)
	}
	return nil
}

// targets gives for each track of a piece that of the scene it goes to: the one it came from, else the first of its
// purpose that is not taken.
func (p Clipboard) targets(d *draft) ([]int, error) {
	var list []int
	for _, t := range p.Tracks {
		i := slices.IndexFunc(d.Tracks, func(o *scene.Track) bool { return o.ID == t.ID && o.Kind == t.Kind })
		if i < 0 || slices.Contains(list, i) {
			i = -1
			for k, o := range d.Tracks {
				if o.Kind == t.Kind && o.Purpose == t.Purpose && !slices.Contains(list, k) {
					i = k
					break
				}
			}
		}
		if i < 0 {
			return nil, &NoTrack{
				Purpose: t.Purpose,
				Name:    t.Name,
				words: fmt.Sprintf(
					"The piece has %s on %s, and this scene has no track of %s left for it.",
					phrase.Count(len(t.Clips), "clip"),
					t.Name,
					t.Purpose,
				),
			}
		}
		if err := d.unlocked(d.Tracks[i]); err != nil {
			return nil, err
		}
		list = append(list, i)
	}
	return list, nil
}

func (e *Paste) words(before, after *scene.Scene) string {
	n := 0
	for _, t := range e.Clipboard.Tracks {
		n += len(t.Clips)
	}
	words := fmt.Sprintf("%s pasted at %s", phrase.Count(n, "clip"), before.Timecode(e.At))
	if e.How == scene.Insert {
		return words + ", what follows pushed" + stayWords(before, e.At, e.At, after)
	}
	return words + " over what was there"
}
