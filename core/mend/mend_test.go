package mend_test

import (
	"context"
	"fmt"
	"sync"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/core/meter"
	"blendseam/internal/seamtest"
)

const rate = seamtest.Rate

// rank orders the verdicts.
var rank = map[audit.Verdict]int{audit.Clean: 0, audit.Audible: 1, audit.Rough: 2}

// The audit finds what was planted and calls hardly any clean seam rough; mending leaves hardly anything rough, makes
// nothing worse, and changes no length (there is no picture in the corpus; for sync see the demo's test).
func TestTheCorpusIsAuditedAndMended(t *testing.T) {
	var a auditCount
	var m mendCount
	var mu sync.Mutex
	seamtest.Each(t, func(s seamtest.Specimen) {
		before := s.All()
		mending, err := mend.New(s.Meter()).Mend(context.Background(), before, mend.MendOptions{Threads: 1})
		if err != nil {
			t.Error(err)
			return
		}
		after, err := audit.All(context.Background(), meter.NewMeter(mending.Scene, s.Sources()), 1)
		if err != nil {
			t.Error(err)
			return
		}
		mu.Lock()
		defer mu.Unlock()
		a.add(t, s, s.Matters(before))
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

func (a *auditCount) add(t *testing.T, s seamtest.Specimen, r audit.Result) {
	if s.Want == audit.None {
		a.clean++
		if r.Verdict == audit.Rough {
			a.falseRough++
		}
		if r.Verdict != audit.Clean {
			a.falseAudible++
			t.Logf("clean, called %s: %s; %s", r.Verdict, r.Why, s.About)
		}
		return
	}
	a.planted++
	if r.Cause == s.Want {
		a.right++
		return
	}
	if a.wrong == nil {
		a.wrong = map[string]int{}
	}
	a.wrong[fmt.Sprintf("%s as %s", s.Want, r.Cause)]++
	t.Logf("called %s (%s); %s", r.Cause, r.Why, s.About)
}

func (a *auditCount) check(t *testing.T) {
	t.Logf(
		"%d of %d with the right cause (%.1f %%); of %d clean ones %d called rough, %d audible or rough; wrong: %v",
		a.right,
		a.planted,
		100*float64(a.right)/float64(a.planted),
		a.clean,
		a.falseRough,
		a.falseAudible,
		a.wrong,
	)
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
	stays                        map[audit.Cause]int
}

func (m *mendCount) add(t *testing.T, s seamtest.Specimen, before, after []audit.Result, mending *mend.Mending) {
	if mending.Scene.Length() != s.Scene.Length() {
		t.Errorf("%s: the scene is %d samples long, was %d", s.About, mending.Scene.Length(), s.Scene.Length())
	}
	was := map[audit.SeamID]audit.Result{}
	for _, r := range before {
		was[r.ID] = r
	}
	bad := false
	for _, r := range after {
		old, ok := was[r.ID]
		if ok && rank[r.Verdict] > rank[old.Verdict] {
			m.worse++
			t.Errorf("%s: the %s is %s (%s), was %s (%s)", s.About, r.Kind, r.Verdict, r.Why, old.Verdict, old.Why)
		}
		if r.Verdict == audit.Rough && (r.Kind == audit.Cut || r.Kind == audit.GapStart || r.Kind == audit.GapEnd) {
			bad = true
			t.Logf("still rough: %s; %s; %v", r.Why, s.About, left(mending))
		}
	}
	if bad {
		m.rough++
		if m.stays == nil {
			m.stays = map[audit.Cause]int{}
		}
		m.stays[s.Want]++
	}
	if s.Want != audit.None {
		m.planted++
		if r := seamtest.Find(after, audit.Cut); r.Verdict == audit.Clean {
			m.cured++
		}
	}
}

func (m *mendCount) check(t *testing.T) {
	t.Logf(
		"of %d seams with a trouble %d are clean afterwards; of %d seams in all %d are rough (%.1f %%): %v; %d worse",
		m.planted,
		m.cured,
		seamtest.Specimens(),
		m.rough,
		100*float64(m.rough)/float64(seamtest.Specimens()),
		m.stays,
		m.worse,
	)
	if float64(m.rough) > 0.05*float64(seamtest.Specimens()) {
		t.Errorf("%d of %d are rough still", m.rough, seamtest.Specimens())
	}
}

func left(m *mend.Mending) (list []string) {
	for _, p := range m.Left {
		list = append(list, string(p.Before.Kind)+": "+p.Left)
	}
	return list
}
