package edit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// SetStretch marks a stretch of a source by name, or changes the one that has the name.
type SetStretch struct {
	Source string `json:"source"`
	Was    string `json:"was,omitempty"` // the name it had, if it is renamed
	Name   string `json:"name"`
	From   int64  `json:"from"`
	To     int64  `json:"to"`
}

func (e *SetStretch) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	if strings.TrimSpace(e.Name) == "" {
		return notPossible("A stretch of %s needs a name of at least one letter.", src.Name)
	}
	length := sourceSamples(d.Scene, src)
	if e.From < 0 || e.To <= e.From || e.To > length {
		return notPossible(
			"The stretch %s of %s must lie in the recording, which is %s long, its in point before its out point.",
			e.Name,
			src.Name,
			scene.LengthWords(d.Scene, length),
		)
	}
	was := e.Was
	if was == "" {
		was = e.Name
	}
	list := slices.DeleteFunc(slices.Clone(src.Stretches), func(x scene.Stretch) bool { return x.Name == was })
	if slices.ContainsFunc(list, func(x scene.Stretch) bool { return x.Name == shortName(e.Name) }) {
		return notPossible("%s has a stretch named %s already; take another name.", src.Name, e.Name)
	}
	src.Stretches = append(list, scene.Stretch{Name: shortName(e.Name), From: e.From, To: e.To})
	slices.SortStableFunc(src.Stretches, func(a, b scene.Stretch) int { return cmp.Compare(a.From, b.From) })
	d.Sources[e.Source] = src
	return nil
}

func (e *SetStretch) words(before, after *scene.Scene) string {
	return fmt.Sprintf(
		"stretch %s of %s marked, %s",
		e.Name,
		after.Sources[e.Source].Name,
		scene.LengthWords(after, e.To-e.From),
	)
}

// DropStretch takes the mark of a stretch off. Clips of it stay.
type DropStretch struct {
	Source string `json:"source"`
	Name   string `json:"name"`
}

func (e *DropStretch) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	list := slices.DeleteFunc(slices.Clone(src.Stretches), func(x scene.Stretch) bool { return x.Name == e.Name })
	if len(list) == len(src.Stretches) {
		return notPossible("%s has no stretch named %s.", src.Name, e.Name)
	}
	src.Stretches = list
	d.Sources[e.Source] = src
	return nil
}

func (e *DropStretch) words(before, after *scene.Scene) string {
	return fmt.Sprintf("stretch %s of %s unmarked", e.Name, after.Sources[e.Source].Name)
}

// openSource gives a source and makes the scene's own table of them.
func (d *draft) openSource(id string) (scene.Source, error) {
	src, ok := d.Sources[id]
	if !ok {
		return src, notPossible("The scene has no source %q; bring it in first.", id)
	}
	d.Sources = maps.Clone(d.Sources)
	return src, nil
}

// sourceSamples is a source's length in samples: of its sound, else of its picture.
func sourceSamples(s *scene.Scene, src scene.Source) int64 {
	switch {
	case src.Unknown:
		return scene.Unbounded
	case src.Samples > 0:
		return src.Samples
	}
	return s.Rate.SampleOf(src.Frames, s.SampleRate)
}
