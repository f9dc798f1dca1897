package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"slices"
	"sync"
	"time"

	"blendseam/core/cache"
	"blendseam/core/limit"
	"blendseam/core/merge"
	"blendseam/core/scene"

	"github.com/google/uuid"
)

// snapshotEvery is how many edits lie between two snapshots.
const snapshotEvery = 100

// keptStates is how many states of a scene stay in memory; undo within them needs no database but to say so.
const keptStates = 200

// A Summary is what the list of scenes says of one, as of its last measurement.
type Summary struct {
	LengthS float64 `json:"length_s"`
	Rate    string  `json:"rate"`
	Tracks  int     `json:"tracks"`
	Clips   int     `json:"clips"`
	Clean   int     `json:"clean"`
	Audible int     `json:"audible"`
	Rough   int     `json:"rough"`
	Seams   bool    `json:"seams"`             // verdicts are there
	Problem string  `json:"problem,omitempty"` // why they are not, where they cannot be had
}

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

// EditsVersion says how edits are written. It goes up by one with every release that writes what an earlier one cannot
// read: a new edit, or a new field of one.
const EditsVersion = 1

// ErrTooOld says that a scene was edited by a newer release.
var ErrTooOld = errors.New(
	"this scene was edited with a newer release of Blend Seam than this one; use that, or a newer one",
)

// A Stale is an edit at a revision that is no longer the newest. Nothing was done.
type Stale struct {
	Expected, Now int64
	Newer         []Entry
	Why           string // what it and the newer ones both touch, "" if nobody looked
}

func (e *Stale) Error() string {
	last := ""
	if n := len(e.Newer); n > 0 {
		last = ": " + e.Newer[n-1].Words
		if by := e.Newer[n-1].Who; by != "" {
			last = " by " + by + last
		}
	}
	if e.Why != "" {
		last += "; both touch the same (" + e.Why + ")"
	}
	return fmt.Sprintf(
		"This scene was edited elsewhere in the meantime%s. Your edit was not done; look, and do it again.",
		last,
	)
}

// history is what a process knows of a scene's log.
type history struct {
	mu       sync.Mutex
	revision int64
	node     int64
	parent   map[int64]int64  // of nodes
	words    map[int64]string // of nodes
	by       map[int64]doer   // of nodes
	redo     []int64          // nodes that redo would come to, the next last
	states   map[int64]*scene.Scene
	order    []int64 // of states, oldest use first
	since    int64   // edits since the last snapshot
}

// A doer is who did an edit, and the node whose edit it takes back, 0 if none.
type doer struct {
	account, name string
	takesBack     int64
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
func (s *Store) SetVerdicts(ctx context.Context, id string, sc *scene.Scene, clean, audible, rough int) error {
	sum := summarise(sc)
	sum.Clean, sum.Audible, sum.Rough, sum.Seams = clean, audible, rough, true
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

// open gives a scene's history, up to date and held until done.
func (s *Store) open(ctx context.Context, id string) (h *history, done func(), err error) {
	s.mu.Lock()
	h = s.scenes[id]
	if h == nil {
		h = &history{}
		s.scenes[id] = h
	}
	s.mu.Unlock()
	h.mu.Lock()
	err = s.catchUp(ctx, id, h)
	for n := 1; s.several && errors.Is(err, ErrUnavailable) && n < mostTries; n++ { // another server has it, too
		time.Sleep(time.Duration(n) * 20 * time.Millisecond)
		err = s.catchUp(ctx, id, h)
	}
	if err != nil {
		h.mu.Unlock()
		if errors.Is(err, ErrNotFound) {
			s.mu.Lock()
			delete(s.scenes, id)
			s.mu.Unlock()
		}
		return nil, nil, err
	}
	return h, h.mu.Unlock, nil
}

// catchUp reads the rows of the log that a history lacks.
func (s *Store) catchUp(ctx context.Context, id string, h *history) error {
	var revision int64
	if err := s.db.QueryRowContext(ctx, "SELECT revision FROM scenes WHERE id = ?", id).Scan(&revision); err != nil {
		return plain(err)
	}
	if h.parent == nil {
		h.parent, h.words, h.states = map[int64]int64{}, map[int64]string{}, map[int64]*scene.Scene{}
		h.by = map[int64]doer{}
	}
	if h.revision == revision {
		return nil
	}
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT seq, op, node, parent, words, account, who, COALESCE(takes_back, 0) FROM edits "+
			"WHERE scene = ? AND seq > ? ORDER BY seq",
		id,
		h.revision,
	)
	if err != nil {
		return plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var seq, node, parent int64
		var op, words string
		var by doer
		if err := rows.Scan(&seq, &op, &node, &parent, &words, &by.account, &by.name, &by.takesBack); err != nil {
			return plain(err)
		}
		h.note(seq, op, node, parent, words, by)
	}
	return plain(rows.Err())
}

// note takes a row of the log into the history.
func (h *history) note(seq int64, op string, node, parent int64, words string, by doer) {
	switch op {
	case "edit":
		h.parent[node], h.words[node], h.by[node] = parent, words, by
		h.redo = h.redo[:0]
		h.since++
	case "undo":
		h.redo = append(h.redo, parent)
	case "redo":
		h.redo = h.redo[:len(h.redo)-1]
	case "go":
		h.went(parent, node)
	}
	h.node, h.revision = node, seq
}

func (h *history) keep(node int64, sc *scene.Scene) {
	if i := slices.Index(h.order, node); i >= 0 {
		h.order = slices.Delete(h.order, i, i+1)
	}
	h.states[node] = sc
	h.order = append(h.order, node)
	if len(h.order) > keptStates {
		delete(h.states, h.order[0])
		h.order = h.order[1:]
	}
}

// state gives the scene of the present node: from memory, or from the nearest snapshot and the edits since.
func (s *Store) state(ctx context.Context, id string, h *history) (State, error) {
	sc, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return State{}, err
	}
	st := State{Scene: sc, Revision: h.revision, Node: h.node, Undo: h.words[h.node]}
	if n := len(h.redo); n > 0 {
		st.Redo = h.words[h.redo[n-1]]
	}
	return st, nil
}

