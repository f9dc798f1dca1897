package pcm

import (
	"encoding/binary"
	"fmt"
	"math"

	"blendseam/core/limit"
	"blendseam/core/sound/simd"
)

// An Encoder turns blocks into interleaved little-endian samples of a format. Integers are rounded
// to the nearest and clipped. With Dither, integer formats get triangular noise of two steps' width
// (TPDF) that depends on nothing but the sample's position and channel, so that a stretch is encoded
// to the same bytes however the whole was divided.
type Encoder struct {
	Format Format
	Dither bool
}

// Size is the number of bytes of n samples in all channels.
func (e Encoder) Size(n int64) int64 {
	return n * int64(e.Format.Channels) * int64(e.Format.Bits/8)
}

// Encode writes b, whose first sample is number at of the whole, to dst, which must be Size(b.Len())
// long. It returns how many samples had to be clipped.
func (e Encoder) Encode(dst []byte, b Block, at int64) (clipped int64) {
	if e.Format.Bits == 24 && len(b) == 2 && !e.Dither && b.Len() > 0 {
		return encodeStereo24(dst, b[0], b[1])
	}
	stride := e.Format.Channels * e.Format.Bits / 8
	for c := range b {
		out := dst[c*e.Format.Bits/8:]
		switch {
		case e.Format.Float && e.Format.Bits == 32:
			for i, v := range b[c] {
				binary.LittleEndian.PutUint32(out[i*stride:], math.Float32bits(float32(v)))
			}
		case e.Format.Float:
			for i, v := range b[c] {
				binary.LittleEndian.PutUint64(out[i*stride:], math.Float64bits(v))
			}
		default:
			clipped += e.encodeInts(out, b[c], stride, c, at)
		}
	}
	return clipped
}

func (e Encoder) encodeInts(out []byte, samples []float64, stride, channel int, at int64) (clipped int64) {
	bits := e.Format.Bits
	full := float64(int64(1) << (bits - 1))
	for i, v := range samples {
		v *= full
		if e.Dither {
			v += tpdf(at+int64(i), channel)
		}
		n, over := quantise(v, full)
		clipped += over
		switch o := i * stride; bits {
		case 16:
			binary.LittleEndian.PutUint16(out[o:], uint16(n))
		case 24:
			out[o], out[o+1], out[o+2] = byte(n), byte(n>>8), byte(n>>16)
		default:
			binary.LittleEndian.PutUint32(out[o:], uint32(n))
		}
	}
	return clipped
}

// encodeStereo24 is the form that most files have: both channels in one pass, six bytes at a time.
func encodeStereo24(out []byte, left, right []float64) (clipped int64) {
	const full = 1 << 23
	right = right[:len(left)]
	last := len(left) - 1
	done := simd.EncodeStereo24(out, left, right)
	o := 6 * done
	for i := done; i < last; i++ {
		if i&3 == 0 && i > done { // what is out of range has been passed
			if n := simd.EncodeStereo24(out[o:], left[i:], right[i:]); n > 0 {
				o, i = o+6*n, i+n-1
				continue
			}
		}
		l, overL := quantise(left[i]*full, full)
		r, overR := quantise(right[i]*full, full)
		clipped += overL + overR
		// The two bytes too many are overwritten by the next pair.
		binary.LittleEndian.PutUint64(out[o:o+8], uint64(l)&0xFFFFFF|uint64(r)&0xFFFFFF<<24)
		o += 6
	}
	for c, v := range [2]float64{left[last], right[last]} {
		n, over := quantise(v*full, full)
		clipped += over
		out[o+3*c], out[o+3*c+1], out[o+3*c+2] = byte(n), byte(n>>8), byte(n>>16)
	}
	return clipped
}

// quantise rounds v, in steps, to the nearest integer in [-full, full-1]; over is 1 if it had to be clipped.
func quantise(v, full float64) (n, over int64) {
	v += 0.5
	if v < full && v >= -full {
		return int64(math.Floor(v)), 0
	}
	return quantiseOver(v, full), 1
}

func quantiseOver(v, full float64) int64 {
	switch {
	case v >= full:
		return int64(full) - 1
	case v < -full:
		return -int64(full)
	}
	return 0 // NaN, from a damaged float file, is silence
}

// tpdf is noise between -1 and 1 with a triangular distribution, a pure function of the position.
func tpdf(at int64, channel int) float64 {
	h := mix64(uint64(at)*2 + uint64(channel)*0x9E3779B97F4A7C15)
	return float64(h>>32)/(1<<32) - float64(h&0xFFFFFFFF)/(1<<32)
}

