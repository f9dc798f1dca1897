package commands

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// A Command is something that can be done in the scene, findable by any of its words.
type Command struct {
	ID    string   `json:"id"`
	Group string   `json:"group"`
	Words string   `json:"words"`
	About string   `json:"about,omitempty"` // more of it, to find it by
	Keys  []string `json:"keys,omitempty"`  // as KeyboardEvent.key gives them, after Ctrl+, Alt+, Shift+
}

// A File is the keys as a file, to hand to a colleague.
type File struct {
	Kind     string              `json:"kind"`
	Commands map[string][]string `json:"commands"` // every command's keys
}

// FileKind is the kind of a File.
const FileKind = "blendseam keys 1"

// With gives the table with the keys of some commands in place of those that they begin with.
func With(set map[string][]string) []Command {
	list := slices.Clone(Start)
	for i, c := range list {
		if keys, ok := set[c.ID]; ok {
			list[i].Keys = keys
		}
	}
	return list
}

// FileOf is a table as a file.
func FileOf(list []Command) File {
	f := File{Kind: FileKind, Commands: map[string][]string{}}
	for _, c := range list {
		f.Commands[c.ID] = slices.Concat([]string{}, c.Keys)
	}
	return f
}

// Set takes keys for all commands of a table, or for those that are named, and gives those that differ from the keys
// that they begin with. A key on two commands, or of a command that there is not, is refused.
func Set(list []Command, asked map[string][]string) (set map[string][]string, err error) {
	left := maps.Clone(asked)
	owner := map[string]string{}
	set = map[string][]string{}
	for i, c := range list {
		keys := c.Keys
		if to, ok := asked[c.ID]; ok {
			keys = to
			delete(left, c.ID)
		}
		for _, k := range keys {
			if k == "" || len(k) > 40 {
				return nil, fmt.Errorf("%q is not a key, at %q.", k, c.Words)
			}
			if other, taken := owner[k]; taken {
				return nil, fmt.Errorf("%s is on two commands, %q and %q. Take it off one of them.", Printed(k), other, c.Words)
			}
			owner[k] = c.Words
		}
		if !slices.Equal(keys, Start[i].Keys) {
			set[c.ID] = keys
		}
	}
	if len(left) > 0 {
		return nil, fmt.Errorf("There is no command %q; the file may be of another version.",
			slices.Sorted(maps.Keys(left))[0])
	}
	return set, nil
}

// Printed writes a key as it is printed on keyboards.
func Printed(k string) string {
	if k == " " {
		return "Space"
	}
	k = strings.NewReplacer("ArrowLeft", "Left", "ArrowRight", "Right", "ArrowUp", "Up", "ArrowDown", "Down").Replace(k)
	if last := k[strings.LastIndex(k, "+")+1:]; len(last) == 1 {
		k = k[:len(k)-1] + strings.ToUpper(last)
	}
	return k
}
