package media

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"

	"blendseam/core/pcm"
	"blendseam/core/pcm/wav"
)

// PeakSteps are the samples in one bin of each zoom of the waveforms, finest first. Step 1 is made from the
// recording itself when it is asked for.
var PeakSteps = []int64{1, 64, 512, 4096, 32768}

// TileBins is how many bins one tile holds.
const TileBins = 4096

// mostTiles is more than any recording has.
const mostTiles = 1 << 26

// A bin is the lowest and the highest sample of all channels, as 16-bit integers.
type bin struct{ low, high int16 }

func sixteen(v float64) int16 { return int16(math.Round(max(-1, min(1, v)) * 32767)) }

func peaksFile(dir string, rate int64) string {
	return filepath.Join(dir, fmt.Sprintf("peaks-%d", rate))
}

// writePeaks writes all zooms but the finest, one after the other.
func (l *Library) writePeaks(ctx context.Context, r pcm.ReaderAt, to string) error {
	steps := PeakSteps[1:]
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
	dir, err := l.work.Dir()
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	f, err := os.Create(filepath.Join(dir, "peaks"))
	if err != nil {
		return err
	}
	defer f.Close()
	w := bufio.NewWriter(f)
	for _, bins := range levels {
		if err := binary.Write(w, binary.LittleEndian, flat(bins)); err != nil {
			return err
		}
	}
	if err := w.Flush(); err != nil {
		return err
	}
	return os.Rename(f.Name(), to)
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

// Peaks gives one tile of a recording's waveform: TileBins pairs of lowest and highest sample, little-endian 16-bit
// integers, zeros beyond its end. step is one of PeakSteps.
func (l *Library) Peaks(id string, rate, step, tile int64) ([]byte, error) {
	k := slices.Index(PeakSteps, step)
	if k < 0 || tile < 0 || tile > mostTiles {
		return nil, errNotPrepared
	}
	w, err := l.Sound(id, rate)
	if err != nil {
		return nil, errNotPrepared
	}
	defer w.Close()
	if step == 1 {
		return finest(w, tile)
	}
	if err := l.here(id, peaksFile("", rate)); err != nil {
		return nil, err
	}
	f, err := os.Open(peaksFile(l.folder(id), rate))
	if err != nil {
		return nil, errNotPrepared
	}
	defer f.Close()
	var before int64 // bins of finer zooms
	bins := func(step int64) int64 { return (w.Len() + step - 1) / step }
	for _, s := range PeakSteps[1:k] {
		before += bins(s)
	}
	raw := make([]byte, 4*TileBins)
	have := min(TileBins, bins(step)-tile*TileBins)
	if have <= 0 {
		return raw, nil
	}
	return raw, exact(f, 4*(before+tile*TileBins), raw[:4*have])
}

func finest(w *wav.Reader, tile int64) ([]byte, error) {
	block, err := pcm.Read(w, pcm.Span{From: tile * TileBins, To: (tile + 1) * TileBins})
	if err != nil {
		return nil, err
	}
	raw := make([]byte, 0, 4*TileBins)
	for _, b := range extremes(block, 1) {
		raw = binary.LittleEndian.AppendUint16(raw, uint16(b.low))
		raw = binary.LittleEndian.AppendUint16(raw, uint16(b.high))
	}
	return raw, nil
}

// PeaksOf is Peaks for a sound that is no recording of the library. Of longer steps the first look samples are looked
// at.
func PeaksOf(r pcm.ReaderAt, step, tile, look int64) ([]byte, error) {
	if !slices.Contains(PeakSteps, step) || tile < 0 || tile > mostTiles {
		return nil, errNotPrepared
	}
	raw := make([]byte, 0, 4*TileBins)
	first := tile * TileBins * step
	put := func(list []bin) {
		for _, b := range list {
			raw = binary.LittleEndian.AppendUint16(raw, uint16(b.low))
			raw = binary.LittleEndian.AppendUint16(raw, uint16(b.high))
		}
	}
	if step <= look {
		block, err := pcm.Read(r, pcm.Span{From: first, To: first + TileBins*step})
		put(extremes(block, step))
		return raw, err
	}
	for i := range int64(TileBins) {
		block, err := pcm.Read(r, pcm.Span{From: first + i*step, To: first + i*step + look})
		if err != nil {
			return nil, err
		}
		put(extremes(block, look))
	}
	return raw, nil
}
