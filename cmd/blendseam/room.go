package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"blendseam/app"
	"blendseam/core/mend/roommatch"
	"blendseam/core/sound/level"
)

type roomCmd struct {
	Scene  string  `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out    string  `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`
	Target string  `help:"The room: natural, quiet, or that of a clip." default:"natural"`
	Hush   float64 `help:"Turn backgrounds down by up to so many dB; -1 is as far as needed." default:"-1"`
	Voices bool    `help:"Give takes of drier voice the answer of the wettest one's room, or of the clip's."`
	From   string  `help:"Timecode to begin at." placeholder:"TC"`
	To     string  `help:"Timecode to end at." placeholder:"TC"`
	JSON   bool    `name:"json" help:"Print one JSON object."`
}

func (c *roomCmd) Run(ctx context.Context) error {
	f, p, err := do[*roommatch.Plan](ctx, c.Scene, "room", &app.RoomRequest{
		Target: c.Target, HushDB: &c.Hush, Voices: c.Voices, Range: app.Range{From: c.From, To: c.To},
	})
	if err != nil {
		return err
	}
	defer f.Close()
	if err := writeScene(f.Scene, c.Scene, c.Out); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(p)
	}
	printRooms(p)
	fmt.Printf("%s: %s\n", c.Out, roomWords(p))
	return nil
}

func printRooms(p *roommatch.Plan) {
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	for _, t := range p.Takes {
		did, later := []string{}, ""
		if len(t.Later) > 0 {
			later = fmt.Sprintf(", later at %.1f", t.ThenDB)
		}
		if t.FillDB > level.Silence {
			did = append(did, fmt.Sprintf("filled with noise of %.1f dBFS", t.FillDB))
		}
		if t.HushDB > 0 {
			did = append(did, fmt.Sprintf("hushed by %.1f dB", t.HushDB))
		}
		if t.Answer != nil {
			did = append(did, fmt.Sprintf("answered by a room of %.2f s at %.0f dB", t.Answer.S, t.Answer.LevelDB))
		}
		if len(did) == 0 {
			did = append(did, "left as it is")
		}
		fmt.Fprintf(
			w,
			"%s\t%s\troom at %.1f dBFS%s\t%s, %+.1f dB\n",
			t.Clip,
			t.Source,
			t.WasDB,
			later,
			strings.Join(did, ", "),
			t.RiseDB,
		)
	}
	w.Flush()
	if p.From != "" {
		fmt.Printf("what is laid under them is made from the pauses of %s\n", p.From)
	}
	for _, name := range p.Unmeasured {
		fmt.Printf("%s  left: its recording has no pause to measure a room in\n", name)
	}
	for _, name := range p.Covered {
		fmt.Printf("%s  left: others sound all the time that it does\n", name)
	}
}

func roomWords(p *roommatch.Plan) string {
	return fmt.Sprintf(
		"one room at %.1f dBFS, %+.1f dB against the loudest take; takes were up to %.1f dB apart, %.1f dB are left",
		p.Target.LevelDB,
		p.RiseOverLoudestDB,
		p.ApartDB,
		p.LeftDB,
	)
}
