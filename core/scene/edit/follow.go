package edit

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"blendseam/core/conform"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// A part is a stretch of a clip, and where it goes.
type part struct {
	span  pcm.Span       // where it lay, in samples
	piece *conform.Piece // that it goes with; nil if it has none
	shift int64          // samples, if it is not kept aside
	aside *pcm.Span      // frames that were lifted, with which it is kept
	own   bool           // it belongs to a shot
	seen  int64          // the frame of the old cut at which that shot's picture begins, or was lifted
}

func (p part) frame() int64 {
	switch {
	case p.aside != nil:
		return p.seen
	case p.piece != nil:
		return p.piece.Old.From
	}
	return -1
}

func (p part) like(o part) bool {
	if p.aside != nil || o.aside != nil {
		return p.aside != nil && o.aside != nil && *p.aside == *o.aside
	}
	return p.shift == o.shift
}

// A follower lets sound go with its own shots: a linked clip with the shot it is linked to, lead and tail included;
// another clip with the picture that it lies under. Music and tone stay in one piece.
type follower struct {
	*recutting
	edit  *Recut
	byOld []conform.Piece
	gone  map[int64]*scene.Aside
	part  map[scene.ClipID]part
	fates []scene.Fate
}

// soundFollows cuts and moves the sound of all tracks that go with the picture. went says by how many samples the
// picture's clips have moved; the track of the old picture is needed as it was.
func (r *recutting) soundFollows(
	e *Recut,
	byOld []conform.Piece,
	gone map[int64]*scene.Aside,
	went map[scene.ClipID]int64,
) []scene.Fate {
	f := &follower{recutting: r, edit: e, byOld: byOld, gone: gone, part: map[scene.ClipID]part{}}
	parts := map[scene.ClipID][]part{} // all of them before anything is cut
	touched := map[scene.ClipID]bool{} // tails that met another clip
	for _, i := range r.follow {
		t := r.d.Tracks[i]
		for k, c := range t.Clips {
			if t.Kind == scene.Sound {
				parts[c.ID] = f.parts(t, c)
				touched[c.ID] = t.Touches(k)
			}
		}
	}
	for _, i := range r.follow {
		if r.d.Tracks[i].Kind == scene.Sound {
			f.divide(r.d.touch(i), parts, touched)
		}
	}
	for _, i := range r.follow {
		if r.d.Tracks[i].Kind == scene.Sound {
			f.move(r.d.touch(i))
		}
	}
	f.links(went)
	for _, i := range r.follow {
		if t := r.d.Tracks[i]; t.Kind == scene.Sound {
			f.meet(t)
			if e.Extend {
				f.extend(r.d.touch(i), touched)
			}
			r.blends(r.d.touch(i), gone)
		}
	}
	return f.fates
}

// parts says where the parts of a clip go, in order of time.
func (f *follower) parts(t *scene.Track, c scene.Clip) []part {
	var list []part
	if shot, ok := f.shotOf(t, c); ok {
		list = f.withShot(c, shot)
	} else {
		list = f.withPicture(t, c)
	}
	for i := 0; i+1 < len(list); i++ {
		if list[i].like(list[i+1]) {
			list[i].span.To = list[i+1].span.To
			list = slices.Delete(list, i+1, i+2)
			i--
		}
	}
	for i := 0; i < len(list); i++ { // what would lie before the scene
		p := &list[i]
		if p.aside != nil || p.span.From+p.shift >= 0 {
			continue
		}
		from := f.d.Rate.FrameOf(p.span.From, f.d.SampleRate)
		before := part{span: pcm.Span{From: p.span.From, To: min(p.span.To, -p.shift)},
			aside: &pcm.Span{From: from, To: from + 1}, seen: from}
		if p.span.From = before.span.To; p.span.Empty() {
			list[i] = before
			continue
		}
		list = slices.Insert(list, i, before)
		i++
	}
	return list
}

