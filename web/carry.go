package web

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"blendseam/export"
	"blendseam/interchange"
	"blendseam/workspace"
)

// A listRequest says in which format a scene is written down, with what that cannot carry in recordings beside it.
type listRequest struct {
	Ending string `json:"ending"` // of one of interchange.Formats, with the point
}

// list begins to write a scene down with what its format cannot carry in recordings of their own, in a ZIP file.
func (s *Server) list(w http.ResponseWriter, r *http.Request) error {
	return s.begin(w, r, new(listRequest))
}

func (q *listRequest) work(
	s *Server, st *workspace.Scene, _ time.Time,
) (kind, words string, do workspace.Work, err error) {
	format, err := interchange.FormatOf("x" + q.Ending)
	if err != nil {
		return "", "", nil, errBadRequest{err}
	}
	words = format.Name + " with recordings of what it cannot carry"
	return "list", words, func(ctx context.Context, id string, done func(float64)) (any, error) {
		return s.inMade(id, func(dir string) (any, error) { return s.makeList(ctx, dir, st, format, q.Ending, done) })
	}, nil
}

func (s *Server) makeList(
	ctx context.Context, dir string, st *workspace.Scene, to interchange.Format, ending string, done func(float64),
) (any, error) {
	name := fileName(st.Scene.Name)
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
