package edit

import (
	"fmt"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// FirstTracks are those that a new scene begins with, if it is not to be empty, and the names of tracks that are made
// because there is none of their purpose.
var FirstTracks = []AddTrack{
	{Name: "Picture", Purpose: scene.ForPicture},
	{Name: "Dialogue", Purpose: scene.ForDialogue},
	{Name: "Tone", Purpose: scene.ForTone},
	{Name: "Effects", Purpose: scene.ForEffects},
	{Name: "Music", Purpose: scene.ForMusic},
}

// TrackName is what a track of a purpose is called, if nobody names it.
func TrackName(purpose scene.Purpose) string { return first(purpose).Name }

func first(purpose scene.Purpose) AddTrack {
	i := slices.IndexFunc(FirstTracks, func(t AddTrack) bool { return t.Purpose == purpose })
	return FirstTracks[max(0, i)]
}

// A laying is an edit that puts clips on tracks by their purpose, and makes those that are missing first.
type laying struct {
	*Batch
	scene *scene.Scene
	last  int64 // id that was given
}

func layingIn(s *scene.Scene, words string) *laying { return &laying{NewBatch(words), s, s.LastID} }

// track is the first track of a purpose that is not locked, and where its last clip ends; made, if there is none.
func (l *laying) track(purpose scene.Purpose) (id scene.TrackID, end int64) {
	for _, t := range l.scene.Tracks {
		if t.Purpose == purpose && !t.Locked {
			return t.ID, scene.TrackEnd(l.scene, t)
		}
	}
	add := first(purpose)
	l.Edits = append(l.Edits, Wire{&add})
	l.last++
	return scene.NumberedID(scene.ATrack, l.last), 0
}

// LayOut is the edit that puts a whole source at the end of the first track of a purpose, or of dialogue if it has
// picture, which goes with it on the first picture track. Tracks that are missing are made.
func LayOut(s *scene.Scene, source string, purpose scene.Purpose) (Edit, error) {
	src, ok := s.Sources[source]
	if !ok {
		return nil, notPossible("The scene has no source %q; bring it in first.", source)
	}
	var sound, picture scene.TrackID
	var at int64
	edit := layingIn(s, src.Name+" laid out")
	track := func(purpose scene.Purpose) scene.TrackID {
		id, end := edit.track(purpose)
		at = max(at, end)
		return id
	}
	if src.Frames > 0 {
		picture, purpose = track(scene.ForPicture), scene.ForDialogue
	}
	length := s.Rate.SampleOf(src.Frames, s.SampleRate)
	if src.Samples > 0 {
		sound = track(purpose)
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
	return edit.Batch, nil
}

// A Taking is what is taken out of a source: stretches by their names, all of them if none is named, laid end to end on
// a track.
type Taking struct {
	Source  string
	Names   []string
	Marked  *scene.Stretch // what is marked and has not been kept, instead of those that are named
	Track   scene.TrackID  // "" is the first track of Purpose, made where there is none
	Purpose scene.Purpose
	At      int64  // where the first begins; the end of the track if it is below 0
	How     string // what becomes of clips that lie there
}

// TakeOut is the edit that lays them; on a track of sound, with their picture on the first picture track where the
// source has one.
func (x Taking) TakeOut(s *scene.Scene) (Edit, error) {
	src, ok := s.Sources[x.Source]
	if !ok {
		return nil, notPossible("The scene has no source %q; bring it in first.", x.Source)
	}
	if x.Track != "" && s.Track(x.Track) == nil {
		return nil, notPossible("There is no track %q in this scene.", x.Track)
	}
	var list []scene.Stretch
	for _, one := range src.Stretches {
		if len(x.Names) == 0 || slices.Contains(x.Names, one.Name) {
			list = append(list, one)
		}
	}
	if x.Marked != nil {
		list, x.Names = []scene.Stretch{*x.Marked}, nil
	}
	if len(list) == 0 || len(x.Names) > 0 && len(list) < len(x.Names) {
		return nil, notPossible("%s has no such stretch. Mark its in and out point, and name it.", src.Name)
	}
	edit := layingIn(s, "")
	add, on, at := x.onTracks(edit, src)
	words := phrase.Count(len(list), "stretch")
	if len(list) == 1 {
		words = list[0].Name
	}
	edit.Words = fmt.Sprintf("%s of %s taken out to track %s", words, src.Name, on.Name)
	frames := on.Kind == scene.Picture || add.Picture != ""
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
			one.Length = scene.FramesAt(s, start, n)
		}
		at = one.Start + one.Length
		edit.Edits = append(edit.Edits, Wire{&one})
	}
	return edit.Batch, nil
}

// onTracks finds or makes the tracks that clips go to, and says where the first of them begins. on has the kind and the
// name of the clips' own track.
func (x Taking) onTracks(edit *laying, src scene.Source) (add Add, on scene.Track, at int64) {
	s, end := edit.scene, int64(0)
	add = Add{Track: x.Track, Source: x.Source, How: x.How}
	if t := s.Track(x.Track); t != nil {
		on, end = scene.Track{Kind: t.Kind, Name: t.Name}, scene.TrackEnd(s, t)
	} else {
		purpose := x.Purpose
		if src.Samples == 0 {
			purpose = scene.ForPicture
		} else if src.Frames > 0 {
			purpose = scene.ForDialogue
		}
		add.Track, end = edit.track(purpose)
		if on.Kind = scene.Sound; purpose == scene.ForPicture {
			on.Kind = scene.Picture
		}
		if t := s.Track(add.Track); t != nil {
			on.Name = t.Name
		} else {
			on.Name = edit.Edits[len(edit.Edits)-1].Edit.(*AddTrack).Name
		}
	}
	hasPicture := slices.ContainsFunc(s.Tracks, func(p *scene.Track) bool { return p.Kind == scene.Picture && !p.Locked })
	if on.Kind == scene.Sound && src.Frames > 0 && (x.Track == "" || hasPicture) {
		var behind int64
		add.Picture, behind = edit.track(scene.ForPicture)
		end = max(end, behind)
	}
	if at = x.At; at < 0 {
		at = end
	}
	return add, on, at
}
