package otio

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
)

// writeDucks gives how a track makes way for words. The tracks that it makes way for are named, by their numbers from 0
// among all tracks where two have one name.
func writeDucks(s *scene.Scene, t *scene.Track) (list []any) {
	rate := float64(s.SampleRate)
	for _, u := range t.Ducks {
		o := object{"db": u.DB, "under": trackNames(s, u.Under)}
		for key, n := range lengthsOf(&u) {
			o[key] = rational(*n, rate)
		}
		put(o, "clips", u.Clips, len(u.Clips) > 0)
		var except []any
		for _, x := range u.Except {
			except = append(except, object{"from": rational(x.From, rate), "to": rational(x.To, rate)})
		}
		put(o, "except", except, except != nil)
		list = append(list, o)
	}
	return list
}

// lengthsOf are the lengths of a duck by their names in a file.
func lengthsOf(u *scene.Duck) map[string]*int64 {
	return map[string]*int64{"down": &u.Down, "up": &u.Up, "before": &u.Before, "after": &u.After, "hold": &u.Hold}
}

func trackNames(s *scene.Scene, ids []scene.TrackID) (list []any) {
	for _, id := range ids {
		number := slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.ID == id })
		if number < 0 {
			continue
		}
		name, many := s.Tracks[number].Name, 0
		for _, t := range s.Tracks {
			if t.Name == name {
				many++
			}
		}
		if many > 1 {
			list = append(list, number)
		} else {
			list = append(list, name)
		}
	}
	return list
}

// A ducking is what a file says of a track that makes way for words, until all tracks are read.
type ducking struct {
	track *scene.Track
	node  node
}

// matchDucks reads how tracks make way for words once all tracks are read. What is made way for and is there no more is
// left out.
func (r *reader) matchDucks() error {
	for _, d := range r.duckings {
		u := scene.NewDuck(r.scene, nil, 0)
		if err := r.duck(d.node, &u); err != nil {
			return err
		}
		clips := len(u.Clips)
		u.Clips = slices.DeleteFunc(u.Clips, func(id scene.ClipID) bool { return id == "" })
		if len(u.Under) == 0 || clips > 0 && len(u.Clips) == 0 {
			r.warnings = append(
				r.warnings, fmt.Sprintf("track %s: what it made way for is not there any more", d.track.Name),
			)
			continue
		}
		d.track.Ducks = append(d.track.Ducks, u)
	}
	return nil
}

func (r *reader) duck(n node, u *scene.Duck) (err error) {
	if u.DB, err = n.db("db"); err != nil {
		return err
	}
	for key, to := range lengthsOf(u) {
		at, ok, err := n.time(key)
		if err != nil {
			return err
		}
		if ok {
			*to = timecode.Units(at.seconds, r.scene.SampleRate, 1)
		}
	}
	var under []any
	if v := n.value("under"); v.Exists() && json.Unmarshal([]byte(v.Raw), &under) != nil {
		return n.errorf("under must be a list of tracks, by their names or their numbers")
	}
	for _, of := range under {
		for number, t := range r.scene.Tracks {
			if of == any(t.Name) || of == any(float64(number)) {
				u.Under = append(u.Under, t.ID)
				break
			}
		}
	}
	var clips []scene.ClipID
	if v := n.value("clips"); v.Exists() && json.Unmarshal([]byte(v.Raw), &clips) != nil {
		return n.errorf("clips must be a list of the ids of clips")
	}
	for _, id := range clips {
		u.Clips = append(u.Clips, r.clips[id])
	}
	return n.each("except", n.place+"/except", func(_ int, x node) error {
		span, err := r.fromTo(x)
		u.Except = append(u.Except, span)
		return err
	})
}

// fromTo reads a stretch of the scene or of a recording, in samples.
func (r *reader) fromTo(n node) (span pcm.Span, err error) {
	for _, end := range []struct {
		key string
		to  *int64
	}{{"from", &span.From}, {"to", &span.To}} {
		at, ok, err := n.time(end.key)
		if err != nil {
			return span, err
		}
		if !ok {
			return span, n.errorf("a stretch needs %q", end.key)
		}
		*end.to = timecode.Units(at.seconds, r.scene.SampleRate, 1)
	}
	return span, nil
}

// writeSpeech gives where recordings have words, where that is known, by the addresses that clips know these by: pairs
// of samples at the scene's rate.
func writeSpeech(s *scene.Scene) (list []any) {
	for _, id := range slices.Sorted(maps.Keys(s.Sources)) {
		src := s.Sources[id]
		if src.Speech == nil {
			continue
		}
		words := [][2]int64{}
		for _, w := range src.Speech.Words {
			words = append(words, [2]int64{w.From, w.To})
		}
		o := object{"target_url": src.URL, "words": words}
		put(o, "sha256", src.SHA256, src.SHA256 != "")
		list = append(list, o)
	}
	return list
}

// speech reads where recordings have words; of those that no clip has, nothing is kept.
func (r *reader) speech(mine node) error {
	return mine.each("speech", mine.place+"/speech", func(_ int, n node) error {
		id, known := r.sources[keyOf(n.text("target_url"), n.text("sha256"))]
		if !known {
			return nil
		}
		var words [][2]int64
		if v := n.value("words"); !v.Exists() || json.Unmarshal([]byte(v.Raw), &words) != nil {
			return n.errorf("words must be a list of pairs of samples")
		}
		src := r.scene.Sources[id]
		src.Speech = &scene.Speech{Words: []pcm.Span{}}
		for _, w := range words {
			src.Speech.Words = append(src.Speech.Words, pcm.Span{From: w[0], To: w[1]})
		}
		r.scene.Sources[id] = src
		return nil
	})
}
