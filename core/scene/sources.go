package scene

import (
	"fmt"
	"strings"
)

// RenameSource gives a recording another name in this scene. Its clips keep theirs, and its file is not touched.
type RenameSource struct {
	Source string `json:"source"`
	Name   string `json:"name"`
}

func (e *RenameSource) apply(d *draft) error {
	src, err := d.openSource(e.Source)
	if err != nil {
		return err
	}
	if strings.TrimSpace(e.Name) == "" {
		return notPossible("The recording %s needs a name of at least one letter.", src.Name)
	}
	if name := shortName(e.Name); name != src.Name || d.replay {
		src.Name = name
	} else {
		return notPossible("The recording is named %s already.", src.Name)
	}
	d.Sources[e.Source] = src
	return nil
}

func (e *RenameSource) words(before, after *Scene) string {
	return fmt.Sprintf("recording %s named %s", before.Sources[e.Source].Name, after.Sources[e.Source].Name)
}
