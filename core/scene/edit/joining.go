package edit

import (
	"cmp"
	"reflect"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
)

// A Joining is a plan of how clips become one recording.
type Joining struct {
	Span   pcm.Span // where they lie, in samples of the scene
	Head   int64    // samples of handle before and behind it
	Tail   int64
	Track  scene.TrackID // that the joined clip will lie on; "": a new one
	Single bool          // all clips are of Track: what that does as a whole is done to the joined clip, too
	Parts  []scene.ClipID
	Mono   bool
	// Scene is to be rendered, with nothing but Parts heard, from Span.From-Head to Span.To+Tail; what tracks make way
	// for is that of Whole.
	Scene, Whole *scene.Scene

	fadeIn, fadeOut scene.Fade // that go on to the joined clip
}

// Sounding is the stretch of Scene that the recording holds.
func (j *Joining) Sounding() pcm.Span {
	return pcm.Span{From: j.Span.From - j.Head, To: j.Span.To + j.Tail}
}

// Names are the names of the recordings that the clips show, each once.
func (j *Joining) Names() (list []string) {
	for _, id := range j.Parts {
		_, c := j.Scene.Clip(id)
		if name := j.Scene.Sources[c.Source].Name; !slices.Contains(list, name) {
			list = append(list, name)
		}
	}
	return list
}

// Same tells whether two plans give the same recording.
func (j *Joining) Same(o *Joining) bool {
	if j.Sounding() != o.Sounding() || j.Mono != o.Mono || !slices.Equal(j.Parts, o.Parts) {
		return false
	}
	all := func(j *Joining) (tracks []*scene.Track, lines [][]scene.LevelPoint) {
		room := slices.ContainsFunc(j.Scene.Tracks, func(t *scene.Track) bool { return t.Room != nil && j.HasOf(t) })
		for _, t := range j.Scene.Tracks {
			if j.HasOf(t) && !j.Single {
				lines = append(lines, scene.DuckLine(j.Whole, t))
			}
			if j.HasOf(t) || room {
				tracks = append(tracks, t)
			}
		}
		return tracks, lines
	}
	tracks, lines := all(j)
	now, then := all(o)
	return reflect.DeepEqual(tracks, now) && reflect.DeepEqual(lines, then) &&
		reflect.DeepEqual(j.Scene.Pairs, o.Scene.Pairs)
}

// Has tells whether a clip is one of those that are joined.
func (j *Joining) Has(id scene.ClipID) bool { return slices.Contains(j.Parts, id) }

// HasOf tells whether any clip of a track is joined.
func (j *Joining) HasOf(t *scene.Track) bool {
	return slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return j.Has(c.ID) })
}

// Channels is how many channels the recording has.
func (j *Joining) Channels() int {
	if j.Mono {
		return 1
	}
	return j.Scene.Channels
}

// joinEnd is one end of what is joined: the clips whose edge it is.
type joinEnd struct {
	side   scene.Side
	border []*scene.Clip
	tracks []*scene.Track
	handle int64
	fade   scene.Fade // goes on to the joined clip
}

// PlanJoin says how clips of sound become one recording, or in a Refusal why they cannot. Fades at the outer ends, and
// blends and pairs with clips outside, go on to the joined clip where nothing else sounds under them; else fades become
// part of the sound, and that end has no handle.
func PlanJoin(s *scene.Scene, clips []scene.ClipID) (*Joining, error) {
	j := &Joining{Mono: true, Whole: s}
	in, err := j.gather(s, clips)
	if err != nil {
		return nil, err
	}
	if err := j.target(s, in); err != nil {
		return nil, err
	}
	head, tail := j.end(s, in, scene.Head), j.end(s, in, scene.Tail)
	for _, e := range []*joinEnd{&head, &tail} {
		if err := j.outside(s, in, e); err != nil {
			return nil, err
		}
	}
	j.Head, j.Tail, j.fadeIn, j.fadeOut = head.handle, tail.handle, head.fade, tail.fade
	j.Scene = j.rendered(s, in, head, tail)
	return j, nil
}

