package edit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"blendseam/core/conform"
	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// Recut gives the scene a new picture cut. Sound goes with the picture that it lay under, on all tracks that follow;
// what lies over the edge of something that moves is cut there. What was lifted is kept aside with its work, and comes
// back once the picture does.
type Recut struct {
	Shots   []scene.NewShot `json:"shots"`
	Sources []scene.Source  `json:"sources,omitempty"` // of shots, which the scene does not know

	// Own lets sound go with the shot that it belongs to, whole, and music and tone stay in one piece. Without it sound
	// goes with the picture under which it lies: so edits of the past are done again.
	Own     bool `json:"own,omitempty"`
	CutBeds bool `json:"cut_beds,omitempty"` // music and tone are cut where the picture comes apart
	Trim    bool `json:"trim,omitempty"`     // where sound of two shots meets, each ends at its picture's cut
	Extend  bool `json:"extend,omitempty"`   // gaps that come are filled from the clips' handles
}

// apart lies between stretches that are kept aside, where they are laid behind a scene.
const apart = 1000 // frames

// recutting is one under way.
type recutting struct {
	d       *draft
	picture int   // index of the track
	follow  []int // of tracks that go with the picture
	end     int64 // of the scene, without what is aside, in frames
	aside   []pcm.Span
	old     []conform.Shot
	pieces  []conform.Piece
	fates   []scene.Fate

	pictureWas *scene.Track // before anything of it is cut
}

func (e *Recut) apply(d *draft) error {
	_, err := e.done(d)
	return err
}

// done makes the cut, and gives what was found on the way.
func (e *Recut) done(d *draft) (*recutting, error) {
	if err := e.check(d); err != nil {
		return nil, err
	}
	d.Sources = maps.Clone(d.Sources)
	for _, src := range e.Sources {
		if _, known := d.Sources[src.ID]; !known {
			if err := scene.CheckSource(d.Scene, src); err != nil {
				return nil, err
			}
			d.Sources[src.ID] = src
		}
	}
	r := &recutting{d: d, picture: pictureTrack(d.Scene)}
	if r.picture < 0 {
		return nil, notPossible("The scene has no picture track, so that a new cut has nothing to follow.")
	}
	for i, t := range d.Tracks {
		switch {
		case t.Locked:
			return nil, notPossible("Track %s is locked, and would not follow the new cut. Unlock it first.", t.Name)
		case i == r.picture || !t.Stays:
			r.follow = append(r.follow, i)
		}
	}
	r.unfold()
	shots := e.shots()
	r.pieces = conform.Match(r.old, shots, r.last())
	if e.Own {
		r.moveOwn(e)
	} else {
		if err := r.cut(); err != nil {
			return nil, err
		}
		r.move()
	}
	r.show(e, shots)
	return r, nil
}

// check refuses a cut that no scene has.
func (e *Recut) check(d *draft) error {
	if len(e.Shots) > limit.Batch {
		return notPossible("The new cut has %d shots; %d are the most.", len(e.Shots), limit.Batch)
	}
	at := int64(0)
	for i, s := range e.Shots {
		src, known := d.Sources[s.Source]
		for _, n := range e.Sources {
			if !known && n.ID == s.Source {
				src, known = n, true
			}
		}
		switch {
		case s.Length <= 0 || s.Start < at || s.In < 0:
			return notPossible(
				"Shot %d of the new cut, %s, has no length, or does not lie behind the one before it.",
				i+1,
				s.Name,
			)
		case s.Source != "" && !known:
			return notPossible("The new cut shows %s, which the scene has no recording of. Bring it in first.", s.Name)
		case s.Source != "" && !src.Unknown && s.In+s.Length > src.Frames:
			return notPossible("%s of the new cut shows frames that its recording has not: up to %d of %d.",
				s.Name, s.In+s.Length, src.Frames)
		}
		at = s.Start + s.Length
	}
	return nil
}

// pictureTrack is the index of the track that a new cut is of, -1 if there is none.
func pictureTrack(s *scene.Scene) int {
	return slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.Kind == scene.Picture })
}

// shots are those of the new cut, for matching.
func (e *Recut) shots() []conform.Shot {
	list := make([]conform.Shot, len(e.Shots))
	for i, s := range e.Shots {
		list[i] = conform.Shot{Source: s.Source, In: s.In, Start: s.Start, Length: s.Length, Speed: s.Speed}
	}
	return list
}

// shotsOf are the shots of a picture track.
func shotsOf(t *scene.Track) []conform.Shot {
	list := make([]conform.Shot, len(t.Clips))
	for i, c := range t.Clips {
		list[i] = conform.Shot{Source: c.Source, In: c.In, Start: c.Start, Length: c.Length}
	}
	return list
}

