//go:build !amd64

package pcm

import (
	"encoding/binary"
	"unsafe"
)

// addPairs24 adds an even number of pairs, at least two, to left and right. It reads two bytes beyond the last pair.
func addPairs24(left, right *float64, src *byte, pairs int, scale float64) {
	l, r := unsafe.Slice(left, pairs), unsafe.Slice(right, pairs)
	in := unsafe.Slice(src, 6*pairs+2)
	for i := range l {
		addPair(&l[i], &r[i], binary.LittleEndian.Uint64(in[6*i:]), scale)
	}
}
