package edit

import (
	"slices"
	"strconv"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// Reopen brings back what a clip was joined from, where it lies now and as much of it as it shows. What was done to it
// since is done to its parts, where they have room for it.
type Reopen struct {
	Clip scene.ClipID `json:"clip"`
}

// reopening is one that is under way.
type reopening struct {
	clip  scene.Clip    // as it was joined and changed since
	from  *scene.Joined // what from
	shift int64         // from the recording's time to the scene's
	shown pcm.Span      // of the recording
	ids   map[scene.ClipID]scene.ClipID
}

func (e *Reopen) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	src := d.Sources[c.Source]
	if fitted := src.Fit; src.Joined == nil && fitted != nil && d.Sources[fitted.Of].Joined != nil {
		r := notPossible(
			"%s is fitted into another length, which its parts do not have. Give it its own length first.", c.Name)
		own := &Fit{Clip: c.ID}
		d.suggest(&r.options, "give it its own length and open it", NewBatch("", own, e))
		return r
	}
	if src.Joined == nil {
		return notPossible("%s was not joined here from others; a joined clip is what can be opened again.", c.Name)
	}
	r := &reopening{
		clip: *c, from: src.Joined, shift: c.Start - c.In, shown: pcm.Span{From: c.In, To: c.In + c.Length},
		ids: map[scene.ClipID]scene.ClipID{},
	}
	targets, err := r.targets(d, t)
	if err != nil {
		return err
	}
	t.Remove(c.ID)
	for k, from := range r.from.Tracks {
		if err := r.lay(d, targets[k], from); err != nil {
			return err
		}
	}
	r.fills(d)
	r.reach(d)
	r.tie(d)
	return nil
}

// targets finds a track for each that parts come from: if they are of one, that of the joined clip.
func (r *reopening) targets(d *draft, on *scene.Track) (list []scene.TrackID, err error) {
	if len(r.from.Tracks) == 1 {
		return []scene.TrackID{on.ID}, nil
	}
	p := Clipboard{Tracks: r.from.Tracks}
	indices, err := p.targets(d)
	if err != nil {
		return nil, err
	}
	for _, i := range indices {
		list = append(list, d.Tracks[i].ID)
	}
	return list, nil
}

// lay puts the parts of one track back.
func (r *reopening) lay(d *draft, to scene.TrackID, from *scene.Track) error {
	t := d.touch(scene.TrackIndex(d.Scene, to))
	for _, p := range from.Clips {
		part, ok := r.part(d, p)
		if !ok {
			continue
		}
		was := p.ID
		if _, _, taken := d.Find(was); taken || toCome(d.Scene, was) {
			part.ID = scene.NewID(d.Scene, scene.AClip)
		}
		r.ids[was] = part.ID
		if err := d.place(t, part); err != nil {
			return err
		}
	}
	for _, b := range from.Blends {
		if left, right := r.ids[b.Left], r.ids[b.Right]; left != "" && right != "" {
			b.Left, b.Right = left, right
			t.Blends = append(t.Blends, b)
		}
	}
	return nil
}

// toCome tells whether an id is one that the scene may yet give to another clip.
func toCome(s *scene.Scene, id scene.ClipID) bool {
	n, err := strconv.ParseInt(strings.TrimPrefix(string(id), string(scene.AClip)), 10, 64)
	return id == "" || err == nil && n > s.LastID
}

