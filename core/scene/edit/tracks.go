package edit

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Rename gives the scene a name.
type Rename struct {
	Name string `json:"name"`
}

func (e *Rename) apply(d *draft) error {
	if strings.TrimSpace(e.Name) == "" {
		return notPossible("A scene needs a name of at least one letter.")
	}
	d.Name = shortName(e.Name)
	return nil
}

func (e *Rename) words(before, after *scene.Scene) string { return "scene named " + e.Name }

// Bring makes a source known to the scene, or replaces what is known of it.
type Bring struct {
	Source scene.Source `json:"source"`
}

func (e *Bring) apply(d *draft) error {
	if e.Source.ID == "" {
		return notPossible("A source needs an id.")
	}
	src := e.Source
	src.Name = shortName(src.Name)
	if !d.replay {
		if err := scene.CheckSource(d.Scene, src); err != nil {
			return err
		}
	}
	if len(src.Stretches) == 0 { // what was marked in it stays
		src.Stretches, src.Corrections = d.Sources[src.ID].Stretches, d.Sources[src.ID].Corrections
	}
	if src.Joined == nil { // and what it was joined from
		src.Joined = d.Sources[src.ID].Joined
	}
	d.Sources = maps.Clone(d.Sources)
	d.Sources[src.ID] = src
	return nil
}

func (e *Bring) words(before, after *scene.Scene) string { return "brought in " + e.Source.Name }

// AddTrack makes a track. New picture tracks come first, new sound tracks last.
type AddTrack struct {
	Name    string        `json:"name"`
	Purpose scene.Purpose `json:"purpose"`
}

func (e *AddTrack) apply(d *draft) error {
	if !slices.Contains(scene.Purposes, e.Purpose) {
		return notPossible("%q is not a purpose of a track; %s are.", e.Purpose, listed(scene.Purposes))
	}
	t := &scene.Track{
		ID: scene.NewID(
			d.Scene,
			scene.ATrack,
		), Kind: scene.Sound, Purpose: e.Purpose, Name: shortName(e.Name), Clips: []scene.Clip{},
	}
	d.own[t] = true
	if e.Purpose == scene.ForPicture {
		t.Kind = scene.Picture
		d.Tracks = slices.Insert(d.Tracks, 0, t)
		return nil
	}
	d.Tracks = append(d.Tracks, t)
	return nil
}

// listed says "a, b, c".
func listed[T ~string](all []T) string {
	words := make([]string, len(all))
	for i, one := range all {
		words[i] = string(one)
	}
	return strings.Join(words, ", ")
}

func (e *AddTrack) words(before, after *scene.Scene) string { return "track " + e.Name + " added" }

// SetTrack changes what is said of a track; what is nil stays.
type SetTrack struct {
	Track   scene.TrackID  `json:"track"`
	Name    *string        `json:"name,omitempty"`
	Purpose *scene.Purpose `json:"purpose,omitempty"`
	Hue     *string        `json:"hue,omitempty"`
	Mute    *bool          `json:"mute,omitempty"`
	Solo    *bool          `json:"solo,omitempty"`
	GainDB  *float64       `json:"gain_db,omitempty"`
	Balance *float64       `json:"balance,omitempty"`
	Stays   *bool          `json:"stays,omitempty"`
	Locked  *bool          `json:"locked,omitempty"`
}

func set[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}

