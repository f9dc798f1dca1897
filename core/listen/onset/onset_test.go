package onset_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"blendseam/core/listen/analysis"
	"blendseam/core/listen/onset"
	"blendseam/core/sound/pcm"
	"blendseam/internal/corpus"
	"blendseam/internal/eartest"
)

// What sets in rises by more than FromDB, and what goes on by less, in sounds of kinds on which the limit was set and
// of others.
func TestAnAttackIsToldFromWhatGoesOn(t *testing.T) {
	for name, kinds := range map[string][]string{"set on": eartest.MusicKinds, "not set on": eartest.HeldOut} {
		on, found, off, said := 0, 0, 0, 0
		for _, kind := range kinds {
			for seed := range uint64(corpus.Cases(1, 6)) {
				m := eartest.NewMusic(rand.New(rand.NewPCG(seed, 77)), kind, 12)
				a, err := analysis.Analyze(t.Context(), pcm.Memory{Rate: eartest.Rate, Sound: pcm.Block{m.Sound}})
				if err != nil {
					t.Fatal(err)
				}
				count := func(list []int64, n, over *int) {
					for _, at := range list {
						db, err := onset.RiseDB(a, at)
						if err != nil {
							t.Fatal(err)
						}
						*n++
						if db >= onset.AbruptDB {
							*over++
						}
					}
				}
				count(m.Attacks(), &on, &found)
				count(m.Between(), &off, &said)
			}
		}
		counts := fmt.Sprintf("%d of %d attacks found, %d of %d others taken for one", found, on, said, off)
		t.Logf("kinds it was %s: %s", name, counts)
		if found < on-max(2, 3*on/100) || said*100 > 3*off || on < 30 || off < 50 {
			t.Errorf("kinds it was %s: %s", name, counts)
		}
	}
}
