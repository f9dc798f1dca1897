package seam_test

import (
	"fmt"
	"sync"
	"testing"

	"blendseam/core/seam"
)

// rank orders the verdicts.
var rank = map[seam.Verdict]int{seam.Clean: 0, seam.Audible: 1, seam.Rough: 2}

// The audit finds what was planted and calls hardly any clean seam rough; mending leaves hardly anything rough, makes nothing
// worse, and changes no length (there is no picture in the corpus; for sync see the demo's test).
func TestTheCorpusIsAuditedAndMended(t *testing.T) {
	var a auditCount
	var m mendCount
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
		a.add(t, s, s.matters(before))
		m.add(t, s, before, after, mending)
	})
	a.check(t)
	m.check(t)
}

// auditCount counts what the audit says of the seams that matter.
type auditCount struct {
	right, planted, clean, falseRough, falseAudible int
	wrong                                           map[string]int
}

func (a *auditCount) add(t *testing.T, s specimen, r seam.Result) {
	if s.want == seam.None {
		a.clean++
		if r.Verdict == seam.Rough {
			a.falseRough++
		}
		if r.Verdict != seam.Clean && r.Cause != seam.Peak {
			a.falseAudible++
			t.Logf("clean, called %s: %s; %s", r.Verdict, r.Why, s.about)
		}
		return
	}
	a.planted++
	if r.Cause == s.want {
		a.right++
		return
	}
	if a.wrong == nil {
		a.wrong = map[string]int{}
	}
	a.wrong[fmt.Sprintf("%s as %s", s.want, r.Cause)]++
	t.Logf("called %s (%s); %s", r.Cause, r.Why, s.about)
}

func (a *auditCount) check(t *testing.T) {
	t.Logf("%d of %d with the right cause (%.1f %%); of %d clean ones %d called rough, %d audible or rough; wrong: %v", a.right, a.planted, 100*float64(a.right)/float64(a.planted), a.clean, a.falseRough, a.falseAudible, a.wrong)
	if float64(a.right) < 0.95*float64(a.planted) {
		t.Errorf("only %d of %d have the right cause", a.right, a.planted)
	}
	if float64(a.falseRough) > 0.03*float64(a.clean) {
		t.Errorf("%d of %d clean seams are called rough", a.falseRough, a.clean)
	}
}

// mendCount counts what mending leaves.
type mendCount struct {
	planted, rough, worse, cured int
	stays                        map[seam.Cause]int
}

func (m *mendCount) add(t *testing.T, s specimen, before, after []seam.Result, mending *seam.Mending) {
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
			m.worse++
			t.Errorf("%s: the %s is %s (%s), was %s (%s)", s.about, r.Kind, r.Verdict, r.Why, old.Verdict, old.Why)
		}
		if r.Verdict == seam.Rough && (r.Kind == seam.Cut || r.Kind == seam.GapStart || r.Kind == seam.GapEnd) {
			bad = true
			t.Logf("still rough: %s; %s; %v", r.Why, s.about, left(mending))
		}
	}
	if bad {
		m.rough++
		if m.stays == nil {
			m.stays = map[seam.Cause]int{}
		}
		m.stays[s.want]++
	}
	if s.want != seam.None {
		m.planted++
		if r := find(after, seam.Cut); r.Verdict == seam.Clean || r.Cause == seam.Peak {
			m.cured++
		}
	}
}

func (m *mendCount) check(t *testing.T) {
	t.Logf("of %d seams with a trouble %d are clean afterwards; of %d seams in all %d are rough (%.1f %%): %v; %d worse", m.planted, m.cured, specimens, m.rough, 100*float64(m.rough)/specimens, m.stays, m.worse)
	if float64(m.rough) > 0.05*specimens {
		t.Errorf("%d of %d are rough still", m.rough, specimens)
	}
}

func left(m *seam.Mending) (list []string) {
	for _, p := range m.Left {
		list = append(list, string(p.Before.Kind)+": "+p.Left)
	}
	return list
}
