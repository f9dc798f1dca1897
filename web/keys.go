package web

import (
	"encoding/json"
	"net/http"

	"blendseam/core/refuse"
	"blendseam/web/commands"
)

// commands gives the table of commands with the keys that are set.
func (s *Server) commands(r *http.Request) ([]commands.Command, error) {
	set, err := s.Store.Keys(r.Context())
	return commands.With(set), err
}

// A keyCommand is a command on the keys screen.
type keyCommand struct {
	commands.Command `tstype:",extends"`
	Start            []string `json:"start"` // its keys in the start set
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
		out[i] = keyCommand{c, commands.Start[i].Keys}
	}
	return out, nil
}

// setKeys takes the keys of all commands, or of those that are named. A key on two commands, or of a command that there
// is not, is refused and nothing is changed.
func (s *Server) setKeys(w http.ResponseWriter, r *http.Request) error {
	var f commands.File
	err := decode(w, r, &f)
	if err == nil && f.Kind != commands.FileKind {
		err = refuse.Errorf(
			"This is not a file of keys of Blend Seam. One is written by \"Keep as a file\" on the keys screen.",
		)
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
	set, err := commands.Set(list, asked)
	if err != nil {
		return refuse.Because(err)
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
	raw, err := json.MarshalIndent(commands.FileOf(list), "", "  ")
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
