package edit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
)

// SetDucks says for whose words a track makes way; none takes that off. Of ducks without slopes, all lengths are those
// of NewDuck.
type SetDucks struct {
	Track scene.TrackID `json:"track"`
	Ducks []scene.Duck  `json:"ducks"`
}

// mostDucks is how many ducks a track may have.
const mostDucks = 32

func (e *SetDucks) apply(d *draft) error {
	i := scene.TrackIndex(d.Scene, e.Track)
	switch {
	case i < 0:
		return notPossible("There is no track %q in this scene.", e.Track)
	case d.Tracks[i].Kind != scene.Sound:
		return notPossible("%s is a track of pictures, which makes way for nothing.", d.Tracks[i].Name)
	case len(e.Ducks) > mostDucks:
		return notPossible("A track makes way in at most %d ways, not in %d.", mostDucks, len(e.Ducks))
	}
	if err := d.unlocked(d.Tracks[i]); err != nil {
		return err
	}
	ducks := slices.Clone(e.Ducks)
	for k := range ducks {
		u := &ducks[k]
		if u.Down == 0 && u.Up == 0 {
			usual := scene.NewDuck(d.Scene, u.Under, u.DB)
			usual.Clips, usual.Except = u.Clips, u.Except
			*u = usual
		}
		if err := scene.CheckDuck(d.Scene, d.Tracks[i], u); err != nil {
			return err
		}
		for _, id := range u.Under {
			if t := d.Track(id); t == nil || t.Kind != scene.Sound {
				return notPossible(
					"There is no track %q of sound whose words %s could make way for.",
					id,
					d.Tracks[i].Name,
				)
			}
		}
	}
	d.touch(i).Ducks = ducks
	return nil
}

func (e *SetDucks) words(before, after *scene.Scene) string {
	name := after.Track(e.Track).Name
	if len(e.Ducks) == 0 {
		return name + " does not make way for words any more"
	}
	return fmt.Sprintf("%s makes way for words by %.3g dB", name, e.Ducks[len(e.Ducks)-1].DB)
}

// SetSpeech tells the scene where in recordings there are words.
type SetSpeech struct {
	Words map[string][]pcm.Span `json:"words"` // by source
}

func (e *SetSpeech) apply(d *draft) error {
	if len(e.Words) == 0 {
		return notPossible("No recording is named whose words are told.")
	}
	d.Sources = maps.Clone(d.Sources)
	for _, id := range slices.Sorted(maps.Keys(e.Words)) {
		src, ok := d.Sources[id]
		if !ok {
			return notPossible("The scene has no source %q; bring it in first.", id)
		}
		src.Speech = &scene.Speech{Words: append([]pcm.Span{}, e.Words[id]...)}
		if err := scene.CheckSpeech(src); err != nil {
			return err
		}
		d.Sources[id] = src
	}
	return nil
}

func (e *SetSpeech) words(_, _ *scene.Scene) string {
	return "words of " + phrase.Count(len(e.Words), "recording") + " found"
}

// DuckToLine makes plain level lines of how a track makes way for words: it sounds the same, can be changed by hand,
// and does not follow the words any more.
type DuckToLine struct {
	Track scene.TrackID `json:"track"`
}

func (e *DuckToLine) apply(d *draft) error {
	i := scene.TrackIndex(d.Scene, e.Track)
	switch {
	case i < 0:
		return notPossible("There is no track %q in this scene.", e.Track)
	case len(d.Tracks[i].Ducks) == 0:
		return notPossible("%s makes way for no words; there is nothing to make a line of.", d.Tracks[i].Name)
	}
	if err := d.unlocked(d.Tracks[i]); err != nil {
		return err
	}
	line := scene.DuckLine(d.Scene, d.Tracks[i])
	t := d.touch(i)
	t.Ducks = nil
	for k := range t.Clips {
		c := &t.Clips[k]
		if by := stretchOf(line, c); len(by) > 0 {
			if c.Level = summed(c.Level, by); len(c.Level) > limit.LevelPoints {
				return tooManyPoints(c)
			}
		}
	}
	return nil
}

