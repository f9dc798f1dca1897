// Package ingest brings recordings and scene files in: into the library of recordings and into the database, all of
// a file or nothing of it.
package ingest

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"blendseam/core/limit"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/timecode"
	"blendseam/media"
	"blendseam/media/scenefile"
	"blendseam/scratch"
	"blendseam/store"
)

// An Intake is where things go.
type Ingester struct {
	Store   *store.Store
	Library *media.Library
	Quota   int64 // bytes that the recordings of a production may have, as they came and as they are read; 0: any
}

// An OverQuota says that a production has no room for another recording.
type OverQuota struct{ Has, Most int64 } // bytes

func (e *OverQuota) Error() string {
	return fmt.Sprintf("This production's recordings have %s, and %s is the most. Remove some that no scene needs, or "+
		"let whoever keeps the program running raise the quota.", limit.Bytes(e.Has), limit.Bytes(e.Most))
}

// Room is an *OverQuota if the production of a scene has no room for so many bytes more.
func (in Ingester) Room(ctx context.Context, id string, more int64) error {
	if in.Quota <= 0 {
		return nil
	}
	list, err := in.Store.SourcesOf(ctx, id)
	if err != nil {
		return err
	}
	has := more
	for _, src := range list {
		var info media.Info
		if err := json.Unmarshal(src.Info, &info); err != nil {
			return err
		}
		has += info.Bytes + int64(info.Seconds*float64(info.Rate*min(info.Channels, 2)*4))
	}
	if has > in.Quota {
		return &OverQuota{has, in.Quota}
	}
	return nil
}

// Keep takes an arrival into the library and the database, ready for a scene's rates.
func (in Ingester) Keep(ctx context.Context, a *media.Arrival, rate int64, frames timecode.Rate) (media.Info, error) {
	return in.keep(ctx, a, rate, frames, nil)
}

func (in Ingester) keep(
	ctx context.Context, a *media.Arrival, rate int64, frames timecode.Rate, joined []string,
) (media.Info, error) {
	info, err := a.Keep(ctx, rate, frames)
	if err != nil {
		return info, err
	}
	info.Joined = joined
	return info, in.know(ctx, info)
}

// know keeps in the database what is known of a recording of the library.
func (in Ingester) know(ctx context.Context, info media.Info) error {
	raw, err := json.Marshal(info)
	if err != nil {
		return err
	}
	return in.Store.AddSource(ctx, store.Source{ID: info.ID, SHA256: info.SHA256, Name: info.Name, Info: raw})
}

// Kept goes on with an arrival that was taken into the library by its hash, and perhaps not into the database; ok is
// false if the library does not have it.
func (in Ingester) Kept(
	ctx context.Context, sum, name string, rate int64, frames timecode.Rate,
) (info media.Info, ok bool, err error) {
	info, ok, err = in.Library.Has(ctx, sum, name, rate, frames)
	if ok && err == nil {
		err = in.know(ctx, info)
	}
	return info, ok, err
}

// File takes a recording on this machine.
func (in Ingester) File(ctx context.Context, path string, rate int64, frames timecode.Rate) (media.Info, error) {
	return in.file(ctx, path, rate, frames, nil)
}

// Joined takes a recording that was made here, joined from others, whose names it keeps.
func (in Ingester) Joined(ctx context.Context, path string, s *scene.Scene, from []string) (media.Info, error) {
	return in.file(ctx, path, s.SampleRate, s.Rate, from)
}

func (in Ingester) file(
	ctx context.Context, path string, rate int64, frames timecode.Rate, joined []string,
) (media.Info, error) {
	switch s, err := os.Stat(path); {
	case err != nil:
		return media.Info{}, fmt.Errorf("%s cannot be opened: %w", path, errors.Unwrap(err))
	case s.IsDir():
		return media.Info{}, fmt.Errorf("%s is a folder; name the recordings in it", path)
	case !s.Mode().IsRegular(): // a pipe would be waited for
		return media.Info{}, fmt.Errorf("%s is no file but a device or a pipe; name a recording", path)
	}
	f, err := os.Open(path)
	if err != nil {
		return media.Info{}, fmt.Errorf("%s cannot be opened: %w", path, errors.Unwrap(err))
	}
	defer f.Close()
	a, err := in.Library.Receive(filepath.Base(path))
	if err != nil {
		return media.Info{}, err
	}
	defer a.Close()
	if _, err := io.Copy(a, &stoppable{ctx, f}); err != nil {
		return media.Info{}, err
	}
	return in.keep(ctx, a, rate, frames, joined)
}

