package store

import (
	"context"
	"fmt"

	"blendseam/core/limit"
	"blendseam/core/merge"
	"blendseam/core/scene"
)

// Undo goes back to before the last edit that is not yet undone; Redo takes the last undo back. Both are kept
// as edits are. ok is false if there is nothing to undo or redo.
func (s *Store) Undo(ctx context.Context, id string, expected int64) (Change, bool, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, false, err
	}
	defer done()
	return s.undo(ctx, id, h)
}

// Redo takes the last undo back; see Undo.
func (s *Store) Redo(ctx context.Context, id string, expected int64) (Change, bool, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, false, err
	}
	defer done()
	return s.redo(ctx, id, h)
}

func (s *Store) undo(ctx context.Context, id string, h *history) (Change, bool, error) {
	if h.node == 0 {
		return Change{}, false, nil
	}
	return s.travel(ctx, id, h, "undo", h.parent[h.node], "undone: "+h.words[h.node])
}

func (s *Store) redo(ctx context.Context, id string, h *history) (Change, bool, error) {
	if len(h.redo) == 0 {
		return Change{}, false, nil
	}
	to := h.redo[len(h.redo)-1]
	return s.travel(ctx, id, h, "redo", to, "done again: "+h.words[to])
}

func (s *Store) travel(ctx context.Context, id string, h *history, op string, to int64, words string) (
	Change, bool, error,
) {
	before, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return Change{}, false, err
	}
	c, err := s.goTo(ctx, id, h, before, newRow(ctx, op, to, h.node, nil, limit.Told(words)))
	return c, err == nil, err
}

// Entangled says that an edit cannot be taken back alone, as what others did since goes with it.
type Entangled struct {
	Words string // the edit
	Since []Entry
	Why   string
}

func (e *Entangled) Error() string {
	last := e.Since[len(e.Since)-1]
	return fmt.Sprintf("Your last edit (%s) cannot be taken back alone: what was done since touches the same (%s). "+
		"Take back the scene's last edit instead, which is %s's: %s.", e.Words, e.Why, last.Who, last.Words)
}

// NoneOfMine says that there is nothing of the caller's to take back.
type NoneOfMine struct{ Last Entry }

func (e *NoneOfMine) Error() string {
	return fmt.Sprintf("You did nothing here that can be taken back. The scene's last edit is %s's: %s.",
		e.Last.Who, e.Last.Words)
}

// UndoMine takes the caller's last edit back, and leaves what others did since: by undo where nobody did anything, else
// by an edit that does away with what the caller's did. The error is *Entangled where the two do not come apart,
// *NoneOfMine if the caller did nothing.
func (s *Store) UndoMine(ctx context.Context, id string, expected int64) (Change, bool, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, false, err
	}
	defer done()
	account, _ := who(ctx)
	n, since := h.lastOf(account, false)
	switch {
	case h.node == 0 || n == h.node:
		return s.undo(ctx, id, h)
	case n == 0:
		return Change{}, false, &NoneOfMine{h.entry(h.node)}
	}
	return s.takeBack(ctx, id, h, n, since, "taken back: ")
}

// RedoMine takes back what UndoMine did last for the caller.
func (s *Store) RedoMine(ctx context.Context, id string, expected int64) (Change, bool, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, false, err
	}
	defer done()
	account, _ := who(ctx)
	n, since := h.lastOf(account, true)
	if len(h.redo) > 0 || n == 0 {
		return s.redo(ctx, id, h)
	}
	return s.takeBack(ctx, id, h, n, since, "")
}

func (h *history) entry(node int64) Entry {
	return Entry{Seq: node, Op: "edit", Words: h.words[node], Who: h.by[node].name}
}

// lastOf is the last edit on the way to the present state that an account did and that was not taken back, or with
// backs the last that took one back; 0 if there is none. since are the edits after it, the oldest first.
func (h *history) lastOf(account string, backs bool) (node int64, since []Entry) {
	gone := map[int64]bool{}
	for n := h.node; n != 0; n = h.parent[n] {
		by := h.by[n]
		isBack := by.takesBack != 0
		if by.account == account && !gone[n] && isBack == backs {
			return n, since
		}
		if isBack && !gone[n] {
			gone[by.takesBack] = true
		}
		since = append([]Entry{h.entry(n)}, since...)
	}
	return 0, nil
}

// takeBack does away with what the edit of a node did, in the scene as it is now.
func (s *Store) takeBack(ctx context.Context, id string, h *history, n int64, since []Entry, words string) (
	c Change, ok bool, err error,
) {
	var states [3]*scene.Scene // before it, after it, now
	for i, node := range []int64{h.parent[n], n, h.node} {
		if states[i], err = s.at(ctx, id, h, node); err != nil {
			return c, false, err
		}
	}
	said := h.words[n]
	if back := h.by[n].takesBack; back != 0 {
		said = "done again: " + h.words[back]
	}
	if len(since) == 0 {
		since = []Entry{h.entry(n)}
	}
	e, why, err := merge.Without(states[0], states[1], states[2], words+said)
	if err != nil {
		return c, false, err
	}
	if why != "" {
		return c, false, &Entangled{said, since, why}
	}
	c, err = s.edit(ctx, id, h, h.revision, e, n)
	return c, err == nil, err
}
