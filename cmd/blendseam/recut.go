package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"

	"blendseam/export"
	"blendseam/media/scenefile"
)

type recutCmd struct {
	Scene string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	To    string `required:"" help:"The new picture cut (${endings}); its picture alone is read." placeholder:"NEW"`
	Out   string `short:"o" required:"" help:"Scene file to write." placeholder:"OUT"`
	Skip  []int  `help:"Changes not to make, by their numbers in the list." placeholder:"N"`

	CutBeds bool `help:"Cut music and room tone where the picture comes apart; else they stay in one piece."`
	Trim    bool `help:"End the sound of two shots that meet at the picture's cut; else one lies on another track."`
	Extend  bool `help:"Fill the gaps that come from the clips' handles."`

	JSON bool `name:"json" help:"Print one JSON object."`
}

// recutChange is a row of the change list as --json prints it.
type recutChange struct {
	What    string  `json:"what"`
	FromS   float64 `json:"from_s"` // where it was; both where it is now, for what is new
	ToS     float64 `json:"to_s"`
	AtS     float64 `json:"at_s"`
	LengthS float64 `json:"length_s"`
	Source  string  `json:"source"`
	Words   string  `json:"words"`
	Sound   string  `json:"sound"`

	Clips []string `json:"clips"` // names of those of sound that it moves, cuts or keeps aside
}

func (c *recutCmd) Run(ctx context.Context) error {
	s, warnings, err := scenefile.ReadOnly(ctx, c.Scene)
	if err != nil {
		return err
	}
	warn(warnings)
	cut, warnings, err := scenefile.ReadCut(ctx, c.To, s.Rate)
	if err != nil {
		return err
	}
	warn(warnings)
	var skip []int
	for _, n := range c.Skip {
		skip = append(skip, n-1)
	}
	r, err := export.PlanRecut(s, cut,
		export.RecutOptions{Skip: skip, CutBeds: c.CutBeds, Trim: c.Trim, Extend: c.Extend})
	if err != nil {
		return fmt.Errorf("%s: %w", c.To, err)
	}
	for _, n := range c.Skip {
		if n < 1 || n > len(r.Rows) {
			return fmt.Errorf("--skip: there is no change %d; the list has %d", n, len(r.Rows))
		}
	}
	for _, src := range r.Unknown {
		note("%s is not in the scene yet; its picture is taken from %s", src.Name, src.URL)
	}
	if err := writeScene(r.After, c.Scene, c.Out); err != nil {
		return err
	}
	if !c.JSON {
		for i, x := range r.Rows {
			fmt.Printf("%3d  %s: %s\n", i+1, x.Words, x.Sound)
			for _, f := range x.Clips {
				fmt.Printf("     %s, %s, %s\n", f.Name, f.Track, f.What)
			}
		}
		fmt.Printf("%s: %d changes, %d seams as they were, %d new\n", c.Out, len(r.Rows), r.Kept, len(r.New))
		for _, lost := range r.Lost {
			fmt.Println("lost: " + lost)
		}
		return nil
	}
	rate := float64(s.SampleRate)
	list := []recutChange{}
	for _, x := range r.Rows {
		names := []string{}
		for _, f := range x.Clips {
			if !slices.Contains(names, f.Name) {
				names = append(names, f.Name)
			}
		}
		list = append(list, recutChange{string(x.What), float64(x.From) / rate, float64(x.To) / rate, float64(x.At) / rate,
			float64(x.Length) / rate, x.Name, x.Words, x.Sound, names})
	}
	type seam struct {
		Track string  `json:"track"`
		AtS   float64 `json:"at_s"`
		Kind  string  `json:"kind"`
	}
	seams := []seam{}
	for _, x := range r.New {
		seams = append(seams, seam{x.TrackName, float64(x.At) / rate, string(x.Kind)})
	}
	return json.NewEncoder(os.Stdout).Encode(map[string]any{
		"changes": list, "kept_seams": r.Kept, "new_seams": len(r.New), "seams": seams, "lost": r.Lost,
	})
}
