package seam

import (
	"encoding/json"
	"math"
	"slices"

	"blendseam/core/scene"
)

// A Proposal is what would mend a seam, and what that would give.
type Proposal struct {
	Before  Result     `json:"before"`
	After   *Result    `json:"after,omitempty"` // as rendered; none if nothing is proposed
	Did     string     `json:"did,omitempty"`   // what the edit does, in words
	Reasons []string   `json:"reasons,omitempty"`
	Edit    scene.Edit `json:"-"`
	Left    string     `json:"left,omitempty"` // what stays, and why
	stray   *Finding   // that it takes out; nil for a seam
}

// MarshalJSON adds the edit in its form for the wire.
func (p Proposal) MarshalJSON() ([]byte, error) {
	type plain Proposal
	out := struct {
		plain
		Edit json.RawMessage `json:"edit,omitempty"`
	}{plain: plain(p)}
	if p.Edit != nil {
		raw, err := scene.Marshal(p.Edit)
		if err != nil {
			return nil, err
		}
		out.Edit = raw
	}
	return json.Marshal(out)
}

// Propose looks for what mends a seam that was measured, tries it on the scene, and measures it there. What makes a figure
// worse, of this seam or of one that it reaches, or changes the scene's length, is passed over. Of what is left the first
// that makes the seam clean is taken, else that after which it is best.
func (m *Meter) Propose(before Result) (Proposal, error) {
	p := Proposal{Before: before}
	if before.Verdict == Clean && (before.Kind != Cut || before.Blend) {
		return p, nil // a plain cut is blended even where it sounds fine
	}
	a, err := m.advise(&before)
	if err != nil {
		return p, err
	}
	best := before.worst
	if before.Verdict == Clean {
		best = 1
	}
	for _, o := range a.options() {
		after, edit, err := m.try(before, o)
		if err != nil {
			return p, err
		}
		if after == nil || after.worst >= best-1e-9 && before.Verdict != Clean {
			continue
		}
		best, p.After, p.Did, p.Reasons, p.Edit = after.worst, after, o.did, o.reasons, edit
		if after.Verdict == Clean || after.Cause == Peak {
			break
		}
	}
	p.Left = stays(p)
	return p, nil
}

// try gives what a seam is after an option, nil if the option cannot be done or makes something worse.
func (m *Meter) try(before Result, o option) (*Result, scene.Edit, error) {
	edit := scene.Edit(scene.InOrder(o.did, o.edits...))
	if len(o.edits) == 1 {
		edit = o.edits[0]
	}
	next, err := scene.Apply(m.scene, edit)
	if err != nil || next.Length() != m.scene.Length() {
		return nil, nil, nil
	}
	meter, err := NewMeter(next, m.plain)
	if err != nil {
		return nil, nil, err
	}
	id := before.ID
	if o.becomes != "" {
		id = o.becomes
	}
	all := Find(next)
	i := slices.IndexFunc(all, func(s Seam) bool { return s.ID == id })
	if i < 0 {
		return nil, nil, nil
	}
	after, err := meter.Seam(all[i])
	if err != nil {
		return nil, nil, err
	}
	if worse(before, after, m.scene.SampleRate) != "" {
		return nil, nil, nil
	}
	if o.wide {
		ok, err := m.sparesNeighbours(meter, before, all[i], all)
		if err != nil || !ok {
			return nil, nil, err
		}
	}
	return &after, edit, nil
}

// sparesNeighbours tells whether the seams before and after on the track stay as they were or get better.
func (m *Meter) sparesNeighbours(meter *Meter, before Result, now Seam, all []Seam) (bool, error) {
	was := Find(m.scene)
	for _, n := range all {
		if n.ID == now.ID || n.Track != now.Track || (n.Left != now.Right || n.Left == "") && (n.Right != now.Left || n.Right == "") {
			continue
		}
		i := slices.IndexFunc(was, func(s Seam) bool { return s.ID == n.ID })
		if i < 0 {
			continue
		}
		old, err := m.Seam(was[i])
		if err != nil {
			return false, err
		}
		after, err := meter.Seam(n)
		if err != nil {
			return false, err
		}
		if worse(old, after, m.scene.SampleRate) != "" {
			return false, nil
		}
	}
	return true, nil
}

// wavers is by how much of its limit a figure may differ from one measurement to the next, as a fade elsewhere in the clip
// leaves other pauses to measure.
const wavers = 0.15

// worse names a figure that an edit has made worse, "" if there is none. What stays under half of what would be heard
// counts as it was.
func worse(before, after Result, sampleRate int64) string {
	seconds := after.lasts(sampleRate)
	for _, x := range Table {
		now := x.of(&after.Measures)
		if now == nil || x.Cause == "" {
			continue
		}
		was := x.of(&before.Measures)
		if x.signed {
			// Half a dB is what waves that add up otherwise make of a peak.
			if *now >= x.Audible && (was == nil || *now > *was+0.5 || *now >= x.Rough && *was < x.Rough) {
				return x.Key
			}
			continue
		}
		size := math.Abs(*now)
		if size <= x.Audible/2 {
			continue
		}
		if was == nil { // could not be measured before: it must not be heard now
			if x.grade(*now, seconds) >= 1 {
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
	if now.Verdict == Clean {
		return ""
	}
	switch now.Cause {
	case DeadSilence:
		return what + ": no quiet stretch was found to make tone from; take one from the library"
	case BackgroundStep, ColourStep:
		return what + ": handles and words leave no room for a longer blend; a bed of tone under both would hide it"
	case Peak:
		return what + ": no blend cures it; turn a clip down"
	case WordCut:
		return what + ": the recording or the other side's words leave no room; trim by hand"
	case LevelStep:
		return what + ": more than a level line should change; turn the clip by hand and listen"
	case BlendLevel:
		return what + ": the wave itself moves so there; try another place"
	case Click:
		return what + ": no handle for a blend; move the cut"
	case AbruptEnd:
		return what + ": nothing was found that ends it softly"
	}
	return what
}
