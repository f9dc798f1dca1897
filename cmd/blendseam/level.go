package main

import (
	"context"
	"fmt"
	"os"
	"strings"
	"text/tabwriter"

	"blendseam/app"
	"blendseam/core/scene"
)

type levelCmd struct {
	Scene  string   `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out    string   `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`
	Voices string   `help:"Loudness that words are brought to, in LUFS, or median." placeholder:"LUFS"`
	Duck   []string `help:"Tracks that make way for words, or all: those of music and effects." placeholder:"TRACK"`
	Under  []string `help:"Tracks whose words they make way for; unless given, all of dialogue." placeholder:"TRACK"`
	By     float64  `help:"By how many dB; unless given, by as much as the words need." placeholder:"DB"`
	Margin float64  `help:"What words are to have over all else; unless given, 10 narration, 6 dialogue." placeholder:"LU"`
	From   string   `help:"Timecode to begin at." placeholder:"TC"`
	To     string   `help:"Timecode to end at." placeholder:"TC"`
	JSON   bool     `name:"json" help:"Print one JSON object."`
}

func (c *levelCmd) Run(ctx context.Context) error {
	q := &app.LevelRequest{Voices: c.Voices, Duck: c.Duck, Under: c.Under, ByDB: c.By, MarginLU: c.Margin,
		Range: app.Range{From: c.From, To: c.To}}
	if err := q.Check(); err != nil {
		return err
	}
	f, done, err := do[*app.Levelled](ctx, c.Scene, "level", q)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := writeScene(f.Scene, c.Scene, c.Out); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(done)
	}
	printLevelled(done, f.Scene, c.Out)
	return nil
}

func printLevelled(d *app.Levelled, s *scene.Scene, file string) {
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	if d.Voices != nil {
		for _, v := range d.Voices.Voices {
			did := fmt.Sprintf("%+.1f dB", v.GainDB)
			if !v.Ticked {
				did = "left as it is"
			}
			if v.Why != "" {
				did += "; " + v.Why
			}
			at := s.Timecode(v.At)
			fmt.Fprintf(out, "%s\t%s\t%.1f LUFS, peak %.1f dBFS\t%s\n", at, v.Name, v.WasLUFS, v.PeakDBFS, did)
		}
	}
	if d.Ducks != nil {
		for _, p := range d.Ducks.Phrases {
			if !p.Drowned {
				continue
			}
			by := "drowned by " + strings.Join(p.By, ", ")
			if p.Why != "" {
				by += "; " + p.Why
			}
			fmt.Fprintf(out, "%s\t%s\t%.1f dB over all else, %.0f wanted\t%s\n", s.Timecode(p.From), p.Name, p.MarginDB,
				p.WantedDB, by)
		}
	}
	out.Flush()
	if d.Voices != nil {
		if len(d.Voices.Short) > 0 {
			fmt.Printf("left, with too few words to be measured: %s\n", strings.Join(d.Voices.Short, ", "))
		}
		fmt.Printf("%s: voices at %.1f LUFS\n", file, d.Voices.TargetLUFS)
	}
	if d.Ducks == nil {
		return
	}
	for _, x := range d.Ducks.Ducks {
		fmt.Printf("%s: %s makes way for the words of %s by %.1f dB\n", file, x.Name, strings.Join(x.Under, ", "), x.DB)
	}
	if len(d.Ducks.Ducks) == 0 {
		fmt.Printf("%s: no track has to make way; no words are drowned by what could\n", file)
	}
}
