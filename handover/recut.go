package handover

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/pcm"
	"blendseam/core/recut"
	"blendseam/core/scene"
)

// A Row is a change of a new picture cut as an editor reads it, with what happens to the sound under it. Times are
// samples; From and To are in the scene as it was, both where a new stretch goes in; At is in the scene as it will be.
type Row struct {
	What   recut.What `json:"what"`
	Name   string     `json:"name"` // of the source
	From   int64      `json:"from"`
	To     int64      `json:"to"`
	At     int64      `json:"at"`
	Length int64      `json:"length"`
	Words  string     `json:"words"`
	Sound  string     `json:"sound"`
}

// A Recut is what a new picture cut does to a scene.
type Recut struct {
	Edit    *scene.Recut
	After   *scene.Scene
	Rows    []Row
	Kept    int          // seams that are as they were
	New     []audit.Seam // seams that are there through it
	Lost    []string
	Unknown []scene.Source // what it shows that the scene does not know
	Pieces  []recut.Piece
}

// PlanRecut finds what the picture of another cut does to a scene, without the changes to skip, by their places in the
// list of all of them. The rows are of all.
func PlanRecut(s, cut *scene.Scene, skip []int) (*Recut, error) {
	if cut.Rate.Num*s.Rate.Den != s.Rate.Num*cut.Rate.Den {
		return nil, fmt.Errorf("the new cut counts %s frames a second, the scene %s; let it be written at the scene's rate",
			cut.Rate, s.Rate)
	}
	if !slices.ContainsFunc(cut.Tracks, func(t *scene.Track) bool { return t.Kind == scene.Picture && len(t.Clips) > 0 }) {
		return nil, errors.New("the new cut has no picture; let the picture track be written into it")
	}
	e, unknown := scene.Recutting(s, cut)
	changes, pieces := scene.RecutChanges(s, e)
	r := &Recut{Unknown: unknown, Edit: e, Pieces: pieces, Rows: []Row{}, Lost: []string{}, New: []audit.Seam{}}
	if len(skip) > 0 {
		r.Edit = e.Without(s, skip)
		_, r.Pieces = scene.RecutChanges(s, r.Edit)
	}
	var err error
	if r.After, err = scene.Apply(s, r.Edit); err != nil {
		return nil, err
	}
	names := map[string]string{}
	for id, src := range s.Sources {
		names[id] = src.Name
	}
	for _, src := range unknown {
		names[src.ID] = src.Name
	}
	for _, c := range changes {
		r.Rows = append(r.Rows, rowOf(s, c, names[c.Source]))
	}
	r.seams(s)
	r.Lost = append(r.Lost, scene.RecutLost(s, r.After)...)
	return r, nil
}

// rowOf tells a change.
func rowOf(s *scene.Scene, c recut.Change, name string) Row {
	at := func(frame int64) int64 { return s.Rate.SampleOf(frame, s.SampleRate) }
	x := Row{What: c.What, Name: name, From: at(c.Old.From), To: at(c.Old.To), At: at(c.New.From)}
	n := max(c.Old.Len(), c.New.Len())
	x.Length = at(n)
	if c.Old.Empty() {
		x.From, x.To = x.At, x.At
	}
	under := 0
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound || t.Stays {
			continue
		}
		for _, clip := range t.Clips {
			if clip.Span().Overlaps(pcm.Span{From: x.From, To: x.To}) {
				under++
			}
		}
	}
	x.words(s, c, n)
	x.sound(c, under)
	return x
}

// clips counts them.
func clips(n int) string {
	switch n {
	case 0:
		return "nothing lies under it"
	case 1:
		return "one clip"
	}
	return fmt.Sprintf("%d clips", n)
}

func (x *Row) words(s *scene.Scene, c recut.Change, n int64) {
	frames := fmt.Sprintf("%d frames", n)
	if n == 1 {
		frames = "one frame"
	}
	old, now := s.Timecode(x.From), s.Timecode(x.At)
	switch {
	case c.What == recut.Trimmed && c.New.Empty():
		x.Words = fmt.Sprintf("%s of %s %s shorter", c.Edge, x.Name, frames)
	case c.What == recut.Trimmed:
		x.Words = fmt.Sprintf("%s of %s %s longer", c.Edge, x.Name, frames)
	case c.What == recut.Lifted:
		x.Words = fmt.Sprintf("%s of %s lifted at %s", frames, x.Name, old)
	case c.What == recut.Inserted && c.Back:
		x.Words = fmt.Sprintf("%s of %s come back at %s", frames, x.Name, now)
	case c.What == recut.Inserted:
		x.Words = fmt.Sprintf("%s of %s inserted at %s", frames, x.Name, now)
	case c.What == recut.Slipped:
		x.Words = fmt.Sprintf("%s shows another part of its source at %s", x.Name, now)
	case c.What == recut.Speed:
		x.Words = fmt.Sprintf("%s runs at another speed at %s", x.Name, now)
	default:
		x.Words = fmt.Sprintf("%s of %s %s from %s to %s", frames, x.Name, c.What, old, now)
	}
}

// sound tells what happens to the sound under a change.
func (x *Row) sound(c recut.Change, under int) {
	switch {
	case c.Back:
		x.Sound = "what was kept aside comes back with it"
	case c.What == recut.Inserted, c.What == recut.Trimmed && c.Old.Empty():
		x.Sound = "nothing under it yet"
	case c.What == recut.Speed:
		x.Sound = "nothing under it: sound keeps its own speed"
	case under == 0:
		x.Sound = clips(0)
	case c.What == recut.Lifted, c.What == recut.Trimmed:
		x.Sound = strings.Replace(clips(under)+" kept aside", "one clip kept", "one clip is kept", 1)
	case c.What == recut.Slipped:
		x.Sound = clips(under) + " in sync with what it shows"
	default:
		x.Sound = clips(under) + " with it"
	}
}

// seams sorts those of the scene after it into what was there and what is new.
func (r *Recut) seams(s *scene.Scene) {
	type key struct {
		track scene.TrackID
		kind  audit.Kind
		at    int64
	}
	was := map[key]bool{}
	for _, x := range audit.Find(s) {
		at, ok := r.now(s, x)
		if ok {
			was[key{x.Track, x.Kind, at}] = true
		}
	}
	for _, x := range audit.Find(r.After) {
		k := key{x.Track, x.Kind, x.At}
		known := was[k]
		for _, by := range []int64{-1, 1} { // where frames are no whole number of samples
			near := k
			near.at += by
			known = known || was[near]
		}
		if known {
			r.Kept++
		} else {
			r.New = append(r.New, x)
		}
	}
}

// now is where a seam of the scene before is afterwards; ok is false where what it lay between came apart.
func (r *Recut) now(s *scene.Scene, x audit.Seam) (at int64, ok bool) {
	sample := func(frame int64) int64 { return s.Rate.SampleOf(frame, s.SampleRate) }
	if t := s.Track(x.Track); t != nil && t.Stays {
		return x.At, true
	}
	end := s.Length()
	for _, p := range r.Pieces {
		from, to := sample(p.Old.From), sample(p.Old.To)
		inside := x.At > from && x.At < to
		outer := x.At == from && from == 0 || x.At == to && to >= end // the scene's own ends
		head := x.At == from && (x.Kind == audit.GapEnd || x.Kind == audit.Head)
		tail := x.At == to && (x.Kind == audit.GapStart || x.Kind == audit.Tail)
		if inside || outer || head || tail {
			return x.At + sample(p.New.From) - from, true
		}
	}
	return 0, false
}
