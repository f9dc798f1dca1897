package workspace

import (
	"testing"
	"time"
)

func TestEditsInSuccessionAreLeftAloneLonger(t *testing.T) {
	var m measuring
	begun := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i, x := range []struct {
		scene string
		at    time.Duration
		want  time.Duration
	}{
		{"a", 0, settle},
		{"a", 350 * time.Millisecond, settleLonger},
		{"b", 400 * time.Millisecond, settle},
		{"a", 700 * time.Millisecond, settleLonger},
		{"a", 2 * time.Second, settle},
	} {
		if got := m.wait(x.scene, begun.Add(x.at)); got != x.want {
			t.Errorf("%d: %s after %v waits %v, not %v", i, x.scene, x.at, got, x.want)
		}
	}
	if len(m.asked) != 1 {
		t.Errorf("%d scenes are remembered", len(m.asked))
	}
}
