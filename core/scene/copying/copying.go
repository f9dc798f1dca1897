// Package copying plans copies of what lies on one track onto another, or onto a new one, as one edit. It changes
// nothing.
package copying

import (
	"fmt"
	"slices"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// Request is a copy of a span of a track onto another one, or onto a new one if Onto is "". It begins at At, in
// samples.
type Request struct {
	Span  pcm.Span      `json:"span"`
	Track scene.TrackID `json:"track"`
	Onto  scene.TrackID `json:"onto"`
	At    int64         `json:"at"`
}

// Planned is the edit that makes a copy, and the names of the clips that it would lie over.
type Planned struct {
	Edit edit.Edit
	Over []string
}

// Plan returns what a copy would do. It fails where there is nothing to copy, where one of the tracks is not there, or
// where one is of pictures and the other of sound.
func Plan(s *scene.Scene, a Request) (Planned, error) {
	from := s.Track(a.Track)
	if from == nil {
		return Planned{}, refuse.Errorf("There is no track %q in this scene.", a.Track)
	}
	if from.Kind != scene.Sound {
		return Planned{}, refuse.Errorf("%s is a track of pictures, and only sound is copied to other tracks.", from.Name)
	}
	piece, _, err := edit.Copy(s, a.Span, []scene.TrackID{a.Track})
	if err != nil {
		return Planned{}, err
	}
	if len(piece.Tracks) == 0 || len(piece.Tracks[0].Clips) == 0 {
		return Planned{}, refuse.Errorf("No clip of %s lies there to be copied.", from.Name)
	}
	var edits []edit.Edit
	onto := s.Track(a.Onto)
	if a.Onto == "" {
		made := &edit.AddTrack{Name: freeName(s, from.Name), Purpose: from.Purpose}
		next, err := edit.Apply(s, made)
		if err != nil {
			return Planned{}, err
		}
		onto = next.Tracks[len(next.Tracks)-1]
		edits = append([]edit.Edit{made}, settings(from, onto.ID)...)
	}
	switch {
	case onto == nil:
		return Planned{}, refuse.Errorf("There is no track %q in this scene.", a.Onto)
	case onto.Kind != from.Kind:
		return Planned{}, refuse.Errorf("%s is of %s and %s of %s: what is copied stays of its kind.", from.Name, from.Kind,
			onto.Name, onto.Kind)
	}
	on := *piece.Tracks[0]
	on.ID, on.Name, on.Purpose = onto.ID, onto.Name, onto.Purpose
	piece.Tracks = []*scene.Track{&on}
	p := Planned{Over: []string{}}
	for _, c := range onto.Clips {
		if s.Time(onto, c.Start) < a.At+piece.Length && a.At < s.Time(onto, c.End()) {
			p.Over = append(p.Over, c.Name)
		}
	}
	words := fmt.Sprintf("%s copied onto %s", counted(len(on.Clips)), onto.Name)
	p.Edit = edit.NewBatch(words, append(edits, &edit.Paste{Clipboard: piece, At: a.At, How: scene.Over})...)
	if _, err := edit.Apply(s, p.Edit); err != nil {
		return Planned{}, err
	}
	return p, nil
}

func counted(n int) string {
	if n == 1 {
		return "1 clip"
	}
	return fmt.Sprint(n, " clips")
}

// freeName returns a name that no track has: the one asked for, or that with the first number from 2 on that is free.
func freeName(s *scene.Scene, asked string) string {
	name := asked
	for n := 2; slices.ContainsFunc(s.Tracks, func(t *scene.Track) bool { return t.Name == name }); n++ {
		name = fmt.Sprint(asked, " ", n)
	}
	return name
}

// settings returns the edits that give a track what another does to all its clips.
func settings(t *scene.Track, to scene.TrackID) (list []edit.Edit) {
	set := &edit.SetTrack{Track: to}
	if t.GainDB != 0 {
		set.GainDB = &t.GainDB
	}
	if t.Balance != 0 {
		set.Balance = &t.Balance
	}
	if t.Hue != "" {
		set.Hue = &t.Hue
	}
	if *set != (edit.SetTrack{Track: to}) {
		list = append(list, set)
	}
	if t.Filters != nil {
		list = append(list, &edit.SetFilters{Tracks: []scene.TrackID{to}, Filters: t.Filters})
	}
	if t.Treatments != nil {
		list = append(list, &edit.SetTreatments{Tracks: []scene.TrackID{to}, Treatments: t.Treatments})
	}
	if len(t.Ducks) > 0 {
		list = append(list, &edit.SetDucks{Track: to, Ducks: t.Ducks})
	}
	return list
}
