package mix

import (
	"cmp"
	"context"
	"io"
	"runtime"
	"sync"

	"blendseam/core/cache"
	"blendseam/core/sound/pcm"
)

// chunk is how many samples one worker renders at a time.
const chunk = 1 << 16

// encodeStep is how many samples of a chunk are rendered, treated and encoded in one go: what becomes of nine stereo
// outputs stays in the cache until it is bytes.
const encodeStep = 1 << 12

// An Output is one of the sounds that an export makes: the mix, or a stem of it.
type Output struct {
	Part    int // 0 is the mix, n the stem n-1
	Encoder pcm.Encoder
	To      io.Writer
	// Treat, if not nil, is done to each block before it is encoded; at is where it begins in the scene. Blocks come in
	// any order, several at once, as they are rendered.
	Treat   func(b pcm.Block, at int64)
	Clipped int64 // samples that had to be clipped, once it is made
}

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
	out := &Output{Encoder: encoder, To: to}
	err = m.ExportAll(ctx, span, nil, []*Output{out}, progress)
	return out.Clipped, err
}

// ExportAll renders a span once, on all cores, and writes the mix and its stems, or those of them that outputs ask
// for, each in order of time. An output has as many channels as its encoder's format, see pcm.InChannels.
func (m *Mixer) ExportAll(
	ctx context.Context, span pcm.Span, stems *Stems, outputs []*Output, progress func(done int64),
) (err error) {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	workers := runtime.GOMAXPROCS(0)
	type job struct {
		span pcm.Span
		out  chan piece
	}
	e := exporter{mixer: m, stems: stems, outputs: outputs, start: span.From}
	jobs := make(chan job)
	ahead := max(2, 8/len(outputs))
	order := make(chan job, ahead*workers) // bounds what is rendered ahead of the writer
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
			blocks := e.blocks()
			for j := range jobs {
				j.out <- e.render(blocks, j.span)
			}
		})
	}
	for j := range order {
		p := <-j.out
		if err == nil {
			if err = p.err; err == nil {
				err = e.write(p)
			}
			if err != nil {
				cancel(err)
			}
		}
		if err == nil && progress != nil {
			progress(j.span.To - span.From)
		}
		if p.encoded != nil {
			e.buffers.Put(p.encoded)
		}
	}
	group.Wait()
	if err == nil {
		err = context.Cause(ctx)
	}
	return err
}

// exporter is an export under way.
type exporter struct {
	mixer   *Mixer
	stems   *Stems
	outputs []*Output
	start   int64     // of the span
	buffers sync.Pool // of *[][]byte, a buffer for each output
}

// A piece is what one chunk became: bytes for each output.
type piece struct {
	encoded *[][]byte
	sizes   []int64
	clipped []int64
	err     error
}

// blocks are what one worker renders into: the mix and the stems.
func (e *exporter) blocks() []pcm.Block {
	list := make([]pcm.Block, 1+e.stems.Len())
	for i := range list {
		list[i] = pcm.NewBlock(e.mixer.channels, encodeStep)
	}
	return list
}

func (e *exporter) render(blocks []pcm.Block, span pcm.Span) piece {
	buffers, _ := e.buffers.Get().(*[][]byte)
	if buffers == nil {
		list := make([][]byte, len(e.outputs))
		for i, o := range e.outputs {
			list[i] = make([]byte, o.Encoder.Size(chunk))
		}
		buffers = &list
	}
	p := piece{encoded: buffers, sizes: make([]int64, len(e.outputs)), clipped: make([]int64, len(e.outputs))}
	for from := span.From; from < span.To; from += encodeStep {
		if err := e.encode(p, blocks, pcm.Span{From: from, To: min(from+encodeStep, span.To)}); err != nil {
			return piece{err: err}
		}
	}
	return p
}

// encode renders a part of a piece behind what is encoded of it.
func (e *exporter) encode(p piece, blocks []pcm.Block, span pcm.Span) error {
	parts := make([]pcm.Block, len(blocks))
	for i := range blocks {
		parts[i] = blocks[i].Slice(0, span.Len())
	}
	if err := cache.Caught(func() error {
		if e.stems == nil {
			return e.mixer.Render(parts[0], span.From)
		}
		return e.stems.Render(parts, span.From)
	}); err != nil {
		return err
	}
	for i, o := range e.outputs {
		sound := parts[o.Part]
		if o.Treat != nil && e.shared(i) { // another still wants it as it is
			sound = pcm.NewBlock(len(sound), sound.Len())
			for c := range sound {
				copy(sound[c], parts[o.Part][c])
			}
		}
		if o.Treat != nil {
			o.Treat(sound, span.From)
		}
		n := o.Encoder.Size(span.Len())
		sound = pcm.InChannels(sound, o.Encoder.Format.Channels)
		p.clipped[i] += o.Encoder.Encode((*p.encoded)[i][p.sizes[i]:p.sizes[i]+n], sound, span.From-e.start)
		p.sizes[i] += n
	}
	return nil
}

// shared tells whether an output after this one takes the same part.
func (e *exporter) shared(i int) bool {
	for _, o := range e.outputs[i+1:] {
		if o.Part == e.outputs[i].Part {
			return true
		}
	}
	return false
}

// write writes a piece to all outputs, each for itself, so that none waits for the others' disks.
func (e *exporter) write(p piece) error {
	errs := make([]error, len(e.outputs))
	var group sync.WaitGroup
	for i, o := range e.outputs {
		o.Clipped += p.clipped[i]
		write := func() {
			errs[i] = cache.Caught(func() error {
				_, err := o.To.Write((*p.encoded)[i][:p.sizes[i]])
				return err
			})
		}
		if i == len(e.outputs)-1 {
			write()
		} else {
			group.Go(write)
		}
	}
	group.Wait()
	return cmp.Or(errs...)
}
