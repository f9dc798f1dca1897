package scene

import (
	"fmt"
	"slices"
)

// LayOut is the edit that puts a whole source at the end of the first dialogue track, its picture with it on the
// first picture track. Tracks that are missing are made.
func LayOut(s *Scene, source string) (Edit, error) {
	src, ok := s.Sources[source]
	if !ok {
		return nil, notPossible("The scene has no source %q; bring it in first.", source)
	}
	var sound, picture TrackID
	var at int64
	made := s.LastID
	edit := InOrder(src.Name + " laid out")
	track := func(name string, purpose Purpose) TrackID {
		for _, t := range s.Tracks {
			if t.Purpose == purpose && !t.Locked {
				at = max(at, trackEnd(s, t))
				return t.ID
			}
		}
		edit.Edits = append(edit.Edits, Wire{&AddTrack{Name: name, Purpose: purpose}})
		made++
		return numbered(ATrack, made)
	}
	if src.Frames > 0 {
		picture = track("Picture", "picture")
	}
	length := s.Rate.SampleOf(src.Frames, s.SampleRate)
	if src.Samples > 0 {
		sound = track("Dialogue", "dialogue")
		if src.Frames == 0 || src.Samples < length {
			length = src.Samples
		}
	} else {
		sound, picture = picture, ""
	}
	if picture != "" { // on a frame, and the whole frames that both have
		if f := s.Rate.FrameOf(at, s.SampleRate); s.Rate.SampleOf(f, s.SampleRate) < at {
			at = s.Rate.SampleOf(f+1, s.SampleRate)
		}
		length = s.Rate.SampleOf(s.Rate.FrameOf(length, s.SampleRate), s.SampleRate)
	}
	edit.Edits = append(edit.Edits, Wire{&Add{Track: sound, Picture: picture, Source: source, Start: at, Length: length}})
	return edit, nil
}

// TakeOut is the edit that lays named stretches of a source, all of them if none is named, end to end on a track of
// sound, with their picture on the first picture track where the source has one. The first begins at a moment, or at
// the end of the track if that is below 0; how says what becomes of clips that lie there.
func TakeOut(s *Scene, source string, names []string, track TrackID, at int64, how string) (Edit, error) {
	src, ok := s.Sources[source]
	if !ok {
		return nil, notPossible("The scene has no source %q; bring it in first.", source)
	}
	t := s.Track(track)
	if t == nil {
		return nil, notPossible("There is no track %q in this scene.", track)
	}
	var list []Stretch
	for _, x := range src.Stretches {
		if len(names) == 0 || slices.Contains(names, x.Name) {
			list = append(list, x)
		}
	}
	if len(list) == 0 || len(names) > 0 && len(list) < len(names) {
		return nil, notPossible("%s has no such stretch. Mark its in and out point, and name it.", src.Name)
	}
	add := Add{Track: track, Source: source, How: how}
	if t.Kind == Sound && src.Frames > 0 {
		for _, p := range s.Tracks {
			if p.Kind == Picture && !p.Locked {
				add.Picture = p.ID
				break
			}
		}
	}
	frames := t.Kind == Picture || add.Picture != ""
	if at < 0 {
		at = trackEnd(s, t)
		if p := s.Track(add.Picture); p != nil {
			at = max(at, trackEnd(s, p))
		}
	}
	edit := InOrder(fmt.Sprintf("%s of %s taken out to track %s", count(len(list), "stretch"), src.Name, t.Name))
	if len(list) == 1 {
		edit.Words = fmt.Sprintf("%s of %s taken out to track %s", list[0].Name, src.Name, t.Name)
	}
	for _, x := range list {
		one := add
		one.Name, one.In, one.Start, one.Length = x.Name, x.From, at, x.To-x.From
		if frames { // whole frames, so that each begins where the one before it ends
			in := s.Rate.Nearest(x.From, s.SampleRate)
			start := s.Rate.Nearest(at, s.SampleRate)
			if at > s.Rate.SampleOf(start, s.SampleRate) {
				start++
			}
			n := max(1, s.Rate.Nearest(x.To, s.SampleRate)-in)
			one.In, one.Start = s.Rate.SampleOf(in, s.SampleRate), s.Rate.SampleOf(start, s.SampleRate)
			one.Length = framesAt(s, start, n)
		}
		at = one.Start + one.Length
		edit.Edits = append(edit.Edits, Wire{&one})
	}
	return edit, nil
}
