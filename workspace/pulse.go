package workspace

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"blendseam/store"
)

// How often it is looked what other processes did, and how often pages of which nothing is heard are forgotten.
const (
	pulseEvery  = 100 * time.Millisecond
	forgetEvery = time.Minute
)

// follow tells the pages of this process what happens in others, as long as the workspace is open: one question to the
// database each time, and none while no page listens.
func (w *Workspace) follow() {
	every, forget := time.NewTicker(pulseEvery), time.NewTicker(forgetEvery)
	defer every.Stop()
	defer forget.Stop()
	last := map[string]store.Pulse{}
	for {
		select {
		case <-w.ctx.Done():
			return
		case <-forget.C:
			if w.Hub.Listening() > 0 {
				if err := w.Store.ForgetPages(w.ctx); err != nil {
					slog.Debug("pages that have gone are kept", "err", err)
				}
			}
		case <-every.C:
			now, err := w.Store.Pulses(w.ctx, w.Hub.scenes())
			if err != nil { // it is looked again in a moment
				continue
			}
			for id, p := range now {
				was, known := last[id]
				if !known { // a page has come that may have missed something but edits, of which it has the newest
					was = store.Pulse{Revision: p.Revision, Signals: p.Signals - 1}
				}
				if was != p {
					w.happened(id, was, p)
				}
			}
			last = now
		}
	}
}

// happened tells what there is to see of a scene.
func (w *Workspace) happened(id string, was, now store.Pulse) {
	if now.Revision != was.Revision && w.Hub.told(id) < now.Revision {
		if e, err := w.Store.LastEdit(w.ctx, id, now.Revision); err == nil {
			w.Hub.Edited(id, now.Revision, e.Words, e.Who, "")
		}
	}
	if now.Signals == was.Signals {
		return
	}
	w.Hub.Tell(id, "notes", map[string]bool{"changed": true})
	if pages, err := w.Store.Pages(w.ctx, id); err == nil {
		w.Hub.Tell(id, "people", pages)
	}
	jobs, err := w.Store.Elsewhere(w.ctx, id)
	if err != nil && !errors.Is(err, context.Canceled) {
		slog.Debug("jobs elsewhere are not seen", "err", err)
	}
	for _, j := range jobs {
		w.Hub.Tell(id, "job", Progress{j, j.Done})
	}
}
