package merge

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// A change is the smallest thing that a version does to the ancestor.
type change struct {
	key    string // of what: two changes of one key by two versions touch, unless they come to the same
	value  any    // what it becomes; nil if it goes
	clip   scene.ClipID
	track  scene.TrackID
	at     int64    // sample of the ancestor, nowhere for what has no place
	joints []string // changes of a version that share one are done together or not at all
	do     func(b *build)
}

// nowhere is behind all that has a place.
const nowhere = int64(1) << 62

// A version is what one did to the ancestor.
type version struct {
	base, s *scene.Scene
	changes []*change
	was     map[scene.ClipID]located // in the ancestor
	is      map[scene.ClipID]located
	ripples map[scene.TrackID][]ripple
	patched map[scene.ClipID]bool // clips with a hole that a patch fills
}

// located is a clip with its place on its track.
type located struct {
	track *scene.Track
	at    int // its index
	clip  *scene.Clip
}

func locate(s *scene.Scene) map[scene.ClipID]located {
	m := map[scene.ClipID]located{}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			m[t.Clips[i].ID] = located{t, i, &t.Clips[i]}
		}
	}
	return m
}

// changesOf are those of a version that has the ancestor's ids.
func changesOf(base, s *scene.Scene) *version {
	v := &version{base: base, s: s, was: locate(base), is: locate(s), ripples: map[scene.TrackID][]ripple{},
		patched: map[scene.ClipID]bool{}}
	for _, places := range []map[scene.ClipID]located{v.was, v.is} {
		for _, p := range places {
			if p.clip.Fills != nil {
				v.patched[p.clip.Fills.Clip], v.patched[p.clip.Fills.Next] = true, true
			}
		}
	}
	for _, t := range base.Tracks {
		if now := s.Track(t.ID); now != nil {
			v.ripples[t.ID] = v.findRipples(t)
		}
	}
	for _, t := range base.Tracks {
		v.lastGoesAlong(t)
	}
	v.ofScene()
	v.ofTracks()
	for _, t := range base.Tracks {
		v.rippled(t)
		for i := range t.Clips {
			v.ofClip(t, &t.Clips[i])
		}
	}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			if was, known := v.was[t.Clips[i].ID]; !known || was.track.ID != t.ID {
				v.laid(t, i)
			}
		}
		v.ofBlends(t)
	}
	v.ofPairs()
	v.ofMarkers()
	return v
}

func (v *version) add(c *change) { v.changes = append(v.changes, c) }

// stays gives what a clip of the ancestor is in the version, if it is on its track still.
func (v *version) stays(t *scene.Track, c *scene.Clip) (located, bool) {
	now, ok := v.is[c.ID]
	return now, ok && now.track.ID == t.ID
}

// shift is by how much a clip's sound lies later, in its track's unit.
func shift(was, now *scene.Clip) int64 {
	if was.Source != now.Source {
		return now.Start - was.Start
	}
	return (now.Start - now.In) - (was.Start - was.In)
}

// joints are names of the cuts at a clip's edges, in the ancestor and in the version.
func joints(side scene.Side, places ...located) (list []string) {
	for _, p := range places {
		if p.track == nil {
			continue
		}
		t, i := p.track, p.at
		switch {
		case side == scene.Head && i > 0 && t.Touches(i-1):
			list = append(list, string(t.Clips[i-1].ID+"|"+t.Clips[i].ID))
		case side == scene.Tail && t.Touches(i):
			list = append(list, string(t.Clips[i].ID+"|"+t.Clips[i+1].ID))
		}
	}
	return list
}

// around are all joints of a clip that moves, comes or goes: its cuts, what is linked with it, the hole that it fills.
func (v *version) around(places ...located) []string {
	list := append(joints(scene.Head, places...), joints(scene.Tail, places...)...)
	for _, p := range places {
		if p.track == nil {
			continue
		}
		list = append(list, "ahead:"+string(p.clip.ID))
		if p.clip.Link != "" {
			list = append(list, "link:"+string(p.clip.Link))
		}
		if p.clip.Fills != nil {
			list = append(list, "hole:"+string(p.clip.Fills.Clip), "hole:"+string(p.clip.Fills.Next))
		}
	}
	return append(list, v.hole(places[0].clip.ID)...)
}

// edge are the joints of a clip's head or tail.
func (v *version) edge(side scene.Side, was, now located) []string {
	list := append(joints(side, was, now), v.hole(was.clip.ID)...)
	if was.clip.Link != "" {
		list = append(list, "link:"+string(was.clip.Link)+" "+string(side))
	}
	return list
}

// hole is the joint of a clip with what fills a hole beside it or in it.
func (v *version) hole(id scene.ClipID) []string {
	if v.patched[id] {
		return []string{"hole:" + string(id)}
	}
	return nil
}

