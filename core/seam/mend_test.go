package seam_test

import (
	"sync"
	"testing"

	"blendseam/core/seam"
)

// Mending leaves hardly anything rough, makes nothing worse, and changes neither length nor sync (there is no picture in the
// corpus; for that see the demo's test).
func TestMendingTheCorpus(t *testing.T) {
	rank := map[seam.Verdict]int{seam.Clean: 0, seam.Audible: 1, seam.Rough: 2}
	planted, rough, worse, cured := 0, 0, 0, 0
	stays := map[seam.Cause]int{}
	var mu sync.Mutex
	each(t, func(s specimen) {
		before := s.all()
		mending, err := seam.Mend(s.scene, s.open, before, 1, nil)
		if err != nil {
			t.Error(err)
			return
		}
		after, err := seam.All(mending.Scene, s.open, 1)
		if err != nil {
			t.Error(err)
			return
		}
		mu.Lock()
		defer mu.Unlock()
		if mending.Scene.Length() != s.scene.Length() {
			t.Errorf("%s: the scene is %d samples long, was %d", s.about, mending.Scene.Length(), s.scene.Length())
		}
		was := map[string]seam.Result{}
		for _, r := range before {
			was[r.ID] = r
		}
		bad := false
		for _, r := range after {
			old, ok := was[r.ID]
			if ok && rank[r.Verdict] > rank[old.Verdict] {
				worse++
				t.Errorf("%s: the %s is %s (%s), was %s (%s)", s.about, r.Kind, r.Verdict, r.Why, old.Verdict, old.Why)
			}
			if r.Verdict == seam.Rough && (r.Kind == seam.Cut || r.Kind == seam.GapStart || r.Kind == seam.GapEnd) {
				bad = true
				t.Logf("still rough: %s; %s; %v", r.Why, s.about, left(mending))
			}
		}
		if bad {
			rough++
			stays[s.want]++
		}
		if s.want != seam.None {
			planted++
			if r := find(after, seam.Cut); r.Verdict == seam.Clean || r.Cause == seam.Peak {
				cured++
			} else if r.Verdict == seam.Audible {
				t.Logf("still audible: %s; %s", r.Why, s.about)
			}
		}
	})
	t.Logf("of %d seams with a trouble %d are clean afterwards; of %d seams in all %d are rough (%.1f %%): %v; %d worse", planted, cured, specimens, rough, 100*float64(rough)/specimens, stays, worse)
	if float64(rough) > 0.05*specimens {
		t.Errorf("%d of %d are rough still", rough, specimens)
	}
}

func left(m *seam.Mending) (list []string) {
	for _, p := range m.Left {
		list = append(list, string(p.Before.Kind)+": "+p.Left)
	}
	return list
}
