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
		if err := k.bring(ctx, q); err != nil {
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
	before := p.Scene()
	if err := p.Edit(ctx, e); err != nil {
		return nil, err
	}
	return &Done{p.Revision(), edit.Describe(before, p.Scene(), e)}, nil
}

// bring brings the recording of a request from the library into the scene, and finds its purpose where none is given.
func (k *keptProject) bring(ctx context.Context, q *LayOutRequest) error {
	info, err := k.app.Known(ctx, q.Source)
	if err != nil {
		return err
	}
	if err := k.app.Into(ctx, k.open.Key.Scene, []media.Info{info}); err != nil {
		return err
	}
	k.app.Returned()
	if err := k.reopen(ctx); err != nil {
		return err
	}
	if !slices.Contains(scene.Purposes, q.Purpose) {
		q.Purpose, err = k.open.PurposeOf(ctx, q.Source)
	}
	return err
}
