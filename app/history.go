package app

import (
	"context"

	"blendseam/core/refuse"
	"blendseam/store"
)

// errOnlyKept is told of operations that need the log of edits, which scene files do not have.
func kept(p Project, what string) (*keptProject, error) {
	if k, ok := p.(*keptProject); ok {
		return k, nil
	}
	return nil, refuse.Errorf(
		"A scene file cannot be used to %s; bring it into the database with blendseam import.",
		what,
	)
}

func undo(ctx context.Context, p Project, _ *Nothing) (*Done, error) {
	return travel(ctx, p, "undo", (*store.Store).UndoMine, "There is nothing to undo: you have made no edit yet.")
}

func redo(ctx context.Context, p Project, _ *Nothing) (*Done, error) {
	return travel(
		ctx,
		p,
		"redo",
		(*store.Store).RedoMine,
		"There is nothing to redo: the last thing done was not an undo.",
	)
}

// travel takes one step through the history of whoever asks.
func travel(
	ctx context.Context, p Project, what string,
	step func(*store.Store, context.Context, string, int64) (store.Change, bool, error), none string,
) (*Done, error) {
	k, err := kept(p, what)
	if err != nil {
		return nil, err
	}
	c, ok, err := step(k.app.Store, ctx, k.open.Key.Scene, k.open.Revision)
	if err == nil && !ok {
		err = refuse.Errorf("%s", none)
	}
	if err == nil {
		err = k.edited(ctx, c)
	}
	if err != nil {
		return nil, err
	}
	return &Done{c.Revision, c.Words}, nil
}
