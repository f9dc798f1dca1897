// Package report writes what was measured of a scene's seams for others to read: as rows for JSON and CSV.
package report

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/core/scene"
)

// A Row is a seam as reports name it.
type Row struct {
	Track    string          `json:"track"`
	AtS      float64         `json:"at_s"`
	AtTC     string          `json:"at_tc"`
	Kind     audit.Kind      `json:"kind"`
	Left     string          `json:"left"`
	Right    string          `json:"right"`
	Verdict  audit.Verdict   `json:"verdict"`
	Cause    audit.Cause     `json:"cause"`
	Why      string          `json:"why"`
	Accepted *string         `json:"accepted,omitempty"` // the note of an editor who lets it be so
	Measures *audit.Measures `json:"measures"`
}

// RowOf makes a row of a result.
func RowOf(sc *scene.Scene, r audit.Result) Row {
	row := Row{
		Track:    r.TrackName,
		AtS:      float64(r.At) / float64(sc.SampleRate),
		AtTC:     sc.Timecode(r.At),
		Kind:     r.Kind,
		Left:     r.LeftName,
		Right:    r.RightName,
		Verdict:  r.Verdict,
		Cause:    r.Cause,
		Why:      r.Why,
		Measures: &r.Measures,
	}
	if a := audit.Acceptance(sc, r.Seam); a != nil {
		row.Accepted = &a.Note
	}
	return row
}

// Name says which clips the seam is about.
func (r Row) Name() string {
	switch {
	case r.Kind == audit.Lull:
		return "lull in " + r.Left
	case r.Right == "":
		return r.Left + " ends"
	case r.Left == "":
		return r.Right + " begins"
	}
	return r.Left + " to " + r.Right
}

// A Change is what mending did at a seam.
type Change struct {
	Track   string   `json:"track"`
	AtS     float64  `json:"at_s"`
	Did     string   `json:"did"`
	Reasons []string `json:"reasons"`
	Before  Row      `json:"before"`
	After   Row      `json:"after"`
}

// A Stay is a seam that mending left as it is, and why.
type Stay struct {
	Row
	Left string `json:"left_because"`
}

// ChangeOf makes a change of a proposal that was done: before is the scene that it was made for, after the one that
// came out.
func ChangeOf(before, after *scene.Scene, p mend.Proposal) Change {
	c := Change{
		Track:   p.Before.TrackName,
		AtS:     float64(p.Before.At) / float64(before.SampleRate),
		Did:     p.Did,
		Reasons: p.Reasons,
		Before:  RowOf(before, p.Before),
	}
	if p.After != nil {
		c.After = RowOf(after, *p.After)
	}
	return c
}

// cell is a text that no spreadsheet takes for a formula (OWASP, "CSV Injection").
func cell(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// CSV writes the seams with all figures; after, which may be nil, adds the verdict and figures of the seams that are
// there still. Figures that could not be measured are empty.
func CSV(sc *scene.Scene, before, after []audit.Result) ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	head := []string{"at_tc", "at_s", "track", "kind", "left", "right", "verdict", "cause", "why", "accepted"}
	figures := func(suffix string) {
		for _, m := range audit.Table {
			head = append(head, m.Key+suffix)
		}
	}
	figures("")
	then := map[audit.SeamID]audit.Result{}
	if after != nil {
		head = append(head, "verdict_after", "why_after")
		figures("_after")
		for _, r := range after {
			then[r.ID] = r
		}
	}
	if err := w.Write(head); err != nil {
		return nil, err
	}
	for _, r := range before {
		row := RowOf(sc, r)
		accepted := ""
		if row.Accepted != nil {
			if accepted = *row.Accepted; accepted == "" {
				accepted = "yes"
			}
		}
		line := []string{
			row.AtTC,
			fmt.Sprintf("%.4f", row.AtS),
			cell(row.Track),
			string(row.Kind),
			cell(row.Left),
			cell(row.Right),
			string(row.Verdict),
			string(row.Cause),
			cell(row.Why),
			cell(accepted),
		}
		add := func(m *audit.Measures) {
			for _, x := range audit.Table {
				text := ""
				if v := x.Figure(m); v != nil {
					text = fmt.Sprintf("%.2f", *v)
				}
				line = append(line, text)
			}
		}
		add(row.Measures)
		if after != nil {
			if r, ok := then[r.ID]; ok {
				line = append(line, string(r.Verdict), cell(r.Why))
				add(&r.Measures)
			} else {
				line = append(line, make([]string, 2+len(audit.Table))...)
			}
		}
		if err := w.Write(line); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}
