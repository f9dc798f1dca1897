package store

import (
	"context"
	"strings"
	"time"
)

// What a process has taken to measure others may take when nothing came of it for so long, and they leave it alone
// that long; what was measured is kept for some days.
const (
	takenTime    = 15 * time.Second
	measuresKept = 3 * 24 * time.Hour
)

// Measures gives what was found under some keys; nil of those that others are at.
func (s *Store) Measures(ctx context.Context, keys []string) (map[string][]byte, error) {
	all := map[string][]byte{}
	of, args := among("id", keys)
	rows, err := s.db.QueryContext(ctx, "SELECT id, result FROM measures WHERE "+of+
		" AND (result IS NOT NULL OR taken > UTC_TIMESTAMP(3) - INTERVAL ? SECOND)",
		append(args, int(takenTime/time.Second))...)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		var result []byte
		if err := rows.Scan(&id, &result); err != nil {
			return nil, plain(err)
		}
		all[id] = result
	}
	return all, plain(rows.Err())
}

// TakeMeasures takes those of some keys that nobody has, or whose taker has gone. taker is an id of whoever asks.
func (s *Store) TakeMeasures(ctx context.Context, taker string, keys []string) (mine []string, err error) {
	if len(keys) == 0 {
		return nil, nil
	}
	// One statement: of several takers one has a row, also where they ask different servers.
	var args []any
	for _, k := range keys {
		args = append(args, k, taker)
	}
	left := "result IS NULL AND taken < UTC_TIMESTAMP(3) - INTERVAL ? SECOND"
	_, err = s.exec(ctx, "INSERT INTO measures (id, taker, taken) VALUES (?, ?, UTC_TIMESTAMP(3))"+
		strings.Repeat(", (?, ?, UTC_TIMESTAMP(3))", len(keys)-1)+
		" ON DUPLICATE KEY UPDATE taker = IF("+left+", VALUES(taker), taker), "+
		"taken = IF("+left+", VALUES(taken), taken)",
		append(args, int(takenTime/time.Second), int(takenTime/time.Second))...)
	if err != nil {
		return nil, plain(err)
	}
	of, ids := among("id", keys)
	return column[string](s.db.QueryContext(ctx, "SELECT id FROM measures WHERE taker = ? AND result IS NULL AND "+of,
		append([]any{taker}, ids...)...))
}

// KeepMeasures keeps what was measured, by its keys.
func (s *Store) KeepMeasures(ctx context.Context, taker string, results map[string][]byte) error {
	if len(results) == 0 {
		return nil
	}
	var args []any
	for k, r := range results {
		args = append(args, k, taker, string(r))
	}
	_, err := s.exec(ctx, "INSERT INTO measures (id, taker, taken, result) VALUES (?, ?, UTC_TIMESTAMP(3), ?)"+
		strings.Repeat(", (?, ?, UTC_TIMESTAMP(3), ?)", len(results)-1)+
		" ON DUPLICATE KEY UPDATE result = VALUES(result)", args...)
	return plain(err)
}

// LeaveMeasures gives back some that a taker has taken and could not measure.
func (s *Store) LeaveMeasures(ctx context.Context, taker string, keys []string) error {
	if len(keys) == 0 {
		return nil
	}
	of, ids := among("id", keys)
	_, err := s.exec(ctx, "DELETE FROM measures WHERE taker = ? AND result IS NULL AND "+of,
		append([]any{taker}, ids...)...)
	return plain(err)
}

// GiveMeasures gives back what a taker has taken and not measured, and asks for no hands any more.
func (s *Store) GiveMeasures(ctx context.Context, taker string) error {
	if _, err := s.exec(ctx, "DELETE FROM audits WHERE taker = ?", taker); err != nil {
		return plain(err)
	}
	_, err := s.exec(ctx, "DELETE FROM measures WHERE taker = ? AND result IS NULL", taker)
	return plain(err)
}

// ForgetMeasures removes what was measured days ago.
func (s *Store) ForgetMeasures(ctx context.Context) error {
	_, err := s.exec(ctx, "DELETE FROM measures WHERE taken < UTC_TIMESTAMP(3) - INTERVAL ? SECOND",
		int(measuresKept/time.Second))
	return plain(err)
}

// An Audit is a state of a scene that somebody measures, and asks other processes to measure with it.
type Audit struct {
	Taker string
	Scene string
	Node  int64
}

// AskHands asks other processes to measure with this one; it is to be said again every BeatEvery.
func (s *Store) AskHands(ctx context.Context, a Audit) error {
	_, err := s.exec(ctx, "INSERT INTO audits (taker, scene, node, at) VALUES (?, ?, ?, UTC_TIMESTAMP(3)) "+
		"ON DUPLICATE KEY UPDATE at = VALUES(at)", a.Taker, a.Scene, a.Node)
	return plain(err)
}

// Audits are those that hands are asked for.
func (s *Store) Audits(ctx context.Context) (list []Audit, err error) {
	rows, err := s.db.QueryContext(ctx, "SELECT taker, scene, node FROM audits "+
		"WHERE at > UTC_TIMESTAMP(3) - INTERVAL ? SECOND ORDER BY taker", int(leaseTime/time.Second))
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var a Audit
		if err := rows.Scan(&a.Taker, &a.Scene, &a.Node); err != nil {
			return nil, plain(err)
		}
		list = append(list, a)
	}
	return list, plain(rows.Err())
}