// frames is how long a scene is.
func frames(s *scene.Scene) int64 {
	n := s.Rate.FrameOf(s.Length(), s.SampleRate)
	if s.Rate.SampleOf(n, s.SampleRate) < s.Length() {
		n++
	}
	return n
}

// unfold lays what is aside behind the scene, so that it is matched like all else.
func (r *recutting) unfold() {
	d := r.d
	r.end = frames(d.Scene)
	at := r.end
	// Frames begin at the same part of a sample again after so many.
	cycle := d.Rate.Num / gcd(d.Rate.Num, d.SampleRate*d.Rate.Den)
	for _, a := range d.Aside {
		at += apart
		at += ((a.From-at)%cycle + cycle) % cycle
		r.aside = append(r.aside, pcm.Span{From: at, To: at + a.Length})
		for _, from := range a.Tracks {
			i := scene.TrackIndex(d.Scene, from.ID)
			if i < 0 {
				continue
			}
			t := d.touch(i)
			start := r.time(t, at)
			for _, c := range from.Clips {
				c.Start += start
				t.Clips = append(t.Clips, c)
			}
			t.Blends = append(t.Blends, from.Blends...)
		}
		at += a.Length
	}
	d.Aside = nil
	r.old = shotsOf(d.Tracks[r.picture])
}

// gcd is the greatest common divisor.
func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// last is where the scene ends, with what is laid behind it.
func (r *recutting) last() int64 {
	if n := len(r.aside); n > 0 {
		return max(r.end, r.aside[n-1].To)
	}
	return r.end
}

// time is a frame in a track's units.
func (r *recutting) time(t *scene.Track, frame int64) int64 {
	if t.Kind == scene.Picture {
		return frame
	}
	return r.d.Rate.SampleOf(frame, r.d.SampleRate)
}

// edges are the frames of the old cut at which it comes apart.
func (r *recutting) edges() []int64 {
	at := map[int64]bool{r.end: true}
	for _, p := range r.pieces {
		at[p.Old.From], at[p.Old.To] = true, true
	}
	return slices.Sorted(maps.Keys(at))
}

// cut cuts what lies over the edges of pieces.
func (r *recutting) cut() error {
	for _, frame := range r.edges() {
		at := r.d.Rate.SampleOf(frame, r.d.SampleRate)
		if err := r.d.cut(r.d.over(r.follow, at), at); err != nil {
			return err
		}
	}
	return nil
}

// pieceOf finds the piece that a frame of the old cut is in.
func (r *recutting) pieceOf(byOld []conform.Piece, frame int64) (conform.Piece, bool) {
	i, found := slices.BinarySearchFunc(byOld, frame, func(p conform.Piece, at int64) int {
		return cmp.Compare(p.Old.From,
			at)
	})
	if !found {
		i--
	}
	if i >= 0 && byOld[i].Old.Contains(frame) {
		return byOld[i], true
	}
	return conform.Piece{}, false
}

// move takes clips to where their picture is now, and what has none aside.
func (r *recutting) move() {
	d := r.d
	byOld := slices.Clone(r.pieces)
	slices.SortFunc(byOld, func(a, b conform.Piece) int { return cmp.Compare(a.Old.From, b.Old.From) })
	gone := map[int64]*scene.Aside{} // by where they begin
	for _, i := range r.follow {
		t := d.touch(i)
		var kept []scene.Clip
		for _, c := range t.Clips {
			frame := r.frame(t, c.Start)
			if p, ok := r.pieceOf(byOld, frame); ok {
				end := c.End()
				c.Start += r.time(t, p.New.From) - r.time(t, p.Old.From)
				kept = append(kept, r.fitted(t, c, p, end))
				continue
			}
			from, to := r.lifted(byOld, frame)
			r.setAside(gone, t, c, pcm.Span{From: from, To: to})
		}
		slices.SortFunc(kept, func(a, b scene.Clip) int { return cmp.Compare(a.Start, b.Start) })
		t.Clips = kept
		r.blends(t, gone)
	}
	r.others(byOld)
	r.keep(gone)
}

