package workspace

import (
	"context"

	"blendseam/store"
)

// Renew begins a job that hears those recordings of a scene anew of which an older program kept what it heard. Until it
// is done, what is kept serves. Each recording is heard once for all scenes.
func (w *Workspace) Renew(ctx context.Context, s *Scene) error {
	var list []analysing
	for id, src := range w.unanalysed(s) {
		a := analysing{id, s.Scene.SampleRate}
		if _, begun := w.renewing.LoadOrStore(a, true); begun || !w.Library.AnalysedBefore(id, a.Rate) {
			continue
		}
		if w.Library.Shared() {
			if err := w.offerAnalysis(ctx, s.Key.Scene, src.Name, a); err != nil {
				return err
			}
			continue
		}
		list = append(list, a)
	}
	if len(list) == 0 {
		return nil
	}
	_, err := w.Jobs.Start(ctx, store.Job{Scene: s.Key.Scene, Kind: AnalysisJob, Words: s.Scene.Name},
		func(ctx context.Context, _ string, done func(float64)) (any, error) {
			modest()
			for i, a := range list {
				share := func(part float64) { done((float64(i) + part) / float64(len(list))) }
				if err := w.analyse(ctx, a, share); err != nil {
					return nil, err
				}
			}
			return nil, nil
		})
	return err
}

// analyse finds what a recording says by itself. What followed from what was known of it before is forgotten.
func (w *Workspace) analyse(ctx context.Context, a analysing, done func(float64)) error {
	anew := w.Library.AnalysedBefore(a.Source, a.Rate)
	if _, err := w.Library.Analysis(ctx, a.Source, a.Rate, done); err != nil || !anew {
		return err
	}
	w.sourcesAt(a.Rate).Forget(a.Source)
	w.results.Drop(func(string) bool { return true })
	w.lists.Drop(func(Key) bool { return true })
	w.evenings.Drop(func(eveningOf) bool { return true })
	w.voices.Drop(func(voicesOf) bool { return true })
	w.margins.Drop(func(marginsOf) bool { return true })
	w.kinds.Drop(func(string) bool { return true })
	w.Returned()
	return nil
}