// stoppable ends a copy when its context ends.
type stoppable struct {
	ctx context.Context
	io.Reader
}

func (s *stoppable) Read(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	return s.Reader.Read(p)
}

// Source is a recording as a scene knows it, once it is prepared for the scene's rates.
func (in Ingester) Source(info media.Info, s *scene.Scene) (scene.Source, error) {
	src := scene.Source{
		ID:     info.ID,
		Name:   strings.TrimSuffix(info.Name, filepath.Ext(info.Name)),
		URL:    info.Name,
		Frames: info.Frames(s.Rate),
		SHA256: info.SHA256,
	}
	if start := info.StartS(); start != nil {
		src.Offset = timecode.Units(start, s.SampleRate, 1)
	}
	if info.Rate > 0 {
		w, err := in.Library.Sound(info.ID, s.SampleRate)
		if err != nil {
			return src, err
		}
		defer w.Close()
		src.Samples, src.Channels = w.Len(), w.Format().Channels
	}
	return src, nil
}

// Into makes recordings known to a scene, as one edit; those it knows already stay as they are.
func (in Ingester) Into(ctx context.Context, id string, infos []media.Info) error {
	for {
		st, err := in.Store.Scene(ctx, id)
		if err != nil {
			return err
		}
		var known []media.Info // all that is here, asked for where something is missing
		if slices.ContainsFunc(slices.Collect(maps.Keys(st.Scene.Sources)), scene.IsMissing) {
			if known, err = in.all(ctx); err != nil {
				return err
			}
		}
		var edits []edit.Edit
		for _, info := range infos {
			if _, known := st.Scene.Sources[info.ID]; known {
				continue
			}
			if err := in.Library.Prepare(ctx, info, st.Scene.SampleRate, st.Scene.Rate); err != nil {
				return err
			}
			src, err := in.Source(info, st.Scene)
			if err == nil {
				err = in.Store.LetNamed(ctx, id, info.ID, info.Name)
			}
			if err != nil {
				return err
			}
			edits = append(edits, &edit.Bring{Source: src})
			edits = append(edits, linking(st.Scene, info, known, src)...)
		}
		switch len(edits) {
		case 0:
			return nil
		case 1:
			_, err = in.Store.Edit(ctx, id, st.Revision, edits[0])
		default:
			_, err = in.Store.Edit(
				ctx,
				id,
				st.Revision,
				edit.NewBatch(fmt.Sprintf("brought in %d recordings", len(edits)), edits...),
			)
		}
		if stale := (*store.Stale)(nil); !errors.As(err, &stale) {
			return err
		}
	}
}

// linking links what is missing in a scene to a recording that has come, where it can be only that.
func linking(s *scene.Scene, info media.Info, known []media.Info, to scene.Source) (list []edit.Edit) {
	for id, src := range s.Sources {
		if !scene.IsMissing(id) || src.SHA256 != "" && src.SHA256 != info.SHA256 {
			continue
		}
		if src.SHA256 == "" && len(named([]media.Info{info}, src.URL)) == 0 {
			if clock := byTimecode(s, src, known); len(clock) != 1 || clock[0].ID != info.ID {
				continue
			}
		}
		e := &edit.LinkSource{Source: id, To: to}
		if _, err := edit.Apply(s, e); err == nil {
			list = append(list, e)
		}
	}
	return list
}

// Known is what is known of a recording that was brought in; store.ErrNotFound if there is none.
func (in Ingester) Known(ctx context.Context, id string) (info media.Info, err error) {
	src, err := in.Store.Source(ctx, id)
	if err == nil {
		err = json.Unmarshal(src.Info, &info)
		info.Name = src.Name
	}
	return info, err
}

// Admit lets an edit of a scene that comes from outside bring no recording but those of the library, as they are
// there: it puts what the library knows in the place of what the edit says of them. One that is not there is a
// *NotHere.
func (in Ingester) Admit(ctx context.Context, id string, e edit.Edit) error {
	return in.admit(ctx, id, e, in.Store.Grant)
}

