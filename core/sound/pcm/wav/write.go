package wav

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"

	"blendseam/core/sound/pcm"
)

// A Writer writes a WAV file from encoded samples. The header leaves room for the long sizes of
// RF64; Close turns the file into one when it has outgrown 4 GiB.
type Writer struct {
	w       io.WriteSeeker
	format  pcm.Format
	head    int64 // bytes before the first sample
	written int64 // bytes of sound
	fact    int64 // byte offset of the fact chunk's count, 0 if none
	long    int64 // sizes from here on need RF64
}

// NewWriter writes the headers. bext may be nil.
func NewWriter(w io.WriteSeeker, f pcm.Format, bext *Bext) (*Writer, error) {
	if err := f.Check(); err != nil {
		return nil, fmt.Errorf("writing WAV: %w", err)
	}
	wr := &Writer{w: w, format: f, long: unknownSize}
	var b bytes.Buffer
	b.WriteString("RIFF\x00\x00\x00\x00WAVE")
	chunkHead(&b, "JUNK", 28)
	b.Write(make([]byte, 28))
	if bext != nil {
		body := bext.bytes()
		chunkHead(&b, "bext", uint32(len(body)))
		b.Write(body)
	}
	writeFormat(&b, f)
	if f.Float {
		chunkHead(&b, "fact", 4)
		wr.fact = int64(b.Len())
		b.Write(make([]byte, 4))
	}
	chunkHead(&b, "data", 0)
	wr.head = int64(b.Len())
	_, err := w.Write(b.Bytes())
	return wr, err
}

func chunkHead(b *bytes.Buffer, id string, n uint32) {
	b.WriteString(id)
	binary.Write(b, binary.LittleEndian, n)
}

func writeFormat(b *bytes.Buffer, f pcm.Format) {
	tag := uint16(tagPCM)
	if f.Float {
		tag = tagFloat
	}
	extensible := f.Channels > 2 || !f.Float && f.Bits > 16
	size, outer := uint32(16), tag
	if extensible {
		size, outer = 40, tagExtensible
	}
	chunkHead(b, "fmt ", size)
	align := f.Channels * f.Bits / 8
	binary.Write(b, binary.LittleEndian, []uint16{outer, uint16(f.Channels)})
	binary.Write(b, binary.LittleEndian, []uint32{uint32(f.Rate), uint32(f.Rate * align)})
	binary.Write(b, binary.LittleEndian, []uint16{uint16(align), uint16(f.Bits)})
	if extensible {
		mask := uint32(0)
		if f.Channels <= 2 {
			mask = []uint32{0, 4, 3}[f.Channels] // front centre; front left and right
		}
		binary.Write(b, binary.LittleEndian, []uint16{22, uint16(f.Bits)})
		binary.Write(b, binary.LittleEndian, mask)
		binary.Write(b, binary.LittleEndian, tag)
		b.Write([]byte{0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xAA, 0, 0x38, 0x9B, 0x71}) // rest of KSDATAFORMAT_SUBTYPE
	}
}

// Write appends encoded samples, as pcm.Encoder makes them.
func (w *Writer) Write(encoded []byte) (int, error) {
	n, err := w.w.Write(encoded)
	w.written += int64(n)
	return n, err
}

// Close completes the headers. It does not close the underlying file.
func (w *Writer) Close() error {
	if w.written&1 == 1 {
		if _, err := w.w.Write([]byte{0}); err != nil {
			return err
		}
	}
	total := w.head + w.written + w.written&1 - 8
	riff, data := uint32(total), uint32(w.written)
	if total >= w.long {
		riff, data = unknownSize, unknownSize
		long := make([]byte, 4, 36)
		copy(long, "ds64")
		long = binary.LittleEndian.AppendUint32(long, 28)
		long = binary.LittleEndian.AppendUint64(long, uint64(total))
		long = binary.LittleEndian.AppendUint64(long, uint64(w.written))
		long = binary.LittleEndian.AppendUint64(long, uint64(w.samples()))
		long = binary.LittleEndian.AppendUint32(long, 0)
		if err := w.patch(12, long); err != nil {
			return err
		}
		if err := w.patch(0, []byte("RF64")); err != nil {
			return err
		}
	}
	if err := w.patch(4, binary.LittleEndian.AppendUint32(nil, riff)); err != nil {
		return err
	}
	if w.fact > 0 {
		if err := w.patch(w.fact, binary.LittleEndian.AppendUint32(nil, uint32(min(w.samples(), unknownSize)))); err != nil {
			return err
		}
	}
	return w.patch(w.head-4, binary.LittleEndian.AppendUint32(nil, data))
}

func (w *Writer) samples() int64 { return w.written / int64(w.format.Channels*w.format.Bits/8) }

func (w *Writer) patch(at int64, b []byte) error {
	if _, err := w.w.Seek(at, io.SeekStart); err != nil {
		return err
	}
	_, err := w.w.Write(b)
	return err
}

// Head is what stands before so many samples of a format in a file that ends with them, for those who cannot seek. A
// pad byte follows the samples if they are an odd number of bytes.
func Head(f pcm.Format, samples int64) ([]byte, error) {
	var b headBuffer
	w, err := NewWriter(&b, f, nil)
	if err != nil {
		return nil, err
	}
	w.written = samples * int64(f.Channels*f.Bits/8)
	if err := w.Close(); err != nil {
		return nil, err
	}
	return b.bytes[:w.head], nil
}

// headBuffer is a head in memory; what is written behind it is its pad byte.
type headBuffer struct {
	bytes []byte
	at    int64
}

func (b *headBuffer) Write(p []byte) (int, error) {
	if end := b.at + int64(len(p)); end > int64(len(b.bytes)) {
		b.bytes = append(b.bytes, make([]byte, end-int64(len(b.bytes)))...)
	}
	b.at += int64(copy(b.bytes[b.at:], p))
	return len(p), nil
}

func (b *headBuffer) Seek(to int64, _ int) (int64, error) {
	b.at = to
	return to, nil
}
