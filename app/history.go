package app

import (
	"context"

	"blendseam/core/refuse"
	"blendseam/store"
)

// kept returns a project of the database: an operation that needs the log of edits is refused on a scene file.
func kept(p Project, what string) (*keptProject, error) {
	if k, ok := p.(*keptProject); ok {
		return k, nil
	}
	return nil, refuse.Errorf(
		"A scene file cannot be used to %s; bring it into the database with blendseam import.",
		what,
	)
}

// What is said where there is no step in a scene's history.
const (
	NothingToUndo = "There is nothing to undo: no edit has been made yet."
	NothingToRedo = "There is nothing to redo: the last thing done was not an undo."
)

// NoStep says why there is no step: none, unless every edit of the scene is undone.
func (a *App) NoStep(ctx context.Context, id, none string) string {
	if st, err := a.Store.Scene(ctx, id); err == nil && st.Undo == "" && st.Redo != "" {
		return "Every edit is undone: the scene is as it began. Redo brings them back."
	}
	return none
}

func undo(ctx context.Context, p Project, _ *Nothing) (*Done, error) {
	return travel(ctx, p, "undo", (*store.Store).UndoMine, NothingToUndo)
}

func redo(ctx context.Context, p Project, _ *Nothing) (*Done, error) {
	return travel(ctx, p, "redo", (*store.Store).RedoMine, NothingToRedo)
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
		err = refuse.Errorf("%s", k.app.NoStep(ctx, k.open.Key.Scene, none))
	}
	if err == nil {
		err = k.edited(ctx, c)
	}
	if err != nil {
		return nil, err
	}
	return &Done{c.Revision, c.Words}, nil
}
