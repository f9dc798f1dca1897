// Package merge takes together what two people did to one scene, each to a version of their own: a three-way comparison
// with the version that both began with. What the two did in different places, or to different things, is taken from
// both; where they touch, somebody chooses.
//
// A version is read as changes of the smallest kind: an edge of a clip, its place, one of its settings, a blend. Those
// that hang together, as the two sides of a cut that was rolled, are one [Row]. What moved all that follows is told
// apart from what moved a clip by itself, so that two versions that both closed something up come out shorter by both.
// Whether two rows go together is asked of the laws of the scene. Nothing here knows files or pages.
package merge

import (
	"reflect"
	"slices"
	"strings"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// Side says whose version it is.
type Side int

// The two versions.
const (
	Mine Side = iota
	Theirs
)

func (s Side) String() string {
	if s == Mine {
		return "mine"
	}
	return "theirs"
}

// A Row is what one version did in one place.
type Row struct {
	By       Side
	Both     bool // theirs did the same
	At       int64
	Track    scene.TrackID // "" for what is of no track
	Words    []string
	Conflict int // index into Comparison.Conflicts, -1: it is taken

	changes []*change
}

// A Conflict is rows of both that do not go together.
type Conflict struct {
	Mine, Theirs []int // rows
	Why          string
}

// A Comparison is what both versions did.
type Comparison struct {
	Rows      []Row
	Conflicts []Conflict

	base, mine, theirs *scene.Scene
	versions           [2]*version
	runs               []runs // of the three
}

// Known says which versions have the ids of mine, as states have that one log of edits holds.
type Known int

// What is known of ids.
const (
	None   Known = iota // each version comes from a file
	OfBase              // what both began with is in the log of mine
	OfBoth              // and theirs is one edit more than that
)

// Compare compares two versions of a scene with the one that both began with. mine keeps its ids. The error says why
// they are not versions of one scene.
func Compare(base, mine, theirs *scene.Scene, known Known) (*Comparison, error) {
	c, err := compare(base, mine, theirs, known)
	if err == nil {
		c.tell()
	}
	return c, err
}

// compare does so without words.
func compare(base, mine, theirs *scene.Scene, known Known) (*Comparison, error) {
	for _, s := range []*scene.Scene{base, theirs} {
		if s.SampleRate != mine.SampleRate || s.Rate != mine.Rate {
			return nil, refuse.Errorf("it has %s frames and %d samples a second, yours %s and %d", s.Rate, s.SampleRate,
				mine.Rate, mine.SampleRate)
		}
	}
	var err error
	if known == None {
		if base, err = Align(mine, base, mine, mine.LastID); err != nil {
			return nil, err
		}
	}
	if known == OfBoth {
		theirs = renumbered(base, theirs, max(base.LastID, mine.LastID))
	} else if theirs, err = Align(base, theirs, mine, max(base.LastID, mine.LastID)); err != nil {
		return nil, err
	}
	c := &Comparison{base: base, mine: mine, theirs: theirs,
		versions: [2]*version{changesOf(base, mine), changesOf(base, theirs)}}
	c.list()
	c.clashes()
	c.runs = []runs{runsOf(base), runsOf(mine), runsOf(theirs)}
	c.structure()
	return c, nil
}

// list makes the rows of both, mine first; what both did is mine.
func (c *Comparison) list() {
	for side, v := range c.versions {
		for _, group := range v.rows() {
			row := Row{By: Side(side), Conflict: -1, At: nowhere}
			for _, i := range group {
				ch := v.changes[i]
				row.changes = append(row.changes, ch)
				if ch.at < row.At {
					row.At, row.Track = ch.at, ch.track
				}
			}
			if side == 1 {
				// What a file of theirs says beside what this application reads is no work of theirs.
				if !slices.ContainsFunc(row.changes, func(x *change) bool { return !strings.HasSuffix(x.key, ".Foreign") }) {
					continue
				}
				if i := slices.IndexFunc(c.Rows, func(r Row) bool { return r.By == Mine && sameChanges(r, row) }); i >= 0 {
					c.Rows[i].Both = true
					continue
				}
			}
			c.Rows = append(c.Rows, row)
		}
	}
}

// sameChanges tells whether two rows come to the same.
func sameChanges(a, b Row) bool {
	return len(a.changes) == len(b.changes) && !slices.ContainsFunc(a.changes, func(x *change) bool {
		return !slices.ContainsFunc(b.changes, func(y *change) bool { return x.key == y.key && equal(x.value, y.value) })
	})
}

func equal(a, b any) bool { return reflect.DeepEqual(a, b) }

// clashes finds rows that change the same thing otherwise, or what the other version took away.
func (c *Comparison) clashes() {
	type place struct {
		row int
		ch  *change
	}
	keys, clips, tracks := map[string][]place{}, map[scene.ClipID][]place{}, map[scene.TrackID][]place{}
	for i, r := range c.Rows {
		if r.By == Theirs {
			break
		}
		for _, ch := range r.changes {
			p := place{i, ch}
			keys[ch.key] = append(keys[ch.key], p)
			clips[ch.clip] = append(clips[ch.clip], p)
			tracks[ch.track] = append(tracks[ch.track], p)
		}
	}
	for i, r := range c.Rows {
		if r.By == Mine {
			continue
		}
		for _, ch := range r.changes {
			id, what := cut(ch.key)
			along := strings.HasPrefix(ch.key, "along ")
			for _, p := range keys[ch.key] {
				// What both moved along adds up, unless it is the same move in two rows that differ.
				if !along && (!equal(ch.value, p.ch.value) || c.bothMove(p.row, i)) {
					c.conflict(p.row, i, "both changed the same")
				}
			}
			for _, p := range clips[ch.clip] {
				if ch.clip != "" && touches(ch, p.ch) {
					c.conflict(p.row, i, "one took away what the other changed")
				}
			}
			if ch.clip == "" && what == "gone" && ch.track == scene.TrackID(id) {
				for _, p := range tracks[ch.track] {
					if p.ch.key != ch.key && !strings.HasSuffix(p.ch.key, ".gone") {
						c.conflict(p.row, i, "one took away the track that the other changed")
					}
				}
			}
			for _, p := range tracks[ch.track] {
				if gone := string(ch.track) + ".gone"; p.ch.key == gone && ch.key != gone && !strings.HasSuffix(ch.key, ".gone") {
					c.conflict(p.row, i, "one took away the track that the other changed")
				}
			}
		}
	}
}

// touches tells whether two changes of one clip cannot both be.
func touches(x, y *change) bool {
	is := func(a, b *change) bool {
		_, of := cut(a.key)
		_, other := cut(b.key)
		if strings.HasPrefix(b.key, "along ") || strings.Contains(b.key, "|") || strings.Contains(b.key, "~") {
			return false // the laws of the scene say whether these can be
		}
		return of == "gone" && other != "gone" && other != "new" ||
			of == "source" && (other == "head" || other == "tail" || other == "place" || strings.HasPrefix(other, "lull"))
	}
	return is(x, y) || is(y, x)
}

// bothMove tells whether two rows both move what follows.
func (c *Comparison) bothMove(i, j int) bool {
	moves := func(r Row) bool {
		return slices.ContainsFunc(r.changes, func(x *change) bool { return strings.HasPrefix(x.key, "along ") })
	}
	return moves(c.Rows[i]) && moves(c.Rows[j])
}

// conflict puts two rows into one, with those that they are in already.
func (c *Comparison) conflict(mine, theirs int, why string) {
	a, b := c.Rows[mine].Conflict, c.Rows[theirs].Conflict
	switch {
	case a < 0 && b < 0:
		a = len(c.Conflicts)
		c.Conflicts = append(c.Conflicts, Conflict{Why: why})
	case a < 0:
		a = b
	case b >= 0 && a != b:
		from := c.Conflicts[b]
		for _, i := range append(from.Mine, from.Theirs...) {
			c.put(i, a)
		}
		c.Conflicts[b] = Conflict{}
	}
	c.put(mine, a)
	c.put(theirs, a)
}

func (c *Comparison) put(row, conflict int) {
	to := &c.Conflicts[conflict]
	list := &to.Mine
	if c.Rows[row].By == Theirs {
		list = &to.Theirs
	}
	if !slices.Contains(*list, row) {
		*list = append(*list, row)
		slices.Sort(*list)
	}
	c.Rows[row].Conflict = conflict
}

// structure finds rows that the laws of the scene do not let stand together.
func (c *Comparison) structure() {
	in := make([]bool, len(c.Rows))
	var free []int
	for i, r := range c.Rows {
		if r.By == Mine {
			in[i] = true
		} else if r.Conflict < 0 {
			free = append(free, i)
		}
	}
	c.admit(in, free)
	for k := range c.Conflicts {
		if x := c.Conflicts[k]; len(x.Mine) == 0 && len(x.Theirs) == 1 {
			c.dependent(in, k)
		}
	}
	kept := c.Conflicts[:0]
	for _, x := range c.Conflicts {
		if len(x.Theirs) == 0 {
			continue
		}
		for _, i := range append(slices.Clone(x.Mine), x.Theirs...) {
			c.Rows[i].Conflict = len(kept)
		}
		kept = append(kept, x)
	}
	c.Conflicts = kept
}

// admit takes rows of theirs in, all at once where that can be, else in halves; what cannot be is a conflict.
func (c *Comparison) admit(in []bool, rows []int) {
	if len(rows) == 0 {
		return
	}
	for _, i := range rows {
		in[i] = true
	}
	_, err := c.build(in)
	if err == nil {
		return
	}
	for _, i := range rows {
		in[i] = false
	}
	if len(rows) > 1 {
		c.admit(in, rows[:len(rows)/2])
		c.admit(in, rows[len(rows)/2:])
		return
	}
	theirs := rows[0]
	for _, mine := range c.partners(in, theirs) {
		c.conflict(mine, theirs, sentence(err))
	}
	if c.Rows[theirs].Conflict < 0 { // nothing of mine stands in its way alone
		c.Rows[theirs].Conflict = len(c.Conflicts)
		c.Conflicts = append(c.Conflicts, Conflict{Theirs: []int{theirs}, Why: sentence(err)})
	}
}

// dependent finds the conflict whose rows of theirs one row needs that cannot be by itself, and puts it there.
func (c *Comparison) dependent(in []bool, k int) {
	row := c.Conflicts[k].Theirs[0]
	for i, x := range c.Conflicts {
		if i == k || len(x.Theirs) == 0 {
			continue
		}
		trial := slices.Clone(in)
		trial[row] = true
		for _, r := range x.Mine {
			trial[r] = false
		}
		for _, r := range x.Theirs {
			trial[r] = true
		}
		if _, err := c.build(trial); err == nil {
			c.Conflicts[k] = Conflict{}
			c.put(row, i)
			return
		}
	}
}

// sentence is what an error says, to be put behind a colon.
func sentence(err error) string {
	text := edit.Message(err)
	return strings.TrimSuffix(strings.TrimPrefix(text, "This cannot be done: "), ".")
}

// partners are the rows of mine without which a row of theirs can be: those nearest in time on its tracks, as few as
// are enough.
func (c *Comparison) partners(in []bool, theirs int) []int {
	near := []int{}
	for i, r := range c.Rows {
		if r.By == Mine && in[i] && slices.ContainsFunc(r.changes, func(x *change) bool { return structural(x) }) {
			near = append(near, i)
		}
	}
	away := func(i int) int64 { return abs(c.Rows[i].At - c.Rows[theirs].At) }
	slices.SortStableFunc(near, func(a, b int) int { return int(min(max(away(a)-away(b), -1), 1)) })
	without := func(rows []int) bool {
		trial := slices.Clone(in)
		trial[theirs] = true
		for _, i := range rows {
			trial[i] = false
		}
		_, err := c.build(trial)
		return err == nil
	}
	for n := 1; ; n *= 2 {
		if n >= len(near) {
			if n = len(near); n == 0 || !without(near) {
				return nil
			}
		}
		if !without(near[:n]) {
			continue
		}
		rows := slices.Clone(near[:n]) // those that need not go stay
		for i := 0; i < len(rows) && len(rows) > 1; {
			fewer := slices.Delete(slices.Clone(rows), i, i+1)
			if without(fewer) {
				rows = fewer
			} else {
				i++
			}
		}
		return rows
	}
}

// structural tells whether a change has to do with where things lie.
func structural(x *change) bool {
	_, what := cut(x.key)
	switch what {
	case "gone", "new", "head", "tail", "place", "source", "FadeIn", "FadeOut", "Link", "Locked", "Fills", "Takes":
		return true
	}
	return strings.HasPrefix(what, "lull") || strings.ContainsAny(x.key, "|~ ")
}

// build is the scene with some rows; the error says why it cannot be.
func (c *Comparison) build(in []bool) (*scene.Scene, error) {
	b := newBuild(c.base)
	var list []*change
	seen := map[string]bool{}
	for i, r := range c.Rows {
		if !in[i] {
			continue
		}
		for _, ch := range r.changes {
			if r.By == Theirs && seen[ch.key] && !strings.HasPrefix(ch.key, "along ") {
				continue // the same as mine
			}
			list = append(list, ch)
			if r.By == Mine {
				seen[ch.key] = true
			}
		}
	}
	b.do(list)
	s, err := b.made(c.mine, c.theirs)
	if err != nil {
		return nil, err
	}
	return s, c.holds(s)
}

// holds tells whether a scene that has come out can be, with all that is in it.
func (c *Comparison) holds(s *scene.Scene) error {
	if err := s.Check(); err != nil { // a fade of one on what the other has shortened
		return err
	}
	now, err := edit.Apply(c.mine, edit.NewMerge(c.mine, s, ""))
	if err != nil {
		return err
	}
	for i, t := range s.Tracks {
		o := now.Tracks[i]
		for _, b := range t.Blends {
			if o.Blend(b.Left, b.Right) == nil {
				return refuse.Errorf("the blend from %s has no cut any more, or does not fit there", nameOf(s, b.Left))
			}
		}
		for _, x := range t.Clips {
			if _, there := now.Clip(x.ID); there == nil {
				return refuse.Errorf("the hole that %s fills is gone", x.Name)
			}
		}
	}
	if len(now.Pairs) != len(s.Pairs) {
		return refuse.Errorf("clips of a blend across two tracks do not overlap as they have to any more")
	}
	return c.inSync(now)
}

func nameOf(s *scene.Scene, id scene.ClipID) string {
	if _, c := s.Clip(id); c != nil {
		return c.Name
	}
	return string(id)
}

// runs is by how many samples the sound or picture of one clip runs later than that of another which it is linked to.
type runs map[[2]scene.ClipID]int64

func runsOf(s *scene.Scene) runs {
	links, list := map[scene.LinkID][]one{}, runs{}
	origin := func(x one) int64 { return s.Time(x.t, x.c.Start) - s.Time(x.t, x.c.In) }
	for _, t := range s.Tracks {
		for i := range t.Clips {
			x := one{t, &t.Clips[i]}
			if x.c.Link == "" {
				continue
			}
			for _, o := range links[x.c.Link] {
				list[[2]scene.ClipID{o.c.ID, x.c.ID}] = origin(x) - origin(o)
			}
			links[x.c.Link] = append(links[x.c.Link], x)
		}
	}
	return list
}

// inSync tells whether linked clips run as they do in one of the versions.
func (c *Comparison) inSync(s *scene.Scene) error {
	for p, by := range runsOf(s) {
		fits, any := false, false
		for _, was := range c.runs {
			if n, there := was[p]; there {
				any = true
				fits = fits || abs(n-by) <= 2
			}
		}
		if any && !fits {
			return refuse.Errorf("%s would run out of step with what it is linked to", nameOf(s, p[1]))
		}
	}
	return nil
}

// tell puts each row into words: what it alone does to the ancestor.
func (c *Comparison) tell() {
	for i := range c.Rows {
		r := &c.Rows[i]
		b := newBuild(c.base)
		b.do(r.changes)
		if s, err := b.made(c.mine, c.theirs); err == nil {
			r.Words = scene.Differences(c.base, s)
		}
		if len(r.Words) == 0 {
			r.Words = []string{"something that is not heard"}
		}
		if r.At == nowhere { // it is of a whole track, or of the scene
			r.At, r.Track = 0, r.changes[0].track
		}
	}
}

// Where is where a row lies in a scene that came out, in samples: with its clip, if that is there.
func (c *Comparison) Where(row int, s *scene.Scene) int64 {
	r := c.Rows[row]
	for _, ch := range r.changes {
		if ch.at != r.At || ch.clip == "" {
			continue
		}
		t, now := s.Clip(ch.clip)
		if now == nil {
			continue
		}
		at := s.Time(t, now.Start)
		if x, was := c.base.Clip(ch.clip); was != nil {
			at += r.At - c.base.Time(x, was.Start)
		}
		return min(max(0, at), s.Length())
	}
	return min(r.At, s.Length())
}

// Takes tells whether a row is taken, with what was chosen as for Scene.
func (c *Comparison) Takes(row int, theirs, without map[int]bool) bool {
	r := c.Rows[row]
	if r.Conflict >= 0 {
		return theirs[r.Conflict] == (r.By == Theirs)
	}
	return r.By == Mine || !without[row]
}

// Scene is what both versions come to: theirs says of each conflict, by its place in the list, whether theirs is taken
// in place of mine; without names rows of theirs that are not wanted. The error says what does not go together.
func (c *Comparison) Scene(theirs, without map[int]bool) (*scene.Scene, error) {
	in := make([]bool, len(c.Rows))
	for i := range c.Rows {
		in[i] = c.Takes(i, theirs, without)
	}
	return c.build(in)
}
