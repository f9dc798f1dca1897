package edit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Divide cuts clips in two at a moment, with clips linked with them that lie over it unless Alone; with All, every clip
// under it on every track that is not locked.
type Divide struct {
	Clips []scene.ClipID `json:"clips"`
	At    int64          `json:"at"`
	All   bool           `json:"all,omitempty"`
	Alone bool           `json:"alone,omitempty"`
}

func (e *Divide) apply(d *draft) error {
	ids := slices.Clone(e.Clips)
	for _, t := range d.Tracks {
		for i := range t.Clips {
			if c := t.Clips[i]; e.All && !t.Locked && scene.ClipTime(d.Scene, t, c).Contains(e.At) &&
				d.Time(t, c.Start) < e.At &&
				!slices.Contains(ids, c.ID) {
				ids = append(ids, c.ID)
			}
		}
	}
	if len(ids) == 0 {
		return notPossible("No clip lies under the playhead; move it over a clip, or select one.")
	}
	for _, id := range ids {
		if t, _ := d.Clip(id); t == nil {
			return notPossible("There is no clip %q in this scene; it may have been removed.", id)
		}
	}
	if !e.Alone {
		ids = d.withLinked(ids, e.At)
	}
	at := onFrame(d.Scene, e.At, ids)
	for _, id := range ids {
		if err := e.possible(d, id, at); err != nil {
			return err
		}
	}
	return d.cut(ids, at)
}

// possible refuses a division beside a clip or inside a blend of it.
func (e *Divide) possible(d *draft, id scene.ClipID, at int64) error {
	t, c := d.Clip(id)
	cut := d.Unit(t, at)
	if cut <= c.Start || cut >= c.End() {
		return notPossible(
			"%s does not lie over %s; it runs from %s to %s.",
			c.Name,
			d.Timecode(at),
			d.Timecode(d.Time(t, c.Start)),
			d.Timecode(d.Time(t, c.End())),
		)
	}
	head, tail := t.BlendsOf(id)
	instead := func(at int64) *Divide {
		other := *e
		other.At = d.Time(t, at)
		return &other
	}
	switch {
	case head != nil && cut < c.Start+head.After:
		r := notPossible("%s lies inside the blend at the head of %s.", d.Timecode(at), c.Name)
		d.suggest(&r.options, "divide where the blend ends", instead(c.Start+head.After))
		return r
	case tail != nil && cut > c.End()-tail.Before:
		r := notPossible("%s lies inside the blend at the tail of %s.", d.Timecode(at), c.Name)
		d.suggest(&r.options, "divide where the blend begins", instead(c.End()-tail.Before))
		return r
	}
	return nil
}

func (e *Divide) words(before, after *scene.Scene) string {
	at := before.Timecode(e.At)
	if e.All {
		return "all tracks divided at " + at
	}
	_, c := before.Clip(e.Clips[0])
	if len(e.Clips) > 1 {
		return fmt.Sprintf("%s divided at %s", phrase.Count(len(e.Clips), "clip"), at)
	}
	if e.Alone {
		return fmt.Sprintf("%s divided alone at %s", c.Name, at)
	}
	return fmt.Sprintf("%s divided at %s", c.Name, at)
}

// withLinked adds the clips that are linked with some and lie over a moment.
func (d *draft) withLinked(ids []scene.ClipID, at int64) []scene.ClipID {
	ids = slices.Clone(ids)
	for _, id := range slices.Clone(ids) {
		for _, other := range d.Linked(id) {
			if t, c := d.Clip(other); !slices.Contains(ids, other) && d.Time(t, c.Start) < at &&
				at < d.Time(t, c.End()) {
				ids = append(ids, other)
			}
		}
	}
	return ids
}

// cut cuts clips in two. Blends that the cut runs through go. Where all clips of a link that lie over the moment are
// cut, those behind it get a link of their own.
func (d *draft) cut(ids []scene.ClipID, at int64) error {
	var links []scene.LinkID
	for _, id := range ids {
		t, c, err := d.open(id)
		if err != nil {
			return err
		}
		where := d.Unit(t, at)
		if where <= c.Start || where >= c.End() {
			continue
		}
		if c.Link != "" && !slices.Contains(links, c.Link) {
			links = append(links, c.Link)
		}
		cutOne(d, t, c, where)
	}
	for _, link := range links {
		d.splitLink(link, at)
	}
	return nil
}

