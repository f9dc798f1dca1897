// Package wav reads and writes WAV files: PCM of 8 to 32 bits and floats, WAVE_FORMAT_EXTENSIBLE,
// the Broadcast Wave "bext" chunk (EBU Tech 3285) and RF64 for files over 4 GiB (EBU Tech 3306).
package wav

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math/bits"
	"os"
	"sync"
	"sync/atomic"

	"blendseam/core/sound/pcm"
)

const (
	tagPCM        = 1
	tagFloat      = 3
	tagExtensible = 0xFFFE
	unknownSize   = 0xFFFFFFFF
)

// ErrNotWAV says that a file does not begin as a WAV file does.
var ErrNotWAV = errors.New("not a WAV file")

// A Reader is a WAV file opened for reading. It is a pcm.ReaderAt.
type Reader struct {
	Bext   *Bext // nil if the file has none
	bext   pcm.Span
	src    io.ReaderAt
	format pcm.Format
	data   int64 // byte offset of the first sample
	length int64 // samples
	closer io.Closer
	bytes  sync.Pool

	speakers uint32
	damaged  atomic.Int64
}

// Damaged is how many samples read so far were none, and read as silence: of a file that has been read once from end to
// end, how many it has.
func (r *Reader) Damaged() int64 { return r.damaged.Load() }

// Placed tells whether the file says for which loudspeaker each of its channels is.
func (r *Reader) Placed() bool { return bits.OnesCount32(r.speakers) == r.format.Channels }

// Open opens a WAV file by its path.
func Open(path string) (*Reader, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, err
	}
	r, err := NewReadCloser(f, info.Size(), f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return r, nil
}

// NewReadCloser is NewReader with what Close is to close; it is closed at once if there is an error.
func NewReadCloser(src io.ReaderAt, size int64, closer io.Closer) (*Reader, error) {
	r, err := NewReader(src, size)
	if err != nil {
		closer.Close()
		return nil, err
	}
	r.closer = closer
	return r, nil
}

// NewReader reads the headers of a WAV file of size bytes. Unknown chunks are skipped. A file whose data
// chunk promises more than there is, or that has no whole sample, is an error. Nothing is allocated on
// the word of a header.
func NewReader(src io.ReaderAt, size int64) (*Reader, error) {
	var head [12]byte
	if _, err := src.ReadAt(head[:], 0); err != nil {
		return nil, fmt.Errorf("%w: shorter than a header", ErrNotWAV)
	}
	magic := string(head[:4])
	if magic != "RIFF" && magic != "RF64" || string(head[8:]) != "WAVE" {
		return nil, ErrNotWAV
	}
	r := &Reader{src: src}
	var longData int64 = -1
	for at := int64(12); at+8 <= size; {
		var h [8]byte
		if _, err := src.ReadAt(h[:], at); err != nil {
			return nil, fmt.Errorf("damaged WAV file: cannot read at byte %d: %w", at, err)
		}
		id, n := string(h[:4]), int64(binary.LittleEndian.Uint32(h[4:]))
		body := at + 8
		switch id {
		case "ds64":
			b, err := chunk(src, body, n, 24)
			if err != nil {
				return nil, err
			}
			longData = int64(binary.LittleEndian.Uint64(b[8:]))
		case "fmt ":
			b, err := chunk(src, body, n, 16)
			if err != nil {
				return nil, err
			}
			if r.format, err = parseFormat(b); err != nil {
				return nil, err
			}
			if binary.LittleEndian.Uint16(b) == tagExtensible {
				r.speakers = binary.LittleEndian.Uint32(b[20:])
			}
		case "bext":
			if b, err := chunk(src, body, n, 348); err == nil {
				r.Bext = parseBext(b)
				r.bext = pcm.Span{From: body, To: body + n}
			}
		case "data":
			if n == unknownSize {
				n = size - body
				if magic == "RF64" && longData >= 0 {
					n = longData
				}
			}
			if r.format.Channels == 0 {
				return nil, errors.New("damaged WAV file: the sound comes before its format")
			}
			if r.data == 0 {
				r.data = body
				r.length = n / r.frameBytes()
				if n < 0 || n > size-body {
					return nil, fmt.Errorf(
						"truncated WAV file: its header promises %d bytes of sound, %d are there; copy the file again",
						n,
						size-body,
					)
				}
			}
		}
		if n < 0 || n > size-body {
			break
		}
		at = body + n + n&1
	}
	switch {
	case r.format.Channels == 0:
		return nil, errors.New("damaged WAV file: it has no format chunk")
	case r.data == 0:
		return nil, errors.New("damaged WAV file: it has no data chunk")
	case r.length == 0:
		return nil, errors.New("WAV file without a single sample")
	}
	return r, nil
}

