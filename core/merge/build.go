package merge

import (
	"cmp"
	"maps"
	"slices"

	"blendseam/core/refuse"
	"blendseam/core/scene"
)

// A build puts changes of both versions to the ancestor.
type build struct {
	base    *scene.Scene
	scene   scene.Scene
	order   []scene.TrackID
	sorted  []scene.TrackID    // tracks whose order was changed, nil: none
	inserts [][2]scene.TrackID // new tracks, each with the one before it
	tracks  map[scene.TrackID]*scene.Track
	clips   map[scene.ClipID]*placed // of the ancestor
	laid    []*placed                // new ones
	ripples map[scene.TrackID][]ripple
	pairs   []scene.Pair
	markers map[scene.MarkerID]*marked
	touched map[scene.TrackID]bool // tracks on which anything changes; the others are the ancestor's
}

// placed is a clip whose place follows from what moves it.
type placed struct {
	scene.Clip
	track scene.TrackID
	at    int   // index in the ancestor's track, or of the clip before it there
	was   int64 // where it began in its recording
	moved int64
	other bool // it shows another recording
	fresh bool
}

type marked struct {
	scene.Marker
	moved int64
}

func newBuild(base *scene.Scene) *build {
	b := &build{base: base, scene: *base, tracks: map[scene.TrackID]*scene.Track{},
		clips: map[scene.ClipID]*placed{}, ripples: map[scene.TrackID][]ripple{},
		pairs: slices.Clone(base.Pairs), markers: map[scene.MarkerID]*marked{}, touched: map[scene.TrackID]bool{}}
	b.scene.Sources = maps.Clone(base.Sources)
	for _, t := range base.Tracks {
		own := *t
		own.Clips, own.Blends = []scene.Clip{}, slices.Clone(t.Blends)
		b.tracks[t.ID] = &own
		b.order = append(b.order, t.ID)
		for i, c := range t.Clips {
			b.clips[c.ID] = &placed{Clip: c, track: t.ID, at: i, was: c.In}
		}
	}
	for _, m := range base.Markers {
		b.markers[m.ID] = &marked{Marker: m}
	}
	return b
}

func (b *build) putBlend(track scene.TrackID, x scene.Blend) {
	b.dropBlend(track, x.Left, x.Right)
	if t := b.tracks[track]; t != nil {
		t.Blends = append(t.Blends, x)
	}
}

func (b *build) dropBlend(track scene.TrackID, left, right scene.ClipID) {
	if t := b.tracks[track]; t != nil {
		t.Blends = slices.DeleteFunc(t.Blends, func(o scene.Blend) bool { return o.Left == left && o.Right == right })
	}
}

// order in which changes are done: what a clip shows before its edges, what goes last.
func stage(c *change) int {
	switch _, what := cut(c.key); what {
	case "source":
		return 0
	case "gone":
		return 2
	}
	return 1
}

// do does changes; of two that come to the same, one. Changes of what is gone are none.
func (b *build) do(list []*change) {
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(x, y *change) int { return cmp.Compare(stage(x), stage(y)) })
	for _, c := range list {
		id, what := cut(c.key)
		_, known := b.clips[scene.ClipID(id)]
		if id != "" && c.clip == scene.ClipID(id) && what != "new" && !known {
			continue
		}
		if id != "" && c.clip == "" && c.track == scene.TrackID(id) && what != "new" && b.tracks[c.track] == nil {
			continue
		}
		b.touched[c.track] = true
		c.do(b)
	}
}

// cut parts a key into what it is of and which of its states.
func cut(key string) (id, what string) {
	for i := range key {
		if key[i] == '.' {
			return key[:i], key[i+1:]
		}
	}
	return "", key
}

// start is where a clip lies, in its track's unit.
func (b *build) start(p *placed) int64 {
	at := p.Start + p.moved
	if !p.other && !p.fresh {
		at += p.In - p.was
	}
	for _, r := range b.ripples[p.track] {
		if r.from <= p.at {
			at += r.by
		}
	}
	return at
}

// putInOrder gives the tracks of the ancestor another order, if a version has one, and puts the new ones in.
func (b *build) putInOrder() {
	if b.sorted != nil {
		left := slices.DeleteFunc(slices.Clone(b.sorted), func(id scene.TrackID) bool {
			return !slices.Contains(b.order, id)
		})
		for i, id := range b.order {
			if slices.Contains(b.sorted, id) {
				b.order[i], left = left[0], left[1:]
			}
		}
	}
	for left := b.inserts; len(left) > 0; { // one may go behind another that is new as well
		i := slices.IndexFunc(left, func(x [2]scene.TrackID) bool { return x[1] == "" || slices.Contains(b.order, x[1]) })
		at := len(b.order)
		if i < 0 {
			i = 0 // that is not taken
		} else {
			at = slices.Index(b.order, left[i][1]) + 1
		}
		b.order = slices.Insert(b.order, at, left[i][0])
		left = slices.Delete(slices.Clone(left), i, i+1)
	}
}

// made is the scene that has come out of it. The error says what lies where it cannot; what else cannot be, the laws of
// the scene say.
func (b *build) made(sources ...*scene.Scene) (*scene.Scene, error) {
	s := b.scene
	all := slices.Collect(maps.Values(b.clips))
	for _, p := range b.laid {
		p.fresh = true
		all = append(all, p)
	}
	for _, p := range all {
		t := b.tracks[p.track]
		if t != nil && !b.touched[p.track] {
			continue
		}
		if t == nil {
			return nil, refuse.Errorf("%s lies on a track that is gone in the other version", p.Name)
		}
		c := p.Clip
		if c.Start = b.start(p); c.Start < 0 {
			return nil, refuse.Errorf("%s would lie before the scene's start", c.Name)
		}
		t.Clips = append(t.Clips, c)
	}
	b.putInOrder()
	s.Tracks = nil
	for _, id := range b.order {
		t := b.tracks[id]
		if !b.touched[id] {
			s.Tracks = append(s.Tracks, b.base.Track(id))
			continue
		}
		slices.SortFunc(t.Clips, func(x, y scene.Clip) int { return cmp.Compare(x.Start, y.Start) })
		places := map[scene.ClipID]int{}
		for i, c := range t.Clips {
			places[c.ID] = i
		}
		slices.SortFunc(t.Blends, func(x, y scene.Blend) int { return cmp.Compare(places[x.Left], places[y.Left]) })
		if was := b.base.Track(id); was != nil && len(was.Blends) == 0 && len(t.Blends) == 0 {
			t.Blends = was.Blends
		}
		s.Tracks = append(s.Tracks, t)
	}
	s.Pairs, s.Markers = b.pairs, nil
	for _, m := range b.markers {
		own := m.Marker
		own.At = max(0, own.At+m.moved+along(b.base, b.ripples, own.At))
		s.Markers = append(s.Markers, own)
	}
	slices.SortFunc(s.Markers, func(x, y scene.Marker) int {
		return cmp.Or(cmp.Compare(x.At, y.At), cmp.Compare(x.ID, y.ID))
	})
	for _, of := range sources {
		s.LastID = max(s.LastID, of.LastID)
		for id, src := range of.Sources {
			is, known := s.Sources[id]
			if !known {
				s.Sources[id] = src
				continue
			}
			is.Corrections = correctedAs(b.base.Sources[id].Corrections, is.Corrections, src.Corrections)
			s.Sources[id] = is
		}
	}
	return &s, nil
}
