package pcm

import "testing"

// BenchmarkAddStereo24 measures the loop in which a mixdown of 24-bit tracks spends most of its time.
func BenchmarkAddStereo24(b *testing.B) {
	raw, dst := make([]byte, 6*4096+2), NewBlock(2, 4096)
	for i := range raw {
		raw[i] = byte(i * 7)
	}
	b.SetBytes(6 * 4096)
	for b.Loop() {
		AddStereo24(dst, raw, 0.7)
	}
}
