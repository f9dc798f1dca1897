package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"blendseam/core/audit/notes"
	"blendseam/core/limit"
)

// A Note is a remark on a scene, or an answer to one.
type Note struct {
	ID        string
	Of        string // the note that it answers, "" if it stands for itself
	Place     notes.Place
	Text      string
	Approves  bool // whoever wrote it is content with what it is on
	Account   string
	Who       string
	SettledBy *string // who did, nil while it is open
	Made      time.Time
}

// AddNote keeps a note on a scene, and gives its id: of the caller's, or, if it says who, of whom a scene file names.
func (s *Store) AddNote(ctx context.Context, scene string, n Note) (string, error) {
	if n.Text = strings.TrimSpace(n.Text); n.Text == "" {
		return "", &Refused{"A note needs words."}
	}
	if len([]rune(n.Text)) > limit.Notes {
		return "", &Refused{fmt.Sprintf("A note has at most %d letters; write two.", limit.Notes)}
	}
	place, err := json.Marshal(n.Place)
	if err != nil {
		return "", err
	}
	n.ID = uuid.NewString()
	account, name := who(ctx)
	var settled any
	if n.Who != "" { // as a scene file says
		account, name = "", cut(n.Who, 200)
	}
	if n.Approves {
		settled = name
	}
	if n.SettledBy != nil {
		settled = cut(*n.SettledBy, 200)
	}
	r, err := s.exec(ctx, `INSERT INTO notes (id, scene, of, place, text, approves, account, who, settled_by)
		SELECT ?, s.id, ?, ?, ?, ?, ?, ?, ? FROM scenes s WHERE s.id = ?
		AND (SELECT COUNT(*) FROM notes WHERE scene = s.id) < ?
		AND (? = '' OR EXISTS (SELECT 1 FROM notes WHERE id = ? AND scene = s.id AND of = ''))`,
		n.ID, n.Of, string(place), n.Text, n.Approves, account, name, settled, scene, limit.SceneNotes, n.Of, n.Of)
	if err == nil {
		if added, _ := r.RowsAffected(); added == 0 {
			return "", &Refused{
				fmt.Sprintf("The note was not kept: what it answers is gone, or the scene has %d already.", limit.SceneNotes),
			}
		}
		err = s.Signal(ctx, scene)
	}
	return n.ID, plain(err)
}

// ErrNotYours says that a note is somebody else's.
var ErrNotYours = &Refused{"That note is somebody else's. Answer it instead, or settle it."}

// SettleNote settles a note, or opens it again.
func (s *Store) SettleNote(ctx context.Context, scene, id string, settled bool) error {
	var by any
	if _, name := who(ctx); settled {
		by = name
	}
	return s.noted(ctx, scene, "UPDATE notes SET settled_by = ? WHERE id = ? AND scene = ?", by, id, scene)
}

// RewordNote gives a note of the caller's other words.
func (s *Store) RewordNote(ctx context.Context, scene, id, text string) error {
	if text = strings.TrimSpace(text); text == "" || len([]rune(text)) > limit.Notes {
		return &Refused{fmt.Sprintf("A note has 1 to %d letters.", limit.Notes)}
	}
	account, _ := who(ctx)
	return s.own(s.noted(ctx, scene, "UPDATE notes SET text = ? WHERE id = ? AND scene = ? AND account = ?",
		text, id, scene, account))
}

// DropNote removes a note of the caller's with its answers.
func (s *Store) DropNote(ctx context.Context, scene, id string) error {
	account, _ := who(ctx)
	err := s.own(s.noted(ctx, scene, "DELETE FROM notes WHERE id = ? AND scene = ? AND account = ?", id, scene, account))
	if err == nil {
		_, err = s.exec(ctx, "DELETE FROM notes WHERE of = ? AND scene = ?", id, scene)
	}
	return plain(err)
}

func (s *Store) own(err error) error {
	if errors.Is(err, ErrNotFound) {
		return ErrNotYours
	}
	return err
}

// noted does a statement on a note, and says that there is something to look at.
func (s *Store) noted(ctx context.Context, scene, statement string, args ...any) error {
	if err := s.changed(s.exec(ctx, statement, args...)); err != nil {
		return err
	}
	return s.Signal(ctx, scene)
}

// Notes lists the notes of a scene, the oldest first, and after them the answers to them.
func (s *Store) Notes(ctx context.Context, scene string) ([]Note, error) {
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT id, of, place, text, approves, account, who, settled_by, made FROM notes "+
			"WHERE scene = ? ORDER BY of <> '', made, id",
		scene,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	list := []Note{}
	for rows.Next() {
		var n Note
		var place []byte
		if err := rows.Scan(&n.ID, &n.Of, &place, &n.Text, &n.Approves, &n.Account, &n.Who, &n.SettledBy,
			&n.Made); err != nil {
			return nil, plain(err)
		}
		if err := json.Unmarshal(place, &n.Place); err != nil {
			return nil, err
		}
		list = append(list, n)
	}
	return list, plain(rows.Err())
}