// part is a part as it comes back: cut to what the joined clip shows, with what was done to that.
func (r *reopening) part(d *draft, p scene.Clip) (scene.Clip, bool) {
	head, tail := p.Start == r.from.Head, p.End() == r.from.Tail
	whole := p.Span()
	if head {
		whole.From = min(whole.From, r.shown.From)
	}
	if tail {
		whole.To = max(whole.To, r.shown.To)
	}
	now := whole.Intersect(r.shown)
	if now.Empty() {
		return p, false
	}
	if now.From != p.Start {
		p.AcceptedHead = nil
	}
	if now.To != p.End() {
		p.AcceptedTail = nil
	}
	if now.From > p.Start {
		p.FadeIn = scene.Fade{}
	}
	if now.To < p.End() {
		p.FadeOut = scene.Fade{}
	}
	if now.From == r.shown.From && (head || now.From > p.Start) && (r.clip.FadeIn.Length > 0 || r.from.Head > 0) {
		p.FadeIn = r.clip.FadeIn
	}
	if now.To == r.shown.To && (tail || now.To < p.End()) &&
		(r.clip.FadeOut.Length > 0 || d.Sources[r.clip.Source].Samples > r.from.Tail) {
		p.FadeOut = r.clip.FadeOut
	}
	shift := p.In - p.Start // from the joined recording's time to the part's
	p.In, p.Start, p.Length = now.From+shift, now.From+r.shift, now.Len()
	p.GainDB += r.clip.GainDB
	p.Muted = p.Muted || r.clip.Muted
	if p.Note == "" {
		p.Note = r.clip.Note
	}
	if len(r.clip.Level) > 0 {
		line := slices.Clone(r.clip.Level)
		for i := range line {
			line[i].At += shift
		}
		p.Level = summed(p.Level, line)
	}
	r.lulls(&p, now, shift)
	if p.Filters == nil {
		p.Filters = r.clip.Filters
	}
	if p.Like == nil {
		p.Like = r.clip.Like
	}
	if p.Treatments == nil {
		p.Treatments = r.clip.Treatments
	}
	if p.Room == nil && r.clip.Room != nil && r.clip.Room.Lead == nil && r.clip.Room.Change == nil {
		p.Room = r.clip.Room
	}
	if p.Link != "" && !r.linked(d, &p) {
		p.Link = ""
	}
	p.FitFades()
	return p, true
}

// lulls gives a part the lulls of the joined clip that lie over it, where it has none itself.
func (r *reopening) lulls(p *scene.Clip, now pcm.Span, shift int64) {
	p.Lulls = slices.Clone(p.Lulls)
	for _, l := range r.clip.Lulls {
		over := l.Span().Intersect(now)
		if over.Empty() {
			continue
		}
		if over.From > l.From {
			l.FadeIn = 0
		}
		if over.To < l.To {
			l.FadeOut = 0
		}
		over = over.Add(shift)
		if slices.ContainsFunc(p.Lulls, func(o scene.Lull) bool { return o.Span().Overlaps(over) }) {
			continue
		}
		l.From, l.To = over.From, over.To
		l.FadeIn = min(l.FadeIn, over.Len())
		l.FadeOut = min(l.FadeOut, over.Len()-l.FadeIn)
		p.Lulls = append(p.Lulls, l)
	}
	slices.SortFunc(p.Lulls, func(a, b scene.Lull) int { return int(a.From - b.From) })
	if len(p.Lulls) == 0 {
		p.Lulls = nil
	}
}

// fills lets the parts that are patches fill the holes that they filled, once all parts have their ids; one whose hole
// did not come back, or lies elsewhere, is a clip like any other.
func (r *reopening) fills(d *draft) {
	for _, id := range r.ids {
		i, k, _ := d.Find(id)
		c := d.Tracks[i].Clips[k]
		if c.Fills == nil {
			continue
		}
		hole := r.hole(c.Fills)
		if span, ok := d.HoleSpan(*hole); !ok || !span.Overlaps(c.Span()) {
			hole = nil
		}
		d.touch(i).Clips[k].Fills = hole
	}
}

// hole is a hole of parts by the ids that they have now.
func (r *reopening) hole(h *scene.Hole) *scene.Hole {
	if h == nil {
		return nil
	}
	now := *h
	if id := r.ids[h.Clip]; id != "" {
		now.Clip = id
	}
	if id := r.ids[h.Next]; id != "" {
		now.Next = id
	}
	return &now
}

// linked tells whether what a part was linked with is there and lies to it as it did.
func (r *reopening) linked(d *draft, p *scene.Clip) bool {
	if r.from.Sharing(p.Link) == 1 {
		return true // a link of one clip is as good as none
	}
	any := false
	for _, tie := range r.from.Ties {
		on, c := d.Clip(tie.Clip)
		if tie.Link != p.Link || c == nil || c.Link != "" && c.Link != tie.Link {
			continue
		}
		if abs(scene.SyncOrigin(d.Scene, on, *c)-tie.At-r.shift) > drift {
			return false
		}
		any = true
	}
	for _, from := range r.from.Tracks {
		for _, o := range from.Clips {
			any = any || o.ID != p.ID && o.Link == p.Link
		}
	}
	return any
}

