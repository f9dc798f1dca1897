// Package flac reads FLAC streams into samples and writes them, over github.com/mewkiz/flac.
package flac

import (
	"bufio"
	"crypto/md5"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"io"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/frame"
	"github.com/mewkiz/flac/meta"

	"blendseam/core/sound/pcm"
)

// blockSamples is the number of samples in each frame written.
const blockSamples = 4096

// ErrNotFLAC says that a stream does not begin as FLAC does.
var ErrNotFLAC = errors.New("not a FLAC file")

// A Decoder reads a FLAC stream from its start to its end.
type Decoder struct {
	stream *flac.Stream
	format pcm.Format
	length int64
	read   int64
	sum    *streamSum
}

// NewDecoder reads the stream's header.
func NewDecoder(r io.Reader) (d *Decoder, err error) {
	defer recovered(&err)
	s, err := flac.New(r)
	if err != nil {
		return nil, fmt.Errorf("%w (%v)", ErrNotFLAC, err)
	}
	f := pcm.Format{Rate: int(s.Info.SampleRate), Channels: int(s.Info.NChannels), Bits: int(s.Info.BitsPerSample)}
	if f.Channels < 1 || f.Channels > 8 || f.Bits < 4 || f.Bits > 32 || f.Rate < 1000 {
		return nil, fmt.Errorf("damaged FLAC file: its header says %s", f)
	}
	d = &Decoder{stream: s, format: f, length: int64(s.Info.NSamples)}
	if s.Info.MD5sum != [16]byte{} {
		d.sum = &streamSum{want: s.Info.MD5sum, hash: md5.New()}
	}
	return d, nil
}

// recovered turns a panic of the decoding library on damaged input into an error.
func recovered(err *error) {
	if p := recover(); p != nil {
		*err = fmt.Errorf("damaged FLAC file: %v", p)
	}
}

// Format says how the stream stores its sound. Bits may be any number from 4 to 32.
func (d *Decoder) Format() pcm.Format { return d.format }

// Len is the number of samples that the header promises, 0 if it does not say.
func (d *Decoder) Len() int64 { return d.length }

// Next gives the next block of sound, io.EOF after the last. A stream that ends before the
// promised length, or whose sum differs from the one in its header, is an error.
func (d *Decoder) Next() (b pcm.Block, err error) {
	defer recovered(&err)
	f, err := d.stream.ParseNext()
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return nil, d.end()
	}
	if err != nil {
		return nil, fmt.Errorf("damaged FLAC file: after sample %d: %v", d.read, err)
	}
	if len(f.Subframes) != d.format.Channels {
		return nil, fmt.Errorf(
			"damaged FLAC file: %d channels after sample %d, %d before",
			len(f.Subframes),
			d.read,
			d.format.Channels,
		)
	}
	if d.sum != nil {
		d.sum.add(f)
	}
	n := int64(len(f.Subframes[0].Samples))
	b = pcm.NewBlock(d.format.Channels, n)
	scale := 1 / float64(int64(1)<<(d.format.Bits-1))
	for c, sub := range f.Subframes {
		for i, v := range sub.Samples {
			b[c][i] = float64(v) * scale
		}
	}
	d.read += n
	return b, nil
}

func (d *Decoder) end() error {
	if d.length > 0 && d.read < d.length {
		return fmt.Errorf("truncated FLAC file: its header promises %d samples, %d are there", d.length, d.read)
	}
	if d.read == 0 {
		return errors.New("FLAC file without a single sample")
	}
	if d.sum != nil && !d.sum.holds() {
		return errors.New("damaged FLAC file: its sound does not match its checksum")
	}
	return io.EOF
}

// streamSum checks the MD5 sum that a FLAC header gives of all samples.
type streamSum struct {
	want [16]byte
	hash hash.Hash
}

func (s *streamSum) add(f *frame.Frame) { f.Hash(s.hash) }

func (s *streamSum) holds() bool { return [16]byte(s.hash.Sum(nil)) == s.want }

// A Writer writes a FLAC file of 16 or 24 bits from encoded samples.
type Writer struct {
	enc     *flac.Encoder
	out     buffered
	format  pcm.Format
	pending [][]int32 // up to one frame
	filled  int
}

// NewWriter writes the header to w, which is completed by Close. Floats and depths other than 16 and
// 24 are an error.
func NewWriter(w io.WriteSeeker, f pcm.Format) (*Writer, error) {
	if f.Float || f.Bits != 16 && f.Bits != 24 || f.Channels < 1 || f.Channels > 2 {
		return nil, fmt.Errorf("FLAC holds 16 or 24 bits in one or two channels, not %s", f)
	}
	out := buffered{bufio.NewWriterSize(w, 1<<16), w}
	enc, err := flac.NewEncoder(out, &meta.StreamInfo{
		BlockSizeMin: blockSamples, BlockSizeMax: blockSamples,
		SampleRate: uint32(f.Rate), NChannels: uint8(f.Channels), BitsPerSample: uint8(f.Bits),
	})
	if err != nil {
		return nil, err
	}
	pending := make([][]int32, f.Channels)
	for c := range pending {
		pending[c] = make([]int32, blockSamples)
	}
	return &Writer{enc: enc, out: out, format: f, pending: pending}, nil
}

// buffered gathers the encoder's many small writes, and hides a file's Close, which the encoder would call.
type buffered struct {
	*bufio.Writer
	under io.WriteSeeker
}

// Seek writes what is gathered, then moves.
func (b buffered) Seek(offset int64, whence int) (int64, error) {
	if err := b.Flush(); err != nil {
		return 0, err
	}
	return b.under.Seek(offset, whence)
}

// Write appends encoded samples, as pcm.Encoder makes them, of whole moments.
func (w *Writer) Write(encoded []byte) (int, error) {
	width := w.format.Bits / 8
	for o := 0; o < len(encoded); {
		for c := range w.pending {
			v := int32(int16(binary.LittleEndian.Uint16(encoded[o+width-2:])))
			if width == 3 {
				v = v<<8 | int32(encoded[o])
			}
			w.pending[c][w.filled] = v
			o += width
		}
		if w.filled++; w.filled == blockSamples {
			if err := w.flush(); err != nil {
				return o, err
			}
		}
	}
	return len(encoded), nil
}

func (w *Writer) flush() error {
	f := &frame.Frame{Header: frame.Header{
		HasFixedBlockSize: true, BlockSize: uint16(w.filled),
		SampleRate: uint32(w.format.Rate), Channels: frame.ChannelsMono,
		BitsPerSample: uint8(w.format.Bits),
	}}
	if len(w.pending) == 2 {
		f.Channels = frame.ChannelsLR
	}
	for c := range w.pending {
		f.Subframes = append(f.Subframes, &frame.Subframe{
			SubHeader: frame.SubHeader{Pred: frame.PredVerbatim},
			Samples:   w.pending[c][:w.filled], NSamples: w.filled,
		})
	}
	w.filled = 0
	return w.enc.WriteFrame(f)
}

// Close writes what is left and completes the header. It does not close the underlying file.
func (w *Writer) Close() error {
	if w.filled > 0 {
		if err := w.flush(); err != nil {
			return err
		}
	}
	if err := w.enc.Close(); err != nil {
		return err
	}
	return w.out.Flush()
}
