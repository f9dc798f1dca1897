package pcm

import (
	"encoding/json"
	"testing"
)

// Spans travel in snake_case; those that were kept with the names of Go's fields are read as well.
func TestSpansTravelInSnakeCaseAndOldOnesAreRead(t *testing.T) {
	s := Span{From: 3, To: 9}
	raw, err := json.Marshal(s)
	if err != nil || string(raw) != `{"from":3,"to":9}` {
		t.Errorf("%s %v", raw, err)
	}
	for _, old := range []string{`{"From":3,"To":9}`, `{"from":3,"to":9}`} {
		var got Span
		if err := json.Unmarshal([]byte(old), &got); err != nil || got != s {
			t.Errorf("%s reads as %v, %v", old, got, err)
		}
	}
}