func (e *SetTrack) apply(d *draft) error {
	i := scene.TrackIndex(d.Scene, e.Track)
	if i < 0 {
		return notPossible("There is no track %q in this scene.", e.Track)
	}
	if p := e.Purpose; p != nil && (!slices.Contains(scene.Purposes, *p) ||
		(*p == scene.ForPicture) != (d.Tracks[i].Kind == scene.Picture)) {
		return notPossible("Track %s cannot have the purpose %q.", d.Tracks[i].Name, *e.Purpose)
	}
	if e.GainDB != nil && !scene.SaneDB(*e.GainDB) {
		return notPossible("A gain of %g dB is outside -120 to 40.", *e.GainDB)
	}
	if e.Balance != nil && !(math.Abs(*e.Balance) <= 1) {
		return notPossible("A balance of %g is none; -1 (left) to 1 (right) are.", *e.Balance)
	}
	if e.Hue != nil && *e.Hue != "" && !slices.Contains(scene.Hues, *e.Hue) {
		return notPossible(
			"%q is not a hue of a track; %s are, and none for its purpose's.",
			*e.Hue,
			listed(scene.Hues),
		)
	}
	if e.Name != nil && strings.TrimSpace(*e.Name) == "" {
		return notPossible("A track needs a name of at least one letter.")
	}
	t := d.touch(i)
	setText(&t.Name, e.Name, limit.Names)
	set(&t.Purpose, e.Purpose)
	set(&t.Hue, e.Hue)
	set(&t.Mute, e.Mute)
	set(&t.Solo, e.Solo)
	set(&t.GainDB, e.GainDB)
	set(&t.Balance, e.Balance)
	set(&t.Stays, e.Stays)
	set(&t.Locked, e.Locked)
	return nil
}

func (e *SetTrack) words(before, after *scene.Scene) string {
	name := after.Track(e.Track).Name
	switch onOff := func(b bool) string {
		if b {
			return ""
		}
		return "not "
	}; {
	case e.Mute != nil:
		return fmt.Sprintf("track %s %smuted", name, onOff(*e.Mute))
	case e.Solo != nil:
		return fmt.Sprintf("track %s %ssolo", name, onOff(*e.Solo))
	case e.Locked != nil:
		return fmt.Sprintf("track %s %slocked", name, onOff(*e.Locked))
	case e.GainDB != nil:
		return fmt.Sprintf("track %s at %+.1f dB", name, *e.GainDB)
	case e.Balance != nil:
		return fmt.Sprintf("track %s %s", name, scene.BalanceWords(*e.Balance))
	case e.Stays != nil:
		return fmt.Sprintf(
			"track %s %s",
			name,
			phrase.Either(*e.Stays, "stays where it is when others close up", "follows when others close up"),
		)
	case e.Name != nil:
		return fmt.Sprintf("track %s renamed %s", before.Track(e.Track).Name, name)
	case e.Purpose != nil:
		return fmt.Sprintf("track %s is for %s", name, *e.Purpose)
	case e.Hue != nil:
		return fmt.Sprintf(
			"track %s has the colour %s",
			name,
			phrase.Either(*e.Hue == "", "of its purpose", hueWords(*e.Hue)),
		)
	}
	return "track " + name + " changed"
}

// MoveTrack changes the order of tracks: the track comes to lie at an index among all.
type MoveTrack struct {
	Track scene.TrackID `json:"track"`
	To    int           `json:"to"`
}

func (e *MoveTrack) apply(d *draft) error {
	i := scene.TrackIndex(d.Scene, e.Track)
	if i < 0 {
		return notPossible("There is no track %q in this scene.", e.Track)
	}
	if e.To < 0 || e.To >= len(d.Tracks) {
		return notPossible(
			"Track %s is already the %s one.",
			d.Tracks[i].Name,
			phrase.Either(e.To < 0, "first", "last"),
		)
	}
	t := d.Tracks[i]
	d.Tracks = slices.Insert(slices.Delete(d.Tracks, i, i+1), e.To, t)
	return nil
}

func (e *MoveTrack) words(before, after *scene.Scene) string {
	return fmt.Sprintf(
		"track %s moved %s",
		before.Track(e.Track).Name,
		phrase.Either(e.To < scene.TrackIndex(before, e.Track), "up", "down"),
	)
}

// RemoveTrack removes a track that holds no clip.
type RemoveTrack struct {
	Track scene.TrackID `json:"track"`
}

func (e *RemoveTrack) apply(d *draft) error {
	i := scene.TrackIndex(d.Scene, e.Track)
	if i < 0 {
		return notPossible("There is no track %q in this scene.", e.Track)
	}
	if n := len(d.Tracks[i].Clips); n > 0 {
		return notPossible(
			"Track %s still holds %s; remove or move them first.",
			d.Tracks[i].Name,
			phrase.Count(n, "clip"),
		)
	}
	d.Tracks = slices.Delete(d.Tracks, i, i+1)
	forgetTrack(d, e.Track)
	return nil
}

