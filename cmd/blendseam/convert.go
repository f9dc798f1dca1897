package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/scene"
	"blendseam/handover"
	"blendseam/interchange"
	"blendseam/media"
	"blendseam/media/scenefile"
)

type convertCmd struct {
	In  string `arg:"" help:"Scene file to read (${endings})." placeholder:"IN"`
	Out string `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`

	Join bool `help:"Render what the format cannot carry into recordings beside the file."`
}

func (c *convertCmd) Run(ctx context.Context) error {
	for _, path := range []string{c.In, c.Out} {
		if _, err := interchange.Of(path); err != nil {
			return err
		}
	}
	if c.Join {
		return c.joined(ctx)
	}
	s, warnings, err := scenefile.ReadOnly(ctx, c.In)
	if err != nil {
		return err
	}
	warn(warnings)
	return writeScene(s, c.In, c.Out)
}

// joined writes the scene with what the format would lose in recordings of their own, in a folder beside the file.
func (c *convertCmd) joined(ctx context.Context) error {
	format, err := interchange.Of(c.Out)
	if err != nil {
		return err
	}
	f, err := scenefile.Read(ctx, c.In)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	folder := strings.TrimSuffix(filepath.Base(c.Out), filepath.Ext(c.Out)) + " joined"
	dir := filepath.Join(filepath.Dir(c.Out), folder)
	if err := os.Mkdir(dir, 0o755); err != nil {
		return fmt.Errorf("%s cannot be made for the recordings: %s", dir, media.Reason(err))
	}
	// Names of files are relative to the scene file until it is written elsewhere.
	in, err := filepath.Abs(filepath.Dir(c.In))
	beside := ""
	if err == nil {
		beside, err = filepath.Abs(dir)
	}
	if err == nil {
		beside, err = filepath.Rel(in, beside)
	}
	if err == nil {
		var made *handover.Carried
		if made, err = handover.Carry(ctx, f.Scene, f.Sources(), format, dir, filepath.ToSlash(beside)+"/", nil); err == nil {
			for _, one := range made.Files {
				fmt.Printf("%s: %.3f s, %s\n", one.Path, one.LengthS, one.Format)
			}
			err = writeScene(made.Scene, c.In, c.Out)
		}
	}
	if err != nil {
		os.RemoveAll(dir)
		return err
	}
	os.Remove(dir) // where nothing was to be joined
	return nil
}

// relink makes relative media names, which were relative to one folder, relative to another.
func relink(s *scene.Scene, from, to string) error {
	from, err1 := filepath.Abs(from)
	to, err2 := filepath.Abs(to)
	if err1 != nil || err2 != nil || from == to {
		return nil
	}
	for id, src := range s.Sources {
		if src.Made() || strings.Contains(src.URL, ":") || filepath.IsAbs(src.URL) {
			continue
		}
		file, err := scenefile.LocalPath(from, src.URL)
		if err != nil {
			return err
		}
		if src.URL, err = filepath.Rel(to, file); err != nil {
			return err
		}
		src.URL = filepath.ToSlash(src.URL)
		s.Sources[id] = src
	}
	return nil
}
