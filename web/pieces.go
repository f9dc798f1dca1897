package web

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"blendseam/core/scene"
	"blendseam/export"
	"blendseam/media"
	"blendseam/workspace"
)

// A piecesRequest says of what files are made: marked stretches of a recording, or clips.
type piecesRequest struct {
	Source  string         `json:"source"` // its marked stretches; "" and no clips: those of all recordings
	Clips   []scene.ClipID `json:"clips"`
	Kind    string         `json:"kind"` // one of media.Kinds, by its ending
	Depth   string         `json:"depth"`
	Pattern string         `json:"pattern"`
}

// pieces begins to write stretches or clips as files.
func (s *Server) pieces(w http.ResponseWriter, r *http.Request) error {
	return s.begin(w, r, new(piecesRequest))
}

// list is what a request asks for.
func (q *piecesRequest) list(st *workspace.Scene) ([]export.Piece, error) {
	if len(q.Clips) > 0 {
		return export.Clips(st.Scene, st.Sources(), q.Clips)
	}
	return export.Stretches(st.Scene, st.Sources(), q.Source)
}

func (q *piecesRequest) work(
	s *Server, st *workspace.Scene, when time.Time,
) (kind, words string, do workspace.Work, err error) {
	list, err := q.list(st)
	if err != nil {
		return "", "", nil, errBadRequest{err}
	}
	files := export.Files{Kind: q.Kind, Pattern: q.Pattern,
		Form:   media.Form{Rate: int(st.Scene.SampleRate), Depth: q.Depth},
		Naming: export.Naming{Scene: st.Scene.Name, Version: st.Revision, Date: when}}
	if err := files.Check(list); err != nil {
		return "", "", nil, errBadRequest{err}
	}
	of, _ := media.KindOf("x." + q.Kind)
	what := "stretches"
	if len(q.Clips) > 0 {
		what = "clips"
	}
	words = fmt.Sprintf("%s, %d %s", of.Name, len(list), what)
	return "pieces", words, func(ctx context.Context, id string, done func(float64)) (any, error) {
		return s.inMade(id, func(dir string) (any, error) {
			files.Dir = dir
			made, err := files.Write(ctx, list, done)
			all := mixdownResult{Files: []madeFile{}, Passes: []passPlace{}}
			all.took(made)
			return all, err
		})
	}, nil
}
