// Package formattest has what tests of all formats of scene files ask of them.
package formattest

import (
	"strings"
	"testing"

	"blendseam/interchange"
)

// Feed gives any bytes to a format's reader: it refuses them in one line, or gives a scene that holds the laws and that
// can be written and read again.
func Feed(t *testing.T, f interchange.Format, raw []byte) {
	s, _, err := f.Read(raw, interchange.Hints{})
	if err != nil {
		if strings.Contains(err.Error(), "\n") {
			t.Errorf("more than one line: %q", err)
		}
		return
	}
	if err := s.Check(); err != nil {
		t.Fatal(err)
	}
	again, err := f.Write(s)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := f.Read(again, interchange.Hints{}); err != nil {
		t.Errorf("what was written of it is not read: %v\n%s", err, again)
	}
}