func cutOne(d *draft, t *scene.Track, c *scene.Clip, where int64) {
	head, tail := t.BlendsOf(c.ID)
	if head != nil && where < c.Start+head.After {
		t.DropBlend(head.Left, head.Right)
		_, tail = t.BlendsOf(c.ID)
	}
	right := *c
	right.ID = scene.NewID(d.Scene, scene.AClip)
	right.In, right.Start, right.Length = c.In+where-c.Start, where, c.End()-where
	right.FadeIn = scene.Fade{}
	if tail != nil {
		if where > c.End()-tail.Before {
			t.DropBlend(tail.Left, tail.Right)
		} else {
			tail.Left = right.ID
		}
	}
	tailIsNow(d, c.ID, right.ID)
	dividedDucks(d, c.ID, right.ID)
	id := c.ID
	c.Length = where - c.Start
	c.FadeOut = scene.Fade{}
	c.FitFades()
	right.FitFades()
	i := slices.IndexFunc(t.Clips, func(o scene.Clip) bool { return o.ID == id })
	t.Clips = slices.Insert(t.Clips, i+1, right)
}

// splitLink gives the clips of a link that lie behind a moment a link of their own, unless one still lies over it.
func (d *draft) splitLink(link scene.LinkID, at int64) {
	type place struct{ track, clip int }
	var behind []place
	ahead := 0
	for ti, t := range d.Tracks {
		for ci, c := range t.Clips {
			switch where := d.Unit(t, at); {
			case c.Link != link:
			case c.Start >= where:
				behind = append(behind, place{ti, ci})
			case c.End() > where:
				return
			default:
				ahead++
			}
		}
	}
	var now scene.LinkID
	if len(behind) > 1 {
		now = d.newLink()
	}
	for _, p := range behind {
		d.touch(p.track).Clips[p.clip].Link = now
	}
	if ahead == 1 {
		d.unlinkAll(link)
	}
}

func (d *draft) unlinkAll(link scene.LinkID) {
	for ti, t := range d.Tracks {
		for ci, c := range t.Clips {
			if c.Link == link {
				d.touch(ti).Clips[ci].Link = ""
			}
		}
	}
}

// over gives the clips of tracks that a moment lies inside.
func (d *draft) over(tracks []int, at int64) (ids []scene.ClipID) {
	for _, ti := range tracks {
		t := d.Tracks[ti]
		if i := t.At(d.Unit(t, at)); i < len(t.Clips) && t.Clips[i].Start < d.Unit(t, at) {
			ids = append(ids, t.Clips[i].ID)
		}
	}
	return ids
}

// clear takes out what lies between two moments on tracks, leaving a gap.
func (d *draft) clear(tracks []int, from, to int64) error {
	for _, at := range []int64{from, to} {
		if err := d.cut(d.over(tracks, at), at); err != nil {
			return err
		}
	}
	for _, ti := range tracks {
		t := d.Tracks[ti]
		inside := func(c scene.Clip) bool { return c.Start >= d.Unit(t, from) && c.End() <= d.Unit(t, to) }
		if slices.ContainsFunc(t.Clips, inside) {
			own := d.touch(ti)
			own.Clips = slices.DeleteFunc(own.Clips, inside)
		}
	}
	return nil
}

// Remove takes clips, and those linked with them unless Alone, off their tracks and leaves a gap or, with Close,
// moves all that follows up by their length; that of the picture where there is one.
type Remove struct {
	Clips []scene.ClipID `json:"clips"`
	Close bool           `json:"close,omitempty"`
	Alone bool           `json:"alone,omitempty"`
}

