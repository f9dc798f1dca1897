package mend

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"

	"blendseam/core/audit"
	"blendseam/core/audit/keys"
	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// A Mending is what would mend a scene: its changes in order of time, and what stays.
type Mending struct {
	Changes []Proposal   `json:"changes"`
	Left    []Proposal   `json:"left"` // seams that stay audible or rough, and why; some of them are changed all the same
	Scene   *scene.Scene `json:"-"`    // with all changes
}

// MendOptions say how a scene is mended. The zero value mends its seams on all processors and takes nothing out.
type MendOptions struct {
	TakeOut  bool                  // also take out the stray sounds in pauses
	Threads  int                   // 0 is one for each processor
	Progress func(done, of int)    // told how far it is, if not nil
	only     map[audit.SeamID]bool // the seams that are mended; nil is all
}

// Mend proposes for every seam that is measured as audible or rough and not accepted, does all of it on the scene, and
// measures again what came out. A change after which its seam is worse than before, because of another change, is left
// out. Sounds between words are taken out where the options ask for it alone: one of them may be a voice after all.
func (m *Adviser) Mend(ctx context.Context, measured []audit.Result, o MendOptions) (*Mending, error) {
	var strays []fill.Finding
	if o.TakeOut {
		found, _, err := m.Findings(ctx, o.Threads)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if f.Kind != fill.SpokenOver { // which of two voices is to go is for an editor to say
				strays = append(strays, f)
			}
		}
	}
	return m.mend(ctx, measured, strays, o)
}

// MendSeams does so for some seams of those that are measured.
func (m *Adviser) MendSeams(
	ctx context.Context, measured []audit.Result, only map[audit.SeamID]bool, threads int,
) (*Mending, error) {
	return m.mend(ctx, measured, nil, MendOptions{Threads: threads, only: only})
}

