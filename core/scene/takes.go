package scene

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/sound/effects"
	"blendseam/core/sound/eq"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/recipe"
)

// Takes are the other takes of what a clip says, one of which may sound in its place. Each stays with its words: it
// lies in step with the clip, however that is trimmed, slipped, moved or divided.
type Takes struct {
	Number int    `json:"number"` // of the take that sounds, from 1
	Others []Take `json:"others"` // by their numbers
}

// A Take is one that does not sound, with what was done to it when it did.
type Take struct {
	Number int    `json:"number"`
	Source string `json:"source"`
	Shift  int64  `json:"shift"` // sample of its source that lies where sample 0 of the clip's lies
	Name   string `json:"name"`

	GainDB  float64      `json:"gain_db,omitempty"`
	Level   []LevelPoint `json:"level,omitempty"`
	Lulls   []Lull       `json:"lulls,omitempty"`
	Room    *recipe.Room `json:"room,omitempty"`
	Filters *eq.Filters  `json:"filters,omitempty"`
	Like    *eq.Like     `json:"like,omitempty"`

	Treatments *effects.Chain `json:"treatments,omitempty"`

	Head *Blend `json:"head,omitempty"` // the blends at its ends when it sounded last
	Tail *Blend `json:"tail,omitempty"`
}

// Needs are the ids of the sources that a take needs.
func (t *Take) Needs() []string {
	return append(append([]string{t.Source}, t.Room.Tones()...), t.Treatments.Needs()...)
}

// numberOf is the index of a take among the others, -1 if it is none of them.
func (x *Takes) numberOf(number int) int {
	if x == nil {
		return -1
	}
	return slices.IndexFunc(x.Others, func(t Take) bool { return t.Number == number })
}

// firstTake is the take of a clip that was there before others were put under it, as a source and its shift: what the
// clip is in sync by.
func firstTake(c Clip) Take {
	first := Take{Source: c.Source}
	if c.Takes == nil || c.Takes.Number == 1 {
		return first
	}
	if k := c.Takes.numberOf(1); k >= 0 {
		first = c.Takes.Others[k]
	}
	return first
}

// moved are the takes where the clip's source begins so many samples later than it did.
func (x *Takes) moved(by int64) *Takes {
	if x == nil || by == 0 {
		return x
	}
	now := &Takes{x.Number, slices.Clone(x.Others)}
	for i := range now.Others {
		now.Others[i].Shift -= by
	}
	return now
}

// WithTake is a clip with another of its takes sounding: the one of an index among the others.
func WithTake(c Clip, k int) Clip {
	to := c.Takes.Others[k]
	now := &Takes{Number: to.Number, Others: slices.Clone(c.Takes.Others)}
	now.Others[k] = Take{
		Number: c.Takes.Number, Source: c.Source, Name: c.Name, GainDB: c.GainDB, Level: c.Level, Lulls: c.Lulls,
		Room: c.Room, Filters: c.Filters, Like: c.Like, Treatments: c.Treatments,
	}
	for i := range now.Others {
		now.Others[i].Shift -= to.Shift
	}
	slices.SortFunc(now.Others, func(a, b Take) int { return cmp.Compare(a.Number, b.Number) })
	c.Takes, c.Source, c.Name, c.In = now, to.Source, to.Name, c.In+to.Shift
	c.GainDB, c.Level, c.Lulls, c.Room, c.Filters, c.Like = to.GainDB, to.Level, to.Lulls, to.Room, to.Filters, to.Like
	c.Treatments = to.Treatments
	c.AcceptedHead, c.AcceptedTail = nil, nil
	return c
}

