package syllables_test

import (
	"path/filepath"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/syllables"
	"blendseam/core/sound/pcm"
	"blendseam/internal/outside"
)

// spoken are the syllables of the real voices of alsa-utils, by what they say: "front cen-ter", "rear left".
var spoken = map[string]int{
	"Front_Center": 3, "Front_Left": 2, "Front_Right": 2, "Rear_Center": 3, "Rear_Left": 2, "Rear_Right": 2,
	"Side_Left": 2, "Side_Right": 2,
}

func TestSyllablesOfRealVoicesAreCounted(t *testing.T) {
	want, got, off := 0, 0, 0
	for _, v := range outside.Voices(t) {
		name := filepath.Base(v)
		n, known := spoken[name[:len(name)-len(filepath.Ext(name))]]
		if !known {
			continue
		}
		sound := outside.Decode(t, v, 1)
		a, err := analysis.Analyze(t.Context(), pcm.Memory{Rate: 48000, Sound: sound})
		if err != nil {
			t.Fatal(err)
		}
		rate, err := syllables.Measure(a, pcm.Span{To: sound.Len()})
		if err != nil {
			t.Fatal(err)
		}
		t.Logf("%s: %d of %d, %.1f a second", name, rate.Syllables, n, rate.PerS())
		want, got = want+n, got+rate.Syllables
		if rate.Syllables < n-1 || rate.Syllables > n+1 {
			off++
		}
	}
	if want == 0 || got*5 < want*4 || got*5 > want*6 || off > 0 {
		t.Errorf("%d syllables of %d, %d recordings off by more than one", got, want, off)
	}
}

// A voice that is slowed to half its speed at the same pitch speaks half as fast; silence has no rate.
func TestASlowerReadingIsSlower(t *testing.T) {
	voice := outside.Voices(t)[0]
	per := func(filter string) float64 {
		sound := outside.Decode(t, voice, 1, "-af", filter)
		a, err := analysis.Analyze(t.Context(), pcm.Memory{Rate: 48000, Sound: sound})
		if err != nil {
			t.Fatal(err)
		}
		rate, err := syllables.Measure(a, pcm.Span{To: sound.Len()})
		if err != nil {
			t.Fatal(err)
		}
		return rate.PerS()
	}
	usual, slow := per("anull"), per("atempo=0.6")
	if slow > 0.85*usual || slow == 0 {
		t.Errorf("%.1f syllables a second, slowed to 0.6: %.1f", usual, slow)
	}
	if silent := per("volume=0"); silent != 0 {
		t.Errorf("silence has %.1f syllables a second", silent)
	}
}