// gather finds the clips and where they lie.
func (j *Joining) gather(s *scene.Scene, clips []scene.ClipID) (in map[scene.ClipID]bool, err error) {
	if len(clips) == 0 {
		return nil, notPossible("Take the clips in hand that are to be joined.")
	}
	in, j.Span = map[scene.ClipID]bool{}, pcm.Span{From: scene.Unbounded}
	var names []string
	for _, id := range clips {
		t, c := s.Clip(id)
		switch {
		case c == nil:
			return nil, notPossible("There is no clip %q in this scene; it may have been removed.", id)
		case t.Kind != scene.Sound:
			return nil, notPossible("%s is picture; sound alone is joined.", c.Name)
		}
		in[id] = true
	}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			if !in[c.ID] {
				continue
			}
			j.Parts = append(j.Parts, c.ID)
			j.Span = pcm.Span{From: min(j.Span.From, c.Start), To: max(j.Span.To, c.End())}
			j.Mono = j.Mono && s.Sources[c.Source].Channels == 1
			names = append(names, c.Name)
		}
	}
	if j.Span.Len() > limit.JoinHours*3600*s.SampleRate {
		return nil, notPossible("From %s to %s it would be longer than %d hours; join fewer clips at once.",
			names[0], names[len(names)-1], limit.JoinHours)
	}
	return in, nil
}

// target finds the track for the joined clip: that of the clips or, if they are of several, the first of them that does
// nothing as a whole and is free there; those of dialogue first, which others' rooms are behind.
func (j *Joining) target(s *scene.Scene, in map[scene.ClipID]bool) error {
	var of []*scene.Track
	for _, t := range s.Tracks {
		if slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return in[c.ID] }) {
			of = append(of, t)
		}
	}
	between := func(t *scene.Track) *scene.Clip {
		for i := t.At(j.Span.From); i < len(t.Clips) && t.Clips[i].Start < j.Span.To; i++ {
			if !in[t.Clips[i].ID] {
				return &t.Clips[i]
			}
		}
		return nil
	}
	if len(of) == 1 {
		j.Track, j.Single = of[0].ID, true
		if c := between(of[0]); c != nil {
			return notPossible(
				"%s lies between the clips that are to be joined; take it in hand, too, or remove it.",
				c.Name,
			)
		}
		return nil
	}
	for _, t := range of {
		if t.Treatments.Does() {
			r := notPossible(
				"Track %s is treated as a whole, as the sum of its clips. Join clips of that track alone.",
				t.Name,
			)
			newDraft(s).suggest(&r.options, "take its treatments off", &SetTreatments{Tracks: []scene.TrackID{t.ID}})
			return r
		}
	}
	j.Mono = false
	slices.SortStableFunc(of, func(a, b *scene.Track) int {
		return cmp.Compare(
			phrase.Either(a.Purpose == scene.ForDialogue, "", "x"),
			phrase.Either(b.Purpose == scene.ForDialogue, "", "x"),
		)
	})
	for _, t := range of {
		if t.Plain() && !t.Mute && between(t) == nil {
			j.Track = t.ID
			return nil
		}
	}
	return nil
}

// end finds the clips at one end, and what handle they share.
func (j *Joining) end(s *scene.Scene, in map[scene.ClipID]bool, side scene.Side) joinEnd {
	e := joinEnd{side: side, handle: limit.JoinHandleS * s.SampleRate}
	at := j.Span.From
	if side == scene.Tail {
		at = j.Span.To
	}
	for _, t := range s.Tracks {
		for i := range t.Clips {
			c := &t.Clips[i]
			if !in[c.ID] || c.EdgeAt(side) != at {
				continue
			}
			head, tail := s.Handles(t, *c)
			if side == scene.Tail {
				head = tail
			}
			e.border, e.tracks, e.handle = append(e.border, c), append(e.tracks, t), min(e.handle, head)
		}
	}
	return e
}

