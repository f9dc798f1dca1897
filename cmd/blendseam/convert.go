package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/scene"
	"blendseam/export"
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
		if _, err := interchange.FormatOf(path); err != nil {
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
func (c *convertCmd) joined(ctx context.Context) (err error) {
	format, err := interchange.FormatOf(c.Out)
	if err != nil {
		return err
	}
	f, err := scenefile.Read(ctx, c.In)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	dir := strings.TrimSuffix(c.Out, filepath.Ext(c.Out)) + " joined"
	if err := os.Mkdir(dir, 0o755); err != nil {
		return fmt.Errorf("%s cannot be made for the recordings: %s", dir, media.Reason(err))
	}
	defer func() {
		if err != nil {
			os.RemoveAll(dir)
			return
		}
		os.Remove(dir) // where nothing was to be joined
	}()
	folder, err := beside(filepath.Dir(c.In), dir) // until the scene is written elsewhere
	if err != nil {
		return err
	}
	made, err := export.Carry(ctx, f.Scene, f.Sources(), format, dir, folder+"/", nil)
	if err != nil {
		return err
	}
	for _, one := range made.Files {
		fmt.Printf("%s: %.3f s, %s\n", one.Path, one.LengthS, one.Format)
	}
	return writeScene(made.Scene, c.In, c.Out)
}

// beside is how a scene file in a folder names a file or a folder.
func beside(folder, name string) (string, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	if name, err = filepath.Abs(name); err != nil {
		return "", err
	}
	rel, err := filepath.Rel(folder, name)
	return filepath.ToSlash(rel), err
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
		if src.URL, err = beside(to, file); err != nil {
			return err
		}
		s.Sources[id] = src
	}
	return nil
}