func (e *Remove) apply(d *draft) error {
	if len(e.Clips) == 0 {
		return notPossible("No clip is selected; select one to remove it.")
	}
	groups, err := e.groups(d)
	if err != nil {
		return err
	}
	for _, g := range groups { // the latest first, so that what closes up moves nothing that is still to come
		if err := e.removeGroup(d, g); err != nil {
			return err
		}
	}
	return nil
}

// groups gives the clips that go, those that are linked together, the latest first.
func (e *Remove) groups(d *draft) (groups [][]scene.ClipID, err error) {
	seen := map[scene.ClipID]bool{}
	start := map[scene.ClipID]int64{}
	for _, id := range e.Clips {
		if _, _, ok := d.Find(id); !ok {
			return nil, notPossible("There is no clip %q in this scene; it may have been removed.", id)
		}
		group := []scene.ClipID{id}
		if !e.Alone {
			group = d.Linked(id)
		}
		group = slices.DeleteFunc(group, func(one scene.ClipID) bool { return seen[one] })
		if len(group) == 0 {
			continue
		}
		for _, one := range group {
			seen[one] = true
		}
		t, c := d.Clip(group[0])
		start[group[0]] = d.Time(t, c.Start)
		groups = append(groups, group)
	}
	slices.SortStableFunc(groups, func(a, b []scene.ClipID) int { return cmp.Compare(start[b[0]], start[a[0]]) })
	return groups, nil
}

func (e *Remove) removeGroup(d *draft, ids []scene.ClipID) error {
	picture := anyPicture(d.Scene, ids)
	span := [2]int64{scene.Unbounded, 0}
	tails := map[int]int64{} // by track
	for _, id := range ids {
		ti, ci, _ := d.Find(id)
		t := d.Tracks[ti]
		if err := d.unlocked(t); err != nil {
			return err
		}
		at := scene.ClipTime(d.Scene, t, t.Clips[ci])
		if t.Kind == scene.Picture || !picture {
			span = [2]int64{min(span[0], at.From), max(span[1], at.To)}
		}
		tails[ti] = max(tails[ti], at.To)
		d.touch(ti).Remove(id)
	}
	d.dropLostLink(ids)
	if !e.Close {
		return nil
	}
	from := scene.Unbounded
	for _, tail := range tails {
		from = min(from, tail)
	}
	from = max(min(from, span[1]), span[0])
	back := d.Rate.Nearest(span[0], d.SampleRate) - d.Rate.Nearest(span[1], d.SampleRate)
	err := d.ripple(span[1], from, steadied(d.Scene, from, step{span[0] - span[1], back}), nil)
	if r, ok := err.(Refusal); ok {
		d.suggest(optionsOf(r), "leave a gap", &Remove{e.Clips, false, e.Alone})
	}
	return err
}

// dropLostLink frees a clip that was linked with what has gone, if it is the only one left.
func (d *draft) dropLostLink(gone []scene.ClipID) {
	for _, id := range gone {
		if _, was := d.base.Clip(id); was != nil && was.Link != "" && len(linkedBy(d.Scene, was.Link)) == 1 {
			d.unlinkAll(was.Link)
		}
	}
}

func (e *Remove) words(before, after *scene.Scene) string {
	t, c := before.Clip(e.Clips[0])
	what := c.Name
	if len(e.Clips) > 1 {
		what = phrase.Count(len(e.Clips), "clip")
	}
	if e.Close {
		at := before.Time(t, c.End())
		return what + " removed, closed up" + stayWords(before, at, at, after)
	}
	return what + " removed, a gap left"
}

// RemoveRange takes what lies between two moments out of tracks, all that are not locked if none is named, and leaves
// a gap or, with Close, moves what follows on those tracks up.
type RemoveRange struct {
	From   int64           `json:"from"`
	To     int64           `json:"to"`
	Tracks []scene.TrackID `json:"tracks,omitempty"`
	Close  bool            `json:"close,omitempty"`
}

