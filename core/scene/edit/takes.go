package edit

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
)

// AddTake puts a stretch of another recording under a clip of sound, as another take of what it says.
type AddTake struct {
	Clip   scene.ClipID `json:"clip"`
	Source string       `json:"source"`
	Shift  int64        `json:"shift"` // see Take
	Name   string       `json:"name,omitempty"`
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
	if length := scene.SourceLength(d.Scene, &scene.Track{Kind: scene.Sound}, scene.Clip{Source: e.Source}); at.To <= 0 ||
		at.From >= length {
		return notPossible("%s does not reach to where it would lie under %s.", src.Name, c.Name)
	}
	takes := scene.Takes{Number: 1}
	if c.Takes != nil {
		takes = scene.Takes{Number: c.Takes.Number, Others: slices.Clone(c.Takes.Others)}
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
	takes.Others = append(takes.Others, scene.Take{
		Number: number + 1, Source: e.Source, Shift: e.Shift, Name: shortName(cmp.Or(e.Name, src.Name)),
	})
	c.Takes = &takes
	return scene.CheckTakes(d.Scene, c)
}

func (e *AddTake) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	_, now := after.Clip(e.Clip)
	return fmt.Sprintf("%s is take %d of %s", cmp.Or(e.Name, before.Sources[e.Source].Name),
		now.Takes.Others[len(now.Takes.Others)-1].Number, c.Name)
}

// DropTake takes one that does not sound from under a clip, and from under the pieces that were made of it.
type DropTake struct {
	Clip   scene.ClipID `json:"clip"`
	Number int          `json:"number"`
}

func (e *DropTake) apply(d *draft) error {
	c, err := d.openSound(e.Clip)
	if err != nil {
		return err
	}
	k := c.Takes.NumberOf(e.Number)
	if k < 0 {
		return noTake(c, e.Number)
	}
	if c.Takes = (&scene.Takes{Number: c.Takes.Number, Others: slices.Delete(slices.Clone(c.Takes.Others), k, k+1)}); len(
		c.Takes.Others,
	) == 0 {
		c.Takes = nil
	}
	return nil
}

func (e *DropTake) words(before, _ *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	return fmt.Sprintf("take %d taken from under %s", e.Number, c.Name)
}

func noTake(c *scene.Clip, number int) error {
	if c.Takes != nil && c.Takes.Number == number {
		return notPossible("Take %d of %s is the one that sounds.", number, c.Name)
	}
	return notPossible("%s has no take %d; add the range of another recording to it first.", c.Name, number)
}

// UseTake lets another take sound in the place of a clip, or of the part of it, and of the pieces that were made of it,
// between two moments of the scene. Blends at its ends are those that it had when it sounded last, as far as there are
// handles; pieces that lie in step with one another become one again.
type UseTake struct {
	Clip   scene.ClipID `json:"clip"`
	Number int          `json:"number"`
	From   int64        `json:"from,omitempty"` // samples of the scene; both 0: the whole clip
	To     int64        `json:"to,omitempty"`
	// in step with these words, where the take as a whole is not: see Take; nil: as it lies
	Shift *int64 `json:"shift,omitempty"`
}

