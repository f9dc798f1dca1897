package merge

import (
	"slices"

	"blendseam/core/scene"
)

// A ripple moves all clips of a track from one on.
type ripple struct {
	from int // index in the ancestor's track
	by   int64
}

// findRipples finds what moved all that follows on a track: where the shift of clips changes, and never comes back to
// what it was before. A clip whose shift alone differs has moved by itself.
func (v *version) findRipples(t *scene.Track) (list []ripple) {
	type moved struct {
		at int
		by int64
	}
	all := []moved{{-1, 0}}
	for i := range t.Clips {
		if now, ok := v.stays(t, &t.Clips[i]); ok {
			all = append(all, moved{i, shift(&t.Clips[i], now.clip)})
		}
	}
	first := map[int64]int{} // of all, which has a shift first
	for i := len(all) - 1; i >= 0; i-- {
		first[all[i].by] = i
	}
	last := len(all) - 1
	now := all[last].by
	if last > 0 && first[now] == last && !v.keepsGap(t, all[last].at) {
		now = all[last-1].by // the last clip moved by itself
	}
	for i := last; i > 0; i-- {
		before := all[i-1].by
		if first[now] < i || before == now {
			continue
		}
		list = append(list, ripple{all[i].at, now - before})
		now = before
	}
	slices.Reverse(list)
	return list
}

// lastGoesAlong sees whether the last clip of a track, which looks moved by itself, moved as all did on other tracks.
func (v *version) lastGoesAlong(t *scene.Track) {
	i := len(t.Clips) - 1
	if i < 0 {
		return
	}
	now, ok := v.stays(t, &t.Clips[i])
	if !ok {
		return
	}
	by := shift(&t.Clips[i], now.clip) - v.rippledBy(t.ID, i)
	r := ripple{i, by}
	for _, o := range v.base.Tracks {
		for _, x := range v.ripples[o.ID] {
			if by != 0 && o != t && v.alike(t, r, o, x) {
				v.ripples[t.ID] = append(v.ripples[t.ID], r)
				return
			}
		}
	}
}

// alike tells whether two tracks move by as much at the same time.
func (v *version) alike(t *scene.Track, r ripple, o *scene.Track, x ripple) bool {
	between := func(t *scene.Track, i int) (from, to int64) {
		if i > 0 {
			from = v.base.Time(t, t.Clips[i-1].End())
		}
		return from, v.base.Time(t, t.Clips[i].Start)
	}
	from, to := between(t, r.from)
	start, end := between(o, x.from)
	return abs(v.base.Time(o, abs(x.by))-v.base.Time(t, abs(r.by))) <= 2 && (x.by < 0) == (r.by < 0) &&
		start <= to && from <= end
}

// keepsGap tells whether a clip lies as far behind the one before it as it did.
func (v *version) keepsGap(t *scene.Track, i int) bool {
	now := v.is[t.Clips[i].ID]
	gap := func(clips []scene.Clip, i int) int64 {
		if i == 0 {
			return clips[0].Start
		}
		return clips[i].Start - clips[i-1].End()
	}
	return gap(t.Clips, i) == gap(now.track.Clips, now.at)
}

// rippledBy is by how much what lies at a place of a track of the ancestor was moved along.
func (v *version) rippledBy(track scene.TrackID, at int) (by int64) {
	for _, r := range v.ripples[track] {
		if r.from <= at {
			by += r.by
		}
	}
	return by
}

// rippled are the changes that move all that follows on a track.
func (v *version) rippled(t *scene.Track) {
	for _, r := range v.ripples[t.ID] {
		c := &t.Clips[r.from]
		now := v.is[c.ID]
		with := append(joints(scene.Head, v.was[c.ID], now), "head:"+string(c.ID))
		if now.at > 0 { // what was laid or trimmed ahead of it
			with = append(with, "ahead:"+string(now.track.Clips[now.at-1].ID))
		}
		if r.from > 0 {
			with = append(with, "ahead:"+string(t.Clips[r.from-1].ID))
		}
		ch := &change{key: "along " + string(c.ID), value: r.by, clip: c.ID, track: t.ID, at: v.base.Time(t, c.Start),
			do: func(b *build) { b.ripples[t.ID] = append(b.ripples[t.ID], r) }}
		// Other tracks that move by as much at the same time do so for the same reason.
		for _, o := range v.base.Tracks {
			for _, x := range v.ripples[o.ID] {
				if o != t && v.alike(t, r, o, x) {
					with = append(with, "along:"+joint(t, r, o, x))
				}
			}
		}
		ch.joints = with
		v.add(ch)
	}
}

// joint is a name for two ripples.
func joint(t *scene.Track, r ripple, o *scene.Track, x ripple) string {
	a, b := string(t.Clips[r.from].ID), string(o.Clips[x.from].ID)
	return min(a, b) + "," + max(a, b)
}

// nearest is the last clip of any track that begins at a moment of the ancestor or before it: what moves that along
// moves what is there. The track is "" if there is none.
func nearest(base *scene.Scene, at int64) (track scene.TrackID, i int) {
	best := int64(-1)
	for _, t := range base.Tracks {
		k := min(t.At(base.Unit(t, at)), len(t.Clips)-1)
		for k >= 0 && base.Time(t, t.Clips[k].Start) > at {
			k--
		}
		if k >= 0 && base.Time(t, t.Clips[k].Start) > best {
			best, track, i = base.Time(t, t.Clips[k].Start), t.ID, k
		}
	}
	return track, i
}

// along is by how many samples ripples move what is at a moment of the ancestor.
func along(base *scene.Scene, ripples map[scene.TrackID][]ripple, at int64) (by int64) {
	id, i := nearest(base, at)
	if id == "" {
		return 0
	}
	for _, r := range ripples[id] {
		if r.from <= i {
			by += r.by
		}
	}
	t := base.Track(id)
	if by < 0 {
		return -base.Time(t, -by)
	}
	return base.Time(t, by)
}