func (v *version) ofClip(t *scene.Track, c *scene.Clip) {
	was, at := v.was[c.ID], v.base.Time(t, c.Start)
	now, ok := v.stays(t, c)
	id := c.ID
	of := func(what string, value any, joints []string, do func(b *build)) {
		v.add(&change{key: string(id) + "." + what, value: value, clip: id, track: t.ID, at: at, joints: joints, do: do})
	}
	if !ok {
		of("gone", nil, append(v.around(was, v.is[id]), "clip:"+string(id), "track:"+string(t.ID)+" gone"),
			func(b *build) { delete(b.clips, id) })
		return
	}
	n := now.clip
	by := shift(c, n) - v.rippledBy(t.ID, was.at)
	var with []string // both edges of what was slipped or moved, too
	if by != 0 {
		with = append(with, "place:"+string(id))
	}
	switch {
	case n.Source != c.Source:
		source, in, length := n.Source, n.In, n.Length
		of("source", source, append(with, "shows:"+string(id)), func(b *build) {
			p := b.clips[id]
			p.Source, p.In, p.Length, p.other = source, in, length, true
		})
	default:
		if in := n.In; in != c.In {
			of("head", in, append(v.edge(scene.Head, was, now), append(with, "head:"+string(id))...), func(b *build) {
				p := b.clips[id]
				p.Length += p.In - in
				p.In = in
			})
		}
		if end := n.In + n.Length; end != c.In+c.Length {
			of("tail", end, append(v.edge(scene.Tail, was, now), append(with, "ahead:"+string(id))...), func(b *build) {
				b.clips[id].Length = end - b.clips[id].In
			})
		}
	}
	if by != 0 {
		of("place", by, append(v.around(was, now), with...), func(b *build) { b.clips[id].moved += by })
	}
	fields(c, n, clipApart, func(name string, value reflect.Value) {
		var with []string
		switch {
		case strings.HasPrefix(name, "Fade"):
			with = append(with, name+":"+string(id))
		case n.Source != c.Source: // what was done to the take that sounded goes with it
			with = append(with, "shows:"+string(id))
		}
		of(name, value.Interface(), with, func(b *build) {
			reflect.ValueOf(&b.clips[id].Clip).Elem().FieldByName(name).Set(value)
		})
	})
	v.ofLulls(c, n, of)
}

// clipApart are the fields of a clip that changes of their own have.
var clipApart = []string{"ID", "Source", "In", "Start", "Length", "Lulls"}

// fields calls do for each field of two structs that differs, but for some. A list without entries is as good as none.
func fields(was, now any, but []string, do func(name string, value reflect.Value)) {
	a, b := reflect.ValueOf(was).Elem(), reflect.ValueOf(now).Elem()
	for i := range a.NumField() {
		name := a.Type().Field(i).Name
		x, y := a.Field(i), b.Field(i)
		if slices.Contains(but, name) || reflect.DeepEqual(x.Interface(), y.Interface()) {
			continue
		}
		if k := x.Kind(); (k == reflect.Slice || k == reflect.Map) && x.Len() == 0 && y.Len() == 0 {
			continue
		}
		do(name, y)
	}
}

func (v *version) ofLulls(c, n *scene.Clip, of func(string, any, []string, func(*build))) {
	find := func(list []scene.Lull, id scene.LullID) (scene.Lull, bool) {
		i := slices.IndexFunc(list, func(l scene.Lull) bool { return l.ID == id })
		if i < 0 {
			return scene.Lull{}, false
		}
		return list[i], true
	}
	id, joint := c.ID, v.hole(c.ID)
	if n.Source != c.Source {
		joint = append(joint, "shows:"+string(id))
	}
	for _, l := range c.Lulls {
		if _, there := find(n.Lulls, l.ID); !there {
			of("lull "+string(l.ID), nil, joint, func(b *build) {
				p := b.clips[id]
				p.Lulls = slices.DeleteFunc(slices.Clone(p.Lulls), func(o scene.Lull) bool { return o.ID == l.ID })
			})
		}
	}
	for _, l := range n.Lulls {
		was, there := find(c.Lulls, l.ID)
		if there && was == l {
			continue
		}
		of("lull "+string(l.ID), l, joint, func(b *build) {
			p := b.clips[id]
			p.Lulls = slices.DeleteFunc(slices.Clone(p.Lulls), func(o scene.Lull) bool { return o.ID == l.ID })
			p.Lulls = append(p.Lulls, l)
			slices.SortFunc(p.Lulls, func(x, y scene.Lull) int { return int(x.From - y.From) })
		})
	}
}

