// Package notes says where a remark on a scene belongs, when it is written and after the scene was edited since:
// a remark
// stays with the seam or with the moment of a recording that it was put on.
package notes

import (
	"blendseam/core/audit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// A Place is where a remark was put.
type Place struct {
	Seam   audit.SeamID `json:"seam,omitempty"`
	Clip   scene.ClipID `json:"clip,omitempty"`
	At     int64        `json:"at"`               // sample of the scene, as it was
	Length int64        `json:"length,omitempty"` // of a range
	In     int64        `json:"in,omitempty"`     // sample of its clip's source, at the scene's rate
	Anchor scene.ClipID `json:"anchor,omitempty"` // the clip whose source that is
}

// ErrNowhere says that a scene has no such seam or clip.
var ErrNowhere = refuse.Errorf(
	"What this is about is not in the scene any more. Take something that is there in hand, then do it again.",
)

// NewPlace is where a remark goes on a seam, on a clip, or else on so many samples from at.
func NewPlace(s *scene.Scene, seam audit.SeamID, clip scene.ClipID, at, length int64) (Place, error) {
	p := Place{Seam: seam, Clip: clip, At: max(0, at), Length: max(0, length)}
	switch {
	case seam != "":
		x, ok := audit.SeamAt(s, seam)
		if !ok {
			return p, ErrNowhere
		}
		p.At, p.Length, p.Anchor = x.At, 0, x.Right
		if p.Anchor == "" {
			p.Anchor = x.Left
		}
	case clip != "":
		ti, ci, ok := s.Find(clip)
		if !ok {
			return p, ErrNowhere
		}
		t := s.Tracks[ti]
		c := t.Clips[ci]
		from, to := s.Time(t, c.Start), s.Time(t, c.Start+c.Length)
		p.At, p.Length, p.Anchor = min(max(from, p.At), to-1), 0, clip
	default:
		p.Anchor = under(s, p.At)
	}
	if ti, ci, ok := s.Find(p.Anchor); ok {
		t := s.Tracks[ti]
		p.In = s.Time(t, t.Clips[ci].In) + p.At - s.Time(t, t.Clips[ci].Start)
	}
	return p, nil
}

// under is the clip that a remark on a moment stays with: that of the first track of sound which has one there, else of
// picture, "" if there is none.
func under(s *scene.Scene, at int64) scene.ClipID {
	var picture scene.ClipID
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if s.Time(t, c.Start) <= at && at < s.Time(t, c.Start+c.Length) {
				if t.Kind == scene.Sound {
					return c.ID
				}
				picture = c.ID
			}
		}
	}
	return picture
}

// SpanOf is where a remark lies in a scene as it is now. there is false if what it was put on is gone; it is then where
// it was.
func SpanOf(s *scene.Scene, p Place) (span pcm.Span, there bool) {
	at := func(from int64) pcm.Span { return pcm.Span{From: from, To: from + p.Length} }
	if p.Seam != "" {
		if x, ok := audit.SeamAt(s, p.Seam); ok {
			return at(x.At), true
		}
	}
	if ti, ci, ok := s.Find(p.Anchor); ok {
		t := s.Tracks[ti]
		c := t.Clips[ci]
		from, to := s.Time(t, c.Start), s.Time(t, c.Start+c.Length)
		now := from + p.In - s.Time(t, c.In)
		if p.Seam != "" { // its clip is there, but not the seam
			return at(min(max(from, now), to)), false
		}
		if p.Clip != "" || from <= now && now < to {
			return at(min(max(from, now), to-1)), true
		}
	}
	return at(p.At), p.Clip == "" && p.Seam == "" && p.Anchor == ""
}

// seamNear is the seam at a moment.
func seamNear(s *scene.Scene, at int64) (audit.SeamID, bool) {
	for _, x := range audit.Find(s) {
		if x.At == at {
			return x.ID, true
		}
	}
	return "", false
}
