package scene

// LayOut is the edit that puts a whole source at the end of the first dialogue track, its picture with it on the
// first picture track. Tracks that are missing are made.
func LayOut(s *Scene, source string) (Edit, error) {
	src, ok := s.Sources[source]
	if !ok {
		return nil, notPossible("The scene has no source %q; bring it in first.", source)
	}
	sound, picture := "", ""
	var at int64
	made := s.LastID
	edit := InOrder(src.Name + " laid out")
	track := func(name string, purpose Purpose) string {
		for _, t := range s.Tracks {
			if t.Purpose == purpose && !t.Locked {
				if n := len(t.Clips); n > 0 {
					at = max(at, s.Time(t, t.Clips[n-1].End()))
				}
				return t.ID
			}
		}
		edit.Edits = append(edit.Edits, Wire{&AddTrack{Name: name, Purpose: purpose}})
		made++
		return trackID(made)
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