// shotOf is the stretch of picture, in frames, that a clip belongs to: of the clips that it is linked to; if it has no
// link, of those that show the same recording in step with it.
func (f *follower) shotOf(t *scene.Track, c scene.Clip) (shot pcm.Span, ok bool) {
	p := f.pictureWas
	over := pcm.Span{From: f.frame(t, c.Start), To: f.frame(t, c.End()-1) + 1}
	for _, x := range p.Clips {
		same := c.Link != "" && x.Link == c.Link
		if c.Link == "" && x.Source == scene.FirstTake(c).Source && x.Span().Overlaps(over) {
			same = abs(scene.SyncOrigin(f.d.Scene, p, x)-scene.SyncOrigin(f.d.Scene, t, c)) <= drift
		}
		switch {
		case same && ok:
			shot = pcm.Span{From: min(shot.From, x.Start), To: max(shot.To, x.End())}
		case same:
			shot, ok = x.Span(), true
		}
	}
	return shot, ok
}

// withShot lets a clip go with its shot, of which some stretches may be left. A lead and a tail stay as long as they
// were where the shot's own head or tail was trimmed.
func (f *follower) withShot(c scene.Clip, shot pcm.Span) (list []part) {
	type left struct { // of the shot
		old   pcm.Span
		piece *conform.Piece
	}
	var kept []left
	for i, p := range f.byOld {
		if x := p.Old.Intersect(shot); !x.Empty() {
			kept = append(kept, left{x, &f.byOld[i]})
		}
	}
	at := func(frame int64) int64 { return f.d.Rate.SampleOf(frame, f.d.SampleRate) }
	put := func(from, to int64, p part) {
		p.span = pcm.Span{From: max(from, c.Start), To: min(to, c.End())}
		if n := len(list); n > 0 {
			p.span.From = max(p.span.From, list[n-1].span.To)
		}
		if !p.span.Empty() {
			list = append(list, p)
		}
	}
	lifted := func(from int64) part {
		a, b := f.lifted(f.byOld, from)
		return part{aside: &pcm.Span{From: a, To: b}, seen: from}
	}
	const ever = math.MaxInt64 / 2
	if len(kept) == 0 {
		put(-ever, ever, lifted(shot.From))
		return list
	}
	lead, trail := max(0, at(shot.From)-c.Start), max(0, c.End()-at(shot.To))
	first, last := kept[0].old, kept[len(kept)-1].old
	from, to := at(first.From)-lead, at(last.To)+trail
	if first.From == shot.From || c.End() <= at(shot.From) {
		from = -ever
	}
	if last.To == shot.To || c.Start >= at(shot.To) {
		to = ever
	}
	put(-ever, from, lifted(shot.From))
	for i, x := range kept {
		end, p := at(x.old.To), x.piece
		if i == len(kept)-1 {
			end = to
		}
		put(-ever, end, part{piece: p, shift: at(p.New.From) - at(p.Old.From), own: true, seen: x.old.From})
		if i+1 < len(kept) && kept[i+1].old.From > x.old.To {
			put(-ever, at(kept[i+1].old.From), lifted(x.old.To))
		}
	}
	if to < ever {
		put(-ever, ever, lifted(last.To))
	}
	return list
}

// withPicture lets a clip that belongs to no shot go with the picture that it lies under. What has no picture keeps its
// distance to the picture before it.
func (f *follower) withPicture(t *scene.Track, c scene.Clip) (list []part) {
	d := f.d
	at := func(frame int64) int64 { return d.Rate.SampleOf(frame, d.SampleRate) }
	over := pcm.Span{From: f.frame(t, c.Start), To: f.frame(t, c.End()-1) + 1}
	edges := []int64{over.From, over.To}
	add := func(x pcm.Span) {
		for _, e := range []int64{x.From, x.To} {
			if over.From < e && e < over.To {
				edges = append(edges, e)
			}
		}
	}
	for _, p := range f.byOld {
		add(p.Old)
	}
	for _, s := range f.old {
		if s.Source != "" {
			add(s.Span())
		}
	}
	for _, a := range f.aside {
		add(a)
	}
	slices.Sort(edges)
	edges = slices.Compact(edges)
	for i := 0; i+1 < len(edges); i++ {
		p := f.under(edges[i])
		p.span = pcm.Span{From: at(edges[i]), To: at(edges[i+1])}
		if i == 0 {
			p.span.From = c.Start
		}
		if i+2 == len(edges) {
			p.span.To = c.End()
		}
		if !p.span.Empty() {
			list = append(list, p)
		}
	}
	if bed := t.Purpose == scene.ForMusic || t.Purpose == scene.ForTone; bed && !f.edit.CutBeds {
		whole := list[0]
		if i := slices.IndexFunc(list, func(p part) bool { return p.aside == nil }); i >= 0 {
			whole = list[i]
		}
		whole.span = c.Span()
		return []part{whole}
	}
	return list
}

