package app

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"

	"blendseam/media"
	"blendseam/store"
	"blendseam/workspace"
)

// sourceJob is the kind of the jobs that bring a recording in that came.
const sourceJob = "source"

// arriving is what such a job is begun again by: the name under which the file waits, its hash and its own name.
type arriving struct {
	Waits  string `json:"waits"`
	SHA256 string `json:"sha256"`
	Name   string `json:"name"`
}

// bringIn is the work of bringing a file that came into the library and a scene; file is nil in a process that goes on
// for another. The file goes when that is done or cannot be done, and waits on if this process ends.
func (a *App) bringIn(id string, came arriving, file *media.Arrival) workspace.Work {
	return func(ctx context.Context, _ string, _ func(float64)) (any, error) {
		result, err := a.broughtIn(ctx, id, came, &file)
		if file != nil && !(a.Jobs.Ending() && errors.Is(err, context.Canceled)) {
			file.Close()
		}
		return result, err
	}
}

func (a *App) broughtIn(ctx context.Context, id string, came arriving, file **media.Arrival) (any, error) {
	st, err := a.Store.Scene(ctx, id)
	if err != nil {
		return nil, err
	}
	rate, frames := st.Scene.SampleRate, st.Scene.Rate
	if *file == nil {
		if *file, err = a.Library.Waiting(came.Waits); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
	}
	var info media.Info
	if *file != nil {
		info, err = a.Keep(ctx, *file, rate, frames)
	} else { // it was taken into the library before its process ended
		var ok bool
		if info, ok, err = a.Kept(ctx, came.SHA256, came.Name, rate, frames); err == nil && !ok {
			err = errors.New("The file is not here any more. Bring it in again.")
		}
	}
	if err != nil {
		return nil, err
	}
	if err := a.Into(ctx, id, []media.Info{info}); err != nil {
		return nil, err
	}
	a.Returned()
	if err := a.Analyse(ctx, id, info, rate); err != nil {
		return nil, err
	}
	return info, a.TellState(ctx, id)
}

// BringIn begins a job that brings a file that has arrived into the library and a scene.
func (a *App) BringIn(
	ctx context.Context,
	sceneID string,
	file *media.Arrival,
	name string,
) (job store.Job, err error) {
	came := arriving{Name: name}
	if came.Waits, came.SHA256, err = file.Wait(ctx); err != nil {
		return job, errors.Join(err, file.Close())
	}
	asked, err := json.Marshal(came)
	if err != nil {
		return job, errors.Join(err, file.Close())
	}
	job, err = a.Jobs.Start(ctx, store.Job{Scene: sceneID, Kind: sourceJob, Words: name, Asked: asked},
		a.bringIn(sceneID, came, file))
	if err != nil {
		return job, errors.Join(err, file.Close())
	}
	return job, nil
}

// TellState tells all pages of a scene that it changed.
func (a *App) TellState(ctx context.Context, id string) error {
	st, err := a.Store.Scene(ctx, id)
	if err != nil {
		return err
	}
	a.Hub.Edited(id, st.Revision, st.Undo, "", "")
	return nil
}
