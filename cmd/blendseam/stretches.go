package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"blendseam/core/scene"
	"blendseam/export"
	"blendseam/media"
	"blendseam/media/scenefile"
)

type stretchesCmd struct {
	Scene  string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out    string `short:"o" required:"" help:"Folder to write them to; it is made if it is not there." placeholder:"DIR"`
	Source string `help:"The name of the one recording whose stretches are meant." placeholder:"NAME"`
	Track  string `help:"The clips of a track in place of stretches." placeholder:"NAME"`
	Kind   string `help:"Kind of file: wav, flac, mp3, opus or m4a." default:"wav"`
	Depth  string `help:"16, 24 or 32f bits." placeholder:"BITS"`
	Name   string `help:"Rule for names, of {scene}, {recording}, {name}, {number}, {date}." default:"{recording} {name}"`
	JSON   bool   `name:"json" help:"Print one JSON object."`
}

// A stretchFile is a file that was made, as the command prints it.
type stretchFile struct {
	File    string  `json:"file"`
	Name    string  `json:"name"`
	LengthS float64 `json:"length_s"`
	Format  string  `json:"format"`
	Clipped int64   `json:"clipped"`
}

func (c *stretchesCmd) Run(ctx context.Context) error {
	f, err := scenefile.Read(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	list, err := c.pieces(f)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	files := export.Files{Dir: c.Out, Kind: c.Kind, Pattern: c.Name,
		Form: media.Form{Rate: int(f.Scene.SampleRate), Depth: c.Depth}, Naming: export.Naming{Scene: f.Scene.Name}}
	if info, err := os.Stat(c.Scene); err == nil {
		files.Naming.Date = info.ModTime()
	}
	if err := files.Check(list); err != nil {
		return err
	}
	if err := os.MkdirAll(c.Out, 0o755); err != nil {
		return fmt.Errorf("%s cannot be written: %s", c.Out, media.Reason(err))
	}
	made, err := files.Write(ctx, list, nil)
	if err != nil {
		return err
	}
	out := []stretchFile{}
	for _, one := range made {
		out = append(out, stretchFile{filepath.Base(one.Path), one.Name, one.LengthS, one.Format, one.Clipped})
	}
	if c.JSON {
		return printJSON(map[string]any{"files": out})
	}
	for _, one := range out {
		fmt.Printf("%s: %.3f s, %s\n", filepath.Join(c.Out, one.File), one.LengthS, one.Format)
	}
	return nil
}

// pieces are what the command is about.
func (c *stretchesCmd) pieces(f *scenefile.File) ([]export.Piece, error) {
	if c.Track != "" {
		for _, t := range f.Scene.Tracks {
			if t.Name != c.Track {
				continue
			}
			var ids []scene.ClipID
			for _, x := range t.Clips {
				ids = append(ids, x.ID)
			}
			return export.Clips(f.Scene, f.Sources(), ids)
		}
		return nil, fmt.Errorf("there is no track %q", c.Track)
	}
	id := ""
	for _, src := range f.Scene.Sources {
		if c.Source != "" && src.Name == c.Source {
			id = src.ID
		}
	}
	if c.Source != "" && id == "" {
		return nil, fmt.Errorf("there is no recording %q", c.Source)
	}
	return export.Stretches(f.Scene, f.Sources(), id)
}
