package otio

import (
	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
)

// writeAside gives what new cuts of the picture lifted: tracks as those of the scene are, whose times are from the
// start of the stretch.
func writeAside(s *scene.Scene) (list []any) {
	rate := s.Rate.Float()
	for _, a := range s.Aside {
		apart := *s
		apart.Tracks, apart.Pairs = a.Tracks, nil
		named := namedClips(&apart)
		var tracks []any
		for _, t := range a.Tracks {
			tracks = append(tracks, writeTrack(&apart, t, named))
		}
		list = append(list, object{"from": rational(a.From, rate), "length": rational(a.Length, rate), "tracks": tracks})
	}
	return list
}

// aside reads what is kept aside. Its tracks are those of the scene by name and purpose.
func (r *reader) aside(top node) error {
	mine, _, err := top.meta()
	if err != nil {
		return err
	}
	return mine.each("aside", mine.place+"/aside", func(_ int, o node) error {
		a := &scene.Aside{}
		for key, to := range map[string]*int64{"from": &a.From, "length": &a.Length} {
			at, ok, err := o.time(key)
			if err != nil {
				return err
			}
			if !ok {
				return o.errorf("needs where it lay and how long it is: from, length")
			}
			*to = timecode.Units(at.seconds, r.scene.Rate.Num, r.scene.Rate.Den)
		}
		tracks, _, err := r.apart(o)
		if err != nil {
			return err
		}
		a.Tracks = tracks
		r.scene.Aside = append(r.scene.Aside, a)
		return nil
	})
}

// apart reads tracks that are not among those of the scene, but belong to them.
func (r *reader) apart(o node) ([]*scene.Track, []scene.Pair, error) {
	whole, pairs, duckings := r.scene, r.pairs, r.duckings
	parts := *whole
	parts.Tracks, parts.Pairs = nil, nil
	r.scene, r.pairs = &parts, nil
	err := o.each("tracks", o.place+"/tracks", func(_ int, t node) error { return r.track(t) })
	r.matchPairs()
	r.matchHoles()
	r.scene, r.pairs, r.duckings = whole, pairs, duckings
	if err != nil {
		return nil, nil, err
	}
	whole.LastID = parts.LastID
	for _, t := range parts.Tracks { // which of the scene's it was
		for _, o := range whole.Tracks {
			if o.Name == t.Name && o.Purpose == t.Purpose {
				t.ID = o.ID
			}
		}
	}
	return parts.Tracks, parts.Pairs, nil
}
