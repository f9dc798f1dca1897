package scene

import (
	"iter"
	"slices"

	"blendseam/core/sound/blend"
)

// A Side is which end of a clip an edge is.
type Side string

// The sides of a clip.
const (
	Head Side = "head"
	Tail Side = "tail"
)

// edge is where a clip's head or tail lies on its track.
func (c Clip) EdgeAt(which Side) int64 {
	if which == Head {
		return c.Start
	}
	return c.End()
}

// Beside is the index of the clip that touches clip i at an edge, -1 if none does.
func (t *Track) Beside(i int, edge Side) int {
	switch {
	case edge == Head && t.Touches(i-1):
		return i - 1
	case edge == Tail && t.Touches(i):
		return i + 1
	}
	return -1
}

// Outermost is the index of the first (for Head) or last (for Tail) clip of a link on a track, -1 if there is none.
func (t *Track) Outermost(link LinkID, edge Side) int {
	of := func(c Clip) bool { return c.Link == link }
	if edge == Head {
		return slices.IndexFunc(t.Clips, of)
	}
	for i, c := range slices.Backward(t.Clips) {
		if of(c) {
			return i
		}
	}
	return -1
}

// WithinHalfAFrame tells whether a difference is less than half a frame.
func WithinHalfAFrame(s *Scene, samples int64) bool {
	half := s.Rate.SampleOf(1, s.SampleRate) / 2
	return samples < half && samples > -half
}

// FramesAt is the length in samples of n frames from frame at on.
func FramesAt(s *Scene, at, n int64) int64 {
	return s.Rate.SampleOf(at+n, s.SampleRate) - s.Rate.SampleOf(at, s.SampleRate)
}

// FitFades shortens fades that no longer fit in their clip.
func (c *Clip) FitFades() {
	c.FadeIn.Length = min(c.FadeIn.Length, c.Length)
	c.FadeOut.Length = min(c.FadeOut.Length, c.Length-c.FadeIn.Length)
}

// An Edge is the tail of Left where Right is "", the head of Right where Left is "", else their cut.
type Edge struct {
	Left  ClipID `json:"left,omitempty"`
	Right ClipID `json:"right,omitempty"`
}

// MovedWords says "6 frames later" or "6 frames earlier".
func MovedWords(s *Scene, by int64) string {
	if by < 0 {
		return LengthWords(s, by) + " earlier"
	}
	return LengthWords(s, by) + " later"
}

// Runs gives the first and the last index of each row of clips of a group that touch one another. A row may be moved
// once it has been given.
func (t *Track) Runs(group []ClipID) iter.Seq2[int, int] {
	return func(yield func(first, last int) bool) {
		for first := 0; first < len(t.Clips); first++ {
			if !slices.Contains(group, t.Clips[first].ID) {
				continue
			}
			last := first
			for last+1 < len(t.Clips) && t.Touches(last) && slices.Contains(group, t.Clips[last+1].ID) {
				last++
			}
			if !yield(first, last) {
				return
			}
			first = last
		}
	}
}

// Plain tells whether a track does nothing as a whole.
func (t *Track) Plain() bool {
	return t.GainDB == 0 && t.Balance == 0 && len(t.Ducks) == 0 && t.Filters == nil && t.Treatments == nil
}

func (t *Track) DropBlend(left, right ClipID) {
	t.Blends = slices.DeleteFunc(t.Blends, func(b Blend) bool { return b.Left == left && b.Right == right })
}

// LostPatches counts the patches that are gone though nobody removed them: their hole is gone, too.
func LostPatches(before, after *Scene) int {
	n := 0
	for i, t := range before.Tracks {
		if i < len(after.Tracks) && after.Tracks[i] == t {
			continue
		}
		for _, c := range t.Clips {
			if c.Fills == nil {
				continue
			}
			if _, now := after.Clip(c.ID); now != nil {
				continue
			}
			if span, ok := after.HoleSpan(*c.Fills); !ok || span.Empty() {
				n++
			}
		}
	}
	return n
}

// has tells whether a blend leads into right or out of left: divided clips keep theirs under new ids.
func (t *Track) HasBlend(left, right ClipID) bool {
	return slices.ContainsFunc(t.Blends, func(b Blend) bool { return b.Left == left || b.Right == right })
}

// take removes a clip from its track and gives it.
func (t *Track) Remove(id ClipID) Clip {
	i := slices.IndexFunc(t.Clips, func(c Clip) bool { return c.ID == id })
	c := t.Clips[i]
	t.Clips = slices.Delete(t.Clips, i, i+1)
	return c
}

// originOf is where the first moment of a clip's source would lie, in samples: equal for clips in sync. Whichever of
// its takes sounds, it is the first that is in sync.
func SyncOrigin(s *Scene, t *Track, c Clip) int64 {
	first := FirstTake(c)
	return s.Time(t, c.Start) - s.Time(t, c.In+first.Shift)
}

// SetBlend puts a blend on its cut, in the place of the one that is there.
func (t *Track) SetBlend(now Blend) {
	if old := t.Blend(now.Left, now.Right); old != nil {
		now.Foreign = old.Foreign
		*old = now
		return
	}
	t.Blends = append(t.Blends, now)
}

// Reach is how far a blend on the cut between two clips can go: before and after the cut, in samples, within
// the handles and up to the neighbouring blends.
func (s *Scene) Reach(t *Track, left, right Clip) (before, after int64) {
	before, _ = s.Handles(t, right)
	_, after = s.Handles(t, left)
	roomLeft, roomRight := left.Length, right.Length
	if b, _ := t.BlendsOf(left.ID); b != nil {
		roomLeft -= b.After
	}
	if _, b := t.BlendsOf(right.ID); b != nil {
		roomRight -= b.Before
	}
	return min(before, roomLeft), min(after, roomRight)
}

// CheckLaw refuses laws and curves that there are none of.
func CheckLaw(law blend.Law, curves ...*blend.Curve) error {
	if !law.Valid() {
		return invalid("%q is not a law; %s are.", law, blend.LawNames(", "))
	}
	for _, c := range curves {
		if c != nil && c.Check() != nil {
			return invalid("%s.", c.Check())
		}
	}
	return nil
}

// How a clip or a piece is placed where others lie.
const (
	Free   = ""       // it needs a gap
	Over   = "over"   // what lies there is taken out
	Insert = "insert" // what lies there is pushed to later
)