// under is what becomes of sound that lies under a frame of the old cut and belongs to no shot.
func (f *follower) under(frame int64) part {
	d := f.d
	at := func(frame int64) int64 { return d.Rate.SampleOf(frame, d.SampleRate) }
	if p, ok := f.pieceOf(f.byOld, frame); ok {
		return part{piece: &p, shift: at(p.New.From) - at(p.Old.From)}
	}
	for _, a := range f.aside {
		if a.Contains(frame) {
			return part{aside: &a, seen: frame}
		}
	}
	seen := int64(-1) // where the picture before it ends
	for _, s := range f.old {
		switch x := s.Span(); {
		case s.Source == "" || x.From >= f.end:
		case x.Contains(frame):
			from, to := f.lifted(f.byOld, frame)
			return part{aside: &pcm.Span{From: from, To: to}, seen: frame}
		case x.To <= frame:
			seen = max(seen, x.To)
		}
	}
	last := int64(0) // end of the whole new picture
	for _, s := range f.edit.Shots {
		last = max(last, s.Start+s.Length)
	}
	behind := seen >= 0 && !slices.ContainsFunc(f.old, func(s conform.Shot) bool {
		return s.Source != "" && s.Start > frame && s.Start < f.end
	})
	switch {
	case behind:
		return part{shift: at(last) - at(seen)}
	case seen < 0: // nothing was shown before it
		if len(f.byOld) > 0 && f.byOld[0].Old.From < f.end {
			p := f.byOld[0]
			return part{shift: at(p.New.From) - at(p.Old.From)}
		}
		return part{}
	}
	for i := len(f.byOld) - 1; i >= 0; i-- {
		if p := f.byOld[i]; p.Old.To <= seen {
			return part{piece: &p, shift: at(p.New.To) - at(seen)}
		}
	}
	return part{}
}

// divide cuts the clips of a track into their parts.
func (f *follower) divide(t *scene.Track, parts map[scene.ClipID][]part, touched map[scene.ClipID]bool) {
	for i := 0; i < len(t.Clips); i++ {
		id := t.Clips[i].ID
		list, ok := parts[id]
		if !ok {
			continue // a part that was cut off
		}
		name, tail := t.Clips[i].Name, touched[id]
		for k, p := range list {
			c := &t.Clips[i]
			if k+1 < len(list) {
				cutOne(f.d, t, c, p.span.To)
				touched[t.Clips[i].ID] = true
			} else {
				touched[c.ID] = tail
			}
			now := t.Clips[i]
			f.part[now.ID] = p
			x := scene.Fate{
				Clip:  now.ID,
				Name:  name,
				Track: t.Name,
				What:  scene.FateMoved,
				From:  p.span.From,
				To:    p.span.To,
				At:    p.span.From + p.shift,
				Frame: p.frame(),
			}
			switch {
			case p.aside != nil:
				x.What, x.At = scene.FateAside, -1
			case len(list) > 1:
				x.What = scene.FateCut
			}
			if x.What != scene.FateMoved || p.shift != 0 {
				f.fates = append(f.fates, x)
			}
			if k+1 < len(list) {
				i++
			}
		}
	}
}

