package pcm

// addPairs24 adds an even number of pairs, at least two, to left and right. It reads two bytes beyond the last pair.
//
//go:noescape
func addPairs24(left, right *float64, src *byte, pairs int, scale float64)
