package media

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/flac"
	"blendseam/core/sound/pcm/wav"
	"blendseam/scratch"
)

var errOtherRate = errors.New("needs another rate")

// Conform writes the sound of a file as WAV at rate samples a second, its own if rate is 0, in one or two channels.
// FLAC that needs no other rate keeps every bit; all else becomes 32-bit floats. What is damaged in a WAV file is
// silence before anything else is done to it, and of more than two channels that are for no loudspeakers the mean is
// taken. No more comes out than grown says.
func Conform(ctx context.Context, from, to string, rate int) error {
	return whileRoom(ctx, filepath.Dir(to), func(ctx context.Context) error {
		info, err := os.Stat(from)
		if err != nil {
			return fmt.Errorf("%s cannot be opened: %s", from, Reason(err))
		}
		if err := conformFLAC(
			ctx,
			from,
			to,
			rate,
			grown(from, info.Size()),
		); !errors.Is(err, flac.ErrNotFLAC) &&
			!errors.Is(err, errOtherRate) {
			return err
		}
		w, err := wav.Open(from)
		if err == nil {
			defer w.Close()
			if w.Format().Float || w.Format().Channels > 2 && !w.Placed() {
				return conformWAV(ctx, w, from, to, rate)
			}
		}
		return convert(ctx, from, to, rate, grown(from, info.Size()))
	})
}

// conformWAV writes what is read of a WAV file, and lets the rate be changed of that.
func conformWAV(ctx context.Context, w *wav.Reader, from, to string, rate int) error {
	f := w.Format()
	own := rate == 0 || rate == f.Rate
	clean := to
	if !own {
		dir, err := scratch.Dir()
		if err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		clean = filepath.Join(dir, filepath.Base(from))
	}
	r := pcm.ReaderAt(w)
	if f.Channels > 2 {
		r = averaged{w}
	}
	out, err := CreateWAV(
		clean,
		pcm.Encoder{Format: pcm.Format{Rate: f.Rate, Channels: r.Format().Channels, Bits: 32, Float: true}},
	)
	if err != nil {
		return err
	}
	defer out.Discard()
	if err := out.CopyContext(ctx, r, pcm.Span{To: w.Len()}); err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(from), err)
	}
	if err := out.Close(); err != nil || own {
		return err
	}
	return convert(ctx, clean, to, rate, nil)
}

// averaged is a sound of many channels as the mean of them all.
type averaged struct{ pcm.ReaderAt }

func (a averaged) Format() pcm.Format {
	f := a.ReaderAt.Format()
	f.Channels = 1
	return f
}

func (a averaged) ReadSamplesAt(dst pcm.Block, at int64) error {
	n := a.ReaderAt.Format().Channels
	all := pcm.NewBlock(n, dst.Len())
	if err := a.ReaderAt.ReadSamplesAt(all, at); err != nil {
		return err
	}
	clear(dst[0])
	for _, ch := range all {
		for i, v := range ch {
			dst[0][i] += v / float64(n)
		}
	}
	return nil
}

// convert lets ffmpeg write the sound of a file as floats; most is nil where there is no bound but the file's own
// length.
func convert(ctx context.Context, from, to string, rate int, most *Grown) error {
	p, err := ProbeFile(ctx, from)
	if errors.Is(err, ErrNoFFmpeg) || err != nil && ctx.Err() != nil {
		return fmt.Errorf("%s: %w", filepath.Base(from), err)
	} else if err != nil {
		return fmt.Errorf("%s is not a recording that can be read (%s)", filepath.Base(from), err)
	}
	if p.Rate == 0 {
		return fmt.Errorf("%s holds no sound", filepath.Base(from))
	}
	if err := p.check(filepath.Base(from)); err != nil {
		return err
	}
	if most != nil && p.decoded(cmp.Or(rate, p.Rate)) > float64(most.Most) {
		return most
	}
	var filters []string
	if p.Channels > 2 && p.Layout == "" { // for no loudspeakers
		mean := make([]string, p.Channels)
		for c := range mean {
			mean[c] = fmt.Sprintf("%.9f*c%d", 1/float64(p.Channels), c)
		}
		filters = append(filters, "pan=mono|c0="+strings.Join(mean, "+"))
	}
	if p.SoundStart > 0 { // sound that starts after the picture begins with silence
		filters = append(
			filters,
			fmt.Sprintf("adelay=%d:all=1", int64(min(p.SoundStart, limit.RecordingHours*3600)*1000+0.5)),
		)
	}
	if rate != 0 && rate != p.Rate {
		filters = append(filters, "aresample=resampler=soxr:precision=28:osr="+strconv.Itoa(rate))
	}
	args := append(input(from), "-map", "0:a:0", "-vn")
	if p.Channels > 2 && p.Layout != "" {
		args = append(args, "-ac", "2")
	}
	if len(filters) > 0 {
		args = append(args, "-af", strings.Join(filters, ","))
	}
	args = append(
		args,
		"-t",
		strconv.Itoa(limit.RecordingHours*3600),
		"-c:a",
		"pcm_f32le",
		"-rf64",
		"auto",
		"-f",
		"wav",
		"file:"+to,
	)
	bound := bounds{path: from, writes: filepath.Dir(to)}
	if most != nil {
		bound.output = most.Most
	}
	if _, err := runWithin(
		ctx,
		bound,
		"ffmpeg",
		append([]string{"-v", "error", "-xerror", "-y"}, args...)...); errors.Is(
		err,
		errTooMuch,
	) {
		return most
	} else if err != nil {
		return fmt.Errorf("%s is damaged or cannot be decoded (%w)", filepath.Base(from), err)
	}
	return nil
}

func conformFLAC(ctx context.Context, from, to string, rate int, most *Grown) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	d, err := flac.NewDecoder(in)
	if err != nil {
		return err
	}
	f := d.Format()
	if rate != 0 && f.Rate != rate || f.Channels > 2 {
		return errOtherRate
	}
	depth := 24
	switch {
	case f.Bits <= 16:
		depth = 16
	case f.Bits > 24:
		depth = 32
	}
	encoder := pcm.Encoder{Format: pcm.Format{Rate: f.Rate, Channels: f.Channels, Bits: depth}}
	if encoder.Size(d.Len()) > most.Most {
		return most
	}
	out, err := CreateWAV(to, encoder)
	if err != nil {
		return err
	}
	defer out.Discard()
	var buf []byte
	for at := int64(0); ; {
		b, err := d.Next()
		if err == io.EOF {
			return out.Close()
		}
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return fmt.Errorf("%s: %w", filepath.Base(from), err)
		}
		if n := out.Encoder.Size(b.Len()); int64(cap(buf)) < n {
			buf = make([]byte, n)
		}
		buf = buf[:out.Encoder.Size(b.Len())]
		out.Encoder.Encode(buf, b, at)
		if _, err := out.Write(buf); err != nil {
			return err
		}
		if at += b.Len(); out.Encoder.Size(at) > most.Most {
			return most
		}
		if at > limit.RecordingHours*3600*int64(f.Rate) {
			return tooLong(filepath.Base(from))
		}
	}
}

func tooLong(name string) error {
	return fmt.Errorf("%s is longer than %d hours, the most that a recording may be; part it.", name, limit.RecordingHours)
}