// reach lets blends, pairs and ducks of the joined clip be those of its parts.
func (r *reopening) reach(d *draft) {
	var first, last *scene.Clip
	var named []scene.ClipID
	for _, from := range r.from.Tracks {
		for _, p := range from.Clips {
			_, c := d.Clip(r.ids[p.ID])
			if c == nil {
				continue
			}
			if slices.Contains(r.from.Named, p.ID) {
				named = append(named, c.ID)
			}
			if c.Start == r.clip.Start && first == nil {
				first = c
			}
			if c.End() == r.clip.End() && last == nil {
				last = c
			}
		}
	}
	for i, t := range d.Tracks {
		for k, b := range t.Blends {
			if b.Right == r.clip.ID && first != nil {
				d.touch(i).Blends[k].Right = first.ID
			}
			if b.Left == r.clip.ID && last != nil {
				d.touch(i).Blends[k].Left = last.ID
			}
		}
	}
	d.Pairs = slices.Clone(d.Pairs)
	for k, p := range d.Pairs {
		if p.In == r.clip.ID && first != nil {
			d.Pairs[k].In = first.ID
		}
		if p.Out == r.clip.ID && last != nil {
			d.Pairs[k].Out = last.ID
		}
	}
	for _, p := range r.from.Pairs {
		if out, in := r.ids[p.Out], r.ids[p.In]; out != "" && in != "" {
			p.Out, p.In = out, in
			d.Pairs = append(d.Pairs, p)
		}
	}
	if len(d.Pairs) == 0 {
		d.Pairs = nil
	}
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			at := slices.Index(t.Ducks[k].Clips, r.clip.ID)
			if at < 0 {
				continue
			}
			t = touchDucks(d, i)
			t.Ducks[k].Clips = slices.Replace(slices.Clone(t.Ducks[k].Clips), at, at+1, named...)
		}
	}
}

// tie links clips outside with the parts again, and lets patches fill the holes between them, where they lie as they
// did.
func (r *reopening) tie(d *draft) {
	for _, tie := range r.from.Ties {
		i, k, ok := d.Find(tie.Clip)
		if !ok {
			continue
		}
		c := d.Tracks[i].Clips[k]
		if tie.Link != "" && c.Link == "" && len(linkedBy(d.Scene, tie.Link)) > 0 {
			d.touch(i).Clips[k].Link = tie.Link
			d.free[tie.Link] = true
		}
		if tie.Fills == nil || c.Fills != nil {
			continue
		}
		hole := r.hole(tie.Fills)
		if span, ok := d.HoleSpan(*hole); ok && span.Overlaps(c.Span()) {
			d.touch(i).Clips[k].Fills = hole
		}
	}
	for _, from := range r.from.Tracks { // of links, none is left alone
		for _, p := range from.Clips {
			if p.Link != "" && len(linkedBy(d.Scene, p.Link)) == 1 && r.from.Sharing(p.Link) > 1 {
				d.unlinkAll(p.Link)
			}
		}
	}
}

func (e *Reopen) words(before, _ *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	words := c.Name + " opened again"
	if lost := notReopened(before.Sources[c.Source].Joined, c); len(lost) > 0 {
		words += ", without " + strings.Join(lost, " and ") + " that it was given since, where its clips have their own"
	}
	return words
}

// notReopened says what of a joined clip its parts have no room for.
func notReopened(from *scene.Joined, c *scene.Clip) (lost []string) {
	has := func(of func(p *scene.Clip) bool) bool {
		return slices.ContainsFunc(from.Tracks, func(t *scene.Track) bool {
			return slices.ContainsFunc(t.Clips, func(p scene.Clip) bool { return of(&p) })
		})
	}
	if c.Filters != nil && has(func(p *scene.Clip) bool { return p.Filters != nil }) {
		lost = append(lost, "the filters")
	}
	if c.Like != nil && has(func(p *scene.Clip) bool { return p.Like != nil }) {
		lost = append(lost, "the other voice's colour")
	}
	if c.Treatments != nil && has(func(p *scene.Clip) bool { return p.Treatments != nil }) {
		lost = append(lost, "the treatments")
	}
	if c.Room != nil &&
		(c.Room.Lead != nil || c.Room.Change != nil || has(func(p *scene.Clip) bool { return p.Room != nil })) {
		lost = append(lost, "the room")
	}
	for _, l := range c.Lulls {
		if has(func(p *scene.Clip) bool {
			return slices.ContainsFunc(
				p.Lulls,
				func(o scene.Lull) bool { return o.Span().Add(p.Start - p.In).Overlaps(l.Span()) },
			)
		}) {
			lost = append(lost, "a lull")
			break
		}
	}
	return lost
}