func (s *Store) at(ctx context.Context, id string, h *history, node int64) (*scene.Scene, error) {
	if sc := h.states[node]; sc != nil {
		return sc, nil
	}
	snapshots, err := s.snapshots(ctx, id)
	if err != nil {
		return nil, err
	}
	var path []int64 // nodes to replay, newest first
	from := node
	for h.states[from] == nil && !slices.Contains(snapshots, from) {
		path = append(path, from)
		from = h.parent[from]
	}
	sc := h.states[from]
	if sc == nil {
		var blob []byte
		if err := s.db.QueryRowContext(ctx, "SELECT state FROM snapshots WHERE scene = ? AND node = ?", id, from).
			Scan(&blob); err != nil {
			return nil, plain(err)
		}
		if sc, err = unpack(blob); err != nil {
			return nil, fmt.Errorf("snapshot %d of scene %s: %w", from, id, err)
		}
		h.keep(from, sc)
	}
	for _, n := range slices.Backward(path) {
		var raw []byte
		var version int
		if err := s.db.QueryRowContext(ctx, "SELECT edit, version FROM edits WHERE scene = ? AND seq = ?", id, n).
			Scan(&raw, &version); err != nil {
			return nil, plain(err)
		}
		if version > EditsVersion {
			return nil, ErrTooOld
		}
		e, err := scene.ParseKept(raw)
		if err == nil {
			sc, err = scene.Replay(sc, e)
		}
		if err != nil {
			return nil, fmt.Errorf("edit %d of scene %s cannot be done again: %w", n, id, err)
		}
		h.keep(n, sc)
	}
	return sc, nil
}

func (s *Store) snapshots(ctx context.Context, id string) ([]int64, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT node FROM snapshots WHERE scene = ?", id)
	if err != nil {
		return nil, plain(err)
	}
	defer rows.Close()
	var nodes []int64
	for rows.Next() {
		var n int64
		if err := rows.Scan(&n); err != nil {
			return nil, plain(err)
		}
		nodes = append(nodes, n)
	}
	return nodes, plain(rows.Err())
}

// A Change is an edit done: the scene before and after, and what was done in words.
type Change struct {
	Before *scene.Scene
	State
	Words string
}

// Edit does an edit at the expected revision and keeps it. The error is a scene.Refusal if the edit cannot be
// done, a *Stale if the scene is at another revision.
func (s *Store) Edit(ctx context.Context, id string, expected int64, e scene.Edit) (Change, error) {
	h, done, err := s.openAt(ctx, id, expected)
	if err != nil {
		return Change{}, err
	}
	defer done()
	return s.edit(ctx, id, h, expected, e, 0)
}

// edit does so with a history that is held; takesBack is the node whose edit it takes back, 0 if none.
func (s *Store) edit(
	ctx context.Context, id string, h *history, expected int64, e scene.Edit, takesBack int64,
) (Change, error) {
	before, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return Change{}, err
	}
	after, err := scene.Apply(before, e)
	if err != nil {
		return Change{}, err
	}
	raw, err := scene.Marshal(e)
	if err != nil {
		return Change{}, err
	}
	words := limit.Told(scene.Describe(before, after, e))
	seq := h.revision + 1
	r := newRow(ctx, "edit", seq, h.node, raw, words)
	r.by.takesBack = takesBack
	if err := s.append(ctx, id, expected, r, after); err != nil {
		return Change{}, err
	}
	h.note(seq, "edit", seq, h.node, words, r.by)
	h.keep(seq, after)
	if h.since >= snapshotEvery {
		h.since = 0
		s.later.Go(func() {
			if err := cache.Caught(func() error { return s.snapshot(id, seq, after) }); err != nil {
				slog.Warn("a snapshot was not kept; the scene opens more slowly until the next", "err", err)
			}
		})
	}
	st, err := s.state(ctx, id, h)
	return Change{before, st, words}, err
}

