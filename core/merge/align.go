package merge

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strconv"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// Align gives a version of a scene the ids of another one: what is the same in both is known by one id then. Scene
// files have no ids, so that clips are matched by what they show and where, recordings by checksum, file or name,
// tracks by name. All else gets ids with numbers above after. A clip that neither has, but twin has just so, gets its
// id.
func Align(to, s, twin *scene.Scene, after int64) (*scene.Scene, error) {
	s, err := withSources(to, twin, s)
	if err != nil {
		return nil, err
	}
	a := newAligning(to, s, max(after, to.LastID, s.LastID, twin.LastID))
	a.matchTracks(to)
	a.matchTracks(twin)
	a.matchClips(to, false)
	a.matchClips(twin, true)
	a.matchMarkers(to)
	a.matchMarkers(twin)
	return a.renamed(), nil
}

// renumbered is a version that has the ids of another one, but for what came new, with numbers above after.
func renumbered(to, s *scene.Scene, after int64) *scene.Scene {
	a := newAligning(to, s, after)
	for _, t := range s.Tracks {
		if to.Track(t.ID) != nil {
			a.tracks[t.ID] = t.ID
		}
		for _, c := range t.Clips {
			if _, was := to.Clip(c.ID); was != nil {
				a.clips[c.ID] = c.ID
			}
		}
	}
	for _, t := range to.Tracks {
		for _, c := range t.Clips {
			if c.Link != "" {
				a.links[c.Link] = c.Link
			}
		}
	}
	for _, m := range to.Markers {
		a.markers[m.ID] = m.ID
	}
	return a.renamed()
}

func newAligning(to, s *scene.Scene, last int64) *aligning {
	return &aligning{to: to, s: s, last: last,
		tracks: map[scene.TrackID]scene.TrackID{}, clips: map[scene.ClipID]scene.ClipID{},
		links: map[scene.LinkID]scene.LinkID{}, markers: map[scene.MarkerID]scene.MarkerID{},
		lulls: map[scene.ClipID]map[scene.LullID]scene.LullID{}}
}

// withSources is a scene with the recordings of another in the place of its own, where they are the same.
func withSources(to, twin, s *scene.Scene) (*scene.Scene, error) {
	found := sameSources(to, s, map[string]scene.Source{})
	found = sameSources(twin, s, found)
	now := map[string]scene.Source{}
	for _, id := range sorted(s.Sources) {
		src := s.Sources[id]
		if src.Made() {
			continue
		}
		if is, ok := found[id]; ok {
			is.Stretches, is.Name, is.Offset = src.Stretches, cmp.Or(src.Name, is.Name), src.Offset
			is.Corrections = src.Corrections
			if is.Joined == nil {
				is.Joined = src.Joined
			}
			now[id] = is
			continue
		}
		for n := 2; ; n++ {
			_, taken := to.Sources[src.ID]
			_, taken2 := twin.Sources[src.ID]
			if !taken && !taken2 {
				break
			}
			src.ID = id + "-" + strconv.Itoa(n)
		}
		now[id] = src
	}
	return scene.WithRecordings(s, now)
}

// sameSources finds the recordings of one scene that those of another version are, by the version's ids, beside those
// that were found: no recording is two.
func sameSources(to, s *scene.Scene, found map[string]scene.Source) map[string]scene.Source {
	taken := map[string]bool{}
	for _, is := range found {
		taken[is.ID] = true
	}
	long := func(src, o scene.Source) bool { return o.Samples == src.Samples && o.Frames == src.Frames }
	for _, same := range []func(src, o scene.Source) bool{
		func(src, o scene.Source) bool { return o.ID == src.ID && o.URL == src.URL && long(src, o) },
		func(src, o scene.Source) bool { return src.SHA256 != "" && o.SHA256 == src.SHA256 },
		func(src, o scene.Source) bool { return src.URL != "" && o.URL == src.URL },
		func(src, o scene.Source) bool { return src.URL != "" && path.Base(o.URL) == path.Base(src.URL) },
		func(src, o scene.Source) bool { return src.Name != "" && o.Name == src.Name && long(src, o) },
	} {
		for _, id := range sorted(s.Sources) {
			src := s.Sources[id]
			if _, known := found[id]; known || src.Made() {
				continue
			}
			for _, other := range sorted(to.Sources) {
				o := to.Sources[other]
				if !o.Made() && !taken[other] && (o.SHA256 == "" || src.SHA256 == "" || o.SHA256 == src.SHA256) && same(src, o) {
					found[id], taken[other] = o, true
					break
				}
			}
		}
	}
	return found
}

