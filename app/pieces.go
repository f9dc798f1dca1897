package app

import (
	"context"
	"fmt"
	"time"

	"blendseam/core/scene"
	"blendseam/export"
	"blendseam/media"
	"blendseam/workspace"
)

// A PiecesRequest says of what files are made: marked stretches of a recording, or clips.
type PiecesRequest struct {
	Source  string         `json:"source"` // its marked stretches; "" and no clips: those of all recordings
	Clips   []scene.ClipID `json:"clips"`
	Kind    string         `json:"kind"` // one of media.Kinds, by its ending
	Depth   string         `json:"depth"`
	Pattern string         `json:"pattern"`
}

// list is what a request asks for.
func (q *PiecesRequest) list(st *workspace.Scene) ([]export.Piece, error) {
	if len(q.Clips) > 0 {
		return export.Clips(st.Scene, st.Sources(), q.Clips)
	}
	return export.Stretches(st.Scene, st.Sources(), q.Source)
}

func (q *PiecesRequest) work(
	a *App, st *workspace.Scene, when time.Time,
) (kind, words string, do workspace.Work, err error) {
	list, err := q.list(st)
	if err != nil {
		return "", "", nil, err
	}
	files := export.Files{Kind: q.Kind, Pattern: q.Pattern,
		Form:   media.Form{Rate: int(st.Scene.SampleRate), Depth: q.Depth},
		Naming: export.Naming{Scene: st.Scene.Name, Version: st.Revision, Date: when}}
	if err := files.Check(list); err != nil {
		return "", "", nil, err
	}
	of, _ := media.KindOf("x." + q.Kind)
	what := "stretches"
	if len(q.Clips) > 0 {
		what = "clips"
	}
	words = fmt.Sprintf("%s, %d %s", of.Name, len(list), what)
	return "pieces", words, func(ctx context.Context, id string, done func(float64)) (any, error) {
		return a.inMade(id, func(dir string) (any, error) {
			files.Dir = dir
			made, err := files.Write(ctx, list, done)
			all := Result{Files: []MadeFile{}, Passes: []PassPlace{}}
			all.took(made)
			return all, err
		})
	}, nil
}
