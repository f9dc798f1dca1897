package main

import (
	"context"
	"path/filepath"
	"strings"

	"blendseam/core/scene"
	"blendseam/interchange"
	"blendseam/media/scenefile"
)

type convertCmd struct {
	In  string `arg:"" help:"Scene file to read (${endings})." placeholder:"IN"`
	Out string `short:"o" required:"" help:"Scene file to write (${endings})." placeholder:"OUT"`
}

func (c *convertCmd) Run(ctx context.Context) error {
	for _, path := range []string{c.In, c.Out} {
		if _, err := interchange.Of(path); err != nil {
			return err
		}
	}
	s, warnings, err := scenefile.ReadOnly(ctx, c.In)
	if err != nil {
		return err
	}
	warn(warnings)
	return writeScene(s, c.In, c.Out)
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