// laid is a clip that the ancestor does not have, or has on another track.
func (v *version) laid(t *scene.Track, i int) {
	c := t.Clips[i]
	after := -1 // the last clip of the ancestor before it
	for k := i - 1; k >= 0 && after < 0; k-- {
		if was, known := v.was[t.Clips[k].ID]; known && was.track.ID == t.ID {
			after = was.at
		}
	}
	start := c.Start - v.rippledBy(t.ID, after)
	value := c
	value.Start = start
	track := t.ID
	v.add(&change{key: string(c.ID) + ".new", value: value, clip: c.ID, track: track, at: v.base.Time(t, start),
		joints: append(v.around(located{t, i, &t.Clips[i]}), "clip:"+string(c.ID), "track:"+string(track)+" new"),
		do: func(b *build) {
			b.laid = append(b.laid, &placed{Clip: value, track: track, at: after})
		}})
}

func (v *version) ofBlends(t *scene.Track) {
	was := v.base.Track(t.ID)
	of := func(left, right scene.ClipID, value any, do func(b *build)) {
		at := v.was[left]
		c := &change{key: string(left + "|" + right), value: value, clip: left, track: t.ID, do: do,
			joints: []string{string(left + "|" + right)}}
		if at.track != nil {
			c.at = v.base.Time(at.track, at.clip.End())
		} else if now := v.is[left]; now.track != nil {
			c.at = v.s.Time(now.track, now.clip.End())
		}
		v.add(c)
	}
	for _, x := range t.Blends {
		if was != nil {
			if b := was.Blend(x.Left, x.Right); b != nil && reflect.DeepEqual(*b, x) {
				continue
			}
		}
		track := t.ID
		of(x.Left, x.Right, x, func(b *build) { b.putBlend(track, x) })
	}
	if was == nil {
		return
	}
	for _, x := range was.Blends {
		if t.Blend(x.Left, x.Right) == nil {
			track := t.ID
			of(x.Left, x.Right, nil, func(b *build) { b.dropBlend(track, x.Left, x.Right) })
		}
	}
}

func (v *version) ofPairs() {
	of := func(p scene.Pair, value any, do func(b *build)) {
		c := &change{key: string(p.Out + "~" + p.In), value: value, clip: p.Out, do: do,
			joints: []string{"FadeOut:" + string(p.Out), "FadeIn:" + string(p.In)}}
		if now := v.is[p.Out]; now.track != nil {
			c.at, c.track = v.s.Time(now.track, now.clip.End()), now.track.ID
		}
		v.add(c)
	}
	is := func(p scene.Pair) func(o scene.Pair) bool {
		return func(o scene.Pair) bool { return o.Out == p.Out && o.In == p.In }
	}
	for _, p := range v.s.Pairs {
		i := slices.IndexFunc(v.base.Pairs, is(p))
		if i >= 0 && reflect.DeepEqual(v.base.Pairs[i], p) {
			continue
		}
		of(p, p, func(b *build) { b.pairs = append(slices.DeleteFunc(b.pairs, is(p)), p) })
	}
	for _, p := range v.base.Pairs {
		if !slices.ContainsFunc(v.s.Pairs, is(p)) {
			of(p, nil, func(b *build) { b.pairs = slices.DeleteFunc(b.pairs, is(p)) })
		}
	}
}

func (v *version) ofMarkers() {
	index := func(list []scene.Marker, id scene.MarkerID) int {
		return slices.IndexFunc(list, func(m scene.Marker) bool { return m.ID == id })
	}
	for _, m := range v.base.Markers {
		i := index(v.s.Markers, m.ID)
		if i < 0 {
			v.add(&change{key: string(m.ID) + ".gone", at: m.At, do: func(b *build) { delete(b.markers, m.ID) }})
			continue
		}
		now := v.s.Markers[i]
		if own := now.At - m.At - along(v.base, v.ripples, m.At); own != 0 {
			var with []string
			if abs(own) <= 2 { // frames are no whole number of samples: it went along
				track, k := nearest(v.base, m.At)
				for _, r := range v.ripples[track] {
					if r.from <= k {
						with = append(with, "head:"+string(v.base.Track(track).Clips[r.from].ID))
					}
				}
			}
			v.add(&change{key: string(m.ID) + ".At", value: own, at: m.At, joints: with, do: func(b *build) {
				if x := b.markers[m.ID]; x != nil {
					x.moved += own
				}
			}})
		}
		fields(&m, &now, []string{"ID", "At"}, func(name string, value reflect.Value) {
			v.add(&change{key: string(m.ID) + "." + name, value: value.Interface(), at: m.At, do: func(b *build) {
				if x := b.markers[m.ID]; x != nil {
					reflect.ValueOf(&x.Marker).Elem().FieldByName(name).Set(value)
				}
			}})
		})
	}
	for _, m := range v.s.Markers {
		if index(v.base.Markers, m.ID) < 0 {
			at := m
			at.At = max(0, m.At-along(v.base, v.ripples, m.At))
			rest := m.At - at.At - along(v.base, v.ripples, at.At)
			v.add(&change{key: string(m.ID) + ".new", value: at, at: at.At,
				do: func(b *build) { b.markers[m.ID] = &marked{Marker: at, moved: rest} }})
		}
	}
}

