package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/core/merge"
	"blendseam/core/scene"
	"blendseam/interchange"
	"blendseam/media/scenefile"
)

type mergeCmd struct {
	Mine    string   `arg:"" help:"Your version of a scene (${usual})." placeholder:"MINE"`
	With    string   `required:"" help:"The other person's version." placeholder:"THEIRS"`
	From    string   `required:"" help:"The version that both began with." placeholder:"BASE"`
	Out     string   `short:"o" required:"" help:"Scene file to write." placeholder:"OUT"`
	Theirs  []string `help:"Where both touch, take theirs: the numbers in the list, or all." placeholder:"N"`
	Without []int    `help:"Changes of theirs not to take, by their numbers in the list." placeholder:"N"`
	JSON    bool     `name:"json" help:"Print one JSON object."`
}

// mergeChange is a row of the comparison as --json prints it.
type mergeChange struct {
	By       string   `json:"by"` // mine, theirs or both
	AtS      float64  `json:"at_s"`
	AtTC     string   `json:"at_tc"`
	Track    string   `json:"track"`
	Words    []string `json:"words"`
	Conflict int      `json:"conflict"` // its number, 0: none
	Taken    bool     `json:"taken"`
}

type mergeConflict struct {
	Why    string `json:"why"`
	Mine   []int  `json:"mine"` // numbers of changes
	Theirs []int  `json:"theirs"`
	Taken  string `json:"taken"` // mine or theirs
}

func (c *mergeCmd) Run(ctx context.Context) error {
	var list []*scene.Scene
	for _, path := range []string{c.From, c.Mine, c.With} {
		if format, err := interchange.FormatOf(path); err == nil && len(format.Lacks) > 0 {
			return fmt.Errorf("%s does not hold all of a scene; versions are compared as %s", path,
				interchange.DefaultFormat().Extensions[0])
		}
		s, warnings, err := scenefile.ReadOnly(ctx, path)
		if err != nil {
			return err
		}
		warn(warnings)
		if err := relink(s, filepath.Dir(path), filepath.Dir(c.Mine)); err != nil {
			return err
		}
		list = append(list, s)
	}
	found, err := merge.Compare(list[0], list[1], list[2], merge.None)
	if err != nil {
		return fmt.Errorf("%s is no version of %s: %w", c.With, c.Mine, err)
	}
	theirs, without, err := c.chosen(found)
	if err != nil {
		return err
	}
	now, err := found.Scene(theirs, without)
	if err != nil {
		return fmt.Errorf("%s and %s do not go together so: %w", c.Mine, c.With, err)
	}
	if err := writeScene(now, c.Mine, c.Out); err != nil {
		return err
	}
	changes, conflicts := listed(list[1], found, theirs, without)
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(map[string]any{"changes": changes, "conflicts": conflicts})
	}
	say(changes, conflicts)
	fmt.Printf("%s: %d changes, %d places that both touch\n", c.Out, len(changes), len(conflicts))
	return nil
}

// chosen reads which conflicts are theirs, and which of their changes are not wanted.
func (c *mergeCmd) chosen(found *merge.Comparison) (theirs, without map[int]bool, err error) {
	theirs, without = map[int]bool{}, map[int]bool{}
	for _, word := range c.Theirs {
		var n int
		switch _, err := fmt.Sscan(word, &n); {
		case word == "all":
			for i := range found.Conflicts {
				theirs[i] = true
			}
		case err != nil || n < 1 || n > len(found.Conflicts):
			return nil, nil, fmt.Errorf("--theirs: %q is none of the %d places that both touch, and not all", word,
				len(found.Conflicts))
		default:
			theirs[n-1] = true
		}
	}
	for _, n := range c.Without {
		if n < 1 || n > len(found.Rows) || found.Rows[n-1].By != merge.Theirs {
			return nil, nil, fmt.Errorf("--without: change %d is none of theirs; the list has %d changes", n, len(found.Rows))
		}
		without[n-1] = true
	}
	return theirs, without, nil
}

// listed is a comparison with what was chosen.
func listed(s *scene.Scene, found *merge.Comparison, theirs, without map[int]bool) ([]mergeChange, []mergeConflict) {
	changes, conflicts := []mergeChange{}, []mergeConflict{}
	for i, r := range found.Rows {
		ch := mergeChange{By: r.By.String(), AtS: float64(r.At) / float64(s.SampleRate), AtTC: s.Timecode(r.At),
			Words: r.Words, Conflict: r.Conflict + 1, Taken: found.Takes(i, theirs, without)}
		if r.Both {
			ch.By = "both"
		}
		if t := s.Track(r.Track); t != nil {
			ch.Track = t.Name
		}
		changes = append(changes, ch)
	}
	for i, x := range found.Conflicts {
		one := mergeConflict{Why: x.Why, Mine: []int{}, Theirs: []int{}, Taken: "mine"}
		if theirs[i] {
			one.Taken = "theirs"
		}
		for _, n := range x.Mine {
			one.Mine = append(one.Mine, n+1)
		}
		for _, n := range x.Theirs {
			one.Theirs = append(one.Theirs, n+1)
		}
		conflicts = append(conflicts, one)
	}
	return changes, conflicts
}

// say prints a comparison for people.
func say(changes []mergeChange, conflicts []mergeConflict) {
	for i, ch := range changes {
		state := ""
		if ch.Conflict > 0 {
			state = fmt.Sprintf("  [%d]", ch.Conflict)
		}
		if !ch.Taken {
			state += "  not taken"
		}
		fmt.Printf("%3d  %-6s  %s  %s%s\n", i+1, ch.By, ch.AtTC, strings.Join(ch.Words, "; "), state)
	}
	for i, x := range conflicts {
		fmt.Printf("[%d]  %s; %s taken\n", i+1, x.Why, x.Taken)
	}
}