// checkTakes refuses takes that cannot be.
func checkTakes(s *Scene, c *Clip) error {
	if c.Takes == nil {
		return nil
	}
	seen := map[int]bool{c.Takes.Number: true}
	if len(c.Takes.Others) == 0 || len(c.Takes.Others) >= limit.Takes {
		return invalid("%s has %d takes; 2 to %d are a stack.", c.Name, len(c.Takes.Others)+1, limit.Takes)
	}
	for _, t := range c.Takes.Others {
		src, ok := s.Sources[t.Source]
		if !ok || src.Samples == 0 && !src.Unknown || t.Number < 1 || t.Number > limit.Batch || seen[t.Number] ||
			max(t.Shift, -t.Shift) > unbounded || !sane(t.GainDB) || len(t.Lulls) > limit.Lulls ||
			len(t.Level) > limit.LevelPoints {
			return invalid("Take %d of %s is of no recording of this scene, or cannot be.", t.Number, c.Name)
		}
		seen[t.Number] = true
	}
	return nil
}

// With is the takes with something done to each of those that do not sound; nil stays nil.
func (t *Takes) With(change func(*Take)) *Takes {
	if t == nil {
		return nil
	}
	own := *t
	own.Others = slices.Clone(t.Others)
	for i := range own.Others {
		change(&own.Others[i])
	}
	return &own
}

// AddTake puts a stretch of another recording under a clip of sound, as another take of what it says.
type AddTake struct {
	Clip   ClipID `json:"clip"`
	Source string `json:"source"`
	Shift  int64  `json:"shift"` // see Take
	Name   string `json:"name,omitempty"`
}

func (e *AddTake) apply(d *draft) error {
	c, err := d.openSound(e.Clip)
	if err != nil {
		return err
	}
	src, ok := d.Sources[e.Source]
	switch {
	case !ok:
		return notPossible("The scene has no source %q; bring it in first.", e.Source)
	case src.Samples == 0 && !src.Unknown || src.Tone != nil:
		return notPossible("%s is no recording of sound, which a take is.", src.Name)
	}
	at := pcm.Span{From: c.In, To: c.In + c.Length}.Add(e.Shift)
	if length := SourceLength(d.Scene, &Track{Kind: Sound}, Clip{Source: e.Source}); at.To <= 0 || at.From >= length {
		return notPossible("%s does not reach to where it would lie under %s.", src.Name, c.Name)
	}
	takes := Takes{Number: 1}
	if c.Takes != nil {
		takes = Takes{c.Takes.Number, slices.Clone(c.Takes.Others)}
	}
	number := takes.Number
	for _, t := range takes.Others {
		number = max(number, t.Number)
		if t.Source == e.Source && t.Shift == e.Shift {
			return notPossible("That stretch of %s is a take of %s already.", src.Name, c.Name)
		}
	}
	if e.Source == c.Source && e.Shift == 0 {
		return notPossible("That stretch of %s is what %s shows.", src.Name, c.Name)
	}
	takes.Others = append(takes.Others, Take{
		Number: number + 1, Source: e.Source, Shift: e.Shift, Name: shortName(cmp.Or(e.Name, src.Name)),
	})
	c.Takes = &takes
	return checkTakes(d.Scene, c)
}

func (e *AddTake) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	return fmt.Sprintf("%s is take %d of %s", cmp.Or(e.Name, before.Sources[e.Source].Name),
		now.Takes.Others[len(now.Takes.Others)-1].Number, c.Name)
}

// DropTake takes one that does not sound from under a clip, and from under the pieces that were made of it.
type DropTake struct {
	Clip   ClipID `json:"clip"`
	Number int    `json:"number"`
}

func (e *DropTake) apply(d *draft) error {
	c, err := d.openSound(e.Clip)
	if err != nil {
		return err
	}
	k := c.Takes.numberOf(e.Number)
	if k < 0 {
		return noTake(c, e.Number)
	}
	if c.Takes = (&Takes{c.Takes.Number, slices.Delete(slices.Clone(c.Takes.Others), k, k+1)}); len(c.Takes.Others) == 0 {
		c.Takes = nil
	}
	return nil
}

func (e *DropTake) words(before, _ *Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf("take %d taken from under %s", e.Number, c.Name)
}

func noTake(c *Clip, number int) error {
	if c.Takes != nil && c.Takes.Number == number {
		return notPossible("Take %d of %s is the one that sounds.", number, c.Name)
	}
	return notPossible("%s has no take %d; add the range of another recording to it first.", c.Name, number)
}

