// Package peaks makes waveforms: of each stretch of a recording its lowest and its highest sample, at several zooms.
package peaks

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"slices"

	"blendseam/core/sound/pcm"
)

// Steps are the samples in one bin of each zoom, finest first. Step 1 is made from the recording itself when it is
// asked for.
var Steps = []int64{1, 64, 512, 4096, 32768}

// TileBins is how many bins one tile holds.
const TileBins = 4096

// mostTiles is more than any recording has.
const mostTiles = 1 << 26

// ErrNone says that there is no such tile.
var ErrNone = errors.New("there is no such stretch of the waveform")

// Check is ErrNone where there is no such zoom or tile.
func Check(step, tile int64) error {
	if !slices.Contains(Steps, step) || tile < 0 || tile > mostTiles {
		return ErrNone
	}
	return nil
}

// A bin is the lowest and the highest sample of all channels, as 16-bit integers.
type bin struct{ low, high int16 }

func sixteen(v float64) int16 { return int16(math.Round(max(-1, min(1, v)) * 32767)) }

// Write writes all zooms of a sound but the finest, one after the other.
func Write(ctx context.Context, to io.Writer, r pcm.ReaderAt) error {
	steps := Steps[1:]
	levels := make([][]bin, len(steps))
	const run = 32768
	block := pcm.NewBlock(r.Format().Channels, run)
	for at := int64(0); at < r.Len(); at += run {
		if err := ctx.Err(); err != nil {
			return err
		}
		part := block.Slice(0, min(run, r.Len()-at))
		if err := r.ReadSamplesAt(part, at); err != nil {
			return err
		}
		bins := extremes(part, steps[0])
		levels[0] = append(levels[0], bins...)
		for k := 1; k < len(steps); k++ {
			bins = fewer(bins, int(steps[k]/steps[k-1]))
			levels[k] = append(levels[k], bins...)
		}
	}
	w := bufio.NewWriter(to)
	for _, bins := range levels {
		if err := binary.Write(w, binary.LittleEndian, flat(bins)); err != nil {
			return err
		}
	}
	return w.Flush()
}

func flat(bins []bin) []int16 {
	v := make([]int16, 0, 2*len(bins))
	for _, b := range bins {
		v = append(v, b.low, b.high)
	}
	return v
}

func extremes(block pcm.Block, step int64) []bin {
	bins := make([]bin, 0, block.Len()/step+1)
	for from := int64(0); from < block.Len(); from += step {
		low, high := math.Inf(1), math.Inf(-1)
		for _, ch := range block {
			for _, v := range ch[from:min(from+step, block.Len())] {
				low, high = min(low, v), max(high, v)
			}
		}
		bins = append(bins, bin{sixteen(low), sixteen(high)})
	}
	return bins
}

func fewer(bins []bin, by int) []bin {
	var out []bin
	for group := range slices.Chunk(bins, by) {
		b := group[0]
		for _, o := range group[1:] {
			b.low, b.high = min(b.low, o.low), max(b.high, o.high)
		}
		out = append(out, b)
	}
	return out
}

// Tile gives one tile of what Write wrote of a sound of length samples: TileBins pairs of lowest and highest sample,
// little-endian 16-bit integers, zeros beyond its end. Its step is one of Steps but the finest.
func Tile(from io.ReaderAt, length, step, tile int64) ([]byte, error) {
	if err := Check(step, tile); err != nil || step == 1 {
		return nil, ErrNone
	}
	var before int64 // bins of finer zooms
	bins := func(step int64) int64 { return (length + step - 1) / step }
	for _, s := range Steps[1:slices.Index(Steps, step)] {
		before += bins(s)
	}
	raw := make([]byte, 4*TileBins)
	have := min(TileBins, bins(step)-tile*TileBins)
	if have <= 0 {
		return raw, nil
	}
	n, err := from.ReadAt(raw[:4*have], 4*(before+tile*TileBins))
	if errors.Is(err, io.EOF) {
		clear(raw[n:])
		err = nil
	}
	return raw, err
}

// Finest is a tile of single samples, as Tile gives it.
func Finest(r pcm.ReaderAt, tile int64) ([]byte, error) {
	block, err := pcm.Read(r, pcm.Span{From: tile * TileBins, To: (tile + 1) * TileBins})
	return packed(nil, extremes(block, 1)), err
}

// Read gives a tile of any zoom, as Tile does, from the sound itself. Of longer steps the first look samples are looked
// at.
func Read(r pcm.ReaderAt, step, tile, look int64) ([]byte, error) {
	if err := Check(step, tile); err != nil {
		return nil, err
	}
	raw := make([]byte, 0, 4*TileBins)
	first := tile * TileBins * step
	if step <= look {
		block, err := pcm.Read(r, pcm.Span{From: first, To: first + TileBins*step})
		return packed(raw, extremes(block, step)), err
	}
	for i := range int64(TileBins) {
		block, err := pcm.Read(r, pcm.Span{From: first + i*step, To: first + i*step + look})
		if err != nil {
			return nil, err
		}
		raw = packed(raw, extremes(block, look))
	}
	return raw, nil
}

func packed(raw []byte, list []bin) []byte {
	for _, b := range list {
		raw = binary.LittleEndian.AppendUint16(raw, uint16(b.low))
		raw = binary.LittleEndian.AppendUint16(raw, uint16(b.high))
	}
	return raw
}