func (e *RemoveTrack) words(before, after *scene.Scene) string {
	return "track " + before.Track(e.Track).Name + " removed"
}

// AddMarker names a moment or, with a length, a range.
type AddMarker struct {
	At     int64  `json:"at"`
	Length int64  `json:"length,omitempty"`
	Name   string `json:"name"`
}

func (e *AddMarker) apply(d *draft) error {
	if e.At < 0 {
		return notPossible("A marker cannot lie before the scene.")
	}
	if e.Length < 0 {
		return notPossible("A range begins before it ends.")
	}
	m := scene.Marker{ID: scene.NewID(d.Scene, scene.AMarker), At: e.At, Length: e.Length, Name: shortName(e.Name)}
	i, _ := slices.BinarySearchFunc(d.Markers, m, func(a, b scene.Marker) int { return int(a.At - b.At) })
	d.Markers = slices.Insert(slices.Clone(d.Markers), i, m)
	return nil
}

func (e *AddMarker) words(before, after *scene.Scene) string {
	if e.Length > 0 {
		return fmt.Sprintf("range %s, %s to %s, named", e.Name, after.Timecode(e.At), after.Timecode(e.At+e.Length))
	}
	return fmt.Sprintf("marker %s at %s", e.Name, after.Timecode(e.At))
}

// SetMarker renames or moves a marker, or gives it another length; what is nil stays.
type SetMarker struct {
	Marker scene.MarkerID `json:"marker"`
	Name   *string        `json:"name,omitempty"`
	At     *int64         `json:"at,omitempty"`
	Length *int64         `json:"length,omitempty"`
}

func (e *SetMarker) apply(d *draft) error {
	i := slices.IndexFunc(d.Markers, func(m scene.Marker) bool { return m.ID == e.Marker })
	if i < 0 {
		return notPossible("There is no marker %q in this scene.", e.Marker)
	}
	if e.At != nil && *e.At < 0 {
		return notPossible("A marker cannot lie before the scene.")
	}
	if e.Length != nil && *e.Length < 0 {
		return notPossible("A range begins before it ends.")
	}
	if e.Name == nil && e.At == nil && e.Length == nil && !d.replay {
		return notPossible("A marker is given another name or another place; neither was asked for.")
	}
	d.Markers = slices.Clone(d.Markers)
	setText(&d.Markers[i].Name, e.Name, limit.Names)
	set(&d.Markers[i].At, e.At)
	set(&d.Markers[i].Length, e.Length)
	slices.SortStableFunc(d.Markers, func(a, b scene.Marker) int { return cmp.Compare(a.At, b.At) })
	return nil
}

func (e *SetMarker) words(before, after *scene.Scene) string {
	i := slices.IndexFunc(after.Markers, func(m scene.Marker) bool { return m.ID == e.Marker })
	switch {
	case i < 0:
		return "marker changed"
	case e.Name != nil:
		return "marker named " + *e.Name
	case e.At == nil && e.Length != nil:
		return fmt.Sprintf("range %s is %s long", after.Markers[i].Name, scene.LengthWords(after, *e.Length))
	}
	return fmt.Sprintf("marker %s moved to %s", after.Markers[i].Name, after.Timecode(after.Markers[i].At))
}

// RemoveMarker removes a marker.
type RemoveMarker struct {
	Marker scene.MarkerID `json:"marker"`
}

func (e *RemoveMarker) apply(d *draft) error {
	i := slices.IndexFunc(d.Markers, func(m scene.Marker) bool { return m.ID == e.Marker })
	if i < 0 {
		return notPossible("There is no marker %q in this scene.", e.Marker)
	}
	d.Markers = slices.Delete(slices.Clone(d.Markers), i, i+1)
	return nil
}

func (e *RemoveMarker) words(before, after *scene.Scene) string { return "marker removed" }