func (e *UseTake) apply(d *draft) error {
	t, c, err := d.open(e.Clip)
	if err != nil {
		return err
	}
	if t.Kind != scene.Sound || c.Takes == nil {
		return noTake(c, e.Number)
	}
	over := pcm.Span{From: e.From, To: e.To}
	if over == (pcm.Span{}) {
		over = c.Span()
	}
	said := scene.Clip{Source: c.Source, In: c.In, Start: c.Start}
	ids := e.pieces(t, over)
	if len(ids) == 0 {
		return noTake(c, e.Number)
	}
	for _, at := range []int64{over.From, over.To} {
		if err := d.cut(d.over([]int{scene.TrackIndex(d.Scene, t.ID)}, at), at); err != nil {
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
func (e *UseTake) pieces(t *scene.Track, over pcm.Span) (ids []scene.ClipID) {
	for i := t.At(over.From); i < len(t.Clips) && t.Clips[i].Start < over.To; i++ {
		x := t.Clips[i].Takes
		if x != nil && (x.Number == e.Number || x.NumberOf(e.Number) >= 0) {
			ids = append(ids, t.Clips[i].ID)
		}
	}
	return ids
}

// turn lets the take sound in the place of one clip; done is false if it does already. Its shift is that against what
// was said where the edit began.
func (e *UseTake) turn(d *draft, t *scene.Track, id scene.ClipID, said scene.Clip) (done bool, err error) {
	i := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.ID == id })
	c := t.Clips[i]
	k := c.Takes.NumberOf(e.Number)
	if k < 0 {
		return false, nil
	}
	if e.Shift != nil && c.Source == said.Source && c.Shift() == said.Shift() {
		own := scene.Takes{Number: c.Takes.Number, Others: slices.Clone(c.Takes.Others)}
		own.Others[k].Shift = *e.Shift
		c.Takes = &own
	}
	next := scene.WithTake(c, k)
	if err := e.reaches(d, t, c, next); err != nil {
		return false, err
	}
	head, tail := t.BlendsOf(id)
	left := slices.IndexFunc(next.Takes.Others, func(x scene.Take) bool { return x.Number == c.Takes.Number })
	to, from := c.Takes.Others[k], &next.Takes.Others[left]
	for _, b := range []struct{ is, was, kept **scene.Blend }{
		{&head, &to.Head, &from.Head}, {&tail, &to.Tail, &from.Tail},
	} {
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
	next.FitFades()
	t.Clips[i] = next
	d.fitBlends(t, id)
	return true, nil
}

// reaches refuses a take that is shorter than what it is to sound in place of, and offers the part that it has.
func (e *UseTake) reaches(d *draft, t *scene.Track, c, next scene.Clip) error {
	has := pcm.Span{To: scene.SourceLength(d.Scene, t, next)}.Add(next.Shift()).Intersect(next.Span())
	if has == next.Span() {
		return nil
	}
	ahead, behind := has.From-next.Start, next.End()-has.To
	var lacks []string
	if ahead > 0 {
		lacks = append(lacks, "begins "+scene.LengthWords(d.Scene, ahead)+" later")
	}
	if behind > 0 {
		lacks = append(lacks, "ends "+scene.LengthWords(d.Scene, behind)+" earlier")
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
func (d *draft) fitBlends(t *scene.Track, id scene.ClipID) {
	i := slices.IndexFunc(t.Clips, func(c scene.Clip) bool { return c.ID == id })
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
			t.DropBlend(left.ID, right.ID)
		}
	}
}

// heal makes one clip of two that touch, show one stretch of one recording, and are alike in all else: pieces of one
// clip whose takes are the same again.
func (d *draft) heal(t *scene.Track) {
	for i := 0; i+1 < len(t.Clips); i++ {
		a, b := &t.Clips[i], t.Clips[i+1]
		if a.Takes == nil || !t.Touches(i) || a.Source != b.Source || a.In+a.Length != b.In || a.Link != b.Link ||
			a.FadeOut.Length > 0 || b.FadeIn.Length > 0 || !alike(*a, b) {
			continue
		}
		t.DropBlend(a.ID, b.ID)
		if _, tail := t.BlendsOf(b.ID); tail != nil {
			tail.Left = a.ID
		}
		a.Length, a.FadeOut, a.AcceptedTail = a.Length+b.Length, b.FadeOut, b.AcceptedTail
		into := a.ID
		t.Clips = slices.Delete(t.Clips, i+1, i+2)
		tailIsNow(d, b.ID, into)
		renamedDucks(d, []scene.ClipID{b.ID}, into)
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
func alike(a, b scene.Clip) bool {
	bare := func(c scene.Clip) scene.Clip {
		c = c.Sounding()
		c.In, c.Length, c.ID, c.FadeIn, c.FadeOut = 0, 0, "", scene.Fade{}, scene.Fade{}
		return c
	}
	takes := func(x *scene.Takes) []scene.Take {
		list := slices.Clone(x.Others)
		for i := range list {
			list[i].Head, list[i].Tail, list[i].Shift = nil, nil, 0
		}
		return list
	}
	return a.Takes != nil && b.Takes != nil && reflect.DeepEqual(bare(a), bare(b)) &&
		reflect.DeepEqual(takes(a.Takes), takes(b.Takes))
}

func (e *UseTake) words(before, after *scene.Scene) string {
	_, c := before.Clip(e.Clip)
	name := c.Name
	if k := c.Takes.NumberOf(e.Number); k >= 0 {
		name = c.Takes.Others[k].Name
	}
	if e.From == 0 && e.To == 0 {
		return fmt.Sprintf("take %d, %s, sounds in place of %s", e.Number, name, c.Name)
	}
	return fmt.Sprintf("take %d sounds from %s to %s", e.Number, before.Timecode(e.From), before.Timecode(e.To))
}
