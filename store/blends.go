package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"blendseam/core/scene"
)

// Blends are the blends by name, the default one first, then by name.
func (s *Store) Blends(ctx context.Context) ([]scene.Style, error) {
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT name, body, is_default IS NOT NULL FROM blends ORDER BY is_default IS NULL, name",
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

// SetBlend keeps a blend by its name, in place of the one named was, if that is not empty. A default one takes that
// part over.
func (s *Store) SetBlend(ctx context.Context, was string, st scene.Style) error {
	name, isDefault := st.Name, sql.NullBool{Bool: true, Valid: st.Default}
	st.Name, st.Default = "", false
	body, err := json.Marshal(st)
	if err != nil {
		return err
	}
	return s.inTransaction(ctx, func(tx *sql.Tx) error {
		if was != "" {
			if !isDefault.Valid {
				if err := tx.QueryRowContext(ctx, "SELECT is_default FROM blends WHERE name = ?", was).
					Scan(&isDefault); err != nil &&
					!errors.Is(err, sql.ErrNoRows) {
					return err
				}
			}
			if _, err := tx.ExecContext(ctx, "DELETE FROM blends WHERE name = ?", was); err != nil {
				return err
			}
		}
		if isDefault.Valid {
			if _, err := tx.ExecContext(ctx, "UPDATE blends SET is_default = NULL"); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "REPLACE INTO blends (name, body, is_default) VALUES (?, ?, ?)", name, body, isDefault)
		return err
	})
}

// ErrLastBlend refuses to forget the default blend.
var ErrLastBlend = errors.New("the default blend cannot be forgotten; make another one the default first")

// DropBlend forgets a blend by name.
func (s *Store) DropBlend(ctx context.Context, name string) error {
	res, err := s.exec(ctx, "DELETE FROM blends WHERE name = ? AND is_default IS NULL", name)
	if err != nil {
		return plain(err)
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrLastBlend
	}
	return nil
}