// ofScene are changes of the scene as a whole, and of its sources.
func (v *version) ofScene() {
	but := []string{"Rate", "SampleRate", "Tracks", "Pairs", "Markers", "Sources", "Aside", "LastID", "Origins"}
	fields(v.base, v.s, but, func(name string, value reflect.Value) {
		v.add(&change{key: "scene." + name, value: value.Interface(), at: nowhere,
			do: func(b *build) { reflect.ValueOf(&b.scene).Elem().FieldByName(name).Set(value) }})
	})
	if !reflect.DeepEqual(v.base.Aside, v.s.Aside) && len(v.base.Aside)+len(v.s.Aside) > 0 {
		v.add(&change{key: "aside", value: v.s.Aside, at: nowhere, do: func(b *build) { b.scene.Aside = v.s.Aside }})
	}
	for _, id := range sorted(v.s.Sources) {
		src := v.s.Sources[id]
		was, known := v.base.Sources[id]
		if !known || reflect.DeepEqual(was, src) {
			continue // a new one comes with what shows it
		}
		v.add(&change{key: "source." + id, value: src, at: nowhere, do: func(b *build) { b.scene.Sources[id] = src }})
	}
}

func (v *version) ofTracks() {
	for _, t := range v.base.Tracks {
		now := v.s.Track(t.ID)
		id := t.ID
		if now == nil {
			v.add(&change{key: string(id) + ".gone", track: id, at: nowhere, joints: []string{"track:" + string(id) + " gone"},
				do: func(b *build) {
					delete(b.tracks, id)
					b.order = slices.DeleteFunc(b.order, func(o scene.TrackID) bool { return o == id })
				}})
			continue
		}
		fields(t, now, []string{"ID", "Kind", "Clips", "Blends"}, func(name string, value reflect.Value) {
			v.add(&change{key: string(id) + "." + name, value: value.Interface(), track: id, at: nowhere,
				do: func(b *build) { reflect.ValueOf(b.tracks[id]).Elem().FieldByName(name).Set(value) }})
		})
	}
	for i, t := range v.s.Tracks {
		if v.base.Track(t.ID) != nil {
			continue
		}
		own, after := *t, scene.TrackID("")
		own.Clips, own.Blends = []scene.Clip{}, nil
		if i > 0 {
			after = v.s.Tracks[i-1].ID
		}
		v.add(&change{key: string(t.ID) + ".new", value: own, track: t.ID, at: nowhere,
			joints: []string{"track:" + string(t.ID) + " new"},
			do: func(b *build) {
				mine := own
				mine.Clips = []scene.Clip{}
				b.tracks[own.ID] = &mine
				b.inserts = append(b.inserts, [2]scene.TrackID{own.ID, after})
			}})
	}
	if was, now := v.common(v.base, v.s), v.common(v.s, v.base); !slices.Equal(was, now) {
		v.add(&change{key: "order", value: now, at: nowhere, do: func(b *build) { b.sorted = now }})
	}
}

// common are the tracks of one scene that another has as well, in order.
func (v *version) common(s, o *scene.Scene) (list []scene.TrackID) {
	for _, t := range s.Tracks {
		if o.Track(t.ID) != nil {
			list = append(list, t.ID)
		}
	}
	return list
}

// rows groups changes that are done together, in order of time; each by their places in v.changes.
func (v *version) rows() (list [][]int) {
	parent := make([]int, len(v.changes))
	for i := range parent {
		parent[i] = i
	}
	root := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	held := map[string]int{}
	for i, c := range v.changes {
		for _, j := range c.joints {
			if o, seen := held[j]; seen {
				parent[root(i)] = root(o)
			}
			held[j] = i
		}
	}
	groups := map[int][]int{}
	for i := range v.changes {
		groups[root(i)] = append(groups[root(i)], i)
	}
	list = slices.Collect(maps.Values(groups))
	first := func(g []int) (at int64) {
		at = nowhere
		for _, i := range g {
			at = min(at, v.changes[i].at)
		}
		return at
	}
	slices.SortFunc(list, func(a, b []int) int {
		if x, y := first(a), first(b); x != y {
			return int(min(max(x-y, -1), 1))
		}
		return a[0] - b[0]
	})
	return list
}
