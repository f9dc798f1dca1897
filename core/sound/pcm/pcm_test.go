package pcm

import (
	"bytes"
	"math"
	"testing"
)

func TestSpansAreHalfOpen(t *testing.T) {
	s := Span{10, 20}
	if !s.Contains(10) || s.Contains(20) || s.Len() != 10 || s.Add(5) != (Span{15, 25}) {
		t.Error("10 is inside, 20 is not")
	}
	if s.Overlaps(Span{20, 30}) || !s.Overlaps(Span{19, 30}) || s.Overlaps(Span{12, 12}) {
		t.Error("spans that touch do not overlap, nor do empty ones")
	}
	if got := s.Intersect(Span{15, 30}); got != (Span{15, 20}) {
		t.Errorf("intersection %v", got)
	}
	if got := s.Intersect(Span{25, 30}); !got.Empty() || !got.In(s) {
		t.Errorf("no intersection gives %v", got)
	}
}

func TestIntegersComeBackExactly(t *testing.T) {
	for _, bits := range []int{16, 24, 32} {
		for _, channels := range []int{1, 2} {
			e := Encoder{Format: Format{Rate: 48000, Channels: channels, Bits: bits}}
			full := math.Ldexp(1, bits-1)
			b := NewBlock(channels, 257)
			for c := range b {
				for i := range b[c] {
					b[c][i] = math.Round((float64(i)/128-1)*(full-1)) / full
				}
			}
			raw := make([]byte, e.Size(b.Len()))
			if n := e.Encode(raw, b, 0); n != 0 {
				t.Fatalf("%d clipped", n)
			}
			back := NewBlock(channels, 257)
			Decode(back, raw, e.Format)
			for c := range b {
				for i := range b[c] {
					if b[c][i] != back[c][i] {
						t.Fatalf("%d bits: %g came back as %g", bits, b[c][i], back[c][i])
					}
				}
			}
		}
	}
}

func TestWhatReachesPastFullScaleIsClippedAndCounted(t *testing.T) {
	for _, bits := range []int{16, 24} {
		e := Encoder{Format: Format{Rate: 48000, Channels: 2, Bits: bits}}
		raw := make([]byte, e.Size(4))
		if n := e.Encode(raw, Block{{1.5, -1.5, 0.5, -1}, {0, 1, math.Inf(1), 0}}, 0); n != 4 {
			t.Errorf("%d bits: %d clipped, want 4: 1.5, -1.5, 1 and infinity", bits, n)
		}
		back := NewBlock(2, 4)
		Decode(back, raw, e.Format)
		top := 1 - math.Ldexp(1, 1-bits)
		if back[0][0] != top || back[0][1] != -1 || back[0][3] != -1 || back[1][2] != top {
			t.Errorf("%d bits: %v", bits, back)
		}
	}
}

// TPDF dither of 2 LSB peak to peak has a variance of 1/6 LSB², to which rounding adds 1/12: 1/4 in all, and the error
// does not depend on the signal (S. Lipshitz, R. Wannamaker, J. Vanderkooy, "Quantization and Dither", JAES 40(5),
// 1992).
func TestDitherHasTheVarianceOfTheTheory(t *testing.T) {
	e := Encoder{Format: Format{Rate: 48000, Channels: 1, Bits: 16}, Dither: true}
	for _, level := range []float64{0, 0.25, 0.5, 0.77} { // LSB
		const n = 200000
		b := NewBlock(1, n)
		for i := range b[0] {
			b[0][i] = level / 32768
		}
		raw := make([]byte, e.Size(n))
		e.Encode(raw, b, 0)
		back := NewBlock(1, n)
		Decode(back, raw, e.Format)
		var sum, squares float64
		for _, v := range back[0] {
			d := v*32768 - level
			sum += d
			squares += d * d
		}
		if mean := sum / n; math.Abs(mean) > 0.006 {
			t.Errorf("at %g LSB the error's mean is %g", level, mean)
		}
		if variance := squares / n; math.Abs(variance-0.25) > 0.005 {
			t.Errorf("at %g LSB the error's variance is %g, want 0.25", level, variance)
		}
	}
}

func TestDitherDoesNotDependOnHowTimeIsDivided(t *testing.T) {
	e := Encoder{Format: Format{Rate: 48000, Channels: 2, Bits: 16}, Dither: true}
	b := NewBlock(2, 1000)
	for i := range b[0] {
		b[0][i], b[1][i] = math.Sin(float64(i)), math.Cos(float64(i))/3
	}
	whole := make([]byte, e.Size(1000))
	e.Encode(whole, b, 500)
	var parts []byte
	for _, s := range []Span{{0, 1}, {1, 400}, {400, 1000}} {
		part := make([]byte, e.Size(s.Len()))
		e.Encode(part, b.Slice(s.From, s.To), 500+s.From)
		parts = append(parts, part...)
	}
	if !bytes.Equal(whole, parts) {
		t.Error("the same sound, divided, was dithered otherwise")
	}
}

// Adding in one pass is, to the bit, decoding and adding, for every length and every sample of 24 bits at the ends.
func TestAddStereo24IsDecodingAndAdding(t *testing.T) {
	f := Format{Rate: 48000, Channels: 2, Bits: 24}
	for n := int64(0); n < 40; n++ {
		raw := make([]byte, 6*n)
		for i := range raw {
			raw[i] = byte(i*i*31 + int(n)*7 + i>>3)
		}
		if n > 3 { // the highest and the lowest sample
			copy(raw, []byte{0xFF, 0xFF, 0x7F, 0, 0, 0x80, 0, 0, 0x80, 0xFF, 0xFF, 0x7F})
		}
		for _, gain := range []float64{1, 0.7, -3.3} {
			got, want, read := NewBlock(2, n), NewBlock(2, n), NewBlock(2, n)
			if n > 0 {
				Decode(read, raw, f)
			}
			for c := range got {
				for i := range got[c] {
					got[c][i] = math.Sin(float64(i + c))
					want[c][i] = got[c][i] + float64(read[c][i]*gain)
				}
			}
			AddStereo24(got, raw, gain)
			for c := range got {
				for i := range got[c] {
					if got[c][i] != want[c][i] {
						t.Fatalf("%d pairs at gain %g: channel %d sample %d is %g, want %g", n, gain, c, i, got[c][i], want[c][i])
					}
				}
			}
		}
	}
}
