package web

import (
	"strings"
	"testing"

	"blendseam/internal/seamtest"
)

// Both laws sound alike where a blend is over before one hears it, or where there is next to nothing to hear.
func TestLawsThatSoundAlikeAreSaidToBe(t *testing.T) {
	loud, soft := seamtest.Bed(1, 0.2, -30), seamtest.Bed(2, 0.2, -75)
	for _, c := range []struct {
		says string
		of   string
	}{
		{equalLaws(loud, soft, 0, 0, seamtest.Rate), ""},
		{equalLaws(soft, soft, 0, 0, seamtest.Rate), "both sides lie below -7"},
		{equalLaws(soft, soft, 0, 20, seamtest.Rate), ""}, // one of them is turned up
		{equalLaws(loud.Slice(0, 200), loud.Slice(0, 200), 0, 0, seamtest.Rate), "over 4 ms no law is heard"},
	} {
		if c.of == "" && c.says != "" || !strings.Contains(c.says, c.of) {
			t.Errorf("said: %q, want %q", c.says, c.of)
		}
	}
}
