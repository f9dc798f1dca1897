package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"text/tabwriter"

	"blendseam/core/listen/analysis"
	"blendseam/media"
)

type listenCmd struct {
	In   string `arg:"" help:"Recording to listen to." placeholder:"IN"`
	JSON bool   `name:"json" help:"Print one JSON object."`
}

// heardPart is a stretch of a recording, as the command prints it.
type heardPart struct {
	FromS float64 `json:"from_s"`
	ToS   float64 `json:"to_s"`
	Kind  string  `json:"kind"`
	Sure  float64 `json:"sure"`
}

func (c *listenCmd) Run(ctx context.Context) error {
	r, err := media.Open(ctx, c.In, 0)
	if err != nil {
		return err
	}
	defer r.Close()
	says, err := media.AnalysisOf(ctx, c.In, r)
	if err != nil {
		return fmt.Errorf("%s: %w", c.In, err)
	}
	kind, err := analysis.KindOf(ctx, r)
	if err != nil {
		return fmt.Errorf("%s: %w", c.In, err)
	}
	heard, err := says.Heard()
	if err != nil {
		return fmt.Errorf("%s: %w", c.In, err)
	}
	rate := r.Format().Rate
	list := []heardPart{}
	for _, p := range heard {
		list = append(list, heardPart{
			seconds(p.Span.From, rate), seconds(p.Span.To, rate), string(p.Kind), math.Round(100*p.Sure) / 100,
		})
	}
	floorDB, sureDB := math.Round(10*says.Floor.DB)/10, math.Round(10*says.Floor.SureDB)/10
	if c.JSON {
		return printJSON(map[string]any{
			"kind": kind, "background_db": floorDB, "background_sure_db": sureDB, "parts": list,
		})
	}
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', tabwriter.AlignRight)
	for _, p := range list {
		fmt.Fprintf(w, "%.3f\tto\t%.3f s\t%s\t%.0f %% sure\t\n", p.FromS, p.ToS, p.Kind, 100*p.Sure)
	}
	w.Flush()
	certain := ""
	if !says.Floor.Sure() {
		certain = "; that is not sure, for it has no pause that is long enough"
	}
	fmt.Printf("%s: %s, background %.1f dBFS, give or take %.1f dB%s\n", c.In, kind, floorDB, sureDB, certain)
	return nil
}