// moveOwn takes the picture to where it is now, and sound with its own shots.
func (r *recutting) moveOwn(e *Recut) {
	d := r.d
	was := *d.Tracks[r.picture]
	was.Clips = slices.Clone(was.Clips)
	r.pictureWas = &was
	byOld := slices.Clone(r.pieces)
	slices.SortFunc(byOld, func(a, b conform.Piece) int { return cmp.Compare(a.Old.From, b.Old.From) })
	gone := map[int64]*scene.Aside{}
	went := map[scene.ClipID]int64{}
	for _, i := range r.follow {
		t := d.touch(i)
		if t.Kind != scene.Picture {
			continue
		}
		for _, frame := range r.edges() {
			if k := t.At(frame); k < len(t.Clips) && t.Clips[k].Start < frame {
				cutOne(d, t, &t.Clips[k], frame)
			}
		}
		var kept []scene.Clip
		for _, c := range t.Clips {
			if p, ok := r.pieceOf(byOld, c.Start); ok {
				went[c.ID] = d.Rate.SampleOf(p.New.From, d.SampleRate) - d.Rate.SampleOf(p.Old.From, d.SampleRate)
				c.Start += p.New.From - p.Old.From
				kept = append(kept, c)
				continue
			}
			from, to := r.lifted(byOld, c.Start)
			r.setAside(gone, t, c, pcm.Span{From: from, To: to})
		}
		slices.SortFunc(kept, func(a, b scene.Clip) int { return cmp.Compare(a.Start, b.Start) })
		t.Clips = kept
	}
	r.fates = r.soundFollows(e, byOld, gone, went)
	r.others(byOld)
	r.keep(gone)
}

// keep keeps what was lifted, if it has sound.
func (r *recutting) keep(gone map[int64]*scene.Aside) {
	for _, at := range slices.Sorted(maps.Keys(gone)) {
		a := gone[at]
		if slices.ContainsFunc(a.Tracks, func(t *scene.Track) bool { return t.Kind == scene.Sound }) {
			r.leads(a)
			r.d.Aside = append(r.d.Aside, a)
		}
	}
}

// leads lets a stretch begin where the first of its sound does.
func (r *recutting) leads(a *scene.Aside) {
	d, first := r.d, int64(0)
	for _, t := range a.Tracks {
		slices.SortFunc(t.Clips, func(a, b scene.Clip) int { return cmp.Compare(a.Start, b.Start) })
		if t.Kind == scene.Sound && len(t.Clips) > 0 {
			first = min(first, t.Clips[0].Start)
		}
	}
	if first == 0 {
		return
	}
	start := d.Rate.SampleOf(a.From, d.SampleRate)
	from := d.Rate.FrameOf(start+first, d.SampleRate)
	by := start - d.Rate.SampleOf(from, d.SampleRate)
	for _, t := range a.Tracks {
		for i := range t.Clips {
			if t.Kind == scene.Sound {
				t.Clips[i].Start += by
			} else {
				t.Clips[i].Start += a.From - from
			}
		}
	}
	a.From, a.Length = from, a.Length+a.From-from
}

// fitted lets a clip of sound that reached to its picture's end reach there where frames are no whole number of
// samples, and a stretch is a sample shorter or longer where it lies now.
func (r *recutting) fitted(t *scene.Track, c scene.Clip, p conform.Piece, was int64) scene.Clip {
	end, src := r.time(t, p.New.To), r.d.Sources[c.Source]
	switch by := end - c.End(); {
	case t.Kind == scene.Picture:
	case by < 0 && by >= -drift, was == r.time(t, p.Old.To) && by == 1 && (src.Unknown || c.In+c.Length < src.Samples):
		c.Length += by
		c.FitFades()
	}
	return c
}

// frame is the one that a moment of a track lies in; the start of a frame may be half a sample beside it.
func (r *recutting) frame(t *scene.Track, at int64) int64 {
	if t.Kind == scene.Picture {
		return at
	}
	return r.d.Rate.FrameOf(at, r.d.SampleRate)
}

// setAside keeps a clip with the stretch, in frames, that was lifted with it.
func (r *recutting) setAside(gone map[int64]*scene.Aside, t *scene.Track, c scene.Clip, stretch pcm.Span) {
	from, to := stretch.From, stretch.To
	a := gone[from]
	if a == nil {
		a = &scene.Aside{From: from, Length: to - from}
		gone[from] = a
	}
	k := slices.IndexFunc(a.Tracks, func(x *scene.Track) bool { return x.ID == t.ID })
	if k < 0 {
		k = len(a.Tracks)
		a.Tracks = append(a.Tracks, &scene.Track{ID: t.ID, Kind: t.Kind, Purpose: t.Purpose, Name: t.Name})
	}
	a.Length = max(a.Length, r.frame(t, c.End()-1)+1-from)
	c.Start -= r.time(t, from)
	a.Tracks[k].Clips = append(a.Tracks[k].Clips, c)
}

// lifted is the stretch around a frame that no piece has: what was aside already stays apart.
func (r *recutting) lifted(byOld []conform.Piece, frame int64) (from, to int64) {
	from, to = 0, r.last()
	for _, x := range append([]pcm.Span{{To: r.end}}, r.aside...) {
		if x.Contains(frame) {
			from, to = x.From, x.To
		}
	}
	for _, p := range byOld {
		if p.Old.To <= frame {
			from = max(from, p.Old.To)
		}
		if p.Old.From > frame {
			to = min(to, p.Old.From)
		}
	}
	return from, to
}

