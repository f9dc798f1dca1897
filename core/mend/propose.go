// Package mend proposes what would mend a seam, or all of them: each way is tried on the scene, measured there, and
// passed over if it makes anything worse.
package mend

import (
	"context"
	"encoding/json"
	"fmt"
	"math"

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// An Adviser proposes for one scene. Its methods may be called in parallel.
type Adviser struct{ *fill.Filler }

// New gives an adviser for what a meter measures.
func New(m *meter.Meter) *Adviser { return &Adviser{&fill.Filler{Meter: m}} }

// In is an adviser for another state of the scene.
func (m *Adviser) In(sc *scene.Scene) *Adviser { return New(meter.NewMeter(sc, m.Sources)) }

// near is an adviser for what lies around a seam in another state of the scene.
func (m *Adviser) near(sc *scene.Scene, s audit.Seam) *Adviser {
	return New(m.Part(sc, pcm.Span{From: s.From, To: s.To}))
}

// A Proposal is what would mend a seam, and what that would give.
type Proposal struct {
	Before  audit.Result  `json:"before"`
	After   *audit.Result `json:"after,omitempty"` // as rendered; none if nothing is proposed
	Did     string        `json:"did,omitempty"`   // what the edit does, in words
	Reasons []string      `json:"reasons,omitempty"`
	Edit    edit.Edit     `json:"-"`
	Left    string        `json:"left,omitempty"` // what stays, and why
	stray   *fill.Finding // that it takes out; nil for a seam
}

// MarshalJSON adds the edit in its form for the wire.
func (p Proposal) MarshalJSON() ([]byte, error) {
	type plain Proposal
	out := struct {
		plain
		Edit json.RawMessage `json:"edit,omitempty"`
	}{plain: plain(p)}
	if p.Edit != nil {
		raw, err := edit.Marshal(p.Edit)
		if err != nil {
			return nil, err
		}
		out.Edit = raw
	}
	return json.Marshal(out)
}

// Propose looks for what mends a seam that was measured, tries it on the scene, and measures it there. What makes a
// figure worse, of this seam or of one that it reaches, changes the scene's length, or takes anything away that is
// said, is passed over. Of what is left
// the first that makes the seam clean is taken, else that after which it is best.
func (m *Adviser) Propose(ctx context.Context, before audit.Result) (Proposal, error) {
	p := Proposal{Before: before}
	if before.Fine() && (before.Kind != audit.Cut || before.Blend) {
		p.Left = stays(p)
		return p, nil // a plain cut is blended even where it sounds fine
	}
	a, err := m.advise(ctx, &before)
	if err != nil {
		return p, err
	}
	best := before.Worst
	if before.Fine() {
		best = 1
	}
	options, err := a.options()
	if err != nil {
		return p, err
	}
	for _, o := range options {
		x, err := m.try(ctx, before, o)
		if err != nil {
			return p, err
		}
		if x == nil || x.after.Worst >= best-1e-9 && !before.Fine() {
			continue
		}
		if keeps, err := m.keepsWords(ctx, before.Seam, x.then); err != nil {
			return p, err
		} else if !keeps {
			continue
		}
		best, p.After, p.Did, p.Reasons, p.Edit = x.after.Worst, x.after, o.did, o.reasons, x.edit
		if x.after.Fine() {
			break
		}
	}
	p.Left = stays(p)
	return p, nil
}

// BestBlend is the blend of a cut, which was measured, that sounds best there: the first that makes it clean, else that
// after which it is best. Nil if none can be done that makes no figure worse.
func (m *Adviser) BestBlend(ctx context.Context, before audit.Result) (edit.Edit, error) {
	a, err := m.advise(ctx, &before)
	if err != nil {
		return nil, err
	}
	options, err := a.blends()
	if err != nil {
		return nil, err
	}
	var best edit.Edit
	worst := math.Inf(1)
	for _, o := range options {
		x, err := m.try(ctx, before, o)
		if err != nil {
			return nil, err
		}
		if x == nil || x.after.Worst >= worst {
			continue
		}
		if best, worst = x.edit, x.after.Worst; x.after.Fine() {
			break
		}
	}
	return best, nil
}

// A trial is an option that was tried: what the seam is after it, and the scene as it is then.
type trial struct {
	after *audit.Result
	edit  edit.Edit
	then  *Adviser
}

// try gives what a seam is after an option, nil if the option cannot be done or makes something worse.
func (m *Adviser) try(ctx context.Context, before audit.Result, o option) (*trial, error) {
	change := edit.Edit(edit.NewBatch(o.did, o.edits...))
	if len(o.edits) == 1 {
		change = o.edits[0]
	}
	next, err := edit.Apply(m.Scene, change)
	if err != nil || next.Length() != m.Scene.Length() {
		return nil, nil
	}
	id := before.ID
	if o.becomes != "" {
		id = o.becomes
	}
	now, ok := audit.SeamAt(next, id)
	if !ok {
		return nil, nil
	}
	then := m.near(next, now)
	after, err := audit.Judge(ctx, then.Meter, now)
	if err != nil {
		return nil, err
	}
	if worse(before, after, m.Scene.SampleRate) != "" {
		return nil, nil
	}
	if o.wide {
		ok, err := m.sparesNeighbours(ctx, then, now)
		if err != nil || !ok {
			return nil, err
		}
	}
	return &trial{&after, change, then}, nil
}

// sparesNeighbours tells whether the seams before and after on the track stay as they were or get better.
func (m *Adviser) sparesNeighbours(ctx context.Context, then *Adviser, now audit.Seam) (bool, error) {
	for _, n := range neighbours(then.Scene, now) {
		was, ok := audit.SeamAt(m.Scene, n.ID)
		if !ok {
			continue
		}
		old, err := audit.Judge(ctx, m.Meter, was)
		if err != nil {
			return false, err
		}
		after, err := audit.Judge(ctx, then.Meter, n)
		if err != nil {
			return false, err
		}
		if worse(old, after, m.Scene.SampleRate) != "" {
			return false, nil
		}
	}
	return true, nil
}

// neighbours are the seams before and after one on its track: at the head of its left clip and at the tail of its right
// one.
func neighbours(sc *scene.Scene, of audit.Seam) (list []audit.Seam) {
	var around []audit.Seam
	ti, ci, ok := sc.Find(either(of.Left != "", of.Left, of.Right))
	if !ok {
		return nil
	}
	t := sc.Tracks[ti]
	for i := max(0, ci-1); i < min(len(t.Clips), ci+3); i++ {
		around = append(around, audit.SeamsOf(sc, t.Clips[i].ID)...)
	}
	for _, n := range around {
		if n.ID != of.ID && n.Track == of.Track &&
			(n.Left == of.Right && n.Left != "" || n.Right == of.Left && n.Right != "") {
			list = append(list, n)
		}
	}
	return list
}

// wavers is by how much of its limit a figure may differ from one measurement to the next, as a fade elsewhere in the
// clip leaves other pauses to measure.
const wavers = 0.15

// worse names a figure that an edit has made worse, "" if there is none. What stays under half of what would be heard
// counts as it was.
func worse(before, after audit.Result, sampleRate int64) string {
	seconds := after.Lasts(sampleRate)
	// no edit may bring the scene to full scale
	if now, was := after.Measures.PeakDBFS, before.Measures.PeakDBFS; now != nil && *now >= overs.FullDB &&
		(was == nil || *was < overs.FullDB) {
		return "peak_dbfs"
	}
	for _, x := range audit.Table {
		now := x.Figure(&after.Measures)
		if now == nil || x.Cause == "" {
			continue
		}
		was := x.Figure(&before.Measures)
		size := math.Abs(*now)
		if size <= x.Audible/2 {
			continue
		}
		if was == nil { // could not be measured before: it must not be heard now
			if x.Grade(*now, seconds) >= 1 {
				return x.Key
			}
			continue
		}
		if size > math.Abs(*was)+wavers*x.Audible {
			return x.Key
		}
	}
	return ""
}

// stays says what a proposal does not cure, and what would.
func stays(p Proposal) string {
	now := &p.Before
	if p.After != nil {
		now = p.After
	}
	what := now.Why
	if now.Verdict == audit.Clean {
		return ""
	}
	switch now.Cause {
	case audit.DeadSilence:
		return what + ": no quiet stretch was found to make tone from; take one from the library"
	case audit.BackgroundStep, audit.ColourStep:
		what += ": handles and words leave no room for a longer blend; "
		if now.Kind != audit.Cut {
			return what + "a bed of tone under both would hide it"
		}
		return what + "bring the takes to one room, or lay a bed of tone"
	case audit.WordCut:
		return what + ": the recording or the other side's words leave no room; trim by hand"
	case audit.LevelStep:
		return what + ": more than a level line should change; turn the clip by hand and listen"
	case audit.BlendLevel:
		return what + ": the wave itself moves so there; try another place"
	case audit.Click:
		return what + ": no handle for a blend; move the cut"
	case audit.TwoRooms:
		return what + ": bring the takes to one room"
	case audit.AbruptEnd:
		return what + ": nothing was found that ends it softly"
	case audit.AbruptStart:
		return what + ": nothing was found that lets it begin softly"
	}
	return what
}

// Stray proposes for a stray sound: its lull, and the patch that fills it.
func (m *Adviser) Stray(ctx context.Context, f fill.Finding) (Proposal, error) {
	s := audit.Seam{
		ID:        audit.SeamID(f.ID),
		Track:     f.Track,
		TrackName: f.TrackName,
		Kind:      audit.Lull,
		At:        (f.Lull.From + f.Lull.To) / 2,
		From:      f.Lull.From,
		To:        f.Lull.To,
		Left:      f.Clip,
		LeftName:  f.ClipName,
	}
	before, err := audit.Judge(ctx, m.Meter, s)
	if err != nil {
		return Proposal{}, err
	}
	if before.Verdict == audit.Clean || before.Cause == audit.DeadSilence {
		before.Verdict, before.Cause, before.Worst = audit.Audible, audit.BackgroundStep, 1
	}
	if f.AboveDB >= 12 {
		before.Verdict, before.Worst = audit.Rough, max(2, before.Worst)
	}
	before.Why = f.Why
	p := Proposal{Before: before, stray: &f}
	take := f.Edit()
	next, err := edit.Apply(m.Meter.Scene, take)
	if err != nil {
		p.Left = before.Why + ": " + err.Error()
		return p, nil
	}
	patch, err := m.near(next, s).Patch(ctx, scene.Hole{Clip: f.Clip, Lull: take.Lull})
	if err != nil {
		return p, err
	}
	if patch == nil {
		p.Left = before.Why + ": no quiet stretch was found to fill its lull with"
		return p, nil
	}
	did := fmt.Sprintf("%s lulled for %s, %s", f.Name(), m.Meter.LengthWords(f.Lull.Len()), patch.Did)
	o := option{
		did:     did,
		edits:   []edit.Edit{take, patch.Edit},
		becomes: audit.LullID(f.Clip, take.Lull),
		wide:    true,
	}
	x, err := m.try(ctx, before, o)
	if err != nil {
		return p, err
	}
	keeps := x != nil
	if keeps {
		if keeps, err = m.keepsWords(ctx, before.Seam, x.then); err != nil {
			return p, err
		}
	}
	if !keeps {
		p.Left = before.Why + ": a lull with a patch spoils what lies beside it"
		return p, nil
	}
	p.After, p.Did, p.Edit = x.after, did, x.edit
	p.Reasons = append([]string{"the lull leaves the words beside it whole"}, patch.Reasons...)
	p.Left = stays(p)
	return p, nil
}

func either[T any](is bool, yes, no T) T {
	if is {
		return yes
	}
	return no
}
