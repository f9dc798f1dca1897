package workspace

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"blendseam/core/audit"
	"blendseam/core/listen/takes"
	"blendseam/core/parallel"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
)

// A TakeFound is where another recording says what a clip says.
type TakeFound struct {
	takes.Match `tstype:",extends"`
	Source      string `json:"source"`
	Name        string `json:"name"`
	Taken       bool   `json:"taken"` // the clip has it already
}

// mostTakes is how many places are found in one recording.
const mostTakes = 2

// sameTakeS is how near to one another two places of a recording are one take.
const sameTakeS = 0.25

// Takes finds where the recordings of the scene, or one of them, say what a clip says: the likest first. Those that
// cannot be listened to are named.
func (s *Scene) Takes(
	ctx context.Context, clip scene.ClipID, only string,
) (list []TakeFound, unheard []string, err error) {
	t, c := s.Scene.Clip(clip)
	if c == nil || t.Kind != scene.Sound || s.Scene.Sources[c.Source].Tone != nil {
		return nil, nil, refuse.Errorf("other takes are found of a clip of sound")
	}
	ctx = parallel.Beginning(ctx, modest)
	said, err := s.recording(ctx, c.Source)
	if err != nil {
		return nil, nil, err
	}
	list, unheard = []TakeFound{}, []string{}
	for _, id := range slices.Sorted(maps.Keys(s.Scene.Sources)) {
		src := s.Scene.Sources[id]
		if only != "" && only != id || src.Made() || src.Samples == 0 {
			continue
		}
		in, err := s.recording(ctx, id)
		if err == nil && only == "" {
			var purpose scene.Purpose
			if purpose, err = s.PurposeOf(ctx, id); err == nil && purpose != scene.ForDialogue {
				continue // music that sounds like a word is none
			}
		}
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		if err != nil {
			unheard = append(unheard, src.Name)
			continue
		}
		of := pcm.Span{From: c.In, To: c.In + c.Length}
		found, err := takes.Find(ctx, said, of, in, id == c.Source, mostTakes)
		if err != nil {
			return nil, nil, err
		}
		for _, m := range found {
			list = append(list, TakeFound{m, id, src.Name, s.hasTake(c, id, m.Shift)})
		}
	}
	slices.SortStableFunc(list, func(a, b TakeFound) int { return cmp.Compare(b.Alike, a.Alike) })
	return list, unheard, nil
}

// hasTake tells whether a clip has a take there already, or is that.
func (s *Scene) hasTake(c *scene.Clip, source string, shift int64) bool {
	near := func(by int64) bool { return max(by, -by) < int64(sameTakeS*float64(s.Scene.SampleRate)) }
	return source == c.Source && near(shift) || c.Takes != nil &&
		slices.ContainsFunc(c.Takes.Others, func(t scene.Take) bool { return t.Source == source && near(t.Shift-shift) })
}

// recording is a recording of the scene as takes are looked for in it.
func (s *Scene) recording(ctx context.Context, id string) (r takes.Recording, err error) {
	src := s.Scene.Sources[id]
	if r.Sound, err = s.Sound(src); err != nil {
		return r, err
	}
	r.Analysis, err = s.Sources().Analysis(ctx, s.Scene, src)
	return r, err
}

// UseTake is an edit that lets another take sound in place of a clip or of part of it, with that part's words in step,
// and with the blends that are best at the cuts where it begins and ends, if it had none there before.
func (s *Scene) UseTake(ctx context.Context, e edit.UseTake) (edit.Edit, error) {
	ctx = parallel.Beginning(ctx, modest)
	if err := s.inStep(ctx, &e); err != nil {
		return nil, err
	}
	after, err := edit.Apply(s.Scene, &e)
	if err != nil {
		return nil, err
	}
	m, err := s.Adviser(ctx)
	if err != nil {
		return nil, err
	}
	t, _ := s.Scene.Clip(e.Clip)
	edits := []edit.Edit{&e}
	for _, x := range s.newCuts(after, t.ID) {
		in := m.In(after)
		before, err := audit.Judge(ctx, in.Meter, x)
		if err != nil {
			return nil, err
		}
		blend, err := in.BestBlend(ctx, before)
		if err != nil {
			return nil, err
		}
		if blend == nil {
			continue
		}
		next, err := edit.Apply(after, blend)
		if err != nil {
			continue // another blend has taken the room
		}
		after, edits = next, append(edits, blend)
	}
	if len(edits) == 1 {
		return &e, nil
	}
	words := edit.Describe(s.Scene, after, &e)
	return edit.NewBatch(words+", blended at its ends", edits...), nil
}

// inStep puts the words of a part in step: those of a take that was said again drift apart.
func (s *Scene) inStep(ctx context.Context, e *edit.UseTake) error {
	_, c := s.Scene.Clip(e.Clip)
	if e.From == 0 && e.To == 0 || e.Shift != nil || c == nil || c.Takes == nil {
		return nil
	}
	k := slices.IndexFunc(c.Takes.Others, func(t scene.Take) bool { return t.Number == e.Number })
	over := pcm.Span{From: e.From, To: e.To}.Intersect(c.Span())
	if k < 0 || over.Empty() {
		return nil
	}
	take := c.Takes.Others[k]
	said, err := s.recording(ctx, c.Source)
	if err != nil {
		return err
	}
	in, err := s.recording(ctx, take.Source)
	if err != nil {
		return err
	}
	of := over.Add(-c.Shift())
	found, err := takes.Find(ctx, said, of, in, take.Source == c.Source, mostTakes)
	if err != nil {
		return err
	}
	for _, m := range found {
		if by := m.Shift - take.Shift; max(by, -by) < s.Scene.SampleRate {
			e.Shift = &m.Shift
			return nil
		}
	}
	m, err := takes.Align(ctx, said, of, in, take.Shift)
	if err == nil {
		e.Shift = &m.Shift
	}
	return err
}

// newCuts are the cuts of a track without a blend, beside clips that show another recording than they did.
func (s *Scene) newCuts(after *scene.Scene, track scene.TrackID) (list []audit.Seam) {
	t := after.Track(track)
	before := s.Scene.Track(track)
	changed := func(c scene.Clip) bool { // pieces of what sounded there before are none
		i := before.At(c.Start)
		return i == len(before.Clips) || before.Clips[i].Source != c.Source || before.Clips[i].Shift() != c.Shift()
	}
	for i := range t.Clips {
		if !t.Touches(i) {
			continue
		}
		left, right := t.Clips[i], t.Clips[i+1]
		if b := t.Blend(left.ID, right.ID); b != nil || !changed(left) && !changed(right) {
			continue
		}
		if x, ok := audit.SeamAt(after, audit.CutID(left.ID, right.ID)); ok {
			list = append(list, x)
		}
	}
	return list
}
