//go:build !amd64

package simd

// AddStereo24 adds nothing here: nothing goes faster than one sample after the other.
func AddStereo24(left, right []float64, src []byte, scale float64) int { return 0 }

// EncodeStereo24 encodes nothing here.
func EncodeStereo24(out []byte, left, right []float64) int { return 0 }

// Peak is the largest magnitude in v, 0 if there is none.
func Peak(v []float64) float64 { return peak(v) }

// Reach says which of ReachPoints points between samples can be larger than a limit.
func Reach(v []float64, large, small, even, limit float64) (mask int) {
	return reach(v, large, small, even, limit)
}

// Round32 rounds numbers to the nearest that 32 bits of float hold.
func Round32(v []float64) { round32(v) }

func dot4(sums *[4]float32, x, y []float32, step int) { plainDot4(sums, x, y, step) }
