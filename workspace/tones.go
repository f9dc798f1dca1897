package workspace

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"blendseam/core/mend/fill"
	"blendseam/core/meter"
	"blendseam/core/mix"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/store"
)

// rooms are the made-up rooms of the library, which are made once.
type rooms struct {
	mu   sync.Mutex
	made bool
}

// Tones are all tones of the library; the made-up rooms are made when they are first asked for.
func (w *Workspace) Tones(ctx context.Context) ([]store.Tone, error) {
	w.rooms.mu.Lock()
	defer w.rooms.mu.Unlock()
	list, err := w.Store.Tones(ctx)
	if err != nil || w.rooms.made {
		return list, err
	}
	if err := w.Rooms(ctx, list); err != nil {
		return nil, err
	}
	w.rooms.made = true
	return w.Store.Tones(ctx)
}

// libraryKey names all that a library of tones holds.
func libraryKey(list []store.Tone) string {
	var b strings.Builder
	for _, t := range list {
		fmt.Fprintf(&b, "%s/%s/%s/%d/%d;", t.ID, t.Name, t.Source, t.From, t.To)
	}
	return b.String()
}

// Tone gives a tone of the library by its id.
func (w *Workspace) Tone(ctx context.Context, id string) (store.Tone, error) {
	list, err := w.Tones(ctx)
	if err != nil {
		return store.Tone{}, err
	}
	i := slices.IndexFunc(list, func(t store.Tone) bool { return t.ID == id })
	if i < 0 {
		return store.Tone{}, store.ErrNotFound
	}
	return list[i], nil
}

// inScene is a tone of the library as a scene could have it: its recording is prepared for the scene's rate.
func (s *Scene) inScene(ctx context.Context, t store.Tone) (l fill.LibraryTone, err error) {
	info, err := s.w.Known(ctx, t.Source)
	if err != nil {
		return l, err
	}
	sc := s.Scene
	if err := s.w.Library.Prepare(ctx, info, sc.SampleRate, sc.Rate); err != nil {
		return l, err
	}
	l.Name = t.Name
	if l.Source, err = s.w.Source(info, sc); err != nil {
		return l, err
	}
	l.Span = pcm.Span{From: t.From * sc.SampleRate / t.Rate, To: min(l.Source.Samples, t.To*sc.SampleRate/t.Rate)}
	return l, nil
}

// library are tones of the library for the scene. A tone whose recording is gone is left out.
func (s *Scene) library(ctx context.Context, kept []store.Tone) (list []fill.LibraryTone, err error) {
	for _, t := range kept {
		l, err := s.inScene(ctx, t)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err == nil {
			list = append(list, l)
		}
	}
	return list, nil
}

// FromLibrary is a tone of the library as a filling for the scene.
func (s *Scene) FromLibrary(ctx context.Context, t store.Tone) (*fill.Filling, error) {
	l, err := s.inScene(ctx, t)
	if err != nil {
		return nil, err
	}
	m, err := s.Adviser(ctx)
	if err != nil {
		return nil, err
	}
	return m.FromLibrary(ctx, l)
}

// Alone is a scene without anything in it that is kept nowhere.
func (w *Workspace) Alone(sc *scene.Scene) *Scene {
	return &Scene{store.State{Scene: sc}, Key{Scene: fmt.Sprintf("none at %d", sc.SampleRate)}, w}
}

// Built is a tone of the library for so long, built, and where it lies in the sound that is given.
func (s *Scene) Built(ctx context.Context, t store.Tone, length int64) (pcm.ReaderAt, pcm.Span, error) {
	f, err := s.FromLibrary(ctx, t)
	if err != nil {
		return nil, pcm.Span{}, err
	}
	m, err := s.Adviser(ctx)
	if err != nil {
		return nil, pcm.Span{}, err
	}
	r, err := m.Built(ctx, f, t.LevelDB)
	return r, pcm.Span{From: s.Scene.ToneMiddle(), To: s.Scene.ToneMiddle() + length}, err
}

// WithBed is the scene as it sounds with a tone of the library as a bed under it; nil if none of its clips has a pause
// to set the bed's level by.
func (s *Scene) WithBed(ctx context.Context, t store.Tone) (pcm.ReaderAt, error) {
	f, err := s.FromLibrary(ctx, t)
	if err != nil {
		return nil, err
	}
	m, err := s.Adviser(ctx)
	if err != nil {
		return nil, err
	}
	bed, err := m.Bed(ctx, pcm.Span{To: s.Scene.Length()}, f)
	if err != nil || bed == nil {
		return nil, err
	}
	with, err := edit.Apply(s.Scene, bed.Edit)
	if err != nil {
		return nil, err
	}
	whole, err := mix.New(with, meter.NewMeter(with, s.Sources()).Mix(with), mix.Options{})
	return mix.Recording{Mixer: whole, Rate: int(with.SampleRate)}, err
}