func (e *RemoveRange) apply(d *draft) error {
	tracks, err := d.chosen(e.Tracks)
	if err != nil {
		return err
	}
	from, to, err := rangeOn(d, tracks, e.From, e.To)
	if err != nil {
		return err
	}
	x := step{from - to, d.Rate.Nearest(from, d.SampleRate) - d.Rate.Nearest(to, d.SampleRate)}
	if e.Close {
		if x = steadied(d.Scene, to, x); from-x.samples != to {
			to = from - x.samples // so that sound meets to the sample
		}
	}
	if err := d.clear(tracks, from, to); err != nil {
		return err
	}
	if !e.Close {
		return nil
	}
	for ti, t := range d.Tracks {
		first := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.Start >= d.Unit(t, to) })
		if first < 0 {
			continue
		}
		if len(e.Tracks) == 0 && t.Locked && !t.Stays {
			err := leftBehind(d, t, first, from)
			d.suggest(optionsOf(err.(Refusal)), "leave a gap", &RemoveRange{e.From, e.To, e.Tracks, false})
			return err
		}
		if !slices.Contains(tracks, ti) {
			continue
		}
		t = d.touch(ti)
		for i := first; i < len(t.Clips); i++ {
			t.Clips[i].Start += x.on(t)
		}
	}
	if len(e.Tracks) == 0 {
		moveMarkers(d, to, x.samples)
	}
	return nil
}

// CloseGap moves all that follows a gap of a track up by its length, on every track that follows. At is any moment in
// it.
type CloseGap struct {
	Track scene.TrackID `json:"track"`
	At    int64         `json:"at"`
}

// gapAt gives the gap of a track that lies over a moment, in samples, and the index of the clip that ends it.
func gapAt(s *scene.Scene, t *scene.Track, at int64) (from, to int64, next int, ok bool) {
	next = t.At(s.Unit(t, at))
	if next == len(t.Clips) || s.Time(t, t.Clips[next].Start) <= at {
		return 0, 0, 0, false
	}
	if next > 0 {
		from = s.Time(t, t.Clips[next-1].End())
	}
	return from, s.Time(t, t.Clips[next].Start), next, true
}

func (e *CloseGap) apply(d *draft) error {
	t := d.Track(e.Track)
	if t == nil {
		return notPossible("There is no track %q in this scene.", e.Track)
	}
	from, to, next, ok := gapAt(d.Scene, t, e.At)
	if !ok || e.At < 0 {
		return notPossible(
			"No gap of track %s lies at %s with a clip after it, so there is nothing to close up.",
			t.Name,
			d.Timecode(max(0, e.At)),
		)
	}
	follows := to
	for _, id := range d.Linked(t.Clips[next].ID) { // sound that leads comes along
		ot, c := d.Clip(id)
		if start := d.Time(ot, c.Start); start >= from {
			follows = min(follows, start)
		}
	}
	back := d.Rate.Nearest(from, d.SampleRate) - d.Rate.Nearest(to, d.SampleRate)
	x := step{from - to, back}
	if back == 0 ||
		scene.FramesAt(
			d.Scene,
			d.Rate.Nearest(to, d.SampleRate),
			back,
		) != x.samples { // whole frames, as picture follows
		x = wholeFramesBack(d.Scene, to, from-to)
	}
	if x.samples == 0 {
		return notPossible(
			"The gap of track %s is %s long; what follows moves by whole frames. Roll or nudge the edge instead.",
			t.Name,
			scene.LengthWords(d.Scene, to-from),
		)
	}
	err := d.ripple(to, follows, steadied(d.Scene, follows, x), nil)
	if r, refused := err.(Refusal); refused {
		d.suggest(optionsOf(r), "take the stretch out of every track", &RemoveRange{From: from, To: to, Close: true})
	}
	return err
}

// wholeFramesBack is a step back by no more than a length, in whole frames if there is picture to move.
func wholeFramesBack(s *scene.Scene, at, by int64) step {
	for _, t := range s.Tracks {
		if t.Kind == scene.Picture && len(t.Clips) > 0 {
			n := s.Rate.FrameOf(-by, s.SampleRate)
			return step{scene.FramesAt(s, s.Rate.Nearest(at, s.SampleRate), -n), -n}
		}
	}
	return step{by, 0}
}