// move takes the clips of a track to where they go, or aside.
func (f *follower) move(t *scene.Track) {
	var kept []scene.Clip
	for _, c := range t.Clips {
		p := f.part[c.ID]
		if p.aside != nil {
			f.setAside(f.gone, t, c, *p.aside)
			continue
		}
		end := c.End()
		c.Start += p.shift
		if p.piece != nil {
			c = f.fitted(t, c, *p.piece, end)
		}
		kept = append(kept, c)
	}
	slices.SortStableFunc(kept, func(a, b scene.Clip) int { return cmp.Compare(a.Start, b.Start) })
	t.Clips = kept
}

// links gives what goes different ways links of their own: of each link, what goes with one piece, and what is kept
// aside with one stretch.
func (f *follower) links(went map[scene.ClipID]int64) {
	d := f.d
	type way struct {
		link  scene.LinkID
		aside bool
		by    int64 // a shift, or the stretch that is aside
	}
	count, now, used := map[way]int{}, map[way]scene.LinkID{}, map[scene.LinkID]bool{}
	visit := func(do func(c *scene.Clip, w way)) {
		each := func(t *scene.Track, aside bool, from int64) {
			for k := range t.Clips {
				c := &t.Clips[k]
				if c.Link == "" {
					continue
				}
				w := way{c.Link, aside, from}
				if p, ok := f.part[c.ID]; ok && !aside {
					w.by = p.shift
				} else if !aside {
					w.by = went[c.ID]
				}
				do(c, w)
			}
		}
		for _, i := range f.follow {
			each(d.touch(i), false, 0)
		}
		for _, from := range slices.Sorted(maps.Keys(f.gone)) {
			for _, t := range f.gone[from].Tracks {
				each(t, true, from)
			}
		}
	}
	visit(func(_ *scene.Clip, w way) { count[w]++ })
	visit(func(c *scene.Clip, w way) {
		link, known := now[w]
		switch {
		case known:
		case count[w] == 1 && f.alone(w.link, c.ID):
			link = ""
		case !used[w.link]:
			link = w.link
		default:
			link = d.newLink()
		}
		used[w.link] = true
		now[w], c.Link = link, link
	})
}

// alone tells whether a link has no other clip on tracks that stay where they are.
func (f *follower) alone(link scene.LinkID, but scene.ClipID) bool {
	for i, t := range f.d.Tracks {
		if slices.Contains(f.follow, i) {
			continue
		}
		if slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return c.Link == link && c.ID != but }) {
			return false
		}
	}
	return true
}

// meet keeps clips of a track apart that would overlap: all of both, one of them on another track; or, if it was asked
// for, each up to its picture's cut, with what lies beyond that kept aside.
func (f *follower) meet(t *scene.Track) {
	for i := 0; i+1 < len(t.Clips); i++ {
		a, b := &t.Clips[i], &t.Clips[i+1]
		over := a.End() - b.Start
		switch {
		case over <= 0:
		case over <= drift && a.Length > over:
			a.Length -= over
			a.FitFades()
		case f.edit.Trim && f.trim(t, i):
			i = max(-1, i-2)
		default:
			k := i // the shorter of both gives way
			if b.Length < a.Length {
				k = i + 1
			}
			c := t.Clips[k]
			t.Clips = slices.Delete(t.Clips, k, k+1)
			f.fated(c, t, scene.FateOther, c.Start)
			f.beside(t, c)
			i = max(-1, i-2)
		}
	}
}

// fated says of a clip that something else becomes of it than was said.
func (f *follower) fated(c scene.Clip, t *scene.Track, what string, at int64) {
	p := f.part[c.ID]
	for k := range f.fates {
		if f.fates[k].Clip == c.ID {
			f.fates[k].What, f.fates[k].At = what, at
			return
		}
	}
	f.fates = append(
		f.fates,
		scene.Fate{
			Clip:  c.ID,
			Name:  c.Name,
			Track: t.Name,
			What:  what,
			From:  p.span.From,
			To:    p.span.To,
			At:    at,
			Frame: p.frame(),
		},
	)
}

