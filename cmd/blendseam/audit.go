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

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/mend"
	"blendseam/core/mend/roommatch"
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

// audited opens a scene file and measures all its seams.
func audited(ctx context.Context, path string) (*scenefile.File, *meter.Meter, []audit.Result, error) {
	f, err := scenefile.Read(ctx, path)
	if err != nil {
		return nil, nil, nil, err
	}
	warn(f.Warnings)
	m := meter.NewMeter(f.Scene, f.Sources())
	all, err := audit.All(ctx, m, 0)
	if err != nil {
		f.Close()
		return nil, nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	return f, m, all, nil
}

func (c *auditCmd) Run(ctx context.Context) error {
	f, meter, all, err := audited(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	if c.CSV != "" {
		raw, err := report.CSV(f.Scene, all, nil)
		if err == nil {
			err = os.WriteFile(c.CSV, raw, 0o644)
		}
		if err != nil {
			return err
		}
	}
	rows := []report.Row{}
	rough := 0
	for _, r := range all {
		row := report.RowOf(f.Scene, r)
		rows = append(rows, row)
		if r.Verdict == audit.Rough && row.Accepted == nil {
			rough++
		}
	}
	places, err := overs.Find(ctx, meter, 0)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	tooLoud := report.LoudRows(f.Scene, places)
	if c.JSON {
		err = printJSON(map[string]any{"seams": rows, "loud": tooLoud})
	} else {
		printRows(rows)
		printLoud(tooLoud)
	}
	if err == nil && rough > 0 {
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
	f, meter, all, err := audited(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	var rooms *roommatch.Plan
	if c.Room {
		if rooms, meter, all, err = c.even(ctx, f); err != nil {
			return fmt.Errorf("%s: %w", c.Scene, err)
		}
	}
	m, err := mend.New(meter).Mend(ctx, all, mend.MendOptions{TakeOut: c.TakeOut})
	if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	if c.CSV != "" {
		raw, err := afterwards(ctx, meter, m, all)
		if err == nil {
			err = os.WriteFile(c.CSV, raw, 0o644)
		}
		if err != nil {
			return err
		}
	}
	if err := writeScene(m.Scene, c.Scene, c.Out); err != nil {
		return err
	}
	changes, left := []report.Change{}, []report.Stay{}
	for _, p := range m.Changes {
		changes = append(changes, report.ChangeOf(f.Scene, m.Scene, p))
	}
	for _, p := range m.Left {
		left = append(left, report.Stay{Row: report.RowOf(f.Scene, p.Before), Left: p.Left})
	}
	if c.JSON {
		said := map[string]any{"changes": changes, "left": left}
		if rooms != nil {
			said["room"] = rooms
		}
		return printJSON(said)
	}
	if rooms != nil {
		printRooms(rooms)
		fmt.Println(roomWords(rooms))
	}
	for _, x := range changes {
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
	for _, x := range left {
		fmt.Printf("%s  %s: left. %s\n", x.AtTC, x.Name(), x.Left)
	}
	fmt.Printf("%s: %d changes, %d seams left\n", c.Out, len(changes), len(left))
	return nil
}

// even brings the takes to one room, and measures what is left to mend.
func (c *mendCmd) even(
	ctx context.Context,
	f *scenefile.File,
) (*roommatch.Plan, *meter.Meter, []audit.Result, error) {
	p, after, err := evened(
		ctx,
		f.Scene,
		f.Sources(),
		roommatch.Options{Target: roommatch.Natural, HushDB: roommatch.AsNeeded},
	)
	if err != nil {
		return nil, nil, nil, err
	}
	f.Scene = after
	m := meter.NewMeter(after, f.Sources())
	all, err := audit.All(ctx, m, 0)
	return p, m, all, err
}

// afterwards is the report of a scene before and after mending.
func afterwards(ctx context.Context, from *meter.Meter, m *mend.Mending, before []audit.Result) ([]byte, error) {
	after, err := audit.All(ctx, meter.NewMeter(m.Scene, from.Sources), 0)
	if err != nil {
		return nil, err
	}
	return report.CSV(from.Scene, before, after)
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
