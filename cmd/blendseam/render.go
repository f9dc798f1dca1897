package main

import (
	"context"
	"fmt"
	"os"
	"strings"

	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/media"
)

type renderCmd struct {
	Scene    string `arg:"" help:"Scene file (${endings})." placeholder:"SCENE"`
	Out      string `short:"o" required:"" help:"File to write: .wav, .flac or .mp3."`
	From     string `help:"Timecode to start at, as the scene counts." placeholder:"TC"`
	To       string `help:"Timecode to end before." placeholder:"TC"`
	Track    string `help:"Only the track of this name." placeholder:"NAME"`
	Depth    string `help:"16, 24 or 32f." default:"24"`
	NoDither bool   `help:"Leave out the dither of 16-bit files."`
}

func (c *renderCmd) Run(ctx context.Context) error {
	f, err := media.ReadSceneFile(ctx, c.Scene)
	if err != nil {
		return err
	}
	defer f.Close()
	warn(f.Warnings)
	s := f.Scene
	span, err := s.Stretch(c.From, c.To)
	if err != nil && c.From+c.To != "" {
		return fmt.Errorf("--from, --to: %w", err)
	} else if err != nil {
		return fmt.Errorf("%s: %w", c.Scene, err)
	}
	var opt mix.Options
	if c.Track != "" {
		if opt.Track, err = trackNamed(s, c.Track); err != nil {
			return err
		}
	}
	m, err := mix.New(s, mix.WithMade(s, f.Open), opt)
	if err != nil {
		return err
	}
	out, err := media.Create(c.Out, int(s.SampleRate), s.Channels, c.Depth, c.NoDither)
	if err != nil {
		return err
	}
	defer out.Discard()
	clipped, err := m.Export(ctx, span, out.Encoder, out, nil)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Out, err)
	}
	if err := out.Close(); err != nil {
		return err
	}
	if clipped > 0 {
		fmt.Fprintf(
			os.Stderr,
			"blendseam: note: %d samples reached past full scale and were clipped; turn the scene down or write --depth 32f\n",
			clipped,
		)
	}
	fmt.Printf("%s: %.3f s, %s\n", c.Out, float64(span.Len())/float64(s.SampleRate), out.Encoder.Format)
	return nil
}

func trackNamed(s *scene.Scene, name string) (scene.TrackID, error) {
	var names []string
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		if strings.EqualFold(t.Name, name) {
			return t.ID, nil
		}
		names = append(names, t.Name)
	}
	return "", fmt.Errorf("--track: the scene has no sound track %q; it has %s", name, strings.Join(names, ", "))
}
