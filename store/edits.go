package store

import (
	"context"
	"errors"
	"fmt"
	"log/slog"

	"blendseam/core/cache"
	"blendseam/core/limit"
	"blendseam/core/merge"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// EditsVersion says how edits are written. It goes up by one with every release that writes what an earlier one cannot
// read: a new edit, or a new field of one.
const EditsVersion = 1

// ErrTooOld says that a scene was edited by a newer release.
var ErrTooOld = errors.New(
	"this scene was edited with a newer release of Blend Seam than this one; use that, or a newer one",
)

// A Stale is an edit at a revision that is no longer the newest. Nothing was done.
type Stale struct {
	Expected, Now int64
	Newer         []Entry
	Why           string // what it and the newer ones both touch, "" if nobody looked
}

func (e *Stale) Error() string {
	last := ""
	if n := len(e.Newer); n > 0 {
		last = ": " + e.Newer[n-1].Words
		if by := e.Newer[n-1].Who; by != "" {
			last = " by " + by + last
		}
	}
	if e.Why != "" {
		last += "; both touch the same (" + e.Why + ")"
	}
	return fmt.Sprintf(
		"This scene was edited elsewhere in the meantime%s. Your edit was not done; look, and do it again.",
		last,
	)
}

// A Change is an edit done: the scene before and after, and what was done in words.
type Change struct {
	Before *scene.Scene
	State
	Words string
}

// Edit does an edit at the expected revision and keeps it. The error is a edit.Refusal if the edit cannot be
// done, a *Stale if the scene is at another revision.
func (s *Store) Edit(ctx context.Context, id string, expected int64, e edit.Edit) (Change, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, err
	}
	defer done()
	return s.edit(ctx, id, h, expected, e, 0)
}

// edit does so with a history that is held; takesBack is the node whose edit it takes back, 0 if none.
func (s *Store) edit(
	ctx context.Context, id string, h *history, expected int64, e edit.Edit, takesBack int64,
) (Change, error) {
	before, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return Change{}, err
	}
	after, err := edit.Apply(before, e)
	if err != nil {
		return Change{}, err
	}
	raw, err := edit.Marshal(e)
	if err != nil {
		return Change{}, err
	}
	words := limit.Told(edit.Describe(before, after, e))
	seq := h.revision + 1
	r := newRow(ctx, "edit", seq, h.node, raw, words)
	r.by.takesBack = takesBack
	if err := s.append(ctx, id, expected, r, after); err != nil {
		return Change{}, err
	}
	h.note(seq, "edit", seq, h.node, words, r.by)
	h.keep(seq, after)
	if h.since >= snapshotEvery {
		h.since = 0
		s.later.Go(func() {
			if err := cache.Caught(func() error { return s.snapshot(id, seq, after) }); err != nil {
				slog.Warn("a snapshot was not kept; the scene opens more slowly until the next", "err", err)
			}
		})
	}
	st, err := s.state(ctx, id, h)
	return Change{before, st, words}, err
}

// mostRebased is how many edits later an edit may still be done.
const mostRebased = keptStates

// EditSince does an edit that was made at a revision: at once, if that is the newest, else where it lies now, if it and
// the newer edits do not touch, see merge.Rebase. Before is then the scene at that revision. The error is a
// edit.Refusal if the edit could not be done there, a *Stale if they touch.
func (s *Store) EditSince(ctx context.Context, id string, at int64, e edit.Edit) (Change, error) {
	c, err := s.Edit(ctx, id, at, e)
	for {
		var stale *Stale
		if !errors.As(err, &stale) || stale.Why != "" || ctx.Err() != nil {
			return c, err
		}
		// Nobody else of this process edits meanwhile; if another process does, it is tried again.
		c, err = s.rebase(ctx, id, at, e, stale)
	}
}

// rebase does an edit of a revision on the scene as it is now, or gives a *Stale that says why it cannot be.
func (s *Store) rebase(ctx context.Context, id string, at int64, e edit.Edit, stale *Stale) (c Change, err error) {
	h, done, err := s.open(ctx, id)
	if err != nil {
		return c, err
	}
	defer done()
	if at < 0 || at > h.revision || h.revision-at > mostRebased {
		stale.Why = "that was too long ago to tell"
		return c, stale
	}
	node := int64(0)
	if at > 0 {
		row := s.db.QueryRowContext(ctx, "SELECT node FROM edits WHERE scene = ? AND seq = ?", id, at)
		if err := row.Scan(&node); err != nil {
			return c, plain(err)
		}
	}
	was, err := s.at(ctx, id, h, node)
	if err != nil {
		return c, err
	}
	now, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return c, err
	}
	rebased, err := merge.Rebase(was, now, e)
	var touched *merge.Touched
	if errors.As(err, &touched) {
		stale.Why = touched.Why
		return c, stale
	}
	if err != nil {
		return c, err
	}
	if c, err = s.edit(ctx, id, h, h.revision, rebased, 0); err == nil {
		c.Before = was
	}
	return c, err
}

// openAt opens a history that must be at a revision.
func (s *Store) openAt(ctx context.Context, id string, expected int64) (*history, func(), error) {
	s.mu.Lock()
	h := s.scenes[id]
	s.mu.Unlock()
	if h != nil {
		h.mu.Lock()
		if h.parent != nil && h.revision == expected {
			return h, h.mu.Unlock, nil // if it is behind, append finds out
		}
		h.mu.Unlock()
	}
	h, done, err := s.open(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if h.revision != expected {
		done()
		return nil, nil, s.stale(ctx, id, expected)
	}
	return h, done, nil
}

func (s *Store) stale(ctx context.Context, id string, expected int64) error {
	stale := &Stale{Expected: expected}
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT seq, op, words, who FROM edits WHERE scene = ? AND seq > ? ORDER BY seq LIMIT 1000",
		id,
		expected,
	)
	if err != nil {
		return plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var e Entry
		if err := rows.Scan(&e.Seq, &e.Op, &e.Words, &e.Who); err != nil {
			return plain(err)
		}
		stale.Newer = append(stale.Newer, e)
		stale.Now = e.Seq
	}
	if err := rows.Err(); err != nil {
		return plain(err)
	}
	return stale
}
