package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"

	"blendseam/core/sound/measure"
	"blendseam/media"
)

type loudnessCmd struct {
	Files []string `arg:"" help:"Sound files, or pictures with sound." placeholder:"FILE"`
	JSON  bool     `help:"Print one JSON object."`
}

func (c *loudnessCmd) Run(ctx context.Context) error {
	type row struct {
		File string `json:"file"`
		measure.Loudness
	}
	rows := make([]row, 0, len(c.Files))
	for _, file := range c.Files {
		l, err := media.Loudness(ctx, file)
		if err != nil {
			return err
		}
		rows = append(rows, row{file, l})
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"files": rows})
	}
	for _, r := range rows {
		fmt.Printf(
			"%s: %.1f LUFS, range %.1f LU, momentary up to %.1f, short-term up to %.1f LUFS, peak %.1f dBFS, true peak %.1f "+
				"dBTP\n",
			r.File,
			r.IntegratedLUFS,
			r.RangeLU,
			r.MomentaryMaxLUFS,
			r.ShortTermMaxLUFS,
			r.SamplePeakDBFS,
			r.TruePeakDBTP,
		)
	}
	return nil
}
