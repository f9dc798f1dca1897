package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"

	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/media/scenefile"
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

// levelled is what the command did, as it prints it.
type levelled struct {
	voices *levelmatch.Plan      // nil: not asked for
	ducks  *intelligibility.Plan // nil: not asked for
}

type (
	voicesPlan = levelmatch.Plan
	ducksPlan  = intelligibility.Plan
)

// MarshalJSON writes the fields of both as one object.
func (d levelled) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		*voicesPlan
		*ducksPlan
	}{d.voices, d.ducks})
}

func (c *levelCmd) Run(ctx context.Context) error {
	w := levelmatch.Options{}
	if c.Voices != "median" && c.Voices != "" {
		lufs, err := strconv.ParseFloat(c.Voices, 64)
		if err != nil {
			return fmt.Errorf("--voices: %q is no loudness; a number of LUFS such as -24, or median, would work", c.Voices)
		}
		w.LUFS = &lufs
	}
	switch {
	case len(c.Duck) == 0 && (len(c.Under) > 0 || c.By != 0 || c.Margin != 0):
		return errors.New("--under, --by and --margin say how tracks make way; name the tracks with --duck")
	case c.Voices == "" && len(c.Duck) == 0:
		return errors.New("nothing is asked for; --voices LUFS, --voices median, --duck TRACK or --duck all would work")
	case !(c.By >= 0 && c.By <= 60 && c.Margin >= 0 && c.Margin <= 40):
		return errors.New("--by takes 0 to 60 dB, --margin 0 to 40 LU")
	}
	f, err := scenefile.Read(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	if w.Span, err = asked(f.Scene, c.Scene, c.From, c.To); err != nil {
		return err
	}
	done, after := levelled{}, f.Scene
	apply := func(e edit.Edit) error {
		if e == nil {
			return nil
		}
		next, err := edit.Apply(after, e)
		if err == nil {
			after = next
		}
		return err
	}
	if c.Voices != "" {
		if done.voices, err = levelmatch.NewPlan(ctx, meter.NewMeter(after, f.Sources()), w, 0); err == nil {
			err = apply(done.voices.Edit)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", c.Scene, err)
		}
	}
	if len(c.Duck) > 0 {
		wish, err := c.ducks(after, w.Span)
		if err == nil {
			done.ducks, err = intelligibility.NewPlan(ctx, meter.NewMeter(after, f.Sources()), wish, 0)
		}
		if err == nil {
			err = apply(done.ducks.Edit)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", c.Scene, err)
		}
	}
	if err := writeScene(after, c.Scene, c.Out); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(done)
	}
	done.print(f.Scene, c.Out)
	return nil
}

// ducks reads which tracks make way for whose words.
func (c *levelCmd) ducks(s *scene.Scene, span pcm.Span) (w intelligibility.Options, err error) {
	w = intelligibility.Options{Span: span, ByDB: c.By, MarginLU: c.Margin}
	named := func(flag string, names []string) (ids []scene.TrackID, err error) {
		for _, name := range names {
			i := slices.IndexFunc(s.Tracks, func(t *scene.Track) bool { return t.Name == name && t.Kind == scene.Sound })
			if i < 0 {
				return nil, fmt.Errorf("%s: the scene has no track of sound %q; it has %s", flag, name, soundTracks(s))
			}
			ids = append(ids, s.Tracks[i].ID)
		}
		return ids, nil
	}
	if !slices.Equal(c.Duck, []string{"all"}) {
		if w.Ducks, err = named("--duck", c.Duck); err != nil {
			return w, err
		}
	}
	w.Under, err = named("--under", c.Under)
	return w, err
}

func soundTracks(s *scene.Scene) string {
	var names []string
	for _, t := range s.Tracks {
		if t.Kind == scene.Sound {
			names = append(names, t.Name)
		}
	}
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

func (d levelled) print(s *scene.Scene, file string) {
	out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
	if d.voices != nil {
		for _, v := range d.voices.Voices {
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
	if d.ducks != nil {
		for _, p := range d.ducks.Phrases {
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
	if d.voices != nil {
		if len(d.voices.Short) > 0 {
			fmt.Printf("left, with too few words to be measured: %s\n", strings.Join(d.voices.Short, ", "))
		}
		fmt.Printf("%s: voices at %.1f LUFS\n", file, d.voices.TargetLUFS)
	}
	if d.ducks == nil {
		return
	}
	for _, x := range d.ducks.Ducks {
		fmt.Printf("%s: %s makes way for the words of %s by %.1f dB\n", file, x.Name, strings.Join(x.Under, ", "), x.DB)
	}
	if len(d.ducks.Ducks) == 0 {
		fmt.Printf("%s: no track has to make way; no words are drowned by what could\n", file)
	}
}
