package interchange

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// A Tally counts what of a scene a format does not carry, to be told in a few words.
type Tally struct{ count map[loss]int }

// loss is something that so many clips or tracks lose: words have a place for how many.
type loss struct{ words, unit string }

// Add counts one more that loses something, if it has it; unit is what it is: a clip, a track.
func (t *Tally) Add(words, unit string, has bool) {
	if t.count == nil {
		t.count = map[loss]int{}
	}
	if has {
		t.count[loss{words, unit}]++
	}
}

// Track counts what a track does as a whole.
func (t *Tally) Track(x *scene.Track) {
	t.Add("what %s does as a whole: gain, balance, mute, filters, room, ducking", "track",
		x.GainDB != 0 || x.Balance != 0 || x.Filters != nil || x.Room != nil || len(x.Ducks) > 0 || x.Mute || x.Solo)
}

// Clip counts what is done to a clip beside its gain, its level line and its fades.
func (t *Tally) Clip(s *scene.Scene, c *scene.Clip) {
	src := s.Sources[c.Source]
	t.Add("the lulls of %s", "clip", len(c.Lulls) > 0)
	t.Add("the filters or another voice's colour of %s", "clip", c.Filters != nil || c.Like != nil)
	t.Add("the room of %s", "clip", c.Room != nil)
	t.Add("the tone of %s", "clip", src.Tone != nil)
	t.Add("that %s is fitted into another length", "clip", src.Fit != nil)
}

// Rest counts what a scene has beside its tracks.
func (t *Tally) Rest(s *scene.Scene) {
	for range s.Pairs {
		t.Add("%s across two tracks", "blend", true)
	}
	for range s.Markers {
		t.Add("%s", "marker", true)
	}
}

// List is what was counted, in words, clips and tracks first.
func (t *Tally) List() (list []string) {
	all := slices.SortedFunc(maps.Keys(t.count), func(a, b loss) int {
		of := func(l loss) string { return fmt.Sprint(l.unit == "marker" || l.unit == "blend", l.words) }
		return strings.Compare(of(a), of(b))
	})
	for _, l := range all {
		list = append(list, fmt.Sprintf(l.words, Counted(t.count[l], l.unit)))
	}
	return list
}

// Counted is a number of things in words: one clip, 3 clips.
func Counted(n int, what string) string {
	if n == 1 {
		return "one " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
