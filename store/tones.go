package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// A Tone is room tone kept for later: a stretch of a recording, counted at Rate samples a second.
type Tone struct {
	ID      string
	Name    string
	Place   string
	Source  string
	From    int64
	To      int64
	Rate    int64
	LevelDB float64
	Thirds  []float64
	Home    string // the production that it is of; "" for a made-up room
	MadeUp  string // the made-up room that ships with the application, "" for a tone of an editor's
	Made    time.Time
}

// Tones are all tones of productions in which the caller listens, and the made-up rooms, the editors' own first,
// the newest of them first.
func (s *Store) Tones(ctx context.Context) ([]Tone, error) {
	in, args := within(ctx, "production", Listener)
	rows, err := s.db.QueryContext(
		ctx,
		`SELECT id, name, place, source, from_sample, to_sample, rate, level_db, thirds, COALESCE(production, ''),
		COALESCE(made_up, ''), made FROM tones WHERE made_up IS NOT NULL OR `+in+` ORDER BY made_up IS NOT NULL,
		IF(made_up IS NULL, -UNIX_TIMESTAMP(made), UNIX_TIMESTAMP(made)), name`,
		args...,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Tone{}
	for rows.Next() {
		var t Tone
		var thirds []byte
		if err := rows.Scan(
			&t.ID,
			&t.Name,
			&t.Place,
			&t.Source,
			&t.From,
			&t.To,
			&t.Rate,
			&t.LevelDB,
			&thirds,
			&t.Home,
			&t.MadeUp,
			&t.Made,
		); err != nil {
			return nil, plain(err)
		}
		if err := json.Unmarshal(thirds, &t.Thirds); err != nil {
			return nil, err
		}
		list = append(list, t)
	}
	return list, plain(rows.Err())
}

// AddTone keeps a tone and gives its id. A made-up room that is there already stays as it is.
func (s *Store) AddTone(ctx context.Context, t Tone) (string, error) {
	thirds, err := json.Marshal(t.Thirds)
	if err != nil {
		return "", err
	}
	id := uuid.NewString()
	_, err = s.exec(
		ctx,
		`INSERT IGNORE INTO tones (id, name, place, source, from_sample, to_sample, rate, level_db, thirds, production, `+
			`made_up) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, NULLIF(?, ''), ?)`,
		id,
		cut(t.Name, 120),
		cut(t.Place, 160),
		t.Source,
		t.From,
		t.To,
		t.Rate,
		t.LevelDB,
		string(thirds),
		t.Home,
		sql.NullString{String: t.MadeUp, Valid: t.MadeUp != ""},
	)
	return id, plain(err)
}

// SetTone names a tone and says where it was taken.
func (s *Store) SetTone(ctx context.Context, id, name, place string) error {
	_, err := s.exec(
		ctx,
		"UPDATE tones SET name = ?, place = ? WHERE id = ?",
		cut(name, 120),
		cut(place, 160),
		id,
	)
	return plain(err)
}

// DropTone forgets a tone; its recording stays.
func (s *Store) DropTone(ctx context.Context, id string) error {
	_, err := s.exec(ctx, "DELETE FROM tones WHERE id = ?", id)
	return plain(err)
}
