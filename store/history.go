package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"blendseam/core/limit"
	"blendseam/core/scene"
)

// A Past is one edit of a scene, done, undone or left aside.
type Past struct {
	Node  int64     `json:"node"` // of the state after it; 0 is the scene as it began
	Words string    `json:"words"`
	At    time.Time `json:"at"`
	Who   string    `json:"who,omitempty"` // by name, "" where nobody has an account
	Where string    `json:"where"`         // "done", "undone" (redo does it again), "aside" (another edit was made)
}

// asItBegan is what the state before all edits is called.
const asItBegan = "the scene as it began"

// History gives every edit of a scene in the order they were made, and the node that the scene is at.
func (s *Store) History(ctx context.Context, id string) (list []Past, now int64, err error) {
	h, done, err := s.open(ctx, id)
	if err != nil {
		return nil, 0, err
	}
	defer done()
	where := map[int64]string{}
	for n := h.node; n != 0; n = h.parent[n] {
		where[n] = "done"
	}
	for _, n := range h.redo {
		where[n] = "undone"
	}
	begun := Past{Words: asItBegan, Where: "done"}
	if err := s.db.QueryRowContext(ctx, "SELECT made FROM scenes WHERE id = ?", id).Scan(&begun.At); err != nil {
		return nil, 0, plain(err)
	}
	list = []Past{begun}
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT node, words, at, who FROM edits WHERE scene = ? AND op = 'edit' AND seq <= ? ORDER BY seq",
		id,
		h.revision,
	)
	if err != nil {
		return nil, 0, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		p := Past{Where: "aside"}
		if err := rows.Scan(&p.Node, &p.Words, &p.At, &p.Who); err != nil {
			return nil, 0, plain(err)
		}
		if w := where[p.Node]; w != "" {
			p.Where = w
		}
		list = append(list, p)
	}
	return list, h.node, plain(rows.Err())
}

// Go brings a scene to any of its states, by the node; words say why, "" names the edit gone to. Undo and redo go on
// from there. ErrNotFound says that there is no such state.
func (s *Store) Go(ctx context.Context, id string, expected, node int64, words string) (Change, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, err
	}
	defer done()
	if _, ok := h.parent[node]; !ok && node != 0 {
		return Change{}, ErrNotFound
	}
	if words == "" {
		words = "gone to: " + cmp.Or(h.words[node], asItBegan)
	}
	words = limit.Told(words)
	before, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return Change{}, err
	}
	return s.goTo(ctx, id, h, before, newRow(ctx, "go", node, h.node, nil, words))
}

// goTo writes a row that moves to a state that is there.
func (s *Store) goTo(ctx context.Context, id string, h *history, before *scene.Scene, r row) (Change, error) {
	after, err := s.at(ctx, id, h, r.node)
	if err != nil {
		return Change{}, err
	}
	seq := h.revision + 1
	if err := s.append(ctx, id, h.revision, r, after); err != nil {
		return Change{}, err
	}
	h.note(seq, r.op, r.node, r.parent, r.words, r.by)
	st, err := s.state(ctx, id, h)
	return Change{before, st, r.words}, err
}

// went takes a move from one node to another into what redo would do.
func (h *history) went(from, to int64) {
	if i := slices.Index(h.redo, to); i >= 0 {
		h.redo = h.redo[:i]
		return
	}
	var undone []int64
	for n := from; n != to; n = h.parent[n] {
		if n == 0 { // it is not an ancestor
			h.redo = nil
			return
		}
		undone = append(undone, n)
	}
	h.redo = append(h.redo, undone...)
}

// A Version is a state of a scene under a name.
type Version struct {
	Name string    `json:"name"`
	Node int64     `json:"node"`
	Made time.Time `json:"made"`
}

// KeepVersion gives the scene's present state a name; a version of that name is replaced.
func (s *Store) KeepVersion(ctx context.Context, id, name string) error {
	name = strings.TrimSpace(name)
	if name == "" || len([]rune(name)) > 120 {
		return ErrBadName
	}
	r, err := s.exec(
		ctx,
		"REPLACE INTO versions (scene, name, node, made) SELECT id, ?, node, UTC_TIMESTAMP(3) FROM scenes WHERE id = ?",
		name,
		id,
	)
	if err != nil {
		return plain(err)
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// ErrBadName says that a version's name is empty or too long.
var ErrBadName = fmt.Errorf("A version needs a name of 1 to 120 letters.")

// DropVersion forgets a name; the state stays.
func (s *Store) DropVersion(ctx context.Context, id, name string) error {
	r, err := s.exec(ctx, "DELETE FROM versions WHERE scene = ? AND name = ?", id, name)
	if err != nil {
		return plain(err)
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// Versions lists a scene's named versions, the newest first.
func (s *Store) Versions(ctx context.Context, id string) ([]Version, error) {
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT name, node, made FROM versions WHERE scene = ? ORDER BY made DESC, name",
		id,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Version{}
	for rows.Next() {
		var v Version
		if err := rows.Scan(&v.Name, &v.Node, &v.Made); err != nil {
			return nil, plain(err)
		}
		list = append(list, v)
	}
	return list, plain(rows.Err())
}

// At gives a scene as it was at a node.
func (s *Store) At(ctx context.Context, id string, node int64) (*scene.Scene, error) {
	h, done, err := s.open(ctx, id)
	if err != nil {
		return nil, err
	}
	defer done()
	if _, ok := h.parent[node]; !ok && node != 0 {
		return nil, ErrNotFound
	}
	return s.at(ctx, id, h, node)
}

// Keys gives the keys of the caller's commands that differ from the start set.
func (s *Store) Keys(ctx context.Context) (map[string][]string, error) {
	account, _ := who(ctx)
	rows, err := s.db.QueryContext(ctx, "SELECT command, pressed_keys FROM command_keys WHERE account = ?", account)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	set := map[string][]string{}
	for rows.Next() {
		var command string
		var raw []byte
		if err := rows.Scan(&command, &raw); err != nil {
			return nil, plain(err)
		}
		var keys []string
		if err := json.Unmarshal(raw, &keys); err != nil {
			return nil, err
		}
		set[command] = keys
	}
	return set, plain(rows.Err())
}

// SetKeys keeps the keys of the caller's commands that differ from the start set, in place of those kept before.
func (s *Store) SetKeys(ctx context.Context, set map[string][]string) error {
	account, _ := who(ctx)
	return plain(s.inTransaction(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM command_keys WHERE account = ?", account); err != nil {
			return err
		}
		for command, keys := range set {
			raw, err := json.Marshal(slices.Concat([]string{}, keys))
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(
				ctx,
				"INSERT INTO command_keys (account, command, pressed_keys) VALUES (?, ?, ?)",
				account,
				command,
				string(raw),
			); err != nil {
				return err
			}
		}
		return nil
	}))
}