// stretchOf is the part of a line over the scene's time that lies over a clip, in samples of its recording.
func stretchOf(line []scene.LevelPoint, c *scene.Clip) (list []scene.LevelPoint) {
	if len(line) == 0 {
		return nil
	}
	list = append(list, scene.LevelPoint{At: c.In, DB: scene.LevelAt(line, c.Start)})
	first, _ := slices.BinarySearchFunc(
		line,
		c.Start+1,
		func(p scene.LevelPoint, at int64) int { return cmp.Compare(p.At, at) },
	)
	for _, p := range line[first:] {
		if p.At >= c.End() {
			break
		}
		list = append(list, scene.LevelPoint{At: p.At - c.Start + c.In, DB: p.DB})
	}
	list = append(list, scene.LevelPoint{At: c.In + c.Length, DB: scene.LevelAt(line, c.End())})
	return scene.PlainLine(list)
}

func (e *DuckToLine) words(before, _ *scene.Scene) string {
	return "level lines made of how " + before.Track(e.Track).Name + " makes way for words"
}

// dividedDucks lets ducks make way for a clip that was parted from one that they name.
func dividedDucks(d *draft, of, part scene.ClipID) {
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			if !slices.Contains(t.Ducks[k].Clips, of) {
				continue
			}
			t = touchDucks(d, i)
			t.Ducks[k].Clips = append(slices.Clone(t.Ducks[k].Clips), part)
		}
	}
}

// renamedDucks lets ducks that name some clips name one in their place.
func renamedDucks(d *draft, of []scene.ClipID, now scene.ClipID) {
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			named := t.Ducks[k].Clips
			at := slices.IndexFunc(named, func(id scene.ClipID) bool { return slices.Contains(of, id) })
			if at < 0 {
				continue
			}
			t = touchDucks(d, i)
			named = slices.DeleteFunc(
				slices.Clone(named),
				func(id scene.ClipID) bool { return slices.Contains(of, id) },
			)
			t.Ducks[k].Clips = append(named, now)
		}
	}
}

// movedDucks lets ducks that name a clip go on making way for it on another track, but for one of that track itself.
func movedDucks(d *draft, clip scene.ClipID, to scene.TrackID) {
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			u := &t.Ducks[k]
			if t.ID == to || !slices.Contains(u.Clips, clip) || slices.Contains(u.Under, to) {
				continue
			}
			t = touchDucks(d, i)
			t.Ducks[k].Under = append(slices.Clone(u.Under), to)
		}
	}
}

// touchDucks gives a track whose ducks may be changed.
func touchDucks(d *draft, i int) *scene.Track {
	t := d.touch(i)
	t.Ducks = slices.Clone(t.Ducks)
	return t
}

// moveExceptions moves where ducks never apply along with all that follows a moment.
func moveExceptions(d *draft, from, by int64) {
	for i, t := range d.Tracks {
		for k := range t.Ducks {
			if !slices.ContainsFunc(t.Ducks[k].Except, func(x pcm.Span) bool { return x.From >= from }) {
				continue
			}
			t = touchDucks(d, i)
			t.Ducks[k].Except = slices.Clone(t.Ducks[k].Except)
			for n, x := range t.Ducks[k].Except {
				if x.From >= from {
					t.Ducks[k].Except[n] = x.Add(max(by, -x.From))
				}
			}
		}
	}
}

// forgetTrack takes a track that is gone out of what others make way for.
func forgetTrack(d *draft, id scene.TrackID) {
	for i, t := range d.Tracks {
		if !slices.ContainsFunc(t.Ducks, func(u scene.Duck) bool { return slices.Contains(u.Under, id) }) {
			continue
		}
		t = touchDucks(d, i)
		for k := range t.Ducks {
			under := slices.Clone(t.Ducks[k].Under)
			t.Ducks[k].Under = slices.DeleteFunc(under, func(u scene.TrackID) bool { return u == id })
		}
		t.Ducks = slices.DeleteFunc(t.Ducks, func(u scene.Duck) bool { return len(u.Under) == 0 })
	}
}