// trim ends a clip and begins the next one at the cut of their pictures; false if they have none between them.
func (f *follower) trim(t *scene.Track, i int) bool {
	a, b := t.Clips[i], t.Clips[i+1]
	if !f.part[a.ID].own || !f.part[b.ID].own {
		return false
	}
	p := f.part[b.ID]
	cut := f.d.Rate.SampleOf(p.seen, f.d.SampleRate) + p.shift
	if cut <= a.Start || cut >= b.End() {
		return false
	}
	if cut < a.End() {
		f.cutOff(t, i, cut, true)
	}
	if cut > b.Start {
		f.cutOff(t, i+1, cut, false)
	}
	return true
}

// cutOff keeps what of clip i lies behind a moment aside, or ahead of it.
func (f *follower) cutOff(t *scene.Track, i int, at int64, behind bool) {
	p := f.part[t.Clips[i].ID]
	cutOne(f.d, t, &t.Clips[i], at)
	off := i
	rest := p
	if behind {
		off = i + 1
		rest.span.From = at - p.shift
	} else {
		rest.span.To = at - p.shift
		f.part[t.Clips[i+1].ID] = part{span: pcm.Span{From: at - p.shift, To: p.span.To}, piece: p.piece, shift: p.shift,
			own: p.own, seen: p.seen}
	}
	c := t.Clips[off]
	t.Clips = slices.Delete(t.Clips, off, off+1)
	from := f.d.Rate.FrameOf(rest.span.From, f.d.SampleRate)
	f.part[c.ID] = rest
	c.Start, c.Link = rest.span.From, ""
	f.setAside(f.gone, t, c, pcm.Span{From: from, To: from + 1})
	f.fates = append(
		f.fates,
		scene.Fate{
			Clip:  c.ID,
			Name:  c.Name,
			Track: t.Name,
			What:  scene.FateAside,
			From:  rest.span.From,
			To:    rest.span.To,
			At:    -1,
			Frame: p.frame(),
		},
	)
}

// beside lays a clip on a track of the same purpose that has room for it, or on a new one.
func (f *follower) beside(t *scene.Track, c scene.Clip) {
	d := f.d
	at := slices.IndexFunc(d.Tracks, func(x *scene.Track) bool { return x.ID == t.ID })
	for i := at + 1; i < len(d.Tracks); i++ {
		x := d.Tracks[i]
		if x.Kind != scene.Sound || x.Purpose != t.Purpose || x.Locked || x.Stays != t.Stays {
			continue
		}
		if own := d.touch(i); d.place(own, c) == nil {
			return
		}
	}
	d.Tracks = slices.Insert(
		d.Tracks,
		at+1,
		&scene.Track{ID: scene.NewID(d.Scene, scene.ATrack), Kind: scene.Sound, Purpose: t.Purpose,
			Name: shortName(
				t.Name + ", overlaps",
			), Hue: t.Hue, GainDB: t.GainDB, Balance: t.Balance, Mute: t.Mute, Solo: t.Solo,
			Clips: []scene.Clip{c}},
	)
	d.own[d.Tracks[at+1]] = true
	for k := range f.follow { // they are places in the list of tracks
		if f.follow[k] > at {
			f.follow[k]++
		}
	}
	if f.picture > at {
		f.picture++
	}
}

// extend fills gaps that came between clips which met others, from the handle of the clip before it, then from that of
// the clip behind it.
func (f *follower) extend(t *scene.Track, touched map[scene.ClipID]bool) {
	for i := 0; i+1 < len(t.Clips); i++ {
		a, b := &t.Clips[i], &t.Clips[i+1]
		gap := b.Start - a.End()
		if gap <= 0 || !touched[a.ID] {
			continue
		}
		if _, tail := f.d.Handles(t, *a); tail > 0 {
			a.Length += min(tail, gap)
			f.fated(*a, t, scene.FateLonger, a.Start)
		}
		gap = b.Start - a.End()
		if head, _ := f.d.Handles(t, *b); gap > 0 && head > 0 {
			by := min(head, gap)
			b.In, b.Start, b.Length = b.In-by, b.Start-by, b.Length+by
			f.fated(*b, t, scene.FateLonger, b.Start)
		}
	}
}
