package store

import (
	"context"
	"database/sql"
	"maps"
	"regexp"
	"slices"

	"blendseam/core/scene"
)

// idInText is what may be the id of a recording in the text of an edit.
var idInText = regexp.MustCompile(`"([0-9a-f]{16})"`)

// Move gives a scene to another production of the caller's, with all recordings that any state of its past has: whoever
// is in the one only sees it no more.
func (s *Store) Move(ctx context.Context, id, production string) error {
	used, err := s.everUsed(ctx, id)
	if err != nil {
		return err
	}
	err = s.inTransaction(ctx, func(tx *sql.Tx) error {
		for _, source := range used {
			// A recording of another production that an edit only names is none of it.
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO production_sources (production, source) "+
				"SELECT ?, p.source FROM production_sources p JOIN scenes s ON s.production = p.production "+
				"WHERE s.id = ? AND p.source = ?", production, id, source); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "UPDATE scenes SET production = ? WHERE id = ?", production, id)
		return err
	})
	if err != nil {
		return plain(err)
	}
	return s.Signal(ctx, id)
}

// everUsed are the ids of all recordings that a scene has or had, and of what else its edits name.
func (s *Store) everUsed(ctx context.Context, id string) ([]string, error) {
	now, err := s.Scene(ctx, id)
	if err != nil {
		return nil, err
	}
	first, err := s.At(ctx, id, 0)
	if err != nil {
		return nil, err
	}
	all := map[string]bool{}
	for _, sc := range []*scene.Scene{first, now.Scene} {
		for source, src := range sc.Sources {
			if !src.Made() && !scene.IsMissing(source) {
				all[source] = true
			}
		}
	}
	edits, err := column[string](
		s.db.QueryContext(ctx, "SELECT edit FROM edits WHERE scene = ? AND edit IS NOT NULL", id))
	for _, edit := range edits {
		for _, m := range idInText.FindAllStringSubmatch(edit, -1) {
			all[m[1]] = true
		}
	}
	return slices.Sorted(maps.Keys(all)), err
}
