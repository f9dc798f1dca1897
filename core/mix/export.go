package mix

import (
	"context"
	"io"
	"runtime"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/pcm"
)

// chunk is how many samples one worker renders at a time.
const chunk = 1 << 16

// Export renders a span on all cores, encodes it, and writes it in order of time. progress, if not nil, is
// told the samples done. It returns how many samples were clipped. The result does not depend on how time
// was divided.
func (m *Mixer) Export(
	ctx context.Context,
	span pcm.Span,
	encoder pcm.Encoder,
	to io.Writer,
	progress func(done int64),
) (clipped int64, err error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	workers := runtime.GOMAXPROCS(0)
	type piece struct {
		encoded []byte
		buffer  *[]byte // that it lies in
		clipped int64
		err     error
	}
	type job struct {
		span pcm.Span
		out  chan piece
	}
	buffers := sync.Pool{New: func() any { b := make([]byte, encoder.Size(chunk)); return &b }}
	jobs := make(chan job)
	order := make(chan job, 8*workers) // bounds what is rendered ahead of the writer
	go func() {
		defer close(order)
		defer close(jobs)
		for at := span.From; at < span.To; at += chunk {
			j := job{pcm.Span{From: at, To: min(at+chunk, span.To)}, make(chan piece, 1)}
			select {
			case order <- j:
			case <-ctx.Done():
				return
			}
			select {
			case jobs <- j:
			case <-ctx.Done():
				j.out <- piece{err: context.Cause(ctx)}
				return
			}
		}
	}()
	var group sync.WaitGroup
	for range workers {
		group.Go(func() {
			block := pcm.NewBlock(m.channels, chunk)
			for j := range jobs {
				part := block.Slice(0, j.span.Len())
				if err := cache.Caught(func() error { return m.Render(part, j.span.From) }); err != nil {
					j.out <- piece{err: err}
					continue
				}
				buffer := buffers.Get().(*[]byte)
				encoded := (*buffer)[:encoder.Size(part.Len())]
				clipped := encoder.Encode(encoded, part, j.span.From-span.From)
				j.out <- piece{encoded, buffer, clipped, nil}
			}
		})
	}
	for j := range order {
		p := <-j.out
		if err == nil {
			if err = p.err; err == nil {
				_, err = to.Write(p.encoded)
			}
			if err != nil {
				cancel(err)
			}
		}
		clipped += p.clipped
		if err == nil && progress != nil {
			progress(j.span.To - span.From)
		}
		if p.buffer != nil {
			buffers.Put(p.buffer)
		}
	}
	group.Wait()
	if err == nil {
		err = context.Cause(ctx)
	}
	return clipped, err
}