// UseTake lets another take sound in the place of a clip, or of the part of it, and of the pieces that were made of it,
// between two moments of the scene. Blends at its ends are those that it had when it sounded last, as far as there are
// handles; pieces that lie in step with one another become one again.
type UseTake struct {
	Clip   ClipID `json:"clip"`
	Number int    `json:"number"`
	From   int64  `json:"from,omitempty"` // samples of the scene; both 0: the whole clip
	To     int64  `json:"to,omitempty"`
	// in step with these words, where the take as a whole is not: see Take; nil: as it lies
	Shift *int64 `json:"shift,omitempty"`
}

func (e *UseTake) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != Sound || c.Takes == nil {
		return noTake(c, e.Number)
	}
	over := pcm.Span{From: e.From, To: e.To}
	if over == (pcm.Span{}) {
		over = c.Span()
	}
	said := Clip{Source: c.Source, In: c.In, Start: c.Start}
	ids := e.pieces(t, over)
	if len(ids) == 0 {
		return noTake(c, e.Number)
	}
	for _, at := range []int64{over.From, over.To} {
		if err := d.cut(d.over([]int{trackIndex(d.Scene, t.ID)}, at), at); err != nil {
			return err
		}
	}
	did := false
	for _, id := range e.pieces(t, over) {
		done, err := e.turn(d, t, id, said)
		if err != nil {
			return err
		}
		did = did || done
	}
	if !did {
		return noTake(c, e.Number)
	}
	d.heal(t)
	return nil
}

// pieces are the clips of a track that lie in a stretch and have the take, itself or under them.
func (e *UseTake) pieces(t *Track, over pcm.Span) (ids []ClipID) {
	for i := t.At(over.From); i < len(t.Clips) && t.Clips[i].Start < over.To; i++ {
		x := t.Clips[i].Takes
		if x != nil && (x.Number == e.Number || x.numberOf(e.Number) >= 0) {
			ids = append(ids, t.Clips[i].ID)
		}
	}
	return ids
}

// turn lets the take sound in the place of one clip; done is false if it does already. Its shift is that against what
// was said where the edit began.
func (e *UseTake) turn(d *draft, t *Track, id ClipID, said Clip) (done bool, err error) {
	i := slices.IndexFunc(t.Clips, func(c Clip) bool { return c.ID == id })
	c := t.Clips[i]
	k := c.Takes.numberOf(e.Number)
	if k < 0 {
		return false, nil
	}
	if e.Shift != nil && c.Source == said.Source && c.Shift() == said.Shift() {
		own := Takes{c.Takes.Number, slices.Clone(c.Takes.Others)}
		own.Others[k].Shift = *e.Shift
		c.Takes = &own
	}
	next := WithTake(c, k)
	if err := e.reaches(d, t, c, next); err != nil {
		return false, err
	}
	head, tail := t.blendsOf(id)
	left := slices.IndexFunc(next.Takes.Others, func(x Take) bool { return x.Number == c.Takes.Number })
	to, from := c.Takes.Others[k], &next.Takes.Others[left]
	for _, b := range []struct{ is, was, kept **Blend }{{&head, &to.Head, &from.Head}, {&tail, &to.Tail, &from.Tail}} {
		is, was := *b.is, *b.was
		if is == nil {
			continue
		}
		own := *is
		own.Left, own.Right = "", ""
		*b.kept = &own
		if was != nil {
			is.Before, is.After, is.Law, is.CurveOut, is.CurveIn = was.Before, was.After, was.Law, was.CurveOut, was.CurveIn
		}
	}
	next.fitFades()
	t.Clips[i] = next
	d.fitBlends(t, id)
	return true, nil
}

