// Package hashnoise has numbers that look random and are known from their place alone, so that what is made of them is
// the same for ever, from wherever it is begun.
package hashnoise

// Bits gives 64 random bits for a number (SplitMix64; G. L. Steele, D. Lea, C. H. Flood, "Fast Splittable Pseudorandom
// Number Generators", OOPSLA 2014; constants from memory).
func Bits(seed, n uint64) uint64 {
	z := seed + 0x9e3779b97f4a7c15*(n+1)
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}

// Unit makes random bits a number from 0 up to 1.
func Unit(bits uint64) float64 { return float64(bits>>11) / (1 << 53) }
