package media

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"net/url"
	"os"
	"path/filepath"

	"blendseam/core/pcm"
	"blendseam/core/pcm/wav"
	"blendseam/core/scene"
	"blendseam/interchange/otio"
)

// A SceneFile is a scene read from a file, with its recordings opened.
type SceneFile struct {
	Scene    *scene.Scene
	Warnings []string
	open     map[string]*wav.Reader // by source id
}

// ReadSceneFile reads an OTIO file. Recordings are looked up beside it, and must all be there.
func ReadSceneFile(ctx context.Context, path string) (*SceneFile, error) {
	f, err := readScene(ctx, path)
	if err != nil {
		return nil, err
	}
	for _, t := range f.Scene.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		for _, c := range t.Clips {
			if err := f.openClip(ctx, path, c); err != nil {
				f.Close()
				return nil, fmt.Errorf("%s: clip %s: %w", path, c.Name, err)
			}
		}
	}
	if err := f.Scene.Check(); err != nil {
		f.Close()
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return f, nil
}

// openClip opens the recording of a clip, or those that its tone is made from.
func (f *SceneFile) openClip(ctx context.Context, path string, c scene.Clip) error {
	ids := []string{c.Source}
	if tone := f.Scene.Sources[c.Source].Tone; tone != nil {
		ids = nil
		for _, m := range tone.Materials() {
			ids = append(ids, m.Source)
		}
	}
	for _, id := range ids {
		if f.open[id] != nil {
			continue
		}
		src := f.Scene.Sources[id]
		file, err := LocalPath(filepath.Dir(path), src.URL)
		if err != nil {
			return err
		}
		r, err := Open(ctx, file, int(f.Scene.SampleRate))
		if err != nil {
			return err
		}
		f.open[id] = r
		src.Samples, src.Channels, src.Unknown = r.Len(), r.Format().Channels, false
		f.Scene.Sources[id] = src
	}
	return nil
}

// ReadSceneOnly reads an OTIO file without opening its recordings; where one's length is neither stated
// nor to be seen, its clips are taken to lie inside it.
func ReadSceneOnly(ctx context.Context, path string) (*scene.Scene, []string, error) {
	f, err := readScene(ctx, path)
	if err != nil {
		return nil, nil, err
	}
	if err := f.Scene.Check(); err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	return f.Scene, f.Warnings, nil
}

func readScene(ctx context.Context, path string) (*SceneFile, error) {
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %s", path, reason(err))
	}
	s, warnings, err := otio.Read(raw, func(target string) (sound, picture *big.Rat) {
		file, err := LocalPath(filepath.Dir(path), target)
		if err != nil {
			return nil, nil
		}
		return lengths(ctx, file)
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return &SceneFile{s, warnings, map[string]*wav.Reader{}}, nil
}

// lengths gives the seconds of sound and of picture in a file, nil what it has not or where it cannot be read.
func lengths(ctx context.Context, file string) (sound, picture *big.Rat) {
	if w, err := wav.Open(file); err == nil {
		defer w.Close()
		return big.NewRat(w.Len(), int64(w.Format().Rate)), nil
	}
	p, err := ProbeFile(ctx, file)
	if err != nil {
		return nil, nil
	}
	if p.Rate > 0 && p.SoundS > 0 {
		sound = new(big.Rat).SetFloat64(p.SoundS)
	}
	if p.Width > 0 && p.Seconds > 0 {
		picture = new(big.Rat).SetFloat64(p.Seconds)
	}
	return sound, picture
}

// LocalPath is the file that a media URL names: relative to a folder, or a file URL.
func LocalPath(dir, target string) (string, error) {
	u, err := url.Parse(target)
	if err != nil || u.Scheme == "" && u.Host == "" && u.Path == "" {
		return filepath.Join(dir, target), nil
	}
	switch u.Scheme {
	case "":
		// A plain relative name may hold what only looks like an escape.
		if plain := filepath.Join(dir, filepath.FromSlash(target)); exists(plain) {
			return plain, nil
		}
		if filepath.IsAbs(u.Path) {
			return filepath.FromSlash(u.Path), nil
		}
		return filepath.Join(dir, filepath.FromSlash(u.Path)), nil
	case "file":
		if u.Host != "" && u.Host != "localhost" {
			return "", fmt.Errorf("%s lies on another machine; copy it here and relink it", target)
		}
		if u.Opaque != "" {
			return filepath.Join(dir, filepath.FromSlash(u.Opaque)), nil
		}
		return filepath.FromSlash(u.Path), nil
	}
	return "", fmt.Errorf("%s is not a file on this machine; file URLs and relative names are", target)
}

func exists(path string) bool { _, err := os.Stat(path); return err == nil }

// Open gives the sound of a source of the scene.
func (f *SceneFile) Open(src scene.Source) (pcm.ReaderAt, error) {
	if r := f.open[src.ID]; r != nil {
		return r, nil
	}
	return nil, fmt.Errorf("the recording %s is not open", src.Name)
}

// Close closes all recordings.
func (f *SceneFile) Close() error {
	var errs []error
	for _, r := range f.open {
		errs = append(errs, r.Close())
	}
	return errors.Join(errs...)
}
