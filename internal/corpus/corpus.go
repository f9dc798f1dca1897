// Package corpus says how large the made-up corpora of the tests are, and on which seed they are made. With -short, as
// make test runs them, they are samples; make test-long runs them whole. BLENDSEAM_CASES and BLENDSEAM_SEED say
// otherwise, and BLENDSEAM_VOICES=fresh takes voices that nothing was tuned on.
package corpus

import (
	"os"
	"strconv"
	"testing"
)

// Cases is how many cases a test makes: half of the short ones with -short, all of the whole ones without.
func Cases(short, whole int) int {
	if n, err := strconv.Atoi(os.Getenv("BLENDSEAM_CASES")); err == nil && n > 0 {
		return n
	}
	if testing.Short() {
		return max(min(short, 3), short/2)
	}
	return whole
}

// Seed is a fixed one, or that of the environment for a fresh look.
func Seed() uint64 {
	if n, err := strconv.ParseUint(os.Getenv("BLENDSEAM_SEED"), 10, 64); err == nil {
		return n
	}
	return 1
}

// FreshVoices tells whether the environment asks for voices that nothing was tuned on, of many languages.
func FreshVoices() bool { return os.Getenv("BLENDSEAM_VOICES") == "fresh" }
