package ingest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"blendseam/core/scene"
)

// InUse says why a recording cannot be removed.
type InUse struct {
	Name string
	By   []string // "3 clips of Kiln Night"
}

func (e *InUse) Error() string {
	return fmt.Sprintf("%s is used by %s, and stays. Take that out first.", e.Name, strings.Join(e.By, ", "))
}

// Remove takes a recording out of the library, with its files; the file that it was brought in from is not touched. A
// *InUse if a scene has a clip of it, as it is now, or a tone is made from it.
func (in Ingester) Remove(ctx context.Context, id string) error {
	info, err := in.Known(ctx, id)
	if err != nil {
		return err
	}
	used := &InUse{Name: info.Name}
	rows, err := in.Store.Scenes(ctx)
	if err != nil {
		return err
	}
	for _, row := range rows {
		st, err := in.Store.Scene(ctx, row.ID)
		if err != nil {
			return err
		}
		if n := clipsOf(st.Scene, id); n > 0 {
			used.By = append(used.By, fmt.Sprintf("%d %s of %s", n, plural(n, "clip"), st.Scene.Name))
		}
	}
	tones, err := in.Store.Tones(ctx)
	if err != nil {
		return err
	}
	for _, t := range tones {
		if t.Source == id {
			used.By = append(used.By, "the tone "+t.Name)
		}
	}
	if len(used.By) > 0 {
		return used
	}
	gone, err := in.Store.DropSource(ctx, id)
	if err != nil || !gone {
		return err
	}
	return in.Library.Remove(id)
}

// clipsOf counts the clips of a recording: those of sound, or of picture alone, and those of tone that is made from it,
// or whose room is, or that was joined from it or has it as a take; and tracks whose room is.
func clipsOf(s *scene.Scene, id string) (n int) {
	if slices.Contains(scene.NeededAside(s), id) {
		n++
	}
	for _, t := range s.Tracks {
		for _, c := range t.Clips {
			used := scene.Needed(s, &c)
			if slices.Contains(used, id) && (t.Kind == scene.Sound || s.Sources[c.Source].Samples == 0) {
				n++
			}
		}
		if slices.Contains(scene.Recordings(s, t.Needs()...), id) {
			n++
		}
	}
	return n
}

func plural(n int, one string) string {
	if n == 1 {
		return one
	}
	return one + "s"
}