// mend does so for stray sounds as well.
func (m *Adviser) mend(
	ctx context.Context, measured []audit.Result, strays []fill.Finding, o MendOptions,
) (*Mending, error) {
	only, threads, progress := o.only, o.Threads, o.Progress
	sc := m.Scene
	var todo []audit.Result
	var unmeasured []Proposal
	for _, r := range measured {
		switch {
		case only != nil && !only[r.ID]:
		case r.Verdict == "" || r.Verdict == audit.Unknown:
			unmeasured = append(unmeasured, Proposal{Before: r, Left: r.Why})
		case r.Verdict != audit.Clean && audit.Acceptance(sc, r.Seam) == nil:
			todo = append(todo, r)
		}
	}
	proposals := make([]Proposal, len(todo)+len(strays))
	var mu sync.Mutex
	done := 0
	err := parallel.Each(ctx, len(proposals), threads, func(i int) (err error) {
		if i < len(todo) {
			proposals[i], err = m.Propose(ctx, todo[i])
		} else {
			proposals[i], err = m.Stray(ctx, strays[i-len(todo)])
		}
		if missing := (*meter.MissingRecording)(nil); errors.As(err, &missing) { // beside what it would change
			before := proposals[i].Before
			if i < len(todo) {
				before = todo[i]
			}
			proposals[i], err = Proposal{Before: before, Left: before.Why + ": " + missing.Error()}, nil
		}
		mu.Lock()
		defer mu.Unlock()
		if done++; progress != nil {
			progress(done, len(proposals))
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	proposals = append(proposals, unmeasured...)
	slices.SortStableFunc(proposals, func(a, b Proposal) int { return cmp.Compare(a.Before.At, b.Before.At) })
	out := &Mending{}
	for round := range 6 {
		out.lay(sc, proposals)
		if err := out.measure(ctx, m, threads); err != nil {
			return nil, err
		}
		spoilt, err := out.spoilt(ctx, m, measured, threads)
		if err != nil {
			return nil, err
		}
		if len(spoilt) == 0 {
			break
		}
		if round == 0 {
			spoilt = out.milder(spoilt)
		}
		for k, p := range proposals {
			if !spoilt[p.Before.ID] {
				continue
			}
			proposals[k] = Proposal{
				Before: p.Before,
				stray:  p.stray,
				Left:   p.Before.Why + ": what would mend it spoils a seam beside it, or is spoilt by it",
			}
			if round > 1 {
				continue
			}
			// Once more, beside what the others do.
			out.lay(sc, proposals)
			again, err := p.again(ctx, m, out.Scene)
			if err != nil {
				return nil, err
			}
			if again != nil && again.After != nil && worse(p.Before, *again.After, sc.SampleRate) == "" {
				again.Before = p.Before
				proposals[k] = *again
			}
		}
	}
	return out, nil
}

// rank orders the verdicts.
var rank = map[audit.Verdict]int{audit.Clean: 0, audit.Audible: 1, audit.Rough: 2}

// spoilt gives the changes, by their seam, after which that seam is worse than before, or another one that shares a
// clip with it.
func (m *Mending) spoilt(
	ctx context.Context,
	before *Adviser,
	measured []audit.Result,
	threads int,
) (map[audit.SeamID]bool, error) {
	sc := before.Scene
	spoilt, of := map[audit.SeamID]bool{}, map[audit.SeamID]bool{}
	for _, c := range m.Changes {
		of[c.Before.ID] = true
		if c.After == nil {
			continue
		}
		of[c.After.ID] = true
		if worse(c.Before, *c.After, sc.SampleRate) != "" || c.After.Worst > c.Before.Worst {
			spoilt[c.Before.ID] = true
		}
	}
	meter := before.In(m.Scene)
	was, now := keys.New(sc), keys.New(m.Scene)
	present := map[audit.SeamID]audit.Seam{}
	for _, s := range audit.Find(m.Scene) {
		present[s.ID] = s
	}
	var beside []audit.Result
	for _, r := range measured {
		if s, ok := present[r.ID]; ok && !of[r.ID] && was.Of(r.Seam) != now.Of(s) {
			beside = append(beside, r)
		}
	}
	var mu sync.Mutex
	return spoilt, parallel.Each(ctx, len(beside), threads, func(i int) error {
		r := beside[i]
		after, err := audit.Judge(ctx, meter.Meter, present[r.ID])
		if err != nil || rank[after.Verdict] <= rank[r.Verdict] {
			return err
		}
		mu.Lock()
		defer mu.Unlock()
		found := false
		for _, c := range m.Changes {
			if shares(c.Before.Seam, r.Seam) {
				spoilt[c.Before.ID], found = true, true
			}
		}
		for _, c := range m.Changes { // else one of another track
			if d := c.Before.At - r.At; !found && max(d, -d) < audit.AroundS*sc.SampleRate {
				spoilt[c.Before.ID] = true
			}
		}
		return nil
	})
}

// milder gives, in place of each change that is spoilt, the changes beside it that mend something milder, if there are
// any: it is they that have to give way.
func (m *Mending) milder(spoilt map[audit.SeamID]bool) map[audit.SeamID]bool {
	out := map[audit.SeamID]bool{}
	for _, c := range m.Changes {
		if !spoilt[c.Before.ID] {
			continue
		}
		found := false
		for _, o := range m.Changes {
			if o.Before.ID != c.Before.ID && shares(o.Before.Seam, c.Before.Seam) && o.Before.Worst < c.Before.Worst {
				out[o.Before.ID], found = true, true
			}
		}
		if !found {
			out[c.Before.ID] = true
		}
	}
	return out
}

// shares tells whether two seams have a clip in common.
func shares(a, b audit.Seam) bool {
	for _, id := range []scene.ClipID{a.Left, a.Right} {
		if id != "" && (id == b.Left || id == b.Right) {
			return true
		}
	}
	return false
}

// again proposes for the same seam or stray sound in another scene, nil if it is not there or clean.
func (p Proposal) again(ctx context.Context, m *Adviser, sc *scene.Scene) (*Proposal, error) {
	then := m.near(sc, p.Before.Seam)
	if p.stray != nil {
		if _, c := sc.Clip(p.stray.Clip); c == nil || !p.stray.Lull.In(c.Span()) {
			return nil, nil
		}
		again, err := then.Stray(ctx, *p.stray)
		return &again, err
	}
	s, ok := audit.SeamAt(sc, p.Before.ID)
	if !ok {
		return nil, nil
	}
	r, err := audit.Judge(ctx, then.Meter, s)
	if err != nil || r.Verdict == audit.Clean {
		return nil, err
	}
	again, err := then.Propose(ctx, r)
	return &again, err
}

// lay applies proposals one after the other.
func (m *Mending) lay(sc *scene.Scene, proposals []Proposal) {
	m.Changes, m.Left, m.Scene = nil, nil, sc
	for _, p := range proposals {
		if p.Edit == nil {
			m.Left = append(m.Left, p)
			continue
		}
		next, err := edit.Apply(m.Scene, p.Edit)
		if err != nil || next.Length() != sc.Length() { // another change has done it, or is in its way
			same := func(c Proposal) bool { return c.After != nil && p.After != nil && c.After.ID == p.After.ID }
			if slices.ContainsFunc(m.Changes, same) {
				continue
			}
			p.Left, p.Edit, p.After, p.Did = p.Before.Why+": mend it by itself, after the others", nil, nil, ""
			m.Left = append(m.Left, p)
			continue
		}
		m.Scene = next
		m.Changes = append(m.Changes, p)
	}
}

// measure measures the seams of what was laid, in the scene that came out, and says what stays.
func (m *Mending) measure(ctx context.Context, before *Adviser, threads int) error {
	meter := before.In(m.Scene)
	now := map[audit.SeamID]audit.Seam{}
	for _, s := range audit.Find(m.Scene) {
		now[s.ID] = s
	}
	err := parallel.Each(ctx, len(m.Changes), threads, func(i int) error {
		c := &m.Changes[i]
		s, ok := now[c.After.ID]
		if !ok {
			return nil
		}
		r, err := audit.Judge(ctx, meter.Meter, s)
		c.After = &r
		c.Left = stays(*c)
		return err
	})
	for _, c := range m.Changes {
		if c.Left != "" {
			m.Left = append(m.Left, c)
		}
	}
	slices.SortStableFunc(m.Left, func(a, b Proposal) int { return cmp.Compare(a.Before.At, b.Before.At) })
	return err
}
