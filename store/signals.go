package store

import (
	"context"
	"time"
)

// Signal says that something happened to a scene besides an edit.
func (s *Store) Signal(ctx context.Context, scene string) error {
	_, err := s.exec(ctx, "INSERT INTO signals (scene, n) VALUES (?, 1) ON DUPLICATE KEY UPDATE n = n + 1", scene)
	return plain(err)
}

// A Pulse is how often a scene was edited, and how often something else happened to it.
type Pulse struct{ Revision, Signals int64 }

// Pulses are those of some scenes, by their ids: one question, whatever the number.
func (s *Store) Pulses(ctx context.Context, scenes []string) (map[string]Pulse, error) {
	all := map[string]Pulse{}
	if len(scenes) == 0 {
		return all, nil
	}
	of, args := among("s.id", scenes)
	rows, err := s.db.QueryContext(ctx, "SELECT s.id, s.revision, COALESCE(g.n, 0) FROM scenes s LEFT JOIN signals g "+
		"ON g.scene = s.id WHERE "+of, args...)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		var p Pulse
		if err := rows.Scan(&id, &p.Revision, &p.Signals); err != nil {
			return nil, plain(err)
		}
		all[id] = p
	}
	return all, plain(rows.Err())
}

// LastEdit is the row of the log at a revision.
func (s *Store) LastEdit(ctx context.Context, scene string, revision int64) (e Entry, err error) {
	err = s.db.QueryRowContext(ctx, "SELECT seq, op, words, who FROM edits WHERE scene = ? AND seq = ?", scene, revision).
		Scan(&e.Seq, &e.Op, &e.Words, &e.Who)
	return e, plain(err)
}

// A Page is one that is open on a scene.
type Page struct {
	Page    string `json:"page"`
	Account string `json:"account"`
	Who     string `json:"who"`
	Seam    string `json:"seam"`
}

// pageGone is how long nothing may be heard of a page until it counts as closed.
const pageGone = 25 * time.Second

// Here keeps that a page of the caller's is open on a scene, and which seam it has in hand.
func (s *Store) Here(ctx context.Context, scene string, p Page) error {
	account, name := who(ctx)
	r, err := s.exec(
		ctx,
		"INSERT INTO pages (page, scene, account, who, seam, at) VALUES (?, ?, ?, ?, ?, UTC_TIMESTAMP(3)) "+
			"ON DUPLICATE KEY UPDATE at = IF(account = VALUES(account) AND scene = VALUES(scene), VALUES(at), at), "+
			"seam = IF(account = VALUES(account) AND scene = VALUES(scene), VALUES(seam), seam)",
		cut(p.Page, 64),
		scene,
		account,
		name,
		cut(p.Seam, 255),
	)
	if err != nil {
		return plain(err)
	}
	if n, _ := r.RowsAffected(); n == 0 {
		return nil
	}
	return s.Signal(ctx, scene)
}

// Left keeps that a page of the caller's was closed.
func (s *Store) Left(ctx context.Context, scene, page string) error {
	account, _ := who(ctx)
	if _, err := s.exec(ctx, "DELETE FROM pages WHERE page = ? AND scene = ? AND account = ?", page, scene,
		account); err != nil {
		return plain(err)
	}
	return s.Signal(ctx, scene)
}

// Pages are those that are open on a scene.
func (s *Store) Pages(ctx context.Context, scene string) ([]Page, error) {
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT page, account, who, seam FROM pages WHERE scene = ? AND at > ? ORDER BY who, page",
		scene,
		time.Now().UTC().Add(-pageGone),
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Page{}
	for rows.Next() {
		var p Page
		if err := rows.Scan(&p.Page, &p.Account, &p.Who, &p.Seam); err != nil {
			return nil, plain(err)
		}
		list = append(list, p)
	}
	return list, plain(rows.Err())
}

// ForgetPages removes pages that nothing was heard of for long.
func (s *Store) ForgetPages(ctx context.Context) error {
	_, err := s.exec(ctx, "DELETE FROM pages WHERE at < ?", time.Now().UTC().Add(-10*pageGone))
	return plain(err)
}
