package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"blendseam/core/limit"
	"blendseam/core/scene"
)

// A Summary is what the list of scenes says of one, as of its last measurement.
type Summary struct {
	LengthS float64 `json:"length_s"`
	Rate    string  `json:"rate"`
	Tracks  int     `json:"tracks"`
	Clips   int     `json:"clips"`
	Clean   int     `json:"clean"`
	Audible int     `json:"audible"`
	Rough   int     `json:"rough"`
	Unknown int     `json:"unknown,omitempty"` // that cannot be judged
	Seams   bool    `json:"seams"`             // verdicts are there
	Problem string  `json:"problem,omitempty"` // why they are not, where they cannot be had
}

// Verdicts are how many seams have each.
type Verdicts struct{ Clean, Audible, Rough, Unknown int }

// A Row is a scene in the list.
type Row struct {
	ID, Name      string
	Revision      int64
	Summary       Summary
	Made, Changed time.Time
	LastEdit      string
	LastBy        string // who did it, "" if nobody is named
	Production    string // by name
	ProductionID  string
}

// A State is a scene as it is at a revision. Node is the number of its content in the scene's past: going back to it
// gives the same number.
type State struct {
	Scene    *scene.Scene
	Revision int64
	Node     int64
	Undo     string // what undo would take back, in words; "" if nothing
	Redo     string
}

// An Entry is one row of the log.
type Entry struct {
	Seq   int64  `json:"seq"`
	Op    string `json:"op"`
	Words string `json:"words"`
	Who   string `json:"who,omitempty"`
}

// Create keeps a new scene of a production, which has its recordings from then on.
func (s *Store) Create(ctx context.Context, sc *scene.Scene, production string) (id string, err error) {
	if err := sc.Check(); err != nil {
		return "", err
	}
	id = uuid.NewString()
	blob, err := pack(sc)
	if err != nil {
		return "", err
	}
	summary, err := json.Marshal(summarise(sc))
	if err != nil {
		return "", err
	}
	err = s.inTransaction(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(
			ctx,
			"INSERT INTO scenes (id, name, revision, node, summary, production) VALUES (?, ?, 0, 0, ?, ?)",
			id,
			cut(sc.Name, 255),
			string(summary),
			production,
		); err != nil {
			return err
		}
		for _, src := range sc.Sources {
			if src.Made() || scene.IsMissing(src.ID) {
				continue
			}
			if _, err := tx.ExecContext(ctx, "INSERT IGNORE INTO production_sources (production, source) VALUES (?, ?)",
				production, src.ID); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, "INSERT INTO snapshots (scene, node, state) VALUES (?, 0, ?)", id, blob)
		return err
	})
	return id, plain(err)
}

// cut is text of at most so many letters, for a column that holds no more.
func cut(text string, letters int) string {
	short, _ := limit.Cut(text, letters)
	return short
}

func summarise(sc *scene.Scene) Summary {
	sum := Summary{
		LengthS: float64(sc.Length()) / float64(sc.SampleRate),
		Rate:    sc.Rate.String(),
		Tracks:  len(sc.Tracks),
	}
	for _, t := range sc.Tracks {
		sum.Clips += len(t.Clips)
	}
	return sum
}

// Delete removes a scene with all its edits.
func (s *Store) Delete(ctx context.Context, id string) error {
	r, err := s.exec(ctx, "DELETE FROM scenes WHERE id = ?", id)
	if err != nil {
		return plain(err)
	}
	s.mu.Lock()
	delete(s.scenes, id)
	s.mu.Unlock()
	if n, _ := r.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// Scenes lists all scenes of the caller's productions, the last edited first.
func (s *Store) Scenes(ctx context.Context) ([]Row, error) {
	in, args := within(ctx, "s.production", Listener)
	rows, err := s.db.QueryContext(
		ctx,
		`SELECT s.id, s.name, s.revision, s.summary, s.made, s.changed, COALESCE(e.words, ''), COALESCE(e.who, ''),
		p.name, p.id
		FROM scenes s LEFT JOIN edits e ON e.scene = s.id AND e.seq = s.revision
		JOIN productions p ON p.id = s.production WHERE `+in+` ORDER BY s.changed DESC, s.id`,
		args...,
	)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	var list []Row
	for rows.Next() {
		var r Row
		var summary []byte
		if err := rows.Scan(&r.ID, &r.Name, &r.Revision, &summary, &r.Made, &r.Changed, &r.LastEdit, &r.LastBy,
			&r.Production, &r.ProductionID); err != nil {
			return nil, plain(err)
		}
		if err := json.Unmarshal(summary, &r.Summary); err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, plain(rows.Err())
}

// SetVerdicts keeps what the list of scenes shows of a scene's seams.
func (s *Store) SetVerdicts(ctx context.Context, id string, sc *scene.Scene, v Verdicts) error {
	sum := summarise(sc)
	sum.Clean, sum.Audible, sum.Rough, sum.Unknown, sum.Seams = v.Clean, v.Audible, v.Rough, v.Unknown, true
	return s.setSummary(ctx, id, sum)
}

// SetProblem keeps why the seams of a scene cannot be measured.
func (s *Store) SetProblem(ctx context.Context, id string, sc *scene.Scene, why string) error {
	sum := summarise(sc)
	sum.Problem = cut(why, limit.Words)
	return s.setSummary(ctx, id, sum)
}

func (s *Store) setSummary(ctx context.Context, id string, sum Summary) error {
	raw, err := json.Marshal(sum)
	if err != nil {
		return err
	}
	_, err = s.exec(ctx, "UPDATE scenes SET summary = ? WHERE id = ?", string(raw), id)
	return plain(err)
}

// Scene gives a scene as it is now.
func (s *Store) Scene(ctx context.Context, id string) (State, error) {
	h, done, err := s.open(ctx, id)
	if err != nil {
		return State{}, err
	}
	defer done()
	return s.state(ctx, id, h)
}
