package main

import (
	"context"
	"fmt"
	"math"
	"strings"

	"blendseam/core/listen/tone"
	"blendseam/core/scene"
	"blendseam/core/sound/level"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
	"blendseam/media"
)

type toneCmd struct {
	Source string  `arg:"" help:"Recording to find the background of." placeholder:"SOURCE.wav"`
	Length float64 `required:"" help:"Seconds of tone to build." placeholder:"SECONDS"`
	Out    string  `short:"o" required:"" help:"File to write: .wav, .flac or .mp3."`
	Seed   uint64  `help:"Another number gives another order of the same tone." default:"1"`
	JSON   bool    `name:"json" help:"Print one JSON object."`
}

// foundTone is a quiet stretch, as the command prints it.
type foundTone struct {
	FromS   float64  `json:"from_s"`
	ToS     float64  `json:"to_s"`
	LevelDB float64  `json:"level_db"`
	Reasons []string `json:"reasons"`
}

func (c *toneCmd) Run(ctx context.Context) error {
	if !(c.Length >= 0.02 && c.Length <= 12*3600) {
		return fmt.Errorf("--length: %g s cannot be built; give 0.02 to 43200 seconds", c.Length)
	}
	r, err := media.Open(ctx, c.Source, 0)
	if err != nil {
		return err
	}
	defer r.Close()
	rate := r.Format().Rate
	says, err := media.AnalysisOf(ctx, c.Source, r)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Source, err)
	}
	found := tone.Rank(says.Quiets, nil, c.Length, rate, func(tone.Quiet) float64 { return -1 })
	if len(found) == 0 {
		return fmt.Errorf(
			"%s: no stretch of at least 0.12 s was found without voice, breath or bump; give a recording with pauses",
			c.Source,
		)
	}
	var quiet []tone.Quiet
	list := []foundTone{}
	for _, f := range found {
		quiet = append(quiet, f.Quiet)
		list = append(
			list,
			foundTone{seconds(f.Span.From, rate), seconds(f.Span.To, rate), math.Round(100*f.LevelDB) / 100, f.Reasons},
		)
	}
	used := tone.Similar(quiet, int64(tone.EnoughS*rate))
	made := recipe.Tone{Seed: c.Seed}
	n := int64(0)
	for _, q := range used {
		made.Left = append(made.Left, recipe.Material{Source: "source", From: q.Span.From, To: q.Span.To})
		n += q.Span.Len()
	}
	made.Left = recipe.Within(made.Left, int64(rate))
	levelDB, _ := tone.Mean(used)
	sc := scene.Scene{SampleRate: int64(rate)}
	length := int64(math.Round(c.Length * float64(rate)))
	span := pcm.Span{From: sc.ToneMiddle(), To: sc.ToneMiddle() + length}
	read := func(m recipe.Material) (pcm.Block, error) { return pcm.Read(r, m.Span()) }
	wish := tone.Options{
		Span:  pcm.Span{From: span.From, To: min(span.To, span.From+int64(10*rate))},
		Left:  levelDB,
		Right: levelDB,
	}
	made, gain, err := tone.Settle(made, rate, r.Format().Channels, 2*sc.ToneMiddle(), wish, read)
	if err != nil {
		return err
	}
	if err := c.write(ctx, tone.Open(made, rate, r.Format().Channels, 2*sc.ToneMiddle(), read), span, gain); err != nil {
		return err
	}
	method := tone.Method(n, rate)
	if c.JSON {
		return printJSON(
			map[string]any{
				"found":    list,
				"length_s": seconds(length, rate),
				"level_db": math.Round(100*levelDB) / 100,
				"method":   method,
			},
		)
	}
	for _, f := range list[:min(5, len(list))] {
		fmt.Printf("%7.2f to %7.2f s  %6.1f dBFS  %s\n", f.FromS, f.ToS, f.LevelDB, strings.Join(f.Reasons, "; "))
	}
	how := "grains of it in random order"
	if method == tone.Shaped {
		how = "noise shaped like it, for there is less than half a second"
	}
	fmt.Printf(
		"%s: %.3f s at %.1f dBFS, from %d of %d stretches: %s\n",
		c.Out,
		seconds(length, rate),
		levelDB,
		len(used),
		len(found),
		how,
	)
	return nil
}

func seconds(n int64, rate int) float64 { return float64(n) / float64(rate) }

// write renders tone to the file.
func (c *toneCmd) write(ctx context.Context, r pcm.ReaderAt, span pcm.Span, gainDB float64) error {
	turned := pcm.WithGain{ReaderAt: r, Gain: level.Amplitude(gainDB)}
	return media.WriteSound(ctx, c.Out, turned, span, "24")
}
