package level_test

import (
	"fmt"
	"math"
	"testing"

	"blendseam/core/sound/level"
)

// The figures of a handbook: twice the power is 3.0103 dB, twice the amplitude 6.0206 dB (10 lg 2, 20 lg 2).
func TestDecibelsAreThoseOfTheHandbook(t *testing.T) {
	for _, c := range []struct {
		what      string
		got, want float64
	}{
		{"twice the power", level.OfPower(2), 3.010299957},
		{"twice the amplitude", level.DB(2), 6.020599913},
		{"two alike", level.Sum(-20, -20), -16.98970004},
		{"one with next to nothing", level.Sum(-20, -120), -20},
		{"10 dB as amplitude", level.Amplitude(10), 3.16227766},
		{"no power", level.OfPower(0), level.Silence},
		{"nothing at all", level.Sum(), level.Silence},
		{"with no power", level.Sum(-30, math.Inf(-1)), -30},
	} {
		if math.Abs(c.got-c.want) > 1e-8 {
			t.Errorf("%s: %.9f, want %.9f", c.what, c.got, c.want)
		}
	}
}

func ExampleSum() {
	fmt.Printf("%.2f dB\n", level.Sum(-30, -30, -30, -30))
	// Output: -23.98 dB
}