// mostRebased is how many edits later an edit may still be done.
const mostRebased = keptStates

// EditSince does an edit that was made at a revision: at once, if that is the newest, else where it lies now, if it and
// the newer edits do not touch, see merge.Rebase. Before is then the scene at that revision. The error is a
// scene.Refusal if the edit could not be done there, a *Stale if they touch.
func (s *Store) EditSince(ctx context.Context, id string, at int64, e scene.Edit) (Change, error) {
	c, err := s.Edit(ctx, id, at, e)
	for {
		var stale *Stale
		if !errors.As(err, &stale) || stale.Why != "" || ctx.Err() != nil {
			return c, err
		}
		// Nobody else of this process edits meanwhile; if another process does, it is tried again.
		c, err = s.rebase(ctx, id, at, e, stale)
	}
}

// rebase does an edit of a revision on the scene as it is now, or gives a *Stale that says why it cannot be.
func (s *Store) rebase(ctx context.Context, id string, at int64, e scene.Edit, stale *Stale) (c Change, err error) {
	h, done, err := s.open(ctx, id)
	if err != nil {
		return c, err
	}
	defer done()
	if at < 0 || at > h.revision || h.revision-at > mostRebased {
		stale.Why = "that was too long ago to tell"
		return c, stale
	}
	node := int64(0)
	if at > 0 {
		row := s.db.QueryRowContext(ctx, "SELECT node FROM edits WHERE scene = ? AND seq = ?", id, at)
		if err := row.Scan(&node); err != nil {
			return c, plain(err)
		}
	}
	was, err := s.at(ctx, id, h, node)
	if err != nil {
		return c, err
	}
	now, err := s.at(ctx, id, h, h.node)
	if err != nil {
		return c, err
	}
	rebased, err := merge.Rebase(was, now, e)
	var touched *merge.Touched
	if errors.As(err, &touched) {
		stale.Why = touched.Why
		return c, stale
	}
	if err != nil {
		return c, err
	}
	if c, err = s.edit(ctx, id, h, h.revision, rebased, 0); err == nil {
		c.Before = was
	}
	return c, err
}

// openAt opens a history that must be at a revision.
func (s *Store) openAt(ctx context.Context, id string, expected int64) (*history, func(), error) {
	s.mu.Lock()
	h := s.scenes[id]
	s.mu.Unlock()
	if h != nil {
		h.mu.Lock()
		if h.parent != nil && h.revision == expected {
			return h, h.mu.Unlock, nil // if it is behind, append finds out
		}
		h.mu.Unlock()
	}
	h, done, err := s.open(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	if h.revision != expected {
		done()
		return nil, nil, s.stale(ctx, id, expected)
	}
	return h, done, nil
}

func (s *Store) stale(ctx context.Context, id string, expected int64) error {
	stale := &Stale{Expected: expected}
	rows, err := s.db.QueryContext(
		ctx,
		"SELECT seq, op, words, who FROM edits WHERE scene = ? AND seq > ? ORDER BY seq LIMIT 1000",
		id,
		expected,
	)
	if err != nil {
		return plain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var e Entry
		if err := rows.Scan(&e.Seq, &e.Op, &e.Words, &e.Who); err != nil {
			return plain(err)
		}
		stale.Newer = append(stale.Newer, e)
		stale.Now = e.Seq
	}
	if err := rows.Err(); err != nil {
		return plain(err)
	}
	return stale
}

// snapshot keeps a state so that it need not be replayed. No edit waits for it, and none is lost without it.
func (s *Store) snapshot(id string, node int64, sc *scene.Scene) error {
	blob, err := pack(sc)
	if err == nil {
		_, err = s.exec(
			context.Background(),
			"INSERT IGNORE INTO snapshots (scene, node, state) VALUES (?, ?, ?)",
			id,
			node,
			blob,
		)
	}
	return err
}

func pack(sc *scene.Scene) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(sc); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func unpack(blob []byte) (*scene.Scene, error) {
	z, err := gzip.NewReader(bytes.NewReader(blob))
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(z)
	if err != nil {
		return nil, err
	}
	sc := new(scene.Scene)
	err = json.Unmarshal(raw, sc)
	for _, t := range sc.Tracks {
		if t != nil && t.Clips == nil { // of a track that was added and kept before it had any
			t.Clips = []scene.Clip{}
		}
	}
	return sc, err
}
