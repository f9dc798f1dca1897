package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"
	"time"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
)

// snapshotEvery is how many edits lie between two snapshots.
const snapshotEvery = 100

// keptStates is how many states of a scene stay in memory; undo within them needs no database but to say so.
const keptStates = 200

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
		if errors.Is(err, ErrNotFound) && !errors.Is(err, errNotTheirs) {
			s.mu.Lock()
			delete(s.scenes, id)
			s.mu.Unlock()
		}
		return nil, nil, err
	}
	return h, h.mu.Unlock, nil
}

// errNotTheirs is ErrNotFound for a scene that is there, and not for the caller.
var errNotTheirs = fmt.Errorf("%w for the caller", ErrNotFound)

// catchUp reads the rows of the log that a history lacks.
func (s *Store) catchUp(ctx context.Context, id string, h *history) error {
	var revision int64
	var production string
	err := s.db.QueryRowContext(ctx, "SELECT revision, production FROM scenes WHERE id = ?", id).
		Scan(&revision, &production)
	if err != nil {
		return plain(err)
	}
	if c := CallerOf(ctx); c != nil && !c.Roles[production].Covers(Listener) {
		return errNotTheirs
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
		e, err := edit.ParseKept(raw)
		if err == nil {
			sc, err = edit.Replay(sc, e)
		}
		if err != nil {
			return nil, fmt.Errorf("edit %d of scene %s cannot be done again: %w", n, id, err)
		}
		h.keep(n, sc)
	}
	return sc, nil
}

func (s *Store) snapshots(ctx context.Context, id string) ([]int64, error) {
	return column[int64](s.db.QueryContext(ctx, "SELECT node FROM snapshots WHERE scene = ?", id))
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