// outside looks at what lies over the ends of clips: at those of the whole fades, and blends and pairs with clips that
// are not joined, which no other clip may have.
func (j *Joining) outside(s *scene.Scene, in map[scene.ClipID]bool, e *joinEnd) error {
	for _, t := range s.Tracks {
		for i := range t.Clips {
			c := &t.Clips[i]
			if !in[c.ID] {
				continue
			}
			other, reach := goesOver(s, t, c, e.side)
			border := slices.Contains(e.border, c)
			fade := c.FadeIn
			if e.side == scene.Tail {
				fade = c.FadeOut
			}
			blended := reach != fade.Length
			switch on, o := s.Clip(other); {
			case o == nil && (fade.Length == 0 || !border), o != nil && in[other]:
			case border && len(e.border) == 1 && (o == nil || (on == t) == (t.ID == j.Track)) &&
				j.alone(s, t, c, in, e.side, reach):
				if !blended {
					e.fade = fade
				}
			case o == nil:
				e.handle = 0 // the fade is part of the sound
			default:
				return notPossible(
					"%s goes over into %s, which is not to be joined. Take that in hand, too, or take off what blends them.",
					c.Name,
					o.Name,
				)
			}
		}
	}
	return nil
}

// goesOver gives the clip that one goes over into at an edge, by a blend or a pair, "" if none; and how far from the
// edge on its gain changes.
func goesOver(s *scene.Scene, t *scene.Track, c *scene.Clip, side scene.Side) (other scene.ClipID, reach int64) {
	head, tail := t.BlendsOf(c.ID)
	pair := s.PairAt(c.ID, side == scene.Tail)
	switch {
	case side == scene.Head && head != nil:
		return head.Left, head.After
	case side == scene.Tail && tail != nil:
		return tail.Right, tail.Before
	case side == scene.Head && pair != nil:
		return pair.Out, c.FadeIn.Length
	case pair != nil:
		return pair.In, c.FadeOut.Length
	case side == scene.Head:
		return "", c.FadeIn.Length
	}
	return "", c.FadeOut.Length
}

// alone tells whether of all that is joined only a clip sounds for so long from its end on, without lulls or blends,
// so that a fade there can be done afterwards.
func (j *Joining) alone(
	s *scene.Scene,
	t *scene.Track,
	c *scene.Clip,
	in map[scene.ClipID]bool,
	side scene.Side,
	reach int64,
) bool {
	over := pcm.Span{From: c.Start, To: c.Start + reach}
	if side == scene.Tail {
		over = pcm.Span{From: c.End() - reach, To: c.End()}
	}
	for _, o := range s.Tracks {
		for i := range o.Clips {
			if x := &o.Clips[i]; in[x.ID] && x.ID != c.ID && x.Span().Overlaps(over) {
				return false
			}
		}
	}
	_, inner := goesOver(s, t, c, opposite(side))
	if inner+reach > c.Length {
		return false
	}
	lulled := func(l scene.Lull) bool { return !l.Off && c.LullSpan(l).Overlaps(over) }
	return t.Room == nil || !slices.ContainsFunc(c.Lulls, lulled)
}

// rendered is the scene as it is to be rendered: the ends go on into their handles, without what goes on to the joined
// clip.
func (j *Joining) rendered(s *scene.Scene, in map[scene.ClipID]bool, head, tail joinEnd) *scene.Scene {
	d := newDraft(s)
	for i, t := range d.Tracks {
		if !slices.ContainsFunc(t.Clips, func(c scene.Clip) bool { return in[c.ID] }) {
			continue
		}
		t = d.touch(i)
		t.Solo = false
		if j.Single {
			t.Mute, t.GainDB, t.Balance, t.Filters, t.Treatments = false, 0, 0, nil, nil
		}
		t.Clips = slices.DeleteFunc(t.Clips, func(c scene.Clip) bool { return !in[c.ID] && !c.Span().Overlaps(j.Span) })
		t.Blends = slices.DeleteFunc(t.Blends, func(b scene.Blend) bool { return !in[b.Left] || !in[b.Right] })
	}
	for _, c := range head.border {
		_, c := d.Clip(c.ID)
		if c.In, c.Start, c.Length = c.In-j.Head, c.Start-j.Head, c.Length+j.Head; head.handle > 0 ||
			head.fade.Length > 0 {
			c.FadeIn = scene.Fade{}
		}
	}
	for _, c := range tail.border {
		_, c := d.Clip(c.ID)
		if c.Length += j.Tail; tail.handle > 0 || tail.fade.Length > 0 {
			c.FadeOut = scene.Fade{}
		}
	}
	d.Pairs = slices.DeleteFunc(slices.Clone(s.Pairs), func(p scene.Pair) bool { return !in[p.In] || !in[p.Out] })
	return d.Scene
}
