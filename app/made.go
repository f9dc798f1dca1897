package app

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"time"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/media"
	"blendseam/store"
	"blendseam/workspace"
)

// inMade lets a job make something in a folder of its own, which goes again if that fails.
func (a *App) inMade(jobID string, make func(dir string) (any, error)) (any, error) {
	dir := filepath.Join(a.Made, jobID)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	if err := media.Space(dir, limit.ReserveBytes); err != nil {
		os.Remove(dir)
		return nil, err
	}
	result, err := make(dir)
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	return result, nil
}

// MadeFiles returns the files of a job that is done.
func (a *App) MadeFiles(ctx context.Context, jobID string) (id string, list []MadeFile, err error) {
	job, err := a.Store.Job(ctx, jobID)
	if err != nil {
		return "", nil, err
	}
	var result Result
	if job.State != "done" || json.Unmarshal(job.Result, &result) != nil {
		return "", nil, store.ErrNotFound
	}
	if list = result.Files; len(list) == 0 && result.File != "" { // as it was kept once
		list = []MadeFile{result.MadeFile}
	}
	if len(list) == 0 {
		return "", nil, store.ErrNotFound
	}
	return job.ID, list, nil
}

// errDamaged says that a file is not what was made.
var errDamaged = refuse.Errorf("This file is damaged: it is not as long as it was made. Make it again.")

// FileOf returns where a file lies that a job made, here or in another process. Whoever fetches it keeps it from going.
func (a *App) FileOf(id string, f MadeFile) (string, error) {
	dir, name := filepath.Join(a.Made, id), filepath.Base(f.File)
	if err := a.Library.Made(id, dir, name); err != nil {
		return "", err
	}
	file := filepath.Join(dir, name)
	info, err := os.Stat(file)
	if err != nil {
		return "", store.ErrNotFound
	}
	if f.Bytes > 0 && info.Size() != f.Bytes {
		return "", errDamaged
	}
	now := time.Now()
	os.Chtimes(dir, now, now)
	return file, nil
}

// ForgetMade removes a job that is over, with what it made.
func (a *App) ForgetMade(ctx context.Context, id string) error {
	if err := a.Store.ForgetJob(ctx, id); err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return errors.Join(os.RemoveAll(filepath.Join(a.Made, id)), a.Library.DropMade(ctx, id))
}

// ForgetAllMade removes what was made of a scene that is removed.
func (a *App) ForgetAllMade(ctx context.Context, scene string) error {
	list, err := a.MadeList(ctx, scene)
	if err != nil {
		return err
	}
	for _, p := range list {
		a.Jobs.Stop(ctx, p.ID)
		if err := a.ForgetMade(ctx, p.ID); err != nil {
			return err
		}
	}
	return nil
}

// How often it is looked for what was made and is old, and how long a folder stays that no job knows.
const (
	sweepEvery = time.Hour
	strangeFor = 24 * time.Hour
)

// SweepMade removes, now and each hour until ctx ends, what was made or fetched last longer ago than keep, and what no
// job knows.
func (a *App) SweepMade(ctx context.Context, keep time.Duration) {
	for every := time.NewTicker(sweepEvery); ; {
		if err := a.Sweep(ctx, keep); err != nil && ctx.Err() == nil {
			slog.Warn("what was made long ago could not be removed", "err", err)
		}
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
	}
}

// Sweep removes what was made and is older than keep, and what no job knows.
func (a *App) Sweep(ctx context.Context, keep time.Duration) error {
	entries, err := os.ReadDir(a.Made)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	} else if err != nil {
		return err
	}
	for _, e := range entries {
		info, err := e.Info()
		if err != nil || !e.IsDir() {
			continue
		}
		job, err := a.Store.Job(ctx, e.Name())
		age := time.Since(info.ModTime())
		switch {
		case errors.Is(err, store.ErrNotFound) && age > strangeFor:
		case err != nil:
			continue
		case job.State == "running" || keep <= 0 || age <= keep:
			continue
		}
		if err := a.ForgetMade(ctx, e.Name()); err != nil {
			return err
		}
	}
	return nil
}

// handedOver are the kinds of job whose results the page lists.
var handedOver = []string{"mixdown", "look", "package", "pieces", "list"}

func (a *App) MadeList(ctx context.Context, id string) ([]workspace.Progress, error) {
	list := []workspace.Progress{}
	for _, kind := range handedOver {
		jobs, err := a.Store.Jobs(ctx, id, kind)
		if err != nil {
			return nil, err
		}
		for _, j := range jobs {
			list = append(list, a.Jobs.Progress(j))
		}
	}
	slices.SortStableFunc(list, func(a, b workspace.Progress) int { return b.Made.Compare(a.Made) })
	return list, nil
}
