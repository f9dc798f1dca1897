package notes

import (
	"encoding/json"
	"slices"

	"blendseam/core/scene"
)

// A Remark is a note as a scene file carries it: a marker of the scene with it in its metadata.
type Remark struct {
	Place    Place    `json:"place"`
	Text     string   `json:"text"`
	Who      string   `json:"who,omitempty"`
	Made     string   `json:"made,omitempty"` // RFC 3339
	Approves bool     `json:"approves,omitempty"`
	Open     bool     `json:"open"`
	Settled  string   `json:"settled_by,omitempty"`
	Answers  []Remark `json:"answers,omitempty"`
}

// metadata is that of a marker which carries a remark, and key where a marker has it.
type metadata struct {
	Note *Remark `json:"blendseam_note"`
}

const key = "metadata"

// WithMarkers is a scene with markers for remarks, where they lie now.
func WithMarkers(s *scene.Scene, list []Remark) (*scene.Scene, error) {
	if len(list) == 0 {
		return s, nil
	}
	t := *s
	t.Markers = slices.Clone(s.Markers)
	for _, r := range list {
		raw, err := json.Marshal(metadata{&r})
		if err != nil {
			return nil, err
		}
		span, _ := SpanOf(s, r.Place)
		m := scene.Marker{ID: scene.NewID(&t, scene.AMarker), At: span.From, Length: span.Len(), Name: r.Text,
			Foreign: scene.Foreign{key: raw}}
		if r.Who != "" {
			m.Name = r.Who + ": " + r.Text
		}
		t.Markers = append(t.Markers, m)
	}
	return &t, nil
}

// TakeMarkers is a scene without the markers that carry remarks, and what they carry, put anew on what lies there: ids
// of clips are those of whoever wrote it.
func TakeMarkers(s *scene.Scene) (*scene.Scene, []Remark) {
	var list []Remark
	t := *s
	t.Markers = nil
	for _, m := range s.Markers {
		var carried metadata
		if raw, is := m.Foreign[key]; !is || json.Unmarshal(raw, &carried) != nil || carried.Note == nil ||
			carried.Note.Text == "" {
			t.Markers = append(t.Markers, m)
			continue
		}
		r := *carried.Note
		r.Place = again(s, r.Place, m.At, m.Length)
		list = append(list, r)
	}
	if len(list) == 0 {
		return s, nil
	}
	return &t, list
}

// again is the place at a moment that is of the same kind as another's.
func again(s *scene.Scene, was Place, at, length int64) Place {
	p := Place{At: at, Length: length}
	switch {
	case was.Seam != "":
		if id, ok := seamNear(s, at); ok {
			p.Seam = id
		}
	case was.Clip != "":
		p.Clip = under(s, at)
	}
	if put, err := NewPlace(s, p.Seam, p.Clip, at, length); err == nil {
		return put
	}
	return p
}
