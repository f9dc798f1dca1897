package simd

// addPairs24 adds an even number of pairs, at least two, to left and right. It reads two bytes beyond the last pair.
//
//go:noescape
func addPairs24(left, right *float64, src *byte, pairs int, scale float64)

// addQuads24 adds a multiple of four pairs, at least four. It reads four bytes beyond the last pair.
//
//go:noescape
func addQuads24(left, right *float64, src *byte, pairs int, scale float64)

// encodeQuads24 encodes a multiple of four pairs, at least four, and says how many it did: it ends ahead of the first
// four that hold a sample outside the range. It writes four bytes beyond the last pair.
//
//go:noescape
func encodeQuads24(out *byte, left, right *float64, pairs int) (done int)

// peakOf16s is the largest magnitude of n numbers, a multiple of 16 above 0.
//
//go:noescape
func peakOf16s(v *float64, n int) float64

func hasAVX2() bool

// round32s rounds n numbers, a multiple of 8 above 0.
//
//go:noescape
func round32s(v *float64, n int)

var avx2 = hasAVX2()

// reach16 is Reach with AVX2.
//
//go:noescape
func reach16(v *float64, large, small, even, limit float64) (mask int)

// AddStereo24 adds pairs of 24-bit little-endian samples, times 2^8 and times scale, to left and right: as many as go
// fast, and says how many.
func AddStereo24(left, right []float64, src []byte, scale float64) int {
	if n := (len(left) - 1) &^ 3; avx2 && n > 0 { // the last pair's six bytes make the load safe
		addQuads24(&left[0], &right[0], &src[0], n, scale)
		return n
	}
	n := max(0, len(left)-1) &^ 1
	if n > 0 {
		addPairs24(&left[0], &right[0], &src[0], n, scale)
	}
	return n
}

// EncodeStereo24 writes pairs of samples as 24-bit little-endian integers, rounded to the nearest: as many as go fast,
// none of which is out of range, and says how many. out has room for all pairs.
func EncodeStereo24(out []byte, left, right []float64) int {
	n := (len(left) - 1) &^ 3
	if !avx2 || n <= 0 {
		return 0
	}
	return encodeQuads24(&out[0], &left[0], &right[0], n)
}

// Peak is the largest magnitude in v, 0 if there is none.
func Peak(v []float64) float64 {
	n := len(v) &^ 15
	if !avx2 || n == 0 {
		return peak(v)
	}
	return max(peakOf16s(&v[0], n), peak(v[n:]))
}

// Reach says which of ReachPoints points between samples of v, of which one more is needed, can be larger than a limit
// by what the two samples beside them give: large for the larger and small for the smaller one, or even for both. Bit i
// is point i.
func Reach(v []float64, large, small, even, limit float64) (mask int) {
	if !avx2 {
		return reach(v, large, small, even, limit)
	}
	_ = v[ReachPoints]
	return reach16(&v[0], large, small, even, limit)
}

// Round32 rounds numbers to the nearest that 32 bits of float hold.
func Round32(v []float64) {
	n := len(v) &^ 7
	if !avx2 || n == 0 {
		round32(v)
		return
	}
	round32s(&v[0], n)
	round32(v[n:])
}

// dots4 is Dot4 of n numbers, a multiple of 16 above 0.
//
//go:noescape
func dots4(sums *[4]float32, x, y *float32, n, step int)

func dot4(sums *[4]float32, x, y []float32, step int) {
	if !avx2 {
		plainDot4(sums, x, y, step)
		return
	}
	dots4(sums, &x[0], &y[0], len(x), step)
}
