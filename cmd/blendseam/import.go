package main

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/timecode"
	"blendseam/ingest"
	"blendseam/interchange"
	"blendseam/media"
)

type importCmd struct {
	place
	Files      []string `arg:"" help:"Recordings, or one scene file (${endings})." placeholder:"FILE"`
	Production string   `help:"The production of a new scene; the first one unless named." placeholder:"NAME"`
	Scene      string   `required:"" help:"The scene to bring them into; made if there is none." placeholder:"NAME"`
}

func (c *importCmd) Run(ctx context.Context) error {
	scenes := 0
	for _, f := range c.Files {
		if interchange.IsSceneFile(f) {
			scenes++
		}
	}
	if scenes > 0 && len(c.Files) > 1 {
		return errors.New("a scene file is brought in by itself; name one scene file, or recordings")
	}
	o, err := c.open(ctx)
	if err != nil {
		return err
	}
	defer o.close()
	in := o.Ingester
	production, err := productionNamed(ctx, in.Store, c.Production)
	if err != nil {
		return err
	}
	if scenes == 1 {
		id, warnings, err := in.SceneFile(ctx, c.Files[0], c.Scene, production)
		if err != nil {
			return err
		}
		warn(warnings)
		fmt.Printf("%s: scene %q brought in as %s\n", c.Files[0], c.Scene, id)
		return nil
	}
	return c.recordings(ctx, in, production)
}

// recordings brings all files in, or none into the scene if one of them cannot be read.
func (c *importCmd) recordings(ctx context.Context, in ingest.Ingester, production string) error {
	rows, err := in.Store.Scenes(ctx)
	if err != nil {
		return err
	}
	id := ""
	var rate timecode.Rate
	sampleRate := int64(48000)
	for _, r := range rows {
		if r.Name == c.Scene {
			st, err := in.Store.Scene(ctx, r.ID)
			if err != nil {
				return err
			}
			id, rate, sampleRate = r.ID, st.Scene.Rate, st.Scene.SampleRate
			break
		}
	}
	var infos []media.Info
	for _, f := range c.Files {
		info, err := in.File(ctx, f, sampleRate, rate)
		if err != nil {
			return fmt.Errorf("%s: %w", f, withoutName(err, filepath.Base(f)))
		}
		if info.Damaged > 0 {
			warn([]string{fmt.Sprintf("%s: %d samples are damaged, and read as silence", f, info.Damaged)})
		}
		infos = append(infos, info)
		if rate.Num == 0 && info.Width > 0 {
			rate = info.FrameRate
		}
	}
	if id == "" {
		if rate.Num == 0 {
			rate = timecode.F25
		}
		if id, err = in.Store.Create(ctx, scene.New(c.Scene, rate, sampleRate), production); err != nil {
			return err
		}
	}
	if err := in.Into(ctx, id, infos); err != nil {
		return err
	}
	fmt.Printf("%d recordings are in scene %q\n", len(infos), c.Scene)
	return nil
}

// withoutName drops a file's name from the start of a message that will be preceded by its path.
func withoutName(err error, name string) error {
	return errors.New(strings.TrimPrefix(strings.TrimPrefix(err.Error(), name+" "), name+": "))
}
