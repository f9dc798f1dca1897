package app

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/export"
	"blendseam/interchange/report"
	"blendseam/workspace"
)

// A PackRequest says how a scene is packed.
type PackRequest struct {
	HandleS float64 `json:"handle_s"`
	FLAC    bool    `json:"flac"`
	Picture bool    `json:"picture"`
	Report  bool    `json:"report"`
}

func (q *PackRequest) work(
	a *App, st *workspace.Scene, when time.Time,
) (kind, words string, do workspace.Work, err error) {
	if !(q.HandleS >= 0 && q.HandleS <= 3600) {
		return "", "", nil, refuse.Errorf("handles of %g seconds cannot be; 0 to 3600 can", q.HandleS)
	}
	words = fmt.Sprintf("Package, handles of %g s", q.HandleS)
	return "package", words, func(ctx context.Context, id string, done func(float64)) (any, error) {
		return a.inMade(id, func(dir string) (any, error) { return a.makePackage(ctx, dir, st, *q, when, done) })
	}, nil
}

func (a *App) makePackage(
	ctx context.Context, dir string, st *workspace.Scene, q PackRequest, when time.Time, done func(float64),
) (any, error) {
	p := export.Packing{
		HandleS: q.HandleS, FLAC: q.FLAC, Picture: q.Picture, When: when,
		Open: func(src scene.Source) (pcm.ReaderAt, error) { return st.Sound(src) },
		File: func(src scene.Source) (string, error) { return a.Library.Original(export.PictureOf(src.ID)) },
	}
	if q.Report {
		all, err := st.All(ctx)
		if err != nil {
			return nil, err
		}
		if p.Report, err = report.CSV(st.Scene, all, nil); err != nil {
			return nil, err
		}
	}
	folder := filepath.Join(dir, "package")
	saved := scene.SavedFrom(st.Scene, scene.Origin{Scene: st.Key.Scene, State: st.Key.Node})
	packed, err := export.Pack(ctx, saved, folder, p, func(x float64) { done(0.9 * x) })
	if err != nil {
		return nil, err
	}
	file := filepath.Join(dir, export.FileName(st.Scene.Name)+".zip")
	format := fmt.Sprintf("%d files, %.0f s of %.0f s of recordings", packed.Files, packed.KeptS, packed.WholeS)
	return zipped(ctx, st.Scene, folder, file, format)
}

// zipped puts a folder that was made of a scene into a ZIP file in its place.
func zipped(ctx context.Context, sc *scene.Scene, folder, file, format string) (any, error) {
	if err := export.Zip(ctx, folder, file); err != nil {
		return nil, err
	}
	if err := os.RemoveAll(folder); err != nil {
		return nil, err
	}
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	one := MadeFile{File: filepath.Base(file), Bytes: info.Size(), Format: format,
		LengthS: float64(sc.Length()) / float64(sc.SampleRate)}
	return Result{Files: []MadeFile{one}, Passes: []PassPlace{}, MadeFile: one}, nil
}
