package interchange

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// A Loss is what a format does not carry of one clip.
type Loss struct {
	ID    scene.ClipID `json:"id"`
	Clip  string       `json:"clip"` // its name
	Track string       `json:"track"`
	At    int64        `json:"at"` // where it begins, in samples
	What  []string     `json:"what"`
}

// Words tells a loss in one line.
func (l Loss) Words(s *scene.Scene) string {
	return fmt.Sprintf("%s at %s, %s: %s", l.Clip, s.Timecode(l.At), l.Track, strings.Join(l.What, "; "))
}

// A Tally counts what of a scene a format does not carry, to be told in a few words, and keeps of which clips.
type Tally struct {
	count map[loss]int
	at    *Loss // the clip that is looked at
	each  []Loss
}

// At says of which clip what is added next is.
func (t *Tally) At(s *scene.Scene, x *scene.Track, c *scene.Clip) {
	t.close()
	t.at = &Loss{ID: c.ID, Clip: c.Name, Track: x.Name, At: s.Time(x, c.Start)}
}

// close keeps what the clip that is looked at loses.
func (t *Tally) close() {
	if t.at != nil && len(t.at.What) > 0 {
		t.each = append(t.each, *t.at)
	}
	t.at = nil
}

// Each returns what each clip loses, track by track in order of time.
func (t *Tally) Each() []Loss {
	t.close()
	return t.each
}

// loss is something that so many clips or tracks lose: words have a place for how many.
type loss struct{ words, unit string }

// Add counts one more that loses something, if it has it; unit is what it is: a clip, a track.
func (t *Tally) Add(words, unit string, has bool) {
	if t.count == nil {
		t.count = map[loss]int{}
	}
	if has {
		t.count[loss{words, unit}]++
		if t.at != nil && unit == "clip" {
			t.at.What = append(t.at.What, alone(words))
		}
	}
}

// Track counts what a track does as a whole.
func (t *Tally) Track(x *scene.Track) {
	t.Add("what %s does as a whole: gain, balance, mute, filters, treatments, room, ducking", "track",
		x.GainDB != 0 || x.Balance != 0 || x.Filters != nil || x.Treatments.Does() || x.Room != nil || len(x.Ducks) > 0 ||
			x.Mute || x.Solo)
}

// Clip counts what is done to a clip beside its gain, its level line and its fades.
func (t *Tally) Clip(s *scene.Scene, c *scene.Clip) {
	src := s.Sources[c.Source]
	t.Add("the lulls of %s", "clip", len(c.Lulls) > 0)
	t.Add("the filters or another voice's colour of %s", "clip", c.Filters != nil || c.Like != nil)
	t.Add("the treatments of %s", "clip", c.Treatments.Does())
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

// alone are the words of a loss without how many lose it.
func alone(words string) string {
	for _, gone := range []string{" of %s", "that %s ", "%s of ", "%s, which ", "%s"} {
		words = strings.Replace(words, gone, "", 1)
	}
	return strings.TrimPrefix(words, "the ")
}

// Counted is a number of things in words: one clip, 3 clips.
func Counted(n int, what string) string {
	if n == 1 {
		return "one " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
