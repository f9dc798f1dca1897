package wav

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"os"
)

// Bext is the Broadcast Audio Extension chunk (EBU Tech 3285, version 2), but for its UMID, which stays unset. Texts
// longer than their field are cut: 256 letters of Description, 32 of Originator and OriginatorReference.
type Bext struct {
	Description         string
	Originator          string
	OriginatorReference string
	Date, Time          string // yyyy-mm-dd, hh:mm:ss
	TimeReference       int64  // samples since midnight at the first sample
	Loudness            *BextLoudness
	CodingHistory       string // lines that end in CR LF
}

// BextLoudness are the loudness fields of version 2, in LUFS, LU and dBTP.
type BextLoudness struct {
	IntegratedLUFS, RangeLU, TruePeakDBTP, MomentaryMaxLUFS, ShortTermMaxLUFS float64
}

// Offsets in a bext chunk, and its size without coding history.
const (
	bextReference = 338
	bextVersion   = 346
	bextLoudness  = 412
	bextBytes     = 602
	bextUnset     = 0x7fff // of a loudness field, by the standard's section 2.4
)

// bytes is the chunk's body, padded to an even size.
func (x *Bext) bytes() []byte {
	var b bytes.Buffer
	for _, field := range []struct {
		text string
		size int
	}{
		{x.Description, 256}, {x.Originator, 32}, {x.OriginatorReference, 32}, {x.Date, 10}, {x.Time, 8},
	} {
		text := make([]byte, field.size)
		copy(text, field.text)
		b.Write(text)
	}
	binary.Write(&b, binary.LittleEndian, uint64(x.TimeReference))
	binary.Write(&b, binary.LittleEndian, uint16(2))
	b.Write(make([]byte, 64)) // UMID
	for _, v := range x.Loudness.fields() {
		binary.Write(&b, binary.LittleEndian, v)
	}
	b.Write(make([]byte, 180))
	b.WriteString(x.CodingHistory)
	if b.Len()&1 == 1 {
		b.WriteByte(0)
	}
	return b.Bytes()
}

// fields are hundredths, in the order of the chunk.
func (l *BextLoudness) fields() (list [5]int16) {
	if l == nil {
		return [5]int16{bextUnset, bextUnset, bextUnset, bextUnset, bextUnset}
	}
	for i, v := range []float64{l.IntegratedLUFS, l.RangeLU, l.TruePeakDBTP, l.MomentaryMaxLUFS, l.ShortTermMaxLUFS} {
		list[i] = bextUnset
		if math.Abs(v) < 100 { // of silence nothing can be said
			list[i] = int16(math.Round(100 * v))
		}
	}
	return list
}

func parseBext(b []byte) *Bext {
	text := func(from, to int) string { return string(bytes.TrimRight(b[from:to], "\x00 ")) }
	x := &Bext{
		Description:         text(0, 256),
		Originator:          text(256, 288),
		OriginatorReference: text(288, 320),
		Date:                text(320, 330),
		Time:                text(330, bextReference),
		TimeReference:       int64(binary.LittleEndian.Uint64(b[bextReference:])),
	}
	if binary.LittleEndian.Uint16(b[bextVersion:]) >= 2 && len(b) >= bextLoudness+10 {
		v := func(i int) int16 { return int16(binary.LittleEndian.Uint16(b[bextLoudness+2*i:])) }
		if v(0) != bextUnset {
			f := func(i int) float64 { return float64(v(i)) / 100 }
			x.Loudness = &BextLoudness{f(0), f(1), f(2), f(3), f(4)}
		}
	}
	if len(b) > bextBytes {
		x.CodingHistory = text(bextBytes, len(b))
	}
	return x
}

// Describe writes the description of a file anew, which it was made with at as long a coding history: what is known of
// a sound only once it is written.
func Describe(path string, x *Bext) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	r, err := NewReader(f, info.Size())
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	body := x.bytes()
	if int64(len(body)) != r.bext.Len() {
		return fmt.Errorf("%s: a description of %d bytes has no room where %d are", path, len(body), r.bext.Len())
	}
	if _, err := f.WriteAt(body, r.bext.From); err != nil {
		return err
	}
	return f.Close()
}
