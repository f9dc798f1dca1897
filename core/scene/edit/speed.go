package edit

import (
	"fmt"
	"math"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/timestretch/timing"
)

// Speed lets a clip, and those that it is linked with, run faster or slower, or backwards; the pitch of sound goes
// along, as on a tape. It begins where it did, and what lies on its sound stays there.
type Speed struct {
	Clip    scene.ClipID `json:"clip"`
	Times   float64      `json:"times"`             // as fast as it was recorded, 1/8 to 8; 1 is its own speed
	Ease    int64        `json:"ease,omitempty"`    // samples of the recording over which the speed goes over at both ends
	Reverse bool         `json:"reverse,omitempty"` // it runs backwards
	Follow  bool         `json:"follow,omitempty"`  // all that follows moves by as much as it becomes longer or shorter
	// Of the clip only what lies from here to there, samples of the scene: it is divided there. Both 0: all of it.
	From int64 `json:"from,omitempty"`
	To   int64 `json:"to,omitempty"`
}

// running is a clip on its way to another speed.
type running struct {
	track *scene.Track
	id    scene.ClipID
	was   timing.Fit
	shown pcm.Span // of its recording, samples
	at    pcm.Span // in the scene, samples
	to    pcm.Span // where it will lie
}

func (e *Speed) apply(d *draft) error {
	if !(e.Times >= 1/timing.MostSpeed && e.Times <= timing.MostSpeed) {
		return notPossible("%g times as fast is not possible; choose a speed from 1/%g to %g.", e.Times,
			timing.MostSpeed, timing.MostSpeed)
	}
	if e.Ease < 0 || e.Ease > scene.Unbounded {
		return notPossible("The speed cannot ease in over %d samples.", e.Ease)
	}
	if e.From != 0 || e.To != 0 {
		own := *e
		var err error
		if own.Clip, err = e.part(d); err != nil {
			return err
		}
		own.From, own.To = 0, 0
		return own.apply(d)
	}
	list, err := e.gather(d)
	if err != nil {
		return err
	}
	whole := list[0].at
	for _, r := range list {
		whole = pcm.Span{From: min(whole.From, r.at.From), To: max(whole.To, r.at.To)}
	}
	end, err := e.places(d, list, whole)
	if err != nil {
		return err
	}
	ids := d.Linked(e.Clip)
	x := stepTo(d.Scene, whole.To, end, ids)
	follow := func() error {
		if !e.Follow || x.samples == 0 {
			return nil
		}
		return d.ripple(whole.To, whole.To, x, ids)
	}
	if x.samples > 0 {
		if err := follow(); err != nil {
			return err
		}
	}
	for _, r := range list {
		if err := e.run(d, r); err != nil {
			return err
		}
	}
	if x.samples < 0 {
		if err := follow(); err != nil {
			return err
		}
	}
	for _, r := range list {
		if err := e.free(d, r.id); err != nil {
			return err
		}
	}
	return nil
}

// part divides the clip, and those that it is linked with, at both ends of the stretch, and gives what lies in it.
func (e *Speed) part(d *draft) (scene.ClipID, error) {
	t, c := d.Clip(e.Clip)
	if c == nil {
		return "", notPossible("There is no clip %q in this scene; it may have been removed.", e.Clip)
	}
	span := pcm.Span{From: e.From, To: e.To}.Intersect(scene.ClipTime(d.Scene, t, *c))
	if span.Empty() {
		return "", notPossible("Nothing of %s lies in that range.", c.Name)
	}
	id := e.Clip
	for _, at := range []int64{span.From, span.To} {
		t, c := d.Clip(id)
		if is := scene.ClipTime(d.Scene, t, *c); at <= is.From || at >= is.To {
			continue
		}
		if err := (&Divide{Clips: []scene.ClipID{id}, At: at}).apply(d); err != nil {
			return "", err
		}
		if at == span.From { // the piece behind it is the one that is meant
			t, c = d.Clip(id)
			i := slices.IndexFunc(t.Clips, func(x scene.Clip) bool { return x.Start == c.End() })
			id = t.Clips[i].ID
		}
	}
	return id, nil
}

// gather finds the clips, which must be such as can run at another speed.
func (e *Speed) gather(d *draft) (list []running, err error) {
	for _, id := range d.Linked(e.Clip) {
		t, c, err := d.open(id)
		if err != nil {
			return nil, err
		}
		switch src := d.Sources[c.Source]; {
		case src.Tone != nil:
			return nil, notPossible("%s is room tone, which has no speed; trim it.", c.Name)
		case src.Unknown:
			return nil, notPossible("%s is missing; link its recording first.", src.Name)
		case c.Room != nil:
			r := notPossible("%s was brought to another room, which would run at another speed as well.", c.Name)
			d.suggest(&r.options, "take its room off", &SetRoom{Clips: map[scene.ClipID]int{id: -1}})
			return nil, r
		case c.Takes != nil:
			return nil, notPossible("%s has other takes under it, which would not stay in step. Keep one take first.", c.Name)
		}
		at := scene.ClipTime(d.Scene, t, *c)
		list = append(list, running{t, id, scene.FitOf(d.Scene, c.Source), scene.ShownSpan(d.Scene, t, c), at, pcm.Span{}})
	}
	return list, nil
}

