package app

import (
	"context"
	"slices"

	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/media"
)

// A LayOutRequest says which recording is laid out.
type LayOutRequest struct {
	Source  string        `json:"source" doc:"The id of the recording."`
	Purpose scene.Purpose `json:"purpose,omitempty" doc:"Of the track; found by listening if not given."`
}

func layOut(ctx context.Context, p Project, q *LayOutRequest) (*Done, error) {
	if k, ok := p.(*keptProject); ok {
		var err error
		if q.Purpose, err = k.app.Bring(ctx, k.open.Key.Scene, q.Source, q.Purpose); err == nil {
			err = k.reopen(ctx)
		}
		if err != nil {
			return nil, err
		}
	}
	if q.Purpose == "" {
		q.Purpose = scene.ForDialogue
	}
	e, err := edit.LayOut(p.Scene(), q.Source, q.Purpose)
	if err != nil {
		return nil, err
	}
	return perform(ctx, p, e)
}

// Bring brings a recording from the library into a scene. It returns the purpose of the track that it belongs on: the
// one that was chosen, or what is heard in it if that is none.
func (a *App) Bring(ctx context.Context, id, source string, chosen scene.Purpose) (scene.Purpose, error) {
	info, err := a.Known(ctx, source)
	if err != nil {
		return "", err
	}
	if err := a.Into(ctx, id, []media.Info{info}); err != nil {
		return "", err
	}
	a.Returned()
	if slices.Contains(scene.Purposes, chosen) {
		return chosen, nil
	}
	st, err := a.Open(ctx, id)
	if err != nil {
		return "", err
	}
	return st.PurposeOf(ctx, source)
}
