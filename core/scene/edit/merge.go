package edit

import (
	"fmt"
	"maps"
	"reflect"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Merge takes what another version of the scene has: tracks as they are there, and all else that differs. Package merge
// finds what both versions did, and [Becoming] the edit.
type Merge struct {
	Order   []scene.TrackID `json:"order"`             // all tracks
	Tracks  []*scene.Track  `json:"tracks,omitempty"`  // that are new or differ
	Sources []scene.Source  `json:"sources,omitempty"` // that are new or differ
	Rest    *Rest           `json:"rest,omitempty"`    // nil: as it is
	Words   string          `json:"words,omitempty"`
}

// Rest is what a scene has beside tracks and sources.
type Rest struct {
	Name       string         `json:"name"`
	Channels   int            `json:"channels"`
	StartFrame int64          `json:"start_frame"`
	Pairs      []scene.Pair   `json:"pairs,omitempty"`
	Markers    []scene.Marker `json:"markers,omitempty"`
	Aside      []*scene.Aside `json:"aside,omitempty"`
	LastID     int64          `json:"last_id"`
	Foreign    scene.Foreign  `json:"foreign,omitempty"`
}

// restOf is that of a scene.
func restOf(s *scene.Scene) Rest {
	return Rest{s.Name, s.Channels, s.StartFrame, s.Pairs, s.Markers, s.Aside, s.LastID, s.Foreign}
}

// NewMerge is the edit that makes one scene into another of the same rates. Sources that only the first has stay.
func NewMerge(before, after *scene.Scene, words string) *Merge {
	e := &Merge{Words: words}
	for _, t := range after.Tracks {
		e.Order = append(e.Order, t.ID)
		if was := before.Track(t.ID); was == nil || was != t && !reflect.DeepEqual(was, t) {
			e.Tracks = append(e.Tracks, t)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(after.Sources)) {
		if was, known := before.Sources[id]; !known || !reflect.DeepEqual(was, after.Sources[id]) {
			e.Sources = append(e.Sources, after.Sources[id])
		}
	}
	if rest := restOf(after); !reflect.DeepEqual(rest, restOf(before)) {
		e.Rest = &rest
	}
	return e
}

func (e *Merge) apply(d *draft) error {
	if err := e.sources(d); err != nil {
		return err
	}
	if err := e.tracks(d); err != nil {
		return err
	}
	if r := e.Rest; r != nil {
		if r.Channels < 1 || r.Channels > 2 || len(r.Markers) > limit.Batch || len(r.Pairs) > limit.Batch ||
			max(r.StartFrame, -r.StartFrame) > scene.Unbounded {
			return notPossible("The other version cannot be: it has %s, and %s.", phrase.Count(r.Channels, "channel"),
				phrase.Count(len(r.Markers), "marker"))
		}
		d.Name, d.Channels, d.StartFrame, d.Pairs = shortName(r.Name), r.Channels, r.StartFrame, r.Pairs
		d.Markers, d.Aside, d.LastID, d.Foreign = slices.Clone(r.Markers), r.Aside, max(d.LastID, r.LastID), r.Foreign
		for i := range d.Markers {
			d.Markers[i].Name = shortName(d.Markers[i].Name)
		}
	}
	if err := e.twice(d); err != nil {
		return err
	}
	return scene.CheckAside(d.Scene)
}

// sources puts those of the other version to the scene's.
func (e *Merge) sources(d *draft) error {
	both := Clipboard{Sources: map[string]scene.Source{}}
	d.Sources = maps.Clone(d.Sources)
	for _, src := range e.Sources {
		src.Name = shortName(src.Name)
		both.Sources[src.ID] = src
		was, known := d.Sources[src.ID]
		if known && (was.Samples != src.Samples || was.Frames != src.Frames || was.Made() != src.Made()) {
			return notPossible("The other version has another recording under the name of %s.", was.Name)
		}
	}
	if err := checkTones(d.Scene, both); err != nil {
		return err
	}
	for id, src := range both.Sources {
		if _, known := d.Sources[id]; known {
			if err := scene.CheckSource(d.Scene, src); err != nil {
				return err
			}
		}
		d.Sources[id] = src
	}
	return nil
}

// tracks puts those of the other version in the place of the scene's.
func (e *Merge) tracks(d *draft) error {
	now := map[scene.TrackID]*scene.Track{}
	for _, t := range e.Tracks {
		if t == nil || t.ID == "" || now[t.ID] != nil || t.Kind != scene.Sound && t.Kind != scene.Picture ||
			!slices.Contains(scene.Purposes, t.Purpose) || t.Hue != "" && !slices.Contains(scene.Hues, t.Hue) {
			return notPossible("The other version has a track that cannot be, or one twice.")
		}
		for _, c := range t.Clips {
			src, known := d.Sources[c.Source]
			if !known || t.Kind == scene.Picture && src.Frames == 0 && !src.Unknown {
				return notPossible("%s shows a recording that the scene does not have.", shortName(c.Name))
			}
		}
		now[t.ID] = t
	}
	list := []*scene.Track{}
	for _, id := range e.Order {
		was, t := d.Track(id), now[id]
		if t == nil {
			t = was
		}
		if t == nil || slices.ContainsFunc(list, func(o *scene.Track) bool { return o.ID == id }) {
			return notPossible("The other version has no track %q, or has it twice.", shortName(string(id)))
		}
		if was != nil && was.Locked && t.Locked && t != was && !reflect.DeepEqual(was.Clips, t.Clips) {
			return d.unlocked(was)
		}
		if t != was {
			own := *t
			own.Name, own.Clips, own.Blends = shortName(t.Name), slices.Clone(t.Clips), slices.Clone(t.Blends)
			t = &own
			d.own[t] = true
			for i := range t.Clips {
				c := &t.Clips[i]
				c.Name = shortName(c.Name)
				setText(&c.Note, &c.Note, limit.Notes)
				d.free[c.Link] = true // how far linked clips run apart was decided in that version
			}
		}
		list = append(list, t)
	}
	for _, t := range d.Tracks {
		if t.Locked && !slices.Contains(e.Order, t.ID) {
			return d.unlocked(t)
		}
	}
	d.Tracks = list
	return nil
}

// twice refuses ids that are there twice.
func (e *Merge) twice(d *draft) error {
	clips := map[scene.ClipID]bool{}
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			if c.ID == "" || clips[c.ID] {
				return notPossible("The other version has the clip %s twice.", shortName(c.Name))
			}
			clips[c.ID] = true
		}
	}
	markers := map[scene.MarkerID]bool{}
	for _, m := range d.Markers {
		if m.ID == "" || markers[m.ID] || m.At < 0 || m.Length < 0 || max(m.At, m.Length) > scene.Unbounded {
			return notPossible("The other version has the marker %s twice, or where nothing can be.", shortName(m.Name))
		}
		markers[m.ID] = true
	}
	return nil
}

func (e *Merge) words(before, after *scene.Scene) string {
	if e.Words != "" {
		return e.Words
	}
	list := scene.Differences(before, after)
	if len(list) == 1 {
		return "from the other version: " + list[0]
	}
	return fmt.Sprintf("%s taken from the other version", phrase.Count(len(list), "change"))
}
