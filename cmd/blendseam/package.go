package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/export"
	"blendseam/interchange/report"
	"blendseam/media/scenefile"
)

type packageCmd struct {
	Scene   string  `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out     string  `short:"o" required:"" help:"A new folder, or a file that ends in .zip." placeholder:"DIR|FILE.zip"`
	Handles float64 `help:"Seconds of each recording to keep beside what is used." default:"5" placeholder:"S"`
	FLAC    bool    `name:"flac" help:"Recordings of whole numbers as FLAC."`
	Picture bool    `help:"Picture files go along, as they are."`
	Report  bool    `help:"Measure every seam, and let the report go along."`
}

func (c *packageCmd) Run(ctx context.Context) error {
	f, err := scenefile.Read(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	p := export.Packing{
		HandleS: c.Handles, FLAC: c.FLAC, Picture: c.Picture, Open: f.Open,
		File: func(src scene.Source) (string, error) {
			file, err := scenefile.LocalPath(filepath.Dir(c.Scene), src.URL)
			if err != nil {
				return "", err
			}
			_, err = os.Stat(file)
			return file, err
		},
	}
	if info, err := os.Stat(c.Scene); err == nil {
		p.When = info.ModTime()
	}
	if c.Report {
		all, err := audit.All(ctx, meter.NewMeter(f.Scene, f.Sources()), 0)
		if err != nil {
			return err
		}
		if p.Report, err = report.CSV(f.Scene, all, nil); err != nil {
			return err
		}
	}
	zipped := strings.EqualFold(filepath.Ext(c.Out), ".zip")
	dir := c.Out
	if zipped {
		if dir, err = os.MkdirTemp(filepath.Dir(c.Out), ".package-*"); err != nil {
			return fmt.Errorf("%s cannot be written: %w", c.Out, err)
		}
		defer os.RemoveAll(dir)
	}
	_, err = os.Stat(dir)
	fresh := os.IsNotExist(err)
	done, err := export.Pack(ctx, f.Scene, dir, p, nil)
	if err != nil {
		if fresh {
			os.RemoveAll(dir)
		}
		return err
	}
	if zipped {
		if err := export.Zip(ctx, dir, c.Out); err != nil {
			return err
		}
	}
	for _, name := range done.Missing {
		note("the picture of %s is not there, and does not go along", name)
	}
	fmt.Printf("%s: %s and %d files, %.1f MB; %.1f s of %.1f s of recordings\n", c.Out, done.Scene, done.Files-1,
		float64(done.Bytes)/1e6, done.KeptS, done.WholeS)
	return nil
}
