package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"blendseam/app"
	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/interchange"
	"blendseam/interchange/report"
	"blendseam/media/scenefile"
)

// errRough ends an audit that found rough seams.
var errRough = errors.New("rough seams were found")

type auditCmd struct {
	Scene string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	JSON  bool   `name:"json" help:"Print one JSON object."`
	CSV   string `name:"csv" help:"Also write the seam report as CSV." placeholder:"OUT.csv"`
}

// do runs an operation on a scene file, and returns the file with what was done to it.
func do[R any](ctx context.Context, path, name string, request any) (*scenefile.File, R, error) {
	var none R
	f, err := scenefile.Read(ctx, path)
	if err != nil {
		return nil, none, err
	}
	warn(f.Warnings)
	result, err := app.Must(name).Run(ctx, app.OfFile(f), request)
	if err != nil {
		f.Close()
		return nil, none, fmt.Errorf("%s: %w", path, err)
	}
	return f, result.(R), nil
}

func (c *auditCmd) Run(ctx context.Context) error {
	f, a, err := do[*app.Audit](ctx, c.Scene, "audit", &app.Nothing{})
	if err != nil {
		return err
	}
	defer f.Close()
	if c.CSV != "" {
		raw, err := report.CSV(f.Scene, a.Results, nil)
		if err == nil {
			err = os.WriteFile(c.CSV, raw, 0o644)
		}
		if err != nil {
			return err
		}
	}
	if c.JSON {
		err = printJSON(a)
	} else {
		printRows(a.Seams)
		printLoud(a.Loud)
	}
	if err == nil && a.Rough() > 0 {
		err = errRough
	}
	return err
}

func printJSON(v any) error {
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

func printRows(rows []report.Row) {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for _, r := range rows {
		verdict := string(r.Verdict)
		if r.Verdict == audit.Unknown {
			verdict = "cannot be judged"
		}
		if r.Accepted != nil {
			verdict += ", accepted"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", r.AtTC, r.Track, r.Name(), verdict, r.Why)
	}
	w.Flush()
	count := map[audit.Verdict]int{}
	for _, r := range rows {
		count[r.Verdict]++
	}
	fmt.Printf(
		"%d seams: %d rough, %d audible, %d clean",
		len(rows),
		count[audit.Rough],
		count[audit.Audible],
		count[audit.Clean],
	)
	if n := count[audit.Unknown]; n > 0 {
		fmt.Printf(", %d cannot be judged", n)
	}
	fmt.Println()
}

func printLoud(rows []report.LoudRow) {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for _, r := range rows {
		unit, passes := "dBFS", "passes the band of speech"
		if r.Kind == overs.OverFull {
			unit, passes = "dBTP", "reaches full scale"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\ttoo loud\tpeak %.1f %s, %s\n", r.AtTC, r.Track, r.Clip, r.PeakDBFS, unit, passes)
	}
	w.Flush()
}

type mendCmd struct {
	Scene string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out   string `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`
	JSON  bool   `name:"json" help:"Print one JSON object."`
	CSV   string `name:"csv" help:"Also write the seam report, before and after, as CSV." placeholder:"OUT.csv"`
	Room  bool   `help:"Bring all takes of dialogue to one room first, see blendseam room."`

	TakeOut bool `help:"Also take out bumps and clicks in pauses, softly; nothing between words is touched without it."`
}

func (c *mendCmd) Run(ctx context.Context) error {
	f, m, err := do[*app.Mended](ctx, c.Scene, "mend", &app.MendRequest{Room: c.Room, TakeOut: c.TakeOut})
	if err != nil {
		return err
	}
	defer f.Close()
	if c.CSV != "" {
		after, err := audit.All(ctx, meter.NewMeter(f.Scene, f.Sources()), 0)
		if err != nil {
			return err
		}
		raw, err := report.CSV(m.From, m.Before, after)
		if err == nil {
			err = os.WriteFile(c.CSV, raw, 0o644)
		}
		if err != nil {
			return err
		}
	}
	if err := writeScene(f.Scene, c.Scene, c.Out); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(m)
	}
	if m.Room != nil {
		printRooms(m.Room)
		fmt.Println(roomWords(m.Room))
	}
	for _, x := range m.Changes {
		fmt.Printf(
			"%s  %s: %s\n    was %s: %s; is %s: %s\n",
			x.Before.AtTC,
			x.Before.Name(),
			x.Did,
			x.Before.Verdict,
			x.Before.Why,
			x.After.Verdict,
			x.After.Why,
		)
	}
	for _, x := range m.Left {
		fmt.Printf("%s  %s: left. %s\n", x.AtTC, x.Name(), x.Left)
	}
	fmt.Printf("%s: %d changes, %d seams left\n", c.Out, len(m.Changes), len(m.Left))
	return nil
}

// writeScene writes a scene that was read from one file to another, which may lie elsewhere.
func writeScene(s *scene.Scene, from, to string) error {
	if err := relink(s, filepath.Dir(from), filepath.Dir(to)); err != nil {
		return err
	}
	format, err := interchange.FormatOf(to)
	if err != nil {
		return err
	}
	if lost := format.Lost(s); len(lost) > 0 {
		said := []string{fmt.Sprintf("%s does not carry %s", format.Name, strings.Join(lost, ", "))}
		for _, l := range format.LostOf(s) {
			said = append(said, "not carried of "+l.Words(s))
		}
		warn(said)
	}
	raw, err := format.Write(s)
	if err != nil {
		return err
	}
	return os.WriteFile(to, append(raw, '\n'), 0o644)
}