// Look does so for an edit that is only tried: the production of the scene is not given the recordings.
func (in Ingester) Look(ctx context.Context, id string, e edit.Edit) error {
	return in.admit(ctx, id, e, func(context.Context, string, ...string) error { return nil })
}

func (in Ingester) admit(
	ctx context.Context, id string, e edit.Edit, let func(ctx context.Context, scene string, sources ...string) error,
) error {
	var sc *scene.Scene // opened by the first recording; most edits bring none
	return edit.MapSources(e, func(src scene.Source) (scene.Source, error) {
		if sc == nil {
			st, err := in.Store.Scene(ctx, id)
			if err != nil {
				return src, err
			}
			sc = st.Scene
		}
		info, err := in.Known(ctx, src.ID)
		if errors.Is(err, store.ErrNotFound) || src.Made() {
			return src, &NotHere{src.Name}
		} else if err != nil {
			return src, err
		}
		if err := in.Library.Prepare(ctx, info, sc.SampleRate, sc.Rate); err != nil {
			return src, err
		}
		now, err := in.Source(info, sc)
		if err == nil {
			err = let(ctx, id, info.ID)
		}
		if src.Name != "" {
			now.Name = src.Name
		}
		now.Joined = src.Joined // which the scene checks
		return now, err
	})
}

// NotHere says that a recording is not in the library.
type NotHere struct{ Name string }

func (e *NotHere) Error() string {
	name, _ := limit.Cut(e.Name, limit.Names)
	return fmt.Sprintf("The recording %q is not here. Bring it in first, then do it again.", name)
}

// SceneFile takes a scene file with all its recordings, which lie where it says, and gives the new scene's id. name,
// if not "", is what the scene is called; production has it.
func (in Ingester) SceneFile(
	ctx context.Context, path, name, production string,
) (id string, warnings []string, err error) {
	s, warnings, err := scenefile.ReadOnly(ctx, path)
	if err != nil {
		return "", nil, err
	}
	s, err = in.adopt(s, nil, func(src scene.Source) (media.Info, error) {
		file, err := scenefile.LocalPath(filepath.Dir(path), src.URL)
		if err != nil {
			return media.Info{}, err
		}
		if src.HeldFrom > 0 {
			return in.restored(ctx, file, src, s)
		}
		return in.File(ctx, file, s.SampleRate, s.Rate)
	})
	if err != nil {
		return "", nil, fmt.Errorf("%s: %w", filepath.Base(path), err)
	}
	if name != "" {
		s.Name = name
	}
	id, err = in.create(ctx, s, production)
	return id, warnings, err
}

// restored takes a recording that was cut to what a scene uses, at its full length.
func (in Ingester) restored(ctx context.Context, file string, src scene.Source, s *scene.Scene) (media.Info, error) {
	dir, err := scratch.Dir()
	if err != nil {
		return media.Info{}, err
	}
	defer os.RemoveAll(dir)
	whole := filepath.Join(dir, strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))+".wav")
	if err := scenefile.Restored(ctx, file, whole, src, s.SampleRate); err != nil {
		return media.Info{}, err
	}
	return in.File(ctx, whole, s.SampleRate, s.Rate)
}

// adopt is a scene of a file with its recordings as they are here, given by get, but for those that are gone.
func (in Ingester) adopt(
	s *scene.Scene,
	gone map[string]scene.Source,
	get func(scene.Source) (media.Info, error),
) (*scene.Scene, error) {
	list := map[string]scene.Source{}
	for old, src := range s.Sources {
		if src.Made() {
			continue
		}
		if missing, is := gone[old]; is {
			list[old] = missing
			continue
		}
		info, err := get(src)
		if err != nil {
			return nil, err
		}
		now, err := in.Source(info, s)
		if err != nil {
			return nil, err
		}
		now.Name, now.URL, now.Offset, now.Foreign, now.Stretches = src.Name, info.Name, src.Offset, src.Foreign,
			src.Stretches
		now.Joined = src.Joined
		list[old] = now
	}
	return scene.WithRecordings(s, list)
}