// An aligning is one under way: by the version's ids, those of the other.
type aligning struct {
	to, s   *scene.Scene
	last    int64
	tracks  map[scene.TrackID]scene.TrackID
	clips   map[scene.ClipID]scene.ClipID
	links   map[scene.LinkID]scene.LinkID
	markers map[scene.MarkerID]scene.MarkerID
	lulls   map[scene.ClipID]map[scene.LullID]scene.LullID
}

// next is a new id of a kind.
func next[ID ~string](a *aligning, kind ID) ID {
	a.last++
	return kind + ID(strconv.FormatInt(a.last, 10))
}

// matchTracks finds tracks by kind and name, then by kind and what they show.
func (a *aligning) matchTracks(to *scene.Scene) {
	taken := map[scene.TrackID]bool{}
	for _, id := range a.tracks {
		taken[id] = true
	}
	shows := func(t, o *scene.Track) bool {
		for _, c := range t.Clips {
			if slices.ContainsFunc(o.Clips, func(x scene.Clip) bool { return x.Source == c.Source }) {
				return true
			}
		}
		return false
	}
	for _, same := range []func(t, o *scene.Track) bool{
		func(t, o *scene.Track) bool { return t.Name == o.Name && t.Purpose == o.Purpose },
		func(t, o *scene.Track) bool { return t.Name == o.Name },
		shows,
	} {
		for _, t := range a.s.Tracks {
			for _, o := range to.Tracks {
				if a.tracks[t.ID] == "" && !taken[o.ID] && t.Kind == o.Kind && same(t, o) {
					a.tracks[t.ID], taken[o.ID] = o.ID, true
				}
			}
		}
	}
}

// matchClips finds clips on the tracks that match: those that show the same stretch, in order; then those that show
// part of it; then those that lie in the same place. In the end those that went to another track. exact asks for the
// same place and stretch.
func (a *aligning) matchClips(to *scene.Scene, exact bool) {
	taken := map[scene.ClipID]bool{}
	for _, id := range a.clips {
		taken[id] = true
	}
	left := func(t *scene.Track, own bool) (list []one) {
		for i := range t.Clips {
			c := &t.Clips[i]
			if own && a.clips[c.ID] == "" || !own && !taken[c.ID] {
				list = append(list, one{t, c})
			}
		}
		return list
	}
	match := func(pairs [][2]one) {
		for _, p := range pairs {
			a.clips[p[0].c.ID], taken[p[1].c.ID] = p[1].c.ID, true
		}
	}
	for _, t := range a.s.Tracks {
		o := to.Track(a.tracks[t.ID])
		if o == nil {
			continue
		}
		if exact {
			match(best(left(t, true), left(o, false), func(x, y one) int64 {
				return same(x.c.Source == y.c.Source && x.c.In == y.c.In && x.c.Length == y.c.Length && x.c.Start == y.c.Start)
			}))
			continue
		}
		match(inOrder(left(t, true), left(o, false)))
		match(best(left(t, true), left(o, false), overlap))
		match(best(left(t, true), left(o, false), place))
	}
	if exact {
		return
	}
	var own, other []one
	for _, t := range a.s.Tracks {
		own = append(own, left(t, true)...)
	}
	for _, t := range to.Tracks {
		other = append(other, left(t, false)...)
	}
	match(best(own, other, func(x, y one) int64 {
		if x.t.Kind != y.t.Kind || x.c.Source != y.c.Source || x.c.In != y.c.In || x.c.Length != y.c.Length {
			return 0
		}
		return 1
	}))
}

// one is a clip where it lies.
type one struct {
	t *scene.Track
	c *scene.Clip
}

func same(is bool) int64 {
	if is {
		return 1
	}
	return 0
}

// overlap is how much of a recording two clips have in common.
func overlap(x, y one) int64 {
	if x.c.Source != y.c.Source {
		return 0
	}
	return shown(x.c).Intersect(shown(y.c)).Len()
}

// place is how much of the scene two clips have in common, if that is most of both.
func place(x, y one) int64 {
	n := x.c.Span().Intersect(y.c.Span()).Len()
	if 2*n <= max(x.c.Length, y.c.Length) {
		return 0
	}
	return n
}

func shown(c *scene.Clip) pcm.Span { return pcm.Span{From: c.In, To: c.In + c.Length} }

