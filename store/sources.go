package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"
)

// A Source is a recording that was brought in. Info is what media knows of it.
type Source struct {
	ID, SHA256, Name string
	Info             json.RawMessage
	Made             time.Time
}

// AddSource keeps a source; one with the same content stays as it is.
func (s *Store) AddSource(ctx context.Context, src Source) error {
	_, err := s.exec(ctx, "INSERT IGNORE INTO sources (id, sha256, name, info) VALUES (?, ?, ?, ?)",
		src.ID, src.SHA256, cut(src.Name, 255), string(src.Info))
	return plain(err)
}

// sourceColumns select sources with the name that they have in the caller's productions; it takes those, see named.
const sourceColumns = "SELECT id, sha256, %s, info, made FROM sources"

// named is what recordings are called for the caller, as a column of sources.
func named(ctx context.Context) (column string, args []any) {
	if CallerOf(ctx) == nil {
		return "name", nil
	}
	in, args := within(ctx, "p.production", Editor)
	own := "SELECT MIN(p.name) FROM production_sources p WHERE p.source = sources.id AND " + in
	return "COALESCE((" + own + "), name)", args
}

func scanSource(row interface{ Scan(...any) error }) (Source, error) {
	var src Source
	err := row.Scan(&src.ID, &src.SHA256, &src.Name, &src.Info, &src.Made)
	return src, plain(err)
}

// Source gives a source by its id, if a production in which the caller edits has it.
func (s *Store) Source(ctx context.Context, id string) (Source, error) {
	in, args := readable(ctx, "id", Editor)
	name, all := named(ctx)
	return scanSource(s.db.QueryRowContext(ctx, fmt.Sprintf(sourceColumns, name)+" WHERE id = ? AND "+in,
		append(append(all, id), args...)...))
}

// Sources lists all sources of productions in which the caller edits, the newest first.
func (s *Store) Sources(ctx context.Context) ([]Source, error) {
	in, args := readable(ctx, "id", Editor)
	name, all := named(ctx)
	rows, err := s.db.QueryContext(ctx, fmt.Sprintf(sourceColumns, name)+" WHERE "+in+" ORDER BY made DESC, name",
		append(all, args...)...)
	if err != nil {
		return nil, plain(err)
	}
	return scanSources(rows)
}

func scanSources(rows *sql.Rows) ([]Source, error) {
	defer rows.Close()
	var list []Source
	for rows.Next() {
		src, err := scanSource(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, src)
	}
	return list, plain(rows.Err())
}

// SourcesOf lists the sources of a scene's production.
func (s *Store) SourcesOf(ctx context.Context, id string) ([]Source, error) {
	rows, err := s.db.QueryContext(ctx, fmt.Sprintf(sourceColumns, "name")+" WHERE id IN (SELECT p.source FROM "+
		"production_sources p JOIN scenes s ON s.production = p.production WHERE s.id = ?)", id)
	if err != nil {
		return nil, plain(err)
	}
	return scanSources(rows)
}

// DropSource takes a source out of the productions in which the caller edits, and forgets it if no other has it: gone
// tells which. ErrNotFound if there is none.
func (s *Store) DropSource(ctx context.Context, id string) (gone bool, err error) {
	in, args := within(ctx, "production", Editor)
	err = s.inTransaction(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM production_sources WHERE source = ? AND "+in,
			append([]any{id}, args...)...); err != nil {
			return err
		}
		var others bool
		err := tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT 1 FROM production_sources WHERE source = ?)", id).Scan(&others)
		if err != nil || others {
			return err
		}
		done, err := tx.ExecContext(ctx, "DELETE FROM sources WHERE id = ?", id)
		if err != nil {
			return err
		}
		n, err := done.RowsAffected()
		if gone = n > 0; err == nil && !gone {
			return ErrNotFound
		}
		return err
	})
	return gone, plain(err)
}
