package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"time"

	"blendseam/core/scene"
)

type row struct {
	op     string
	node   int64
	parent int64
	edit   []byte
	words  string
	by     doer
}

// newRow is a row of the caller's.
func newRow(ctx context.Context, op string, node, parent int64, edit []byte, words string) row {
	account, name := who(ctx)
	return row{op, node, parent, edit, words, doer{account: account, name: name}}
}

// append writes a row of the log, if the scene is still at the expected revision. Once it returns nil the
// row is on disk.
func (s *Store) append(ctx context.Context, id string, expected int64, r row, after *scene.Scene) error {
	if s.Room != nil {
		if err := s.Room(); err != nil {
			return err
		}
	}
	// An edit that has begun to be written is not given up half-way when its page goes away.
	ctx = context.WithoutCancel(ctx)
	lost, uncertain := false, false
	write := func(tx *sql.Tx) error {
		if err := s.stillEdits(ctx, tx, id); err != nil {
			return err
		}
		res, err := tx.ExecContext(
			ctx,
			"UPDATE scenes SET revision = ?, node = ?, name = ?, changed = UTC_TIMESTAMP(3) WHERE id = ? AND revision = ?",
			expected+1,
			r.node,
			cut(after.Name, 255),
			id,
			expected,
		)
		if err != nil {
			return err
		}
		if n, _ := res.RowsAffected(); n == 0 {
			lost = true
			return errors.New("stale")
		}
		var edit any
		if r.edit != nil {
			edit = string(r.edit)
		}
		_, err = tx.ExecContext(
			ctx,
			"INSERT INTO edits (scene, seq, op, node, parent, edit, words, version, account, who, takes_back) "+
				"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, NULLIF(?, 0))",
			id,
			expected+1,
			r.op,
			r.node,
			r.parent,
			edit,
			r.words,
			EditsVersion,
			r.by.account,
			r.by.name,
			r.by.takesBack,
		)
		return err
	}
	for n := 1; ; n++ {
		err := plain(s.inTransaction(ctx, write))
		switch {
		case lost && uncertain: // perhaps by what was written before
			if is, err := s.isKept(ctx, id, expected, r); err == nil && is {
				return nil
			}
			return s.stale(ctx, id, expected)
		case lost:
			return s.stale(ctx, id, expected)
		case !errors.Is(err, ErrUnavailable):
			return err
		}
		// Writing it once more does no harm: only one row can follow that revision.
		if err = s.kept(ctx, id, expected, r); !errors.Is(err, ErrNotKept) || n == mostWritten {
			return err
		}
		uncertain = true
	}
}

// errNoMore refuses an edit of somebody who might do it when they began it, and may not any more.
var errNoMore = &Refused{"You may not edit this scene any more; an owner of its production can say why."}

// stillEdits asks whether the caller may edit a scene at this moment: their role may have gone since they came.
func (s *Store) stillEdits(ctx context.Context, tx *sql.Tx, id string) error {
	c := CallerOf(ctx)
	if c == nil {
		return nil
	}
	var production string
	var role Role
	var people bool
	err := tx.QueryRowContext(ctx, "SELECT s.production, COALESCE(m.role, ''), EXISTS (SELECT 1 FROM accounts) "+
		"FROM scenes s LEFT JOIN members m ON m.production = s.production AND m.account = ? WHERE s.id = ?",
		c.Account, id).Scan(&production, &role, &people)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	if c.Account == "" && !people { // a token where there are no accounts
		role = c.Roles[production]
	}
	if !role.Covers(Editor) || !c.Roles[production].Covers(Editor) {
		return errNoMore
	}
	return nil
}

// mostWritten is how often a row is written anew where the database went before it could say that it had it.
const mostWritten = 3

// certainLimit is how long the database is asked whether a row was kept.
const certainLimit = 8 * time.Second

// kept finds out whether a row is in the log whose writing the database did not answer: nil if it is.
func (s *Store) kept(ctx context.Context, id string, expected int64, r row) error {
	ctx, cancel := context.WithTimeout(ctx, certainLimit)
	defer cancel()
	for {
		is, err := s.isKept(ctx, id, expected, r)
		switch {
		case err == nil && is:
			return nil
		case err == nil:
			return ErrNotKept
		case !errors.Is(err, ErrUnavailable) && ctx.Err() == nil:
			return err
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return ErrUncertain
		}
	}
}

func (s *Store) isKept(ctx context.Context, id string, expected int64, r row) (is bool, err error) {
	err = s.inTransaction(ctx, func(tx *sql.Tx) error {
		// Whoever is still writing holds the scene.
		var revision int64
		if err := tx.QueryRowContext(ctx, "SELECT revision FROM scenes WHERE id = ? FOR UPDATE", id).
			Scan(&revision); err != nil {
			return err
		}
		var now row
		var edit []byte
		err := tx.QueryRowContext(ctx,
			"SELECT op, node, parent, edit, words, account FROM edits WHERE scene = ? AND seq = ?", id, expected+1).
			Scan(&now.op, &now.node, &now.parent, &edit, &now.words, &now.by.account)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		is = now.op == r.op && now.node == r.node && now.parent == r.parent && now.words == r.words &&
			now.by.account == r.by.account && bytes.Equal(edit, r.edit)
		return err
	})
	return is, plain(err)
}
