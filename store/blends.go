package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"blendseam/core/scene"
)

// Blends are a production's blends by name, the default one first, then by name.
func (s *Store) Blends(ctx context.Context, production string) ([]scene.Style, error) {
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT name, body, is_default IS NOT NULL FROM blends WHERE production = ? ORDER BY is_default IS NULL, name",
		production,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []scene.Style{}
	for rows.Next() {
		var name string
		var body []byte
		var st scene.Style
		var isDefault bool
		if err := rows.Scan(&name, &body, &isDefault); err != nil {
			return nil, plain(err)
		}
		if err := json.Unmarshal(body, &st); err != nil {
			return nil, fmt.Errorf("the blend %s is damaged in the database: %w", name, err)
		}
		st.Name, st.Default = name, isDefault
		list = append(list, st)
	}
	return list, plain(rows.Err())
}

// SetBlend keeps a blend of a production by its name, in place of the one named was, if that is not empty. A default
// one takes that
// part over.
func (s *Store) SetBlend(ctx context.Context, production, was string, st scene.Style) error {
	name, isDefault := st.Name, sql.NullBool{Bool: true, Valid: st.Default}
	st.Name, st.Default = "", false
	body, err := json.Marshal(st)
	if err != nil {
		return err
	}
	return s.inTransaction(ctx, func(tx *sql.Tx) error {
		if was != "" {
			if !isDefault.Valid {
				if err := tx.QueryRowContext(ctx, "SELECT is_default FROM blends WHERE production = ? AND name = ?",
					production, was).
					Scan(&isDefault); err != nil &&
					!errors.Is(err, sql.ErrNoRows) {
					return err
				}
			}
			if _, err := tx.ExecContext(ctx, "DELETE FROM blends WHERE production = ? AND name = ?",
				production, was); err != nil {
				return err
			}
		}
		if isDefault.Valid {
			if _, err := tx.ExecContext(ctx, "UPDATE blends SET is_default = NULL WHERE production = ?",
				production); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "REPLACE INTO blends (production, name, body, is_default) VALUES (?, ?, ?, ?)",
			production, name, body, isDefault)
		return err
	})
}

// ErrLastBlend refuses to forget the default blend.
var ErrLastBlend = errors.New("the default blend cannot be forgotten; make another one the default first")

// DropBlend forgets a blend of a production by its name.
func (s *Store) DropBlend(ctx context.Context, production, name string) error {
	res, err := s.exec(ctx, "DELETE FROM blends WHERE production = ? AND name = ? AND is_default IS NULL",
		production, name)
	if err != nil {
		return plain(err)
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrLastBlend
	}
	return nil
}

// startBlends are those that a new production has, as they are kept.
var startBlends = []struct {
	name, body string
	isDefault  sql.NullBool
}{
	{"Speech", `{"law":"constant_power","frames":4,"lean":0}`, sql.NullBool{Bool: true, Valid: true}},
	{"Splice", `{"law":"constant_gain","ms":5,"lean":0}`, sql.NullBool{}},
	{"Matched", `{"law":"matched","frames":6,"lean":0}`, sql.NullBool{}},
	{"Effects into voice", `{"law":"constant_power","ms":1000,"lean":-0.5}`, sql.NullBool{}},
	{"Music", `{"law":"constant_power","ms":3000,"lean":0}`, sql.NullBool{}},
}

// beginBlends gives a new production its first blends.
func beginBlends(ctx context.Context, tx *sql.Tx, production string) error {
	for _, b := range startBlends {
		if _, err := tx.ExecContext(ctx, "INSERT INTO blends (production, name, body, is_default) VALUES (?, ?, ?, ?)",
			production, b.name, b.body, b.isDefault); err != nil {
			return err
		}
	}
	return nil
}
