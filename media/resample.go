package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"syscall"

	"blendseam/core/sound/pcm"
)

// A Resampler takes encoded samples, as doubles, and hands them on at another rate, as soxr (in ffmpeg, at its highest
// precision) makes them: as many as the length in seconds asks for, in order of time. It is an io.Writer.
type Resampler struct {
	Encoder pcm.Encoder // of what is written to it
	in      io.WriteCloser
	cmd     *exec.Cmd
	cancel  context.CancelFunc
	ended   chan error
	said    bytes.Buffer
}

// NewResampler begins one of sound that has length samples at the rate from. take gets blocks, and where each begins;
// what it returns ends the work.
func NewResampler(
	ctx context.Context, from, to, channels int, length int64, take func(b pcm.Block, at int64) error,
) (*Resampler, error) {
	if _, err := exec.LookPath("ffmpeg"); err != nil {
		return nil, ErrNoFFmpeg
	}
	r := &Resampler{ended: make(chan error, 1)}
	r.Encoder.Format = pcm.Format{Rate: from, Channels: channels, Bits: 64, Float: true}
	ctx, r.cancel = context.WithCancel(ctx)
	args := append(piped(r.Encoder.Format), "-af",
		fmt.Sprintf("aresample=%d:resampler=soxr:precision=33:internal_sample_fmt=dblp", to),
		"-f", "f64le", "pipe:1")
	r.cmd = exec.CommandContext(ctx, "ffmpeg", args...)
	r.cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	r.cmd.Stderr = &r.said
	out, err := r.cmd.StdoutPipe()
	if err == nil {
		r.in, err = r.cmd.StdinPipe()
	}
	if err == nil {
		err = r.cmd.Start()
	}
	if err != nil {
		r.cancel()
		return nil, err
	}
	go func() {
		err := handOn(out, channels, ResampledLength(length, from, to), take)
		if err != nil {
			r.cancel()
		}
		io.Copy(io.Discard, out)
		r.ended <- err
	}()
	return r, nil
}

// ResampledLength is how many samples at one rate are as long as length at another: the nearest, halves up.
func ResampledLength(length int64, from, to int) int64 {
	return (2*length*int64(to) + int64(from)) / (2 * int64(from))
}

// handOn reads doubles and gives them in blocks, exactly length samples, silent where there are fewer.
func handOn(from io.Reader, channels int, length int64, take func(b pcm.Block, at int64) error) error {
	const step = 1 << 14
	format := pcm.Format{Channels: channels, Bits: 64, Float: true}
	raw := make([]byte, 8*channels*step)
	b := pcm.NewBlock(channels, step)
	for at := int64(0); at < length; at += step {
		part := b.Slice(0, min(step, length-at))
		want := raw[:8*channels*int(part.Len())]
		n, err := io.ReadFull(from, want)
		if ended := err == io.EOF || err == io.ErrUnexpectedEOF; err != nil && !ended {
			return err
		} else if ended && length-at-part.Len() > step {
			return errors.New("ffmpeg ended before the sound did")
		}
		clear(want[n:])
		pcm.Decode(part, want, format)
		if err := take(part, at); err != nil {
			return err
		}
	}
	return nil
}

// Write takes the next samples.
func (r *Resampler) Write(p []byte) (int, error) {
	n, err := r.in.Write(p)
	if err != nil {
		select {
		case why := <-r.ended:
			r.ended <- why
			if why != nil {
				err = why
			}
		default:
		}
	}
	return n, err
}

// Close hands the rest on, and waits for it.
func (r *Resampler) Close() error {
	defer r.cancel()
	r.in.Close()
	err := <-r.ended
	r.ended <- err
	if wait := r.cmd.Wait(); wait != nil && (err == nil || r.said.Len() > 0) {
		err = fmt.Errorf("ffmpeg could not change the rate: %s", lastLine(r.said.String(), wait))
	}
	return err
}

// Discard gives the work up; after Close it does nothing.
func (r *Resampler) Discard() {
	r.cancel()
	r.in.Close()
	err := <-r.ended
	r.ended <- err
	r.cmd.Wait()
}
