//go:build !amd64

package pcm

import "encoding/binary"

func addStereo24(left, right []float64, src []byte, scale float64) int {
	n := max(0, len(left)-1)
	for i := range n {
		addPair(&left[i], &right[i], binary.LittleEndian.Uint64(src[6*i:]), scale)
	}
	return n
}

func encodeFast(out []byte, left, right []float64) int { return 0 }

// Peak is the largest magnitude in v, 0 if there is none.
func Peak(v []float64) float64 { return peak(v) }
