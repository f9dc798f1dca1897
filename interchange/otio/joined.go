package otio

import (
	"encoding/json"
	"maps"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

// writeJoined gives what recordings were joined from, those that clips need, by the addresses that clips know them by.
// Parts are tracks as those of the scene are, whose times are the recording's.
func writeJoined(s *scene.Scene) (list []any) {
	need := map[string]bool{}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			for _, id := range scene.Needed(s, &t.Clips[i]) {
				need[id] = true
			}
		}
	}
	rate := float64(s.SampleRate)
	for _, id := range slices.Sorted(maps.Keys(need)) {
		src := s.Sources[id]
		j := src.Joined
		if j == nil {
			continue
		}
		parts := *s
		parts.Tracks, parts.Pairs = j.Tracks, j.Pairs
		named := namedClips(&parts)
		for _, id := range j.Named {
			named[id] = true
		}
		var tracks, ties []any
		for _, t := range j.Tracks {
			tracks = append(tracks, writeTrack(&parts, t, named))
		}
		for _, tie := range j.Ties {
			o := object{"clip": tie.Clip}
			if tie.Link != "" {
				o["link"], o["at"] = tie.Link, rational(tie.At, rate)
			}
			if tie.Fills != nil {
				o["fills"] = writeHole(tie.Fills)
			}
			ties = append(ties, o)
		}
		o := object{"target_url": src.URL, "tracks": tracks, "head": rational(j.Head, rate), "tail": rational(j.Tail, rate)}
		put(o, "sha256", src.SHA256, src.SHA256 != "")
		put(o, "ties", ties, ties != nil)
		put(o, "named", j.Named, len(j.Named) > 0)
		list = append(list, o)
	}
	return list
}

// A joining is what a file says of what a recording was joined from, until all clips are read.
type joining struct {
	from *scene.Joined
	node node
}

// joined reads what recordings were joined from.
func (r *reader) joined(top node) error {
	mine, _, err := top.meta()
	if err != nil {
		return err
	}
	return mine.each("joined_from", mine.place+"/joined_from", func(_ int, o node) error { return r.joinedOne(o) })
}

func (r *reader) joinedOne(o node) error {
	from := &scene.Joined{}
	for key, to := range map[string]*int64{"head": &from.Head, "tail": &from.Tail} {
		at, ok, err := o.time(key)
		if err != nil {
			return err
		}
		if !ok {
			return o.errorf("needs where its parts begin and end: head, tail")
		}
		*to = timecode.Units(at.seconds, r.scene.SampleRate, 1)
	}
	var err error
	if from.Tracks, from.Pairs, err = r.apart(o); err != nil {
		return err
	}
	r.joinings = append(r.joinings, joining{from, o})
	return nil
}

// matchJoined gives recordings what they were joined from, once all clips are read; of those that no clip has, nothing
// is kept.
func (r *reader) matchJoined() error {
	for _, j := range r.joinings {
		id, known := r.sources[keyOf(j.node.text("target_url"), j.node.text("sha256"))]
		if !known {
			continue
		}
		src := r.scene.Sources[id]
		src.Joined = j.from
		r.scene.Sources[id] = src
		err := j.node.each("ties", j.node.place+"/ties", func(_ int, n node) error {
			tie := scene.Tie{Clip: r.clips[scene.ClipID(n.text("clip"))], Link: scene.LinkID(n.text("link"))}
			at, ok, err := n.time("at")
			if err != nil {
				return err
			}
			if ok {
				tie.At = timecode.Units(at.seconds, r.scene.SampleRate, 1)
			}
			if h, ok, err := n.object("fills"); err != nil {
				return err
			} else if ok {
				hole := r.holeOf(readHole(h))
				tie.Fills = &hole
			}
			if tie.Clip != "" {
				j.from.Ties = append(j.from.Ties, tie)
			}
			return nil
		})
		if err != nil {
			return err
		}
		var named []scene.ClipID
		if v := j.node.value("named"); v.Exists() && json.Unmarshal([]byte(v.Raw), &named) != nil {
			return j.node.errorf("named must be a list of the ids of clips")
		}
		if err != nil {
			return err
		}
		for _, id := range named {
			if now := r.clips[id]; now != "" && !slices.Contains(j.from.Named, now) {
				j.from.Named = append(j.from.Named, now)
			}
		}
	}
	return nil
}
