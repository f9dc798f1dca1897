package edit

import (
	"fmt"
	"strings"

	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
)

// Lead sets by how many frames the sound of a cut, or of a clip's head (no Left) or tail (no Right), is cut earlier
// than its picture; a negative lead trails, 0 makes the cut straight. With More it is so many frames more than it was.
type Lead struct {
	Left   scene.ClipID `json:"left,omitempty"`
	Right  scene.ClipID `json:"right,omitempty"`
	Frames int64        `json:"frames"`
	More   bool         `json:"more,omitempty"`
}

func (e *Lead) apply(d *draft) error {
	for _, id := range []scene.ClipID{e.Left, e.Right} {
		if t, c := d.Clip(id); id != "" && t == nil {
			return notPossible("There is no clip %q in this scene; it may have been removed.", id)
		} else if id != "" && t.Kind == scene.Picture {
			return notPossible("%s is picture; it is the sound that leads or trails.", c.Name)
		}
	}
	if e.Left == "" && e.Right == "" {
		return notPossible("No cut is in hand. Choose a seam, or click a clip's head or tail.")
	}
	if e.Frames > scene.Unbounded/4000 || e.Frames < -scene.Unbounded/4000 {
		return notPossible("A lead of %d frames is outside anything there is.", e.Frames)
	}
	t, at, picture, ok := scene.PictureEdge(d.Scene, scene.Edge{Left: e.Left, Right: e.Right})
	if !ok {
		name := e.Right
		if name == "" {
			name = e.Left
		}
		_, c := d.Clip(name)
		return notPossible(
			"%s has no picture linked at this edge, so its sound cannot lead or trail. Link it to its picture first.",
			c.Name,
		)
	}
	if e.More {
		was := d.Rate.Nearest(picture, d.SampleRate) - d.Rate.Nearest(d.Time(t, at), d.SampleRate)
		e = &Lead{Left: e.Left, Right: e.Right, Frames: was + e.Frames}
	}
	to := d.Rate.SampleOf(d.Rate.Nearest(picture, d.SampleRate)-e.Frames, d.SampleRate)
	one := e.move(d, to)
	try := newDraft(d.Scene)
	try.trial = true
	err := one.apply(try)
	if err == nil {
		return one.apply(d)
	}
	if r, refused := err.(Refusal); refused {
		e.less(d, picture, r)
	}
	return err
}

// move is the edit that brings the sound's edge to a moment: a roll of the cut, or a trim where nothing touches.
func (e *Lead) move(d *draft, to int64) Edit {
	if e.Left != "" && e.Right != "" {
		return &Roll{e.Left, e.Right, to, true}
	}
	if e.Left != "" {
		return &Trim{e.Left, scene.Tail, to, false, true}
	}
	return &Trim{e.Right, scene.Head, to, false, true}
}

// less offers the furthest lead in the same direction that works.
func (e *Lead) less(d *draft, picture int64, r Refusal) {
	*optionsOf(r) = options{}
	if d.trial {
		return
	}
	low, high := int64(0), e.Frames // low works, or is straight
	if high < 0 {
		high = -high
	}
	sign := func(n int64) int64 {
		if e.Frames < 0 {
			return -n
		}
		return n
	}
	works := func(n int64) bool {
		try := newDraft(d.base)
		try.trial = true
		_, err := finish(try, &Lead{Left: e.Left, Right: e.Right, Frames: sign(n)})
		return err == nil
	}
	for high-low > 1 {
		if mid := (low + high) / 2; works(mid) {
			low = mid
		} else {
			high = mid
		}
	}
	if low > 0 {
		d.suggest(optionsOf(r), leadWords(sign(low)), &Lead{Left: e.Left, Right: e.Right, Frames: sign(low)})
	}
	d.suggest(optionsOf(r), leadWords(0), &Lead{Left: e.Left, Right: e.Right})
}

func leadWords(frames int64) string {
	switch {
	case frames == 0:
		return "a straight cut"
	case frames > 0:
		return "sound leads by " + phrase.Count(int(frames), "frame")
	}
	return "sound trails by " + phrase.Count(int(-frames), "frame")
}

func (e *Lead) words(before, after *scene.Scene) string {
	where := ""
	_, left := before.Clip(e.Left)
	_, right := before.Clip(e.Right)
	switch {
	case left != nil && right != nil:
		where = fmt.Sprintf("from %s to %s", left.Name, right.Name)
	case left != nil:
		where = "at the tail of " + left.Name
	case right != nil:
		where = "at the head of " + right.Name
	}
	frames := e.Frames
	if lead, ok := after.LeadAt(scene.Edge{Left: e.Left, Right: e.Right}); ok && e.More {
		frames = after.Rate.Frames(lead, after.SampleRate)
	}
	return leadWords(frames) + " " + where
}

// LeadAll sets the lead of every cut of sound whose picture is cut between two moments. Cuts that cannot have it stay
// as they are.
type LeadAll struct {
	From   int64 `json:"from"`
	To     int64 `json:"to"`
	Frames int64 `json:"frames"`
}

// cuts gives the cuts of sound, between clips that are both linked to picture, whose picture is cut in the range.
func (e *LeadAll) cuts(s *scene.Scene) (list []scene.Edge) {
	for _, t := range s.Tracks {
		if t.Kind != scene.Sound || t.Locked {
			continue
		}
		for i := range t.Clips {
			if !t.Touches(i) {
				continue
			}
			x := scene.Edge{Left: t.Clips[i].ID, Right: t.Clips[i+1].ID}
			_, _, picture, ok := scene.PictureEdge(s, x)
			_, _, _, left := scene.PictureEdge(s, scene.Edge{Left: x.Left})
			if ok && left && picture >= e.From && picture < e.To {
				list = append(list, x)
			}
		}
	}
	return list
}

func (e *LeadAll) apply(d *draft) error {
	cuts := e.cuts(d.Scene)
	if len(cuts) == 0 {
		return notPossible(
			"No cut of sound with picture lies from %s to %s, so there is nothing to lead or trail.",
			d.Timecode(e.From),
			d.Timecode(e.To),
		)
	}
	done := 0
	var first error
	for _, x := range cuts {
		if err := (&Lead{Left: x.Left, Right: x.Right, Frames: e.Frames}).apply(d); err == nil {
			done++
		} else if first == nil {
			first = err
		}
	}
	if done == 0 {
		return first
	}
	return nil
}

func (e *LeadAll) words(before, after *scene.Scene) string {
	done := 0
	var left []string
	for _, x := range e.cuts(before) {
		lead, _ := after.LeadAt(x)
		if scene.WithinHalfAFrame(after, lead-scene.FramesAt(after, 0, e.Frames)) {
			done++
		} else if _, err := Apply(after, &Lead{Left: x.Left, Right: x.Right, Frames: e.Frames}); err != nil {
			left = append(left, err.Error())
		}
	}
	words := fmt.Sprintf("%s: %s", phrase.Count(done, "cut"), leadWords(e.Frames))
	if len(left) > 0 {
		words += fmt.Sprintf("; %d left as it was: %s", len(left), strings.TrimSuffix(strings.Join(left, " "), "."))
		if len(left) > 1 {
			words = strings.Replace(words, "as it was", "as they were", 1)
		}
	}
	return words
}
