package media

import (
	"cmp"
	"context"
	"fmt"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/sound/measure"
	"blendseam/core/sound/pcm"
)

// Loudness measures a file at its own rate, its channels in parallel.
func Loudness(ctx context.Context, path string) (measure.Loudness, error) {
	r, err := Open(ctx, path, 0)
	if err != nil {
		return measure.Loudness{}, err
	}
	defer r.Close()
	const step = 1 << 16
	f := r.Format()
	m := measure.NewLoudnessMeter(f.Rate, f.Channels)
	blocks := [2]pcm.Block{pcm.NewBlock(f.Channels, step), pcm.NewBlock(f.Channels, step)}
	var group sync.WaitGroup // of the measuring of one block
	var broken error
	for at, i := int64(0), 0; at < r.Len(); at, i = at+step, i+1 {
		b := blocks[i%2].Slice(0, min(step, r.Len()-at))
		err := r.ReadSamplesAt(b, at) // while the block before is still being measured
		group.Wait()
		if err == nil {
			err = cmp.Or(broken, ctx.Err())
		}
		if err != nil {
			return measure.Loudness{}, fmt.Errorf("%s: %w", path, err)
		}
		group.Go(func() {
			if err := cache.Caught(func() error { m.Add(b); return nil }); err != nil {
				broken = err
			}
		})
	}
	group.Wait()
	if broken != nil {
		return measure.Loudness{}, fmt.Errorf("%s: %w", path, broken)
	}
	return m.Result(), nil
}
