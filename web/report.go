package web

import (
	"cmp"
	"fmt"
	"html/template"
	"maps"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"blendseam/core/audit"
	"blendseam/core/mix"
	"blendseam/interchange/report"
	"blendseam/workspace"
)

// reported gives the scene that a report is about and, to compare with, its named version; "" is the scene as it began.
func (s *Server) reported(r *http.Request) (now, was *workspace.Scene, before, after []audit.Result, err error) {
	id := chi.URLParam(r, "scene")
	if now, err = s.opened(r); err != nil {
		return nil, nil, nil, nil, err
	}
	node := int64(0)
	if name := r.URL.Query().Get("since"); name != "" {
		v, err := s.version(r, id, name)
		if err != nil {
			return nil, nil, nil, nil, err
		}
		node = v.Node
	}
	if was, err = s.OpenAt(r.Context(), id, node); err != nil {
		return nil, nil, nil, nil, err
	}
	if after, err = now.All(r.Context()); err != nil {
		return nil, nil, nil, nil, err
	}
	before, err = was.All(r.Context())
	return now, was, before, after, err
}

// reportCSV sends the seams of the scene as it began, or as a named version has it, and their figures now.
func (s *Server) reportCSV(w http.ResponseWriter, r *http.Request) error {
	now, was, before, after, err := s.reported(r)
	var raw []byte
	if err == nil {
		raw, err = report.CSV(was.Scene, before, after)
	}
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", fileName(now.Scene.Name)+"-seams.csv"))
	w.Write(raw)
	return nil
}

// A reportRow is a seam on the printed report.
type reportRow struct {
	report.Row
	Number  int
	Figures []reportFigure
	Was     *report.Row // as it was, if it was another
	Wave    template.HTML
	Notes   []NoteView
}

type reportFigure struct{ Name, Value, Was string }

// reportPage shows the seam report, made for printing.
func (s *Server) reportPage(w http.ResponseWriter, r *http.Request) error {
	now, was, before, after, err := s.reported(r)
	if err != nil {
		return err
	}
	m, err := now.Mixer(r.Context(), mix.Options{})
	if err != nil {
		return err
	}
	old := map[audit.SeamID]audit.Result{}
	for _, x := range before {
		old[x.ID] = x
	}
	count := map[string]int{}
	for _, x := range before {
		count["was "+string(x.Verdict)]++
	}
	versions, err := s.Store.Versions(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	notes, err := s.notesOf(r)
	if err != nil {
		return err
	}
	ofSeam := map[audit.SeamID][]NoteView{}
	for _, n := range notes {
		ofSeam[n.Seam] = append(ofSeam[n.Seam], n)
	}
	var rows []reportRow
	for i, x := range after {
		count[string(x.Verdict)]++
		row := reportRow{Row: report.RowOf(now.Scene, x), Number: i + 1, Notes: ofSeam[x.ID]}
		delete(ofSeam, x.ID)
		then, ok := old[x.ID]
		if ok {
			if a := report.RowOf(was.Scene, then); a.Why != row.Why || a.Verdict != row.Verdict {
				row.Was = &a
			}
		}
		for _, f := range audit.Table {
			v := f.Figure(&x.Measures)
			if v == nil {
				continue
			}
			figure := reportFigure{Name: f.Name, Value: strings.TrimSpace(printedFigure(f, *v) + " " + f.Unit)}
			if a := f.Figure(&then.Measures); ok && a != nil && printedFigure(f, *a) != printedFigure(f, *v) {
				figure.Was = printedFigure(f, *a)
			}
			if figure.Was != "" || math.Abs(*v) >= 0.05 { // what is nothing, and was nothing, is left out
				row.Figures = append(row.Figures, figure)
			}
		}
		if row.Wave, err = wave(m, x.Seam, now.Scene.SampleRate); err != nil {
			return err
		}
		rows = append(rows, row)
	}
	rest := slices.Concat(slices.Collect(maps.Values(ofSeam))...)
	slices.SortFunc(rest, func(a, b NoteView) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Made, b.Made)) })
	return s.page(
		w, r,
		"report",
		view{
			Title: "Seam report of " + now.Scene.Name,
			Scene: chi.URLParam(r, "scene"),
			Name:  now.Scene.Name,
			List: map[string]any{
				"Rows":     rows,
				"Count":    count,
				"Table":    audit.Table,
				"Made":     time.Now().Format("2 January 2006, 15:04"),
				"Rate":     now.Scene.Rate.String(),
				"Since":    r.URL.Query().Get("since"),
				"Versions": versions,
				"Notes":    rest,
			},
		},
	)
}

func printedFigure(m audit.Measure, v float64) string {
	if m.Unit == "" {
		return fmt.Sprintf("%.2f", v)
	}
	return fmt.Sprintf("%.1f", v)
}

// wave draws two seconds of the scene around a seam, the change marked.
func wave(m *mix.Mixer, x audit.Seam, rate int64) (template.HTML, error) {
	const width, height, bins = 300, 44, 300
	from, to := x.At-rate, x.At+rate
	strip, _, err := stripOf(m, from, to, bins)
	if err != nil {
		return "", err
	}
	top := float32(0.01)
	for i := range strip.Low {
		top = max(top, -strip.Low[i], strip.High[i])
	}
	var path strings.Builder
	for i := range strip.Low {
		fmt.Fprintf(
			&path,
			"M%d %.1fV%.1f",
			i,
			height/2-strip.High[i]/top*(height/2-1),
			height/2-strip.Low[i]/top*(height/2-1)+0.5,
		)
	}
	at := func(sample int64) float64 { return float64(sample-from) * width / float64(to-from) }
	return template.HTML(
		fmt.Sprintf(
			`<svg class="wave" viewBox="0 0 %d %d" width="%d" height="%d" role="img" aria-label="Two seconds around the `+
				`seam"><rect x="%.1f" width="%.1f" height="%d" class="over"/><path d="%s"/><path d="M%d 0V%d" class="at"/></svg>`,
			width,
			height,
			width,
			height,
			at(x.From),
			max(0, at(x.To)-at(x.From)),
			height,
			path.String(),
			width/2,
			height,
		),
	), nil
}