// best pairs those off that have most in common; of equals those that lie nearest.
func best(own, other []one, score func(x, y one) int64) (pairs [][2]one) {
	type candidate struct {
		x, y        one
		score, away int64
	}
	var list []candidate
	for _, x := range own {
		for _, y := range other {
			if n := score(x, y); n > 0 {
				list = append(list, candidate{x, y, n, abs(x.c.Start - y.c.Start)})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(b.score, a.score), cmp.Compare(a.away, b.away))
	})
	seen := map[*scene.Clip]bool{}
	for _, c := range list {
		if !seen[c.x.c] && !seen[c.y.c] {
			seen[c.x.c], seen[c.y.c] = true, true
			pairs = append(pairs, [2]one{c.x, c.y})
		}
	}
	return pairs
}

func abs(n int64) int64 { return max(n, -n) }

// mostCells bounds the table of inOrder; longer lists are matched from both ends, and by what they overlap.
const mostCells = 1 << 24

// inOrder pairs off a longest common subsequence of clips that show the same (R. A. Wagner, M. J. Fischer, "The
// String-to-String Correction Problem", JACM 21(1), 1974).
func inOrder(own, other []one) (pairs [][2]one) {
	is := func(x, y one) bool {
		return x.c.Source == y.c.Source && x.c.In == y.c.In && x.c.Length == y.c.Length
	}
	for len(own) > 0 && len(other) > 0 && is(own[0], other[0]) {
		pairs = append(pairs, [2]one{own[0], other[0]})
		own, other = own[1:], other[1:]
	}
	for len(own) > 0 && len(other) > 0 && is(own[len(own)-1], other[len(other)-1]) {
		pairs = append(pairs, [2]one{own[len(own)-1], other[len(other)-1]})
		own, other = own[:len(own)-1], other[:len(other)-1]
	}
	n, m := len(own), len(other)
	if n*m > mostCells {
		return pairs
	}
	length := make([]int32, (n+1)*(m+1))
	for i := n - 1; i >= 0; i-- {
		for j := m - 1; j >= 0; j-- {
			at := i*(m+1) + j
			if is(own[i], other[j]) {
				length[at] = length[at+m+2] + 1
			} else {
				length[at] = max(length[at+1], length[at+m+1])
			}
		}
	}
	for i, j := 0, 0; i < n && j < m; {
		at := i*(m+1) + j
		switch {
		case is(own[i], other[j]):
			pairs = append(pairs, [2]one{own[i], other[j]})
			i, j = i+1, j+1
		case length[at+m+1] >= length[at+1]:
			i++
		default:
			j++
		}
	}
	return pairs
}

func sorted(m map[string]scene.Source) []string { return slices.Sorted(maps.Keys(m)) }

func (a *aligning) matchMarkers(to *scene.Scene) {
	taken := map[scene.MarkerID]bool{}
	for _, id := range a.markers {
		taken[id] = true
	}
	for _, same := range []func(m, o scene.Marker) bool{
		func(m, o scene.Marker) bool { return m.Name == o.Name && m.At == o.At },
		func(m, o scene.Marker) bool { return m.Name == o.Name },
		func(m, o scene.Marker) bool { return m.At == o.At },
	} {
		for _, m := range a.s.Markers {
			for _, o := range to.Markers {
				if a.markers[m.ID] == "" && !taken[o.ID] && same(m, o) {
					a.markers[m.ID], taken[o.ID] = o.ID, true
				}
			}
		}
	}
}

// renamed is the version with the ids that were found, and new ones for all else.
func (a *aligning) renamed() *scene.Scene {
	s := *a.s
	for _, t := range s.Tracks {
		if a.tracks[t.ID] == "" {
			a.tracks[t.ID] = next(a, scene.ATrack)
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			if a.clips[c.ID] == "" {
				a.clips[c.ID] = next(a, scene.AClip)
			}
			_, was := a.to.Clip(a.clips[c.ID])
			a.matchLulls(c, was)
			if c.Link != "" && was != nil && was.Link != "" && a.links[c.Link] == "" && !has(a.links, was.Link) {
				a.links[c.Link] = was.Link
			}
		}
	}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if c.Link != "" && a.links[c.Link] == "" {
				a.links[c.Link] = next(a, scene.ALink)
			}
		}
	}
	s.Tracks = a.renamedTracks(s.Tracks)
	s.Aside = nil
	for _, x := range a.s.Aside {
		own := &scene.Aside{From: x.From, Length: x.Length, Tracks: a.renamedTracks(x.Tracks)}
		for _, o := range a.to.Aside {
			if o.From == own.From && o.Length == own.Length && len(o.Tracks) == len(own.Tracks) {
				own = o
				break
			}
		}
		s.Aside = append(s.Aside, own)
	}
	s.Pairs = slices.Clone(s.Pairs)
	for i := range s.Pairs {
		p := &s.Pairs[i]
		p.Out, p.In = a.clips[p.Out], a.clips[p.In]
	}
	s.Markers = slices.Clone(s.Markers)
	for i := range s.Markers {
		m := &s.Markers[i]
		if a.markers[m.ID] == "" {
			a.markers[m.ID] = next(a, scene.AMarker)
		}
		m.ID = a.markers[m.ID]
	}
	s.LastID = a.last
	return &s
}

