package report

import (
	"blendseam/core/audit/overs"
	"blendseam/core/scene"
)

// A LoudRow is a place that is too loud, as the command line prints it.
type LoudRow struct {
	Kind     overs.Kind `json:"kind"`
	Track    string     `json:"track"`
	Clip     string     `json:"clip"`
	AtS      float64    `json:"at_s"` // of the largest sample
	AtTC     string     `json:"at_tc"`
	LengthS  float64    `json:"length_s"`
	PeakDBFS float64    `json:"peak_dbfs"`
	OverDB   float64    `json:"over_db"`
	TurnDB   float64    `json:"turn_db"` // what the clip must be turned by; 0 if that alone cannot help
}

// LoudRows are the places that are too loud in a scene; never nil.
func LoudRows(s *scene.Scene, places []overs.Place) []LoudRow {
	rows := make([]LoudRow, len(places))
	for i, p := range places {
		rows[i] = LoudRow{
			Kind:     p.Kind,
			Track:    p.TrackName,
			Clip:     p.ClipName,
			AtS:      float64(p.At) / float64(s.SampleRate),
			AtTC:     s.Timecode(p.At),
			LengthS:  float64(p.Span.Len()) / float64(s.SampleRate),
			PeakDBFS: p.PeakDBFS,
			OverDB:   p.OverDB,
			TurnDB:   p.TurnDB,
		}
	}
	return rows
}
