package main

import (
	"context"
	"fmt"

	"blendseam/core/listen/analysis"
	"blendseam/core/mend/eqmatch"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timecode"
	"blendseam/media"
)

type likeCmd struct {
	In       string  `arg:"" help:"Recording to be changed." placeholder:"IN.wav"`
	As       string  `required:"" help:"Recording of the voice that it is to be like." placeholder:"REF.wav"`
	Out      string  `short:"o" required:"" help:"File to write: .wav, .flac or .mp3."`
	Strength float64 `help:"Per cent of the change." default:"100"`
	JSON     bool    `name:"json" help:"Print one JSON object."`
}

func (c *likeCmd) Run(ctx context.Context) error {
	in, err := media.Open(ctx, c.In, 0)
	if err != nil {
		return err
	}
	defer in.Close()
	rate := in.Format().Rate
	as, err := media.Open(ctx, c.As, rate)
	if err != nil {
		return err
	}
	defer as.Close()
	sounds := map[string]pcm.ReaderAt{"in": in, "as": as}
	s := scene.New("like", timecode.F25, int64(rate))
	s.Channels = min(2, in.Format().Channels)
	edits := []edit.Edit{&edit.AddTrack{Name: "Voices", Purpose: scene.ForDialogue}}
	at := int64(0)
	for _, one := range []struct{ id, name string }{{"in", c.In}, {"as", c.As}} {
		r := sounds[one.id]
		edits = append(edits,
			&edit.Bring{Source: scene.Source{ID: one.id, Name: one.name, Samples: r.Len(), Channels: r.Format().Channels}},
			&edit.Add{Track: "t1", Source: one.id, Start: at, Length: r.Len()},
		)
		at += r.Len()
	}
	for _, e := range edits {
		if s, err = edit.Apply(s, e); err != nil {
			return err
		}
	}
	open := func(src scene.Source) (pcm.ReaderAt, error) { return sounds[src.ID], nil }
	says := func(ctx context.Context, src scene.Source, r pcm.ReaderAt) (*analysis.Recording, error) {
		return media.AnalysisOf(ctx, src.Name, r)
	}
	m := meter.NewMeter(s, meter.NewSources(open, says))
	clips := s.Tracks[0].Clips
	p, err := eqmatch.NewPlan(ctx, m, clips[0].ID, clips[1].ID, c.Strength)
	if err != nil {
		return err
	}
	if s, err = edit.Apply(s, p.Edit()); err != nil {
		return err
	}
	sound, err := mix.WithRoom(s, s.Tracks[0].Clips[0], open)
	if err != nil {
		return err
	}
	if err := media.WriteSound(ctx, c.Out, sound, pcm.Span{To: in.Len()}, "24"); err != nil {
		return err
	}
	if c.JSON {
		return printJSON(p)
	}
	fmt.Printf(
		"%s: %+.1f LU and %.1f dB of colour from %s, was %+.1f LU and %.1f dB; its background %+.1f dB\n",
		c.Out, p.After.LevelLU, p.After.ColourDB, c.As, p.Before.LevelLU, p.Before.ColourDB, p.NoiseDB,
	)
	return nil
}