func has[K, V comparable](m map[K]V, value V) bool {
	for _, v := range m {
		if v == value {
			return true
		}
	}
	return false
}

// matchLulls finds a clip's lulls among those of the clip that it is.
func (a *aligning) matchLulls(c, was *scene.Clip) {
	ids := map[scene.LullID]scene.LullID{}
	taken := map[scene.LullID]bool{}
	if was != nil {
		for _, same := range []func(l, o scene.Lull) bool{
			func(l, o scene.Lull) bool { return l.Span() == o.Span() },
			func(l, o scene.Lull) bool { return l.Span().Overlaps(o.Span()) },
		} {
			for _, l := range c.Lulls {
				for _, o := range was.Lulls {
					if ids[l.ID] == "" && !taken[o.ID] && same(l, o) {
						ids[l.ID], taken[o.ID] = o.ID, true
					}
				}
			}
		}
	}
	for _, l := range c.Lulls {
		if ids[l.ID] == "" {
			ids[l.ID] = next(a, scene.ALull)
		}
	}
	a.lulls[c.ID] = ids
}

// clip is the id that a clip has now. One that is not of the scene, as those of what is kept aside, keeps its own, or
// gets a new one where that is another clip's.
func (a *aligning) clip(id scene.ClipID) scene.ClipID {
	if id != "" && a.clips[id] == "" {
		a.clips[id] = id
		if _, taken := a.to.Clip(id); taken != nil {
			a.clips[id] = next(a, scene.AClip)
		}
	}
	return a.clips[id]
}

func (a *aligning) renamedTracks(tracks []*scene.Track) (list []*scene.Track) {
	for _, was := range tracks {
		t := *was
		t.ID = a.tracks[t.ID]
		t.Clips, t.Blends, t.Ducks = slices.Clone(t.Clips), slices.Clone(t.Blends), slices.Clone(t.Ducks)
		for i := range t.Clips {
			a.renameClip(&t.Clips[i])
		}
		for i := range t.Blends {
			a.renameBlend(&t.Blends[i])
		}
		for i := range t.Ducks {
			u := &t.Ducks[i]
			u.Under, u.Clips = slices.Clone(u.Under), slices.Clone(u.Clips)
			for k, id := range u.Under {
				u.Under[k] = cmp.Or(a.tracks[id], id)
			}
			for k, id := range u.Clips {
				u.Clips[k] = a.clip(id)
			}
		}
		list = append(list, &t)
	}
	return list
}

func (a *aligning) renameBlend(b *scene.Blend) {
	b.Left, b.Right = a.clip(b.Left), a.clip(b.Right)
}

func (a *aligning) renameClip(c *scene.Clip) {
	was := c.ID
	c.ID, c.Lulls = a.clip(was), slices.Clone(c.Lulls)
	if c.Link != "" {
		if a.links[c.Link] == "" {
			a.links[c.Link] = next(a, scene.ALink)
		}
		c.Link = a.links[c.Link]
	}
	for i := range c.Lulls {
		c.Lulls[i].ID = cmp.Or(a.lulls[was][c.Lulls[i].ID], c.Lulls[i].ID)
	}
	if c.Fills != nil {
		hole := *c.Fills
		hole.Lull = cmp.Or(a.lulls[hole.Clip][hole.Lull], hole.Lull)
		hole.Clip, hole.Next = a.clip(hole.Clip), a.clip(hole.Next)
		c.Fills = &hole
	}
	c.Takes = c.Takes.With(func(take *scene.Take) {
		for _, b := range []**scene.Blend{&take.Head, &take.Tail} {
			if *b != nil {
				own := **b
				a.renameBlend(&own)
				*b = &own
			}
		}
	})
}
