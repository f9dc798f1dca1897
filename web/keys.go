package web

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
)

// keyFile is the keys as a file, to hand to a colleague.
type keyFile struct {
	Kind     string              `json:"kind"`
	Commands map[string][]string `json:"commands"` // every command's keys
}

const keyFileKind = "blendseam keys 1"

// commands gives the table of commands with the keys that are set.
func (s *Server) commands(r *http.Request) ([]Command, error) {
	set, err := s.Store.Keys(r.Context())
	if err != nil {
		return nil, err
	}
	list := slices.Clone(startSet)
	for i, c := range list {
		if keys, ok := set[c.ID]; ok {
			list[i].Keys = keys
		}
	}
	return list, nil
}

// A keyCommand is a command on the keys screen.
type keyCommand struct {
	Command `tstype:",extends"`
	Start   []string `json:"start"` // its keys in the start set
}

func (s *Server) keysPage(w http.ResponseWriter, r *http.Request) error {
	list, err := s.keyCommands(r)
	if err != nil {
		return err
	}
	return s.page(w, r, "keys", view{Title: "Keys", Data: map[string]any{"commands": list}})
}

func (s *Server) keyCommands(r *http.Request) ([]keyCommand, error) {
	list, err := s.commands(r)
	if err != nil {
		return nil, err
	}
	out := make([]keyCommand, len(list))
	for i, c := range list {
		out[i] = keyCommand{c, startSet[i].Keys}
	}
	return out, nil
}

// setKeys takes the keys of all commands, or of those that are named. A key on two commands, or of a command that there
// is not, is refused and nothing is changed.
func (s *Server) setKeys(w http.ResponseWriter, r *http.Request) error {
	var f keyFile
	err := decode(w, r, &f)
	if err == nil && f.Kind != keyFileKind {
		err = errBadRequest{
			fmt.Errorf("This is not a file of keys of Blend Seam. One is written by \"Keep as a file\" on the keys screen."),
		}
	}
	if err == nil {
		err = s.keepKeys(r, f.Commands)
	}
	return s.keysSet(w, r, err)
}

// keysSet answers with the keys as they are now, and tells all pages.
func (s *Server) keysSet(w http.ResponseWriter, r *http.Request, err error) error {
	var list []keyCommand
	if err == nil {
		list, err = s.keyCommands(r)
	}
	if err != nil {
		return err
	}
	err = s.answer(w, http.StatusOK, list)
	s.Hub.Tell("", "keys", map[string]bool{"changed": true})
	return err
}

func (s *Server) keepKeys(r *http.Request, asked map[string][]string) error {
	list, err := s.commands(r)
	if err != nil {
		return err
	}
	left := maps.Clone(asked)
	owner := map[string]string{}
	set := map[string][]string{}
	for i, c := range list {
		keys := c.Keys
		if to, ok := asked[c.ID]; ok {
			keys = to
			delete(left, c.ID)
		}
		for _, k := range keys {
			if k == "" || len(k) > 40 {
				return errBadRequest{fmt.Errorf("%q is not a key, at %q.", k, c.Words)}
			}
			if other, taken := owner[k]; taken {
				return errBadRequest{
					fmt.Errorf("%s is on two commands, %q and %q. Take it off one of them.", printed(k), other, c.Words),
				}
			}
			owner[k] = c.Words
		}
		if !slices.Equal(keys, startSet[i].Keys) {
			set[c.ID] = keys
		}
	}
	if len(left) > 0 {
		return errBadRequest{
			fmt.Errorf("There is no command %q; the file may be of another version.", slices.Sorted(maps.Keys(left))[0]),
		}
	}
	return s.Store.SetKeys(r.Context(), set)
}

// resetKeys goes back to the start set.
func (s *Server) resetKeys(w http.ResponseWriter, r *http.Request) error {
	return s.keysSet(w, r, s.Store.SetKeys(r.Context(), nil))
}

func (s *Server) keyFile(w http.ResponseWriter, r *http.Request) error {
	list, err := s.commands(r)
	if err != nil {
		return err
	}
	f := keyFile{Kind: keyFileKind, Commands: map[string][]string{}}
	for _, c := range list {
		f.Commands[c.ID] = slices.Concat([]string{}, c.Keys)
	}
	raw, err := json.MarshalIndent(f, "", "  ")
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Disposition", `attachment; filename="blendseam-keys.json"`)
	w.Write(raw)
	return nil
}

// commandList answers with the commands and their keys, for pages that are open while keys change.
func (s *Server) commandList(w http.ResponseWriter, r *http.Request) error {
	list, err := s.commands(r)
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// printed writes a key as it is printed on keyboards.
func printed(k string) string {
	if k == " " {
		return "Space"
	}
	k = strings.NewReplacer("ArrowLeft", "Left", "ArrowRight", "Right", "ArrowUp", "Up", "ArrowDown", "Down").Replace(k)
	if last := k[strings.LastIndex(k, "+")+1:]; len(last) == 1 {
		k = k[:len(k)-1] + strings.ToUpper(last)
	}
	return k
}
