package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"blendseam/core/refuse"
	"blendseam/export"
	"blendseam/interchange"
	"blendseam/workspace"
)

// A ListRequest says in which format a scene is written down, with what that cannot carry in recordings beside it.
type ListRequest struct {
	Ending string `json:"ending"` // of one of interchange.Formats, with the point
}

func (q *ListRequest) work(
	a *App, st *workspace.Scene, _ time.Time,
) (kind, words string, do workspace.Work, err error) {
	format, err := interchange.FormatOf("x" + q.Ending)
	if err != nil {
		return "", "", nil, refuse.Because(err)
	}
	words = format.Name + " with recordings of what it cannot carry"
	return "list", words, func(ctx context.Context, id string, done func(float64)) (any, error) {
		return a.inMade(id, func(dir string) (any, error) { return a.makeList(ctx, dir, st, format, q.Ending, done) })
	}, nil
}

func (a *App) makeList(
	ctx context.Context, dir string, st *workspace.Scene, to interchange.Format, ending string, done func(float64),
) (any, error) {
	name := export.FileName(st.Scene.Name)
	folder, beside := filepath.Join(dir, "list"), name+" joined"
	if err := os.MkdirAll(filepath.Join(folder, beside), 0o755); err != nil {
		return nil, err
	}
	carried, err := export.Carry(ctx, st.Scene, st.Sources(), to, filepath.Join(folder, beside), beside+"/",
		func(x float64) { done(0.9 * x) })
	if err != nil {
		return nil, err
	}
	raw, err := to.Write(carried.Scene)
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(folder, name+ending), raw, 0o644); err != nil {
		return nil, err
	}
	os.Remove(filepath.Join(folder, beside)) // where nothing was to be joined
	file := filepath.Join(dir, name+" "+to.Name+".zip")
	format := fmt.Sprintf("%s and %s", to.Name, interchange.Counted(len(carried.Files), "recording"))
	return zipped(ctx, st.Scene, folder, file, format)
}