func (e *CloseGap) words(before, after *scene.Scene) string {
	t := before.Track(e.Track)
	_, to, next, _ := gapAt(before, t, e.At)
	_, now := after.Clip(t.Clips[next].ID)
	by := before.Time(t, t.Clips[next].Start) - after.Time(after.Track(e.Track), now.Start)
	return fmt.Sprintf(
		"gap of %s on %s closed up%s",
		scene.LengthWords(before, by),
		t.Name,
		stayWords(before, to, to, after),
	)
}

// inSync gives edits to offer in place of one that would lose sync.
func (e *RemoveRange) inSync() []Alternative {
	return []Alternative{
		{"take it out of every track", &RemoveRange{e.From, e.To, nil, e.Close}},
		{"leave a gap", &RemoveRange{e.From, e.To, e.Tracks, false}},
	}
}

// named gives the indices of tracks by their ids; none may be locked.
func (d *draft) named(ids []scene.TrackID) (list []int, err error) {
	for _, id := range ids {
		i := scene.TrackIndex(d.Scene, id)
		if i < 0 {
			return nil, notPossible("There is no track %q in this scene.", id)
		}
		if err := d.unlocked(d.Tracks[i]); err != nil {
			return nil, err
		}
		list = append(list, i)
	}
	return list, nil
}

// chosen gives the indices of named tracks, which must not be locked; of all that are not locked and follow if none is
// named.
func (d *draft) chosen(ids []scene.TrackID) ([]int, error) {
	list, err := d.named(ids)
	if err != nil {
		return nil, err
	}
	if len(ids) == 0 {
		for i, t := range d.Tracks {
			if !t.Locked && !t.Stays {
				list = append(list, i)
			}
		}
	}
	if len(list) == 0 {
		return nil, notPossible(
			"Every track is locked or does not follow, so there is nothing to work on. Unlock one first.",
		)
	}
	return list, nil
}

// rangeOn checks a range, on whole frames if a track is picture.
func rangeOn(d *draft, tracks []int, from, to int64) (int64, int64, error) {
	if from < 0 || to <= from || to > scene.Unbounded {
		return 0, 0, notPossible("There is no range. Drag over the ruler or over empty cloth to make one.")
	}
	if slices.ContainsFunc(tracks, func(ti int) bool { return d.Tracks[ti].Kind == scene.Picture }) {
		x := d.Rate.Nearest(from, d.SampleRate)
		y := max(x+1, d.Rate.Nearest(to, d.SampleRate))
		return d.Rate.SampleOf(x, d.SampleRate), d.Rate.SampleOf(y, d.SampleRate), nil
	}
	return from, to, nil
}

func (e *RemoveRange) words(before, after *scene.Scene) string {
	words := fmt.Sprintf("%s from %s removed", scene.LengthWords(before, e.To-e.From), before.Timecode(e.From))
	taken, left := e.touched(before)
	if len(e.Tracks) == 1 {
		words += " on track " + before.Track(e.Tracks[0]).Name
	} else if len(taken) > 0 {
		words += " on " + namesOf(taken)
	}
	words += phrase.Either(e.Close, ", closed up", ", a gap left")
	if len(left) > 0 {
		words += "; " + namesOf(left) + phrase.Either(len(left) == 1, " stays", " stay")
	}
	return words
}

// touched names the tracks of which something lies in the range: those it is taken from, and those that stay.
func (e *RemoveRange) touched(s *scene.Scene) (taken, left []string) {
	for _, t := range s.Tracks {
		i := t.At(s.Unit(t, e.From))
		if i == len(t.Clips) || s.Time(t, t.Clips[i].Start) >= e.To {
			continue
		}
		if slices.Contains(e.Tracks, t.ID) || len(e.Tracks) == 0 && !t.Locked && !t.Stays {
			taken = append(taken, t.Name)
		} else {
			left = append(left, t.Name)
		}
	}
	return taken, left
}

// namesOf puts names into a sentence, the first three of many.
func namesOf(names []string) string {
	const most = 3
	if n := len(names) - most; n > 0 {
		return strings.Join(names[:most], ", ") + " and " + phrase.Count(n, "other")
	}
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
	}
	return strings.Join(names, "")
}
