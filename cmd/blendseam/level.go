package main

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"
	"text/tabwriter"

	"blendseam/core/alike"
	"blendseam/core/audit"
	"blendseam/core/scene"
	"blendseam/media"
)

type levelCmd struct {
	Scene  string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out    string `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`
	Voices string `required:"" help:"Loudness that words are brought to, in LUFS, or median." placeholder:"LUFS"`
	From   string `help:"Timecode to begin at." placeholder:"TC"`
	To     string `help:"Timecode to end at." placeholder:"TC"`
	JSON   bool   `name:"json" help:"Print one JSON object."`
}

func (c *levelCmd) Run(ctx context.Context) error {
	w := alike.Wish{}
	if c.Voices != "median" {
		lufs, err := strconv.ParseFloat(c.Voices, 64)
		if err != nil {
			return fmt.Errorf("--voices: %q is no loudness; a number of LUFS such as -24, or median, would work", c.Voices)
		}
		w.LUFS = &lufs
	}
	f, err := media.ReadSceneFile(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	if w.Span, err = asked(f.Scene, c.Scene, c.From, c.To); err != nil {
		return err
	}
	p, err := alike.Of(ctx, audit.NewMeter(f.Scene, f.Sources()), w, 0)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	after := f.Scene
	if p.Edit != nil {
		if after, err = scene.Apply(f.Scene, p.Edit); err != nil {
			return fmt.Errorf("%s: %w", c.Scene, err)
		}
	}
	if err := writeScene(after, c.Scene, c.Out); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(p)
	}
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for _, v := range p.Voices {
		did := fmt.Sprintf("%+.1f dB", v.GainDB)
		if !v.Ticked {
			did = "left as it is"
		}
		if v.Why != "" {
			did += "; " + v.Why
		}
		at := f.Scene.Timecode(v.At)
		fmt.Fprintf(out, "%s\t%s\t%.1f LUFS, peak %.1f dBFS\t%s\n", at, v.Name, v.WasLUFS, v.PeakDBFS, did)
	}
	out.Flush()
	if len(p.Short) > 0 {
		fmt.Printf("left, with too few words to be measured: %s\n", strings.Join(p.Short, ", "))
	}
	fmt.Printf("%s: voices at %.1f LUFS\n", c.Out, p.TargetLUFS)
	return nil
}