// chunk reads the first bytes of a chunk's body: at least least, at most 4 KiB.
func chunk(src io.ReaderAt, at, n int64, least int) ([]byte, error) {
	if n < int64(least) {
		return nil, fmt.Errorf("damaged WAV file: a chunk at byte %d has %d bytes, %d are needed", at-8, n, least)
	}
	b := make([]byte, min(n, 4096))
	if _, err := src.ReadAt(b, at); err != nil {
		return nil, fmt.Errorf("damaged WAV file: cannot read a chunk at byte %d: %w", at-8, err)
	}
	return b, nil
}

func parseFormat(b []byte) (pcm.Format, error) {
	tag := binary.LittleEndian.Uint16(b)
	f := pcm.Format{
		Channels: int(binary.LittleEndian.Uint16(b[2:])),
		Rate:     int(binary.LittleEndian.Uint32(b[4:])),
		Bits:     int(binary.LittleEndian.Uint16(b[14:])),
	}
	align := int(binary.LittleEndian.Uint16(b[12:]))
	if tag == tagExtensible {
		if len(b) < 26 {
			return f, errors.New("damaged WAV file: its extensible format chunk is too short")
		}
		tag = binary.LittleEndian.Uint16(b[24:])
	}
	switch tag {
	case tagPCM:
	case tagFloat:
		f.Float = true
	default:
		return f, fmt.Errorf("WAV file with sound of kind 0x%04X; PCM and floats can be read", tag)
	}
	if err := f.Check(); err != nil {
		return f, fmt.Errorf("WAV file of %w", err)
	}
	if align != f.Channels*f.Bits/8 {
		return f, fmt.Errorf("damaged WAV file: %d bytes for each moment, %d are right for %s", align, f.Channels*f.Bits/8, f)
	}
	return f, nil
}

func (r *Reader) frameBytes() int64 { return int64(r.format.Channels * r.format.Bits / 8) }

// Format is how the file stores its sound.
func (r *Reader) Format() pcm.Format { return r.format }

// Len is the number of samples in each channel.
func (r *Reader) Len() int64 { return r.length }

// ReadSamplesAt decodes; see pcm.ReaderAt.
func (r *Reader) ReadSamplesAt(dst pcm.Block, at int64) error {
	inside := pcm.Span{From: at, To: at + dst.Len()}.Intersect(pcm.Span{To: r.length})
	if inside.Len() < dst.Len() {
		dst.Clear()
	}
	return r.raw(inside, func(raw []byte) {
		if n := pcm.Decode(dst.Slice(inside.From-at, inside.To-at), raw, r.format); n > 0 {
			r.damaged.Add(n)
		}
	})
}

// AddSamplesAt adds the recording, times gain, to what dst holds; see pcm.Adder. It does so for 24-bit
// stereo alone, the form most long files have.
func (r *Reader) AddSamplesAt(dst pcm.Block, at int64, gain float64) (bool, error) {
	if r.format.Bits != 24 || len(dst) != 2 || r.format.Channels != 2 {
		return false, nil
	}
	inside := pcm.Span{From: at, To: at + dst.Len()}.Intersect(pcm.Span{To: r.length})
	return true, r.raw(inside, func(raw []byte) {
		pcm.AddStereo24(dst.Slice(inside.From-at, inside.To-at), raw, gain)
	})
}

// raw reads the bytes of a stretch inside the file and hands them to use.
func (r *Reader) raw(inside pcm.Span, use func(raw []byte)) error {
	if inside.Empty() {
		return nil
	}
	n := int(inside.Len() * r.frameBytes())
	buf, _ := r.bytes.Get().(*[]byte)
	if buf == nil || cap(*buf) < n {
		buf = new([]byte)
		*buf = make([]byte, n)
	}
	defer r.bytes.Put(buf)
	raw := (*buf)[:n]
	if _, err := r.src.ReadAt(raw, r.data+inside.From*r.frameBytes()); err != nil {
		return fmt.Errorf("reading samples %d to %d: %w", inside.From, inside.To, err)
	}
	use(raw)
	return nil
}

// Close closes the file that Open opened.
func (r *Reader) Close() error {
	if r.closer == nil {
		return nil
	}
	return r.closer.Close()
}
