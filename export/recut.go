package export

import (
	"fmt"
	"slices"
	"strings"

	"blendseam/core/audit"
	"blendseam/core/conform"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// A Row is a change of a new picture cut as an editor reads it, with what happens to the sound under it. Times are
// samples; From and To are in the scene as it was, both where a new stretch goes in; At is in the scene as it will be.
type Row struct {
	What   conform.What `json:"what"`
	Name   string       `json:"name"` // of the source
	From   int64        `json:"from"`
	To     int64        `json:"to"`
	At     int64        `json:"at"`
	Length int64        `json:"length"`
	Words  string       `json:"words"`
	Sound  string       `json:"sound"`

	Clips []scene.Fate `json:"clips"` // of sound, that it moves, cuts or keeps aside
}

// What rows say that are no change of the picture, but follow from all of them.
const (
	NoPicture conform.What = "no_picture" // sound that has no picture
	Overlap   conform.What = "overlap"    // sound of two shots that meets
)

// RecutOptions say how a new picture cut is followed.
type RecutOptions struct {
	Skip    []int // changes not to make, by their places in the list of all of them
	CutBeds bool  // music and tone are cut where the picture comes apart
	Trim    bool  // where sound of two shots meets, each ends at its picture's cut; else one lies on another track
	Extend  bool  // gaps that come are filled from the clips' handles
}

// A Recut is what a new picture cut does to a scene.
type Recut struct {
	Edit    *edit.Recut
	After   *scene.Scene
	Rows    []Row
	Kept    int          // seams that are as they were
	New     []audit.Seam // seams that are there through it
	Lost    []string
	Unknown []scene.Source // what it shows that the scene does not know
	Pieces  []conform.Piece
}

// PlanRecut finds what the picture of another cut does to a scene. The rows are of all changes, those to skip included.
func PlanRecut(s, cut *scene.Scene, o RecutOptions) (*Recut, error) {
	if cut.Rate.Num*s.Rate.Den != s.Rate.Num*cut.Rate.Den {
		return nil, refuse.Errorf(
			"the new cut counts %s frames a second, the scene %s; let it be written at the scene's rate",
			cut.Rate,
			s.Rate,
		)
	}
	if !slices.ContainsFunc(
		cut.Tracks,
		func(t *scene.Track) bool { return t.Kind == scene.Picture && len(t.Clips) > 0 },
	) {
		return nil, refuse.Errorf("the new cut has no picture; let the picture track be written into it")
	}
	e, unknown := edit.NewRecut(s, cut)
	e.CutBeds, e.Trim, e.Extend = o.CutBeds, o.Trim, o.Extend
	changes, pieces := edit.RecutChanges(s, e)
	r := &Recut{Unknown: unknown, Edit: e, Pieces: pieces, Rows: []Row{}, Lost: []string{}, New: []audit.Seam{}}
	if len(o.Skip) > 0 {
		r.Edit = e.Without(s, o.Skip)
		_, r.Pieces = edit.RecutChanges(s, r.Edit)
	}
	var err error
	if r.After, err = edit.Apply(s, r.Edit); err != nil {
		return nil, err
	}
	names := map[string]string{}
	for id, src := range s.Sources {
		names[id] = src.Name
	}
	for _, src := range unknown {
		names[src.ID] = src.Name
	}
	fates, err := edit.RecutFates(s, r.Edit)
	if err != nil {
		return nil, err
	}
	of, rest := r.fatesOf(s, changes, o.Skip, fates)
	for i, c := range changes {
		r.Rows = append(r.Rows, rowOf(s, c, names[c.Source], of[i]))
	}
	r.Rows = append(r.Rows, rest...)
	r.seams(s)
	r.Lost = append(r.Lost, scene.RecutLost(s, r.After)...)
	return r, nil
}

// fatesOf tells which change each fate follows from: the one that lifted or moved its shot, else the last one before
// it, by which it lies earlier or later. rest are rows for what follows from none of them.
func (r *Recut) fatesOf(s *scene.Scene, changes []conform.Change, skip []int, fates []scene.Fate) (of [][]scene.Fate,
	rest []Row) {
	of = make([][]scene.Fate, len(changes))
	frame := func(at int64) int64 { return s.Rate.FrameOf(max(0, at), s.SampleRate) }
	var apart, over []scene.Fate
	for _, f := range fates {
		if f.What == scene.FateOther {
			over = append(over, f)
		}
		best := -1
		for i, c := range changes {
			if slices.Contains(skip, i) {
				continue
			}
			if !c.Old.Empty() && c.Old.Contains(f.Frame) {
				best = i
				break
			}
			if best < 0 || c.New.From >= changes[best].New.From {
				if f.At >= 0 && c.New.From <= frame(f.At) || f.At < 0 && c.Old.From <= f.Frame && !c.Old.Empty() {
					best = i
				}
			}
		}
		if best < 0 || f.Frame < 0 {
			apart = append(apart, f)
		} else {
			of[best] = append(of[best], f)
		}
	}
	if len(apart) > 0 {
		rest = append(rest, restRow(NoPicture, "Sound without a picture",
			sayClips(apart, "keeps its distance", "keep their distance")+" to the picture before it", apart))
	}
	if len(over) > 0 {
		rest = append(rest, restRow(Overlap, "Sound of two shots meets", sayClips(over, "lies", "lie")+
			" on another track, so that nothing is lost; or let each end at its picture's cut", over))
	}
	return of, rest
}

// restRow is a row of what follows from no single change, from the first clip to the last.
func restRow(what conform.What, words, sound string, fates []scene.Fate) Row {
	x := Row{
		What:  what,
		Words: words,
		Sound: sound,
		Clips: fates,
		From:  fates[0].From,
		To:    fates[0].To,
		At:    fates[0].At,
	}
	for _, f := range fates {
		x.From, x.To = min(x.From, f.From), max(x.To, f.To)
		if x.At < 0 || f.At >= 0 && f.At < x.At {
			x.At = f.At
		}
	}
	x.At = max(0, x.At)
	x.Length = x.To - x.From
	return x
}

// rowOf tells a change, with what becomes of the sound through it.
func rowOf(s *scene.Scene, c conform.Change, name string, fates []scene.Fate) Row {
	at := func(frame int64) int64 { return s.Rate.SampleOf(frame, s.SampleRate) }
	x := Row{What: c.What, Name: name, From: at(c.Old.From), To: at(c.Old.To), At: at(c.New.From), Clips: fates}
	n := max(c.Old.Len(), c.New.Len())
	x.Length = at(n)
	if c.Old.Empty() {
		x.From, x.To = x.At, x.At
	}
	if x.Clips == nil {
		x.Clips = []scene.Fate{}
	}
	x.words(s, c, n)
	x.sound(c)
	return x
}

// sayClips counts clips, and says what they do.
func sayClips(fates []scene.Fate, one, many string) string {
	if len(fates) == 1 {
		return "one clip " + one
	}
	return fmt.Sprintf("%d clips %s", len(fates), many)
}

func (x *Row) words(s *scene.Scene, c conform.Change, n int64) {
	frames := fmt.Sprintf("%d frames", n)
	if n == 1 {
		frames = "one frame"
	}
	old, now := s.Timecode(x.From), s.Timecode(x.At)
	switch {
	case c.What == conform.Trimmed && c.New.Empty():
		x.Words = fmt.Sprintf("%s of %s %s shorter", c.Edge, x.Name, frames)
	case c.What == conform.Trimmed:
		x.Words = fmt.Sprintf("%s of %s %s longer", c.Edge, x.Name, frames)
	case c.What == conform.Lifted:
		x.Words = fmt.Sprintf("%s of %s lifted at %s", frames, x.Name, old)
	case c.What == conform.Inserted && c.Back:
		x.Words = fmt.Sprintf("%s of %s come back at %s", frames, x.Name, now)
	case c.What == conform.Inserted:
		x.Words = fmt.Sprintf("%s of %s inserted at %s", frames, x.Name, now)
	case c.What == conform.Slipped:
		x.Words = fmt.Sprintf("%s shows another part of its source at %s", x.Name, now)
	case c.What == conform.Speed:
		x.Words = fmt.Sprintf("%s runs at another speed at %s", x.Name, now)
	default:
		x.Words = fmt.Sprintf("%s of %s %s from %s to %s", frames, x.Name, c.What, old, now)
	}
}

// sound tells what happens to the sound through a change.
func (x *Row) sound(c conform.Change) {
	by := map[string][]scene.Fate{}
	for _, f := range x.Clips {
		by[f.What] = append(by[f.What], f)
	}
	var list []string
	for _, say := range []struct{ what, one, many string }{
		{scene.FateAside, "is kept aside", "are kept aside"},
		{scene.FateCut, "is cut", "are cut"},
		{scene.FateMoved, "moves with the picture", "move with the picture"},
		{scene.FateLonger, "fills a gap from its handle", "fill gaps from their handles"},
	} {
		if len(by[say.what]) > 0 {
			list = append(list, sayClips(by[say.what], say.one, say.many))
		}
	}
	switch {
	case c.Back:
		list = append([]string{"what was kept aside comes back"}, list...)
	case c.What == conform.Speed:
		list = append([]string{"nothing lies under it, as sound keeps its own speed"}, list...)
	case c.What == conform.Inserted, c.What == conform.Trimmed && c.Old.Empty():
		list = append([]string{"nothing lies under it yet"}, list...)
	case len(list) == 0:
		list = []string{"nothing lies under it"}
	}
	x.Sound = strings.Join(list, "; ")
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
