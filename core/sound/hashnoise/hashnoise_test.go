package hashnoise_test

import (
	"testing"

	"blendseam/core/sound/hashnoise"
)

// The first numbers of SplitMix64 from seed 1234567, as they are published with the generator's test vectors (from
// memory; Rosetta Code, "Pseudo-random numbers/Splitmix64").
func TestBitsAreThoseOfSplitMix64(t *testing.T) {
	for n, want := range []uint64{
		6457827717110365317, 3203168211198807973, 9817491932198370423, 4593380528125082431, 16408922859458223821,
	} {
		if got := hashnoise.Bits(1234567, uint64(n)); got != want {
			t.Errorf("number %d is %d, not %d", n, got, want)
		}
	}
}

func TestUnitLiesBetween(t *testing.T) {
	if hashnoise.Unit(0) != 0 || hashnoise.Unit(1<<64-1) >= 1 || hashnoise.Unit(1<<63) != 0.5 {
		t.Error("not from 0 up to 1")
	}
}