// places finds where the clips will lie, and where the last of them ends then.
func (e *Speed) places(d *draft, list []running, whole pcm.Span) (end int64, err error) {
	picture := anyPicture(d.Scene, d.Linked(e.Clip))
	moment := func(at int64) int64 {
		if picture {
			return d.Rate.SampleOf(d.Rate.Nearest(at, d.SampleRate), d.SampleRate)
		}
		return at
	}
	for i := range list {
		r := &list[i]
		if e.Ease > 0 && r.at != whole {
			return 0, notPossible("The speed eases only where picture and sound begin and end together. " +
				"Give them a straight cut first, or leave the ease out.")
		}
		by := float64(r.shown.Len()) / float64(r.at.Len()) / e.Times // what a sample takes of what it took
		scaled := func(at int64) int64 { return whole.From + int64(math.Round(float64(at-whole.From)*by)) }
		r.to = pcm.Span{From: scaled(r.at.From), To: scaled(r.at.To)}
		if e.Reverse != (r.was.Reversed > 0) { // what began first ends last
			r.to = pcm.Span{From: scaled(whole.From + whole.To - r.at.To), To: scaled(whole.From + whole.To - r.at.From)}
		}
		if r.track.Kind == scene.Picture || picture && r.at == whole {
			r.to = pcm.Span{From: moment(r.to.From), To: moment(r.to.To)}
		}
		if r.to.Len() < 1 {
			_, c := d.Clip(r.id)
			return 0, notPossible("Nothing would be left of %s.", c.Name)
		}
		end = max(end, r.to.To)
	}
	return end, nil
}

// run gives one clip its speed.
func (e *Speed) run(d *draft, r running) error {
	t, c, err := d.open(r.id)
	if err != nil {
		return err
	}
	of := d.Sources[r.was.Of]
	turned := r.was
	turned.Reversed = 0
	if e.Reverse {
		turned.Reversed = of.Samples
		if of.Frames > 0 { // of picture as well, so that both turn round on a frame
			frames := max(of.Frames, d.Rate.FrameOf(max(0, of.Samples-1), d.SampleRate)+1)
			turned.Reversed = d.Rate.SampleOf(frames, d.SampleRate)
		}
	}
	parts := []timing.Part{{From: r.shown.From, To: r.shown.To, Length: r.to.Len(), Kind: timing.Tape, Ease: e.Ease}}
	now := turned.With(r.shown, parts)
	next, err := bringFit(d, now)
	if err != nil {
		return err
	}
	if next.ID == c.Source && !d.replay {
		return notPossible("%s runs at that speed already.", c.Name)
	}
	is := now.ForwardSpan(r.shown)
	c.Source, c.In, c.Start = next.ID, d.Unit(t, is.From), d.Unit(t, r.to.From)
	c.Length = d.Unit(t, r.to.To) - c.Start
	c.In = max(0, min(c.In, scene.SourceLength(d.Scene, t, *c)-c.Length))
	c.Onto(func(at int64) int64 { return now.Forward(r.was.Back(at)) })
	c.FitFades()
	slices.SortFunc(t.Clips, func(a, b scene.Clip) int { return int(max(-1, min(1, a.Start-b.Start))) })
	d.fitBlends(t, r.id)
	return nil
}

// free refuses clips that would lie over others.
func (e *Speed) free(d *draft, id scene.ClipID) error {
	t, c := d.Clip(id)
	i := slices.IndexFunc(t.Clips, func(x scene.Clip) bool { return x.ID == id })
	for _, k := range []int{i - 1, i + 1} {
		if k < 0 || k >= len(t.Clips) || !t.Clips[k].Span().Overlaps(c.Span()) {
			continue
		}
		r := inTheWay(d.Scene, t, *c, t.Clips[k], d.Time(t, c.Span().Intersect(t.Clips[k].Span()).Len()))
		if !e.Follow {
			own := *e
			own.Follow = true
			d.suggest(&r.options, "let all that follows move along", &own)
		}
		return r
	}
	return nil
}

func (e *Speed) words(before, after *scene.Scene) string {
	t, was := before.Clip(e.Clip)
	_, is := after.Clip(e.Clip)
	words := was.Name + " runs "
	switch {
	case e.Times == 1 && e.Reverse:
		words += "backwards"
	case e.Times == 1:
		words += "at its own speed again"
	case e.Reverse:
		words += fmt.Sprintf("backwards at %.3g times its speed", e.Times)
	default:
		words += fmt.Sprintf("at %.3g times its speed", e.Times)
	}
	if e.From != 0 || e.To != 0 {
		return words + fmt.Sprintf(" from %s to %s", before.Timecode(e.From), before.Timecode(e.To))
	}
	if by := before.Time(t, is.Length) - before.Time(t, was.Length); by != 0 {
		words += ", " + scene.LengthWords(before, abs(by)) + phrase.Either(by > 0, " longer", " shorter")
	}
	return words
}
