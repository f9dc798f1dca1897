package media

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"

	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/flac"
	"blendseam/core/sound/pcm/wav"
)

// A File is sound being written. It has its name only once Close succeeds; until then it lies beside it.
type File struct {
	io.Writer
	Encoder pcm.Encoder
	Clipped int64 // samples that CopyContext had to clip
	path    string
	part    *os.File
	finish  func() error
	abort   func()
	closed  bool
}

// Depths are the sample depths that a caller may ask for.
var Depths = []string{"16", "24", "32f"}

// Create makes a sound file of the kind its name ends in. depth is one of Depths, "" the kind's usual one:
// 24 bits. 16 bits get dither unless noDither.
func Create(path string, rate, channels int, depth string, noDither bool) (*File, error) {
	return CreateAs(path, Form{Rate: rate, Channels: channels, Depth: depth, NoDither: noDither})
}

// CreateAs makes a sound file of the kind its name ends in.
func CreateAs(path string, form Form) (*File, error) {
	kind, err := form.check(path)
	if err != nil {
		return nil, err
	}
	e := form.encoder(kind)
	switch {
	case kind.codec != nil:
		return createCoded(path, kind, form, e)
	case kind.Ending == "flac":
		return createFLAC(path, e)
	}
	return CreateBWF(path, e, form.Bext)
}

func newFile(path string, e pcm.Encoder) (*File, error) {
	part, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".part-*")
	if err != nil {
		return nil, fmt.Errorf("%s cannot be written: %s", path, Reason(err))
	}
	part.Chmod(0o644)
	return &File{Encoder: e, path: path, part: part}, nil
}

// CreateWAV makes a WAV file.
func CreateWAV(path string, e pcm.Encoder) (*File, error) { return CreateBWF(path, e, nil) }

// CreateBWF makes a WAV file that says of itself what bext says.
func CreateBWF(path string, e pcm.Encoder, bext *wav.Bext) (*File, error) {
	f, err := newFile(path, e)
	if err != nil {
		return nil, err
	}
	w, err := wav.NewWriter(f.part, e.Format, bext)
	if err != nil {
		f.Discard()
		return nil, err
	}
	f.Writer, f.finish = w, w.Close
	return f, nil
}

func createFLAC(path string, e pcm.Encoder) (*File, error) {
	f, err := newFile(path, e)
	if err != nil {
		return nil, err
	}
	w, err := flac.NewWriter(f.part, e.Format)
	if err != nil {
		f.Discard()
		return nil, err
	}
	f.Writer, f.finish = w, w.Close
	return f, nil
}

// createCoded pipes the samples through ffmpeg.
func createCoded(path string, kind Kind, form Form, e pcm.Encoder) (*File, error) {
	if _, err := exec.LookPath("ffmpeg"); err != nil {
		return nil, fmt.Errorf("%s: %w", path, ErrNoFFmpeg)
	}
	f, err := newFile(path, e)
	if err != nil {
		return nil, err
	}
	args := append(piped(e.Format), kind.codec...)
	if kbits := cmp.Or(form.KBits, kind.kbits); kbits > 0 {
		args = append(args, "-b:a", fmt.Sprintf("%dk", kbits))
	} else {
		args = append(args, kind.best...)
	}
	args = append(args, "-f", kind.container, "-y", "file:"+f.part.Name())
	ctx, cancel := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, "ffmpeg", args...)
	var complaint bytes.Buffer
	cmd.Stderr = &complaint
	in, err := cmd.StdinPipe()
	if err == nil {
		err = cmd.Start()
	}
	if err != nil {
		cancel()
		f.Discard()
		return nil, err
	}
	f.Writer = in
	f.finish = func() error {
		defer cancel()
		in.Close()
		if err := cmd.Wait(); err != nil {
			return fmt.Errorf("ffmpeg could not write it: %s", lastLine(complaint.String(), err))
		}
		return nil
	}
	f.abort = func() { cancel(); cmd.Wait() }
	return f, nil
}

// piped are ffmpeg's arguments for samples of floats that come through its standard input.
func piped(f pcm.Format) []string {
	return []string{
		"-v", "error", "-protocol_whitelist", "pipe", "-f", fmt.Sprintf("f%dle", f.Bits),
		"-ar", fmt.Sprint(f.Rate), "-ac", fmt.Sprint(f.Channels), "-i", "pipe:0",
	}
}

// WriteSound writes a span of a sound to a file of its own, of the kind that its name ends in, at one of Depths;
// nothing is left of it if ctx ends or anything fails.
func WriteSound(ctx context.Context, path string, r pcm.ReaderAt, span pcm.Span, depth string) error {
	f := r.Format()
	out, err := Create(path, f.Rate, f.Channels, depth, false)
	if err != nil {
		return err
	}
	defer out.Discard()
	if err := out.CopyContext(ctx, r, span); err != nil {
		return err
	}
	return out.Close()
}

// Copy writes a span of a sound; see CopyContext.
func (f *File) Copy(r pcm.ReaderAt, span pcm.Span) error {
	return f.CopyContext(context.Background(), r, span)
}

// CopyContext writes a span of a sound, until ctx ends.
func (f *File) CopyContext(ctx context.Context, r pcm.ReaderAt, span pcm.Span) error {
	const step = 1 << 16
	block := pcm.NewBlock(f.Encoder.Format.Channels, step)
	raw := make([]byte, f.Encoder.Size(step))
	for at := span.From; at < span.To; at += step {
		if err := ctx.Err(); err != nil {
			return err
		}
		part := block.Slice(0, min(step, span.To-at))
		if err := r.ReadSamplesAt(part, at); err != nil {
			return err
		}
		piece := raw[:f.Encoder.Size(part.Len())]
		f.Clipped += f.Encoder.Encode(piece, part, at-span.From)
		if _, err := f.Write(piece); err != nil {
			return fmt.Errorf("%s: %w", f.path, full(err))
		}
	}
	return nil
}

// Close completes the file and gives it its name.
func (f *File) Close() error {
	err := f.finish()
	if f.abort != nil {
		f.abort = nil // finished by itself
	}
	if err == nil {
		err = f.part.Close()
	}
	if err == nil {
		err = os.Rename(f.part.Name(), f.path)
	}
	if err != nil {
		f.Discard()
		return fmt.Errorf("%s cannot be written: %w", f.path, full(err))
	}
	f.closed = true
	return nil
}

// Discard gives up a file that is not complete; after Close it does nothing.
func (f *File) Discard() {
	if f.closed {
		return
	}
	f.closed = true
	if f.abort != nil {
		f.abort()
	}
	f.part.Close()
	os.Remove(f.part.Name())
}