// mix64 is the finaliser of SplitMix64 (Steele, Lea, Flood, "Fast splittable pseudorandom number
// generators", OOPSLA 2014), which passes a counter through to well-spread bits.
func mix64(z uint64) uint64 {
	z += 0x9E3779B97F4A7C15
	z = (z ^ z>>30) * 0xBF58476D1CE4E5B9
	z = (z ^ z>>27) * 0x94D049BB133111EB
	return z ^ z>>31
}

// Decode turns interleaved little-endian samples of format f in src into dst. src must hold
// dst.Len() samples of every channel. 8-bit samples are unsigned, as in WAV. A float that is no number, or beyond
// limit.Overs, is silence; damaged says how many there were.
func Decode(dst Block, src []byte, f Format) (damaged int64) {
	width := f.Bits / 8
	stride := f.Channels * width
	for c := range dst {
		out := dst[c]
		if len(out) == 0 {
			continue
		}
		in := src[c*width:]
		switch {
		case f.Float && f.Bits == 32:
			for i := range out {
				out[i] = float64(math.Float32frombits(binary.LittleEndian.Uint32(in[i*stride:])))
			}
			damaged += mend(out)
		case f.Float:
			for i := range out {
				out[i] = math.Float64frombits(binary.LittleEndian.Uint64(in[i*stride:]))
			}
			damaged += mend(out)
		case f.Bits == 8:
			for i := range out {
				out[i] = float64(int(in[i*stride])-128) / (1 << 7)
			}
		case f.Bits == 16:
			for i := range out {
				out[i] = float64(int16(binary.LittleEndian.Uint16(in[i*stride:]))) * (1.0 / (1 << 15))
			}
		case f.Bits == 24 && len(dst) == 2:
			dst.Clear()
			AddStereo24(dst, src, 1)
			return 0
		case f.Bits == 24:
			decode24(out, in, stride)
		case f.Bits == 32:
			for i := range out {
				out[i] = float64(int32(binary.LittleEndian.Uint32(in[i*stride:]))) * (1.0 / (1 << 31))
			}
		}
	}
	return damaged
}

// mend silences what is no sample.
func mend(v []float64) (damaged int64) {
	for i, x := range v {
		if !(x >= -limit.Overs && x <= limit.Overs) {
			v[i] = 0
			damaged++
		}
	}
	return damaged
}

// AddStereo24 adds pairs of 24-bit samples, times gain, to two channels: what Decode and a sum would give, to the
// bit, in one pass.
func AddStereo24(dst Block, src []byte, gain float64) {
	left, right := dst[0], dst[1][:len(dst[0])]
	scale := gain * (1.0 / (1 << 31)) // a power of two, so that the product rounds as gain alone does
	_ = src[:6*len(left)]
	i := simd.AddStereo24(left, right, src, scale)
	o := 6 * i
	for ; i < len(left); i++ {
		in := (*[6]byte)(src[o:])
		pair := uint64(binary.LittleEndian.Uint32(in[:4])) | uint64(binary.LittleEndian.Uint16(in[4:]))<<32
		addPair(&left[i], &right[i], pair, scale)
		o += 6
	}
}

// addPair adds the two 24-bit samples in the lower six bytes of pair. The conversions to float64 forbid a
// fused multiply-add, which would round differently.
func addPair(l, r *float64, pair uint64, scale float64) {
	*l += float64(float64(int32(uint32(pair)<<8)) * scale)
	*r += float64(float64(int32(uint32(pair>>16)&0xFFFFFF00)) * scale)
}

func decode24(out []float64, in []byte, stride int) {
	last := len(out) - 1
	o := 0
	for i := range out[:last] {
		// Four bytes at once; the highest, which belongs to the next sample, is shifted out.
		out[i] = float64(int32(binary.LittleEndian.Uint32(in[o:o+4])<<8)) * (1.0 / (1 << 31))
		o += stride
	}
	b := in[o : o+3]
	out[last] = float64(int32(uint32(b[0])<<8|uint32(b[1])<<16|uint32(b[2])<<24)) * (1.0 / (1 << 31))
}

// Check says what is wrong with a format that nothing here can read or write.
func (f Format) Check() error {
	switch {
	case f.Rate < limit.LowestRate || f.Rate > limit.HighestRate:
		return fmt.Errorf("%d samples a second is not a rate of sound", f.Rate)
	case f.Channels < 1 || f.Channels > limit.Channels:
		return fmt.Errorf("%d channels; 1 to %d can be read", f.Channels, limit.Channels)
	case f.Float && f.Bits != 32 && f.Bits != 64, !f.Float && f.Bits != 8 && f.Bits != 16 && f.Bits != 24 && f.Bits != 32:
		return fmt.Errorf("%s: integers of 8, 16, 24, 32 bits and floats of 32, 64 can be read", f)
	}
	return nil
}