// blends lets blends go with their clips, those of what was lifted aside.
func (r *recutting) blends(t *scene.Track, gone map[int64]*scene.Aside) {
	of := map[scene.ClipID]*scene.Track{}
	for _, a := range gone {
		for _, x := range a.Tracks {
			if x.ID == t.ID {
				for _, c := range x.Clips {
					of[c.ID] = x
				}
			}
		}
	}
	var kept []scene.Blend
	for _, b := range t.Blends {
		left, right := of[b.Left], of[b.Right]
		switch {
		case left == nil && right == nil:
			kept = append(kept, b)
		case left == right:
			left.Blends = append(left.Blends, b)
		}
	}
	t.Blends = kept
}

// others moves what lies on no track: markers, and where ducks never apply.
func (r *recutting) others(byOld []conform.Piece) {
	d := r.d
	now := func(at int64) (int64, bool) {
		p, ok := r.pieceOf(byOld, d.Rate.FrameOf(at, d.SampleRate))
		if !ok && at >= d.Rate.SampleOf(r.end, d.SampleRate) && len(byOld) > 0 { // behind all
			p, ok = r.pieceOf(byOld, r.end-1)
		}
		return at + d.Rate.SampleOf(p.New.From, d.SampleRate) - d.Rate.SampleOf(p.Old.From, d.SampleRate), ok
	}
	var markers []scene.Marker
	for _, m := range d.Markers {
		at, ok := now(m.At)
		if !ok {
			continue
		}
		if m.Length > 0 {
			if end, ok := now(m.At + m.Length - 1); ok && end >= at {
				m.Length = end + 1 - at
			}
		}
		m.At = max(0, at)
		markers = append(markers, m)
	}
	slices.SortStableFunc(markers, func(a, b scene.Marker) int { return cmp.Compare(a.At, b.At) })
	d.Markers = markers
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			if len(t.Ducks[k].Except) == 0 {
				continue
			}
			t = touchDucks(d, i)
			var list []pcm.Span
			for _, x := range t.Ducks[k].Except {
				from, ok := now(x.From)
				to, too := now(x.To - 1)
				if ok && too && to >= from {
					list = append(list, pcm.Span{From: from, To: to + 1})
				}
			}
			slices.SortFunc(list, func(a, b pcm.Span) int { return cmp.Compare(a.From, b.From) })
			t.Ducks[k].Except = pcm.Union(list)
		}
	}
}

// show lays the new picture where none of the old is, and makes one shot of what goes on.
func (r *recutting) show(e *Recut, shots []conform.Shot) {
	d := r.d
	t := d.touch(r.picture)
	made := map[scene.ClipID]bool{}
	for i, s := range e.Shots {
		if s.Source == "" {
			continue
		}
		for _, free := range conform.Free(r.pieces, shots[i].Span()) {
			c := scene.Clip{
				ID:     scene.NewID(d.Scene, scene.AClip),
				Source: s.Source,
				Name:   shortName(cmp.Or(s.Name, d.Sources[s.Source].Name)),
				In:     s.In + free.From - s.Start,
				Start:  free.From,
				Length: free.Len(),
			}
			made[c.ID] = true
			at, _ := slices.BinarySearchFunc(
				t.Clips,
				c.Start,
				func(o scene.Clip, at int64) int { return cmp.Compare(o.Start, at) },
			)
			t.Clips = slices.Insert(t.Clips, at, c)
		}
	}
	for i := 0; i+1 < len(t.Clips); i++ {
		a, b := &t.Clips[i], t.Clips[i+1]
		if !t.Touches(i) || a.Source != b.Source || a.In+a.Length != b.In || !made[a.ID] && !made[b.ID] {
			continue
		}
		if made[a.ID] { // what was there has its link, its name and its id
			b.Start, b.In, b.Length = a.Start, a.In, a.Length+b.Length
			made[b.ID] = made[b.ID] && made[a.ID]
			t.Clips[i] = b
		} else {
			a.Length += b.Length
		}
		t.Clips = slices.Delete(t.Clips, i+1, i+2)
		i--
	}
}

func (e *Recut) words(before, _ *scene.Scene) string {
	changes, _ := RecutChanges(before, e)
	count := map[conform.What]int{}
	for _, c := range changes {
		count[c.What]++
	}
	var list []string
	for _, what := range conform.Whats {
		if n := count[what]; n > 0 {
			list = append(list, fmt.Sprintf("%d %s", n, what))
		}
	}
	if len(list) == 0 {
		return "new picture cut, in which nothing changed"
	}
	return "new picture cut: " + strings.Join(list, ", ")
}
