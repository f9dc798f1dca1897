package main

import (
	"context"
	"errors"
	"fmt"
	"math"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch"
	"blendseam/core/sound/timestretch/timing"
	"blendseam/media"
)

type fitCmd struct {
	In     string  `arg:"" help:"Recording to be fitted." placeholder:"IN.wav"`
	Out    string  `short:"o" required:"" help:"File to write: .wav, .flac or .mp3."`
	Length float64 `help:"Seconds that it is to take." placeholder:"SECONDS"`
	Speed  float64 `help:"How many times as fast it is to pass, in place of a length." placeholder:"TIMES"`
	Pauses float64 `help:"The share that pauses give, 0 to 1, before words change their speed." default:"1"`
	Kind   string  `help:"speech, or music for all that is not one voice." enum:"speech,music" default:"speech"`
	JSON   bool    `name:"json" help:"Print one JSON object."`
}

// fittedPart is a stretch of the recording that takes another length, as the command prints it.
type fittedPart struct {
	FromS   float64     `json:"from_s"`
	ToS     float64     `json:"to_s"`
	LengthS float64     `json:"length_s"`
	Kind    timing.Kind `json:"kind"`
}

func (c *fitCmd) Run(ctx context.Context) error {
	switch {
	case (c.Length > 0) == (c.Speed > 0):
		return errors.New("fit: give either --length in seconds or --speed, as a figure above 0")
	case !(c.Pauses >= 0 && c.Pauses <= 1):
		return fmt.Errorf("--pauses: %g is no share; give 0 to 1", c.Pauses)
	}
	r, err := media.Open(ctx, c.In, 0)
	if err != nil {
		return err
	}
	defer r.Close()
	rate := int64(r.Format().Rate)
	wish := timestretch.Options{Length: int64(math.Round(c.Length * float64(rate))), Pauses: c.Pauses, Kind: timing.Words}
	if c.Speed > 0 {
		wish.Length = int64(math.Round(float64(r.Len()) / c.Speed))
	}
	var pauses []pcm.Span
	if c.Kind == "music" {
		wish.Kind = timing.Music
	} else if wish.Pauses > 0 {
		says, err := media.AnalysisOf(ctx, c.In, r)
		if err != nil {
			return fmt.Errorf("%s: %w", c.In, err)
		}
		if pauses, err = says.PausesIn(pcm.Span{To: r.Len()}); err != nil {
			return fmt.Errorf("%s: %w", c.In, err)
		}
	}
	p, err := timestretch.NewPlan(pcm.Span{To: r.Len()}, pauses, wish, rate)
	var far *timestretch.TooFar
	if errors.As(err, &far) {
		return fmt.Errorf("%s: %.3f s cannot be reached; %.3f to %.3f s can, with words at half to twice their speed",
			c.In, seconds(far.Asked, int(rate)), seconds(far.Least, int(rate)), seconds(far.Most, int(rate)))
	} else if err != nil {
		return err
	}
	if err := c.write(ctx, r, p); err != nil {
		return err
	}
	cuts := []fittedPart{}
	for _, x := range p.Parts {
		cuts = append(cuts, fittedPart{
			seconds(x.From, int(rate)), seconds(x.To, int(rate)), seconds(x.Length, int(rate)), x.Kind,
		})
	}
	if c.JSON {
		return printJSON(map[string]any{
			"length_s":    seconds(wish.Length, int(rate)),
			"pauses_s":    seconds(p.Given, int(rate)),
			"words_speed": p.Speed,
			"cuts":        cuts,
		})
	}
	fmt.Printf("%s: %.3f s, was %.3f s: %s\n", c.Out, seconds(wish.Length, int(rate)), seconds(r.Len(), int(rate)),
		p.Words(rate))
	return nil
}

// write renders the fitted recording to the file.
func (c *fitCmd) write(ctx context.Context, r pcm.ReaderAt, p *timestretch.Plan) error {
	sound := r
	if len(p.Parts) > 0 {
		fitted, err := timestretch.Open(timing.Fit{Parts: p.Parts}, r)
		if err != nil {
			return err
		}
		sound = fitted
	}
	f := r.Format()
	depth := "24"
	if f.Float {
		depth = "32f"
	}
	return media.WriteSound(ctx, c.Out, sound, pcm.Span{To: sound.Len()}, depth)
}