// reaches refuses a take that is shorter than what it is to sound in place of, and offers the part that it has.
func (e *UseTake) reaches(d *draft, t *Track, c, next Clip) error {
	has := pcm.Span{To: SourceLength(d.Scene, t, next)}.Add(next.Shift()).Intersect(next.Span())
	if has == next.Span() {
		return nil
	}
	ahead, behind := has.From-next.Start, next.End()-has.To
	var lacks []string
	if ahead > 0 {
		lacks = append(lacks, "begins "+LengthWords(d.Scene, ahead)+" later")
	}
	if behind > 0 {
		lacks = append(lacks, "ends "+LengthWords(d.Scene, behind)+" earlier")
	}
	r := notPossible("Take %d, %s, %s than %s. Trim the clip, or let the take sound in a part of it.",
		e.Number, next.Name, strings.Join(lacks, " and "), c.Name)
	if !has.Empty() {
		d.suggest(&r.options, "let it sound where it reaches", &UseTake{
			Clip: c.ID, Number: e.Number, From: has.From, To: has.To, Shift: e.Shift,
		})
	}
	return r
}

// fitBlends shortens the blends at a clip's ends to the handles and the clips that there are, and drops those of which
// nothing is left.
func (d *draft) fitBlends(t *Track, id ClipID) {
	i := slices.IndexFunc(t.Clips, func(c Clip) bool { return c.ID == id })
	for _, k := range []int{i - 1, i} {
		if !t.Touches(k) {
			continue
		}
		left, right := t.Clips[k], t.Clips[k+1]
		b := t.Blend(left.ID, right.ID)
		if b == nil {
			continue
		}
		_, after := d.Handles(t, left)
		before, _ := d.Handles(t, right)
		b.Before, b.After = max(0, min(b.Before, before)), max(0, min(b.After, after))
		if b.Before+b.After == 0 {
			t.dropBlend(left.ID, right.ID)
		}
	}
}

// heal makes one clip of two that touch, show one stretch of one recording, and are alike in all else: pieces of one
// clip whose takes are the same again.
func (d *draft) heal(t *Track) {
	for i := 0; i+1 < len(t.Clips); i++ {
		a, b := &t.Clips[i], t.Clips[i+1]
		if a.Takes == nil || !t.Touches(i) || a.Source != b.Source || a.In+a.Length != b.In || a.Link != b.Link ||
			a.FadeOut.Length > 0 || b.FadeIn.Length > 0 || !alike(*a, b) {
			continue
		}
		t.dropBlend(a.ID, b.ID)
		if _, tail := t.blendsOf(b.ID); tail != nil {
			tail.Left = a.ID
		}
		a.Length, a.FadeOut, a.AcceptedTail = a.Length+b.Length, b.FadeOut, b.AcceptedTail
		into := a.ID
		t.Clips = slices.Delete(t.Clips, i+1, i+2)
		tailIsNow(d, b.ID, into)
		renamedDucks(d, []ClipID{b.ID}, into)
		for k, p := range d.Pairs {
			if p.Out == b.ID {
				d.Pairs = slices.Clone(d.Pairs)
				d.Pairs[k].Out = into
			}
		}
		i--
	}
}

// alike tells whether two clips are treated alike and have the same takes under them, but for the blends of these and
// how each lies with the words of its piece.
func alike(a, b Clip) bool {
	bare := func(c Clip) Clip {
		c = c.Sounding()
		c.In, c.Length, c.ID, c.FadeIn, c.FadeOut = 0, 0, "", Fade{}, Fade{}
		return c
	}
	takes := func(x *Takes) []Take {
		list := slices.Clone(x.Others)
		for i := range list {
			list[i].Head, list[i].Tail, list[i].Shift = nil, nil, 0
		}
		return list
	}
	return a.Takes != nil && b.Takes != nil && reflect.DeepEqual(bare(a), bare(b)) &&
		reflect.DeepEqual(takes(a.Takes), takes(b.Takes))
}

func (e *UseTake) words(before, after *Scene) string {
	_, c := before.Clip(e.Clip)
	name := c.Name
	if k := c.Takes.numberOf(e.Number); k >= 0 {
		name = c.Takes.Others[k].Name
	}
	if e.From == 0 && e.To == 0 {
		return fmt.Sprintf("take %d, %s, sounds in place of %s", e.Number, name, c.Name)
	}
	return fmt.Sprintf("take %d sounds from %s to %s", e.Number, before.Timecode(e.From), before.Timecode(e.To))
}
