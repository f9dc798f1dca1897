// Package scenefile reads scene files of any format with the recordings that they name.
package scenefile

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"net/url"
	"os"
	"path/filepath"

	"blendseam/core/limit"
	"blendseam/core/listen/analysis"
	"blendseam/core/meter"
	"blendseam/core/parallel"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/flac"
	"blendseam/core/sound/pcm/wav"
	"blendseam/core/sound/timecode"
	"blendseam/interchange"
	_ "blendseam/interchange/formats"
	"blendseam/media"
)

// A File is a scene read from a file, with its recordings opened.
type File struct {
	Scene    *scene.Scene
	Warnings []string
	open     map[string]*wav.Reader // by source id
	files    map[string]string      // where each lies
	sources  *meter.Sources
}

// Read reads a scene file. Recordings are looked up beside it, and must all be there.
func Read(ctx context.Context, path string) (*File, error) {
	f, err := readScene(ctx, path, timecode.Rate{})
	if err != nil {
		return nil, err
	}
	if err := f.openAll(ctx, path); err != nil {
		f.Close()
		return nil, err
	}
	if err := f.Scene.Check(); err != nil {
		f.Close()
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return f, nil
}

// openAll opens the recordings of all clips, and those that their tones and rooms are made from, several at once.
func (f *File) openAll(ctx context.Context, path string) error {
	users := map[string]string{} // what is heard first of each recording
	var ids []string
	for _, t := range f.Scene.Tracks {
		if t.Kind != scene.Sound {
			continue
		}
		use := func(by string, sources ...string) {
			for _, id := range scene.Recordings(f.Scene, sources...) {
				if _, known := users[id]; !known {
					users[id] = by
					ids = append(ids, id)
				}
			}
		}
		for _, c := range t.Clips {
			use("clip "+c.Name, c.Sources()...)
		}
		use("track "+t.Name, t.Needs()...)
	}
	opened, files := make([]*wav.Reader, len(ids)), make([]string, len(ids))
	err := parallel.Each(ctx, len(ids), 0, func(i int) (err error) {
		if files[i], err = LocalPath(filepath.Dir(path), f.Scene.Sources[ids[i]].URL); err == nil {
			opened[i], err = media.Open(ctx, files[i], int(f.Scene.SampleRate))
		}
		if err != nil {
			return fmt.Errorf("%s: %s: %w", path, users[ids[i]], err)
		}
		return nil
	})
	for i, r := range opened {
		if r == nil {
			continue
		}
		id := ids[i]
		f.open[id], f.files[id] = r, files[i]
		src := f.Scene.Sources[id]
		src.Samples, src.Channels, src.Unknown = src.HeldFrom+r.Len(), r.Format().Channels, false
		f.Scene.Sources[id] = src
	}
	for id, src := range f.Scene.Sources { // fitted ones are as long as it takes
		if src.Fit != nil && err == nil {
			if f.Scene.Sources[id], err = scene.FitSource(f.Scene, *src.Fit, src.Name); err != nil {
				return err
			}
		}
	}
	for id, src := range f.Scene.Sources { // tones have as many channels as what they are made from
		if src.Tone != nil && err == nil {
			if f.Scene.Sources[id], err = f.Scene.ToneSource(*src.Tone, src.Name); err != nil {
				return err
			}
		}
	}
	return err
}

// ReadOnly reads a scene file without opening its recordings; where one's length is neither stated
// nor to be seen, its clips are taken to lie inside it.
func ReadOnly(ctx context.Context, path string) (*scene.Scene, []string, error) {
	return ReadCut(ctx, path, timecode.Rate{})
}

// ReadCut is ReadOnly of a file that may not say its frame rate, which is then the one given.
func ReadCut(ctx context.Context, path string, rate timecode.Rate) (*scene.Scene, []string, error) {
	f, err := readScene(ctx, path, rate)
	if err != nil {
		return nil, nil, err
	}
	if err := f.Scene.Check(); err != nil {
		return nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	return f.Scene, f.Warnings, nil
}

func readScene(ctx context.Context, path string, rate timecode.Rate) (*File, error) {
	format, err := interchange.FormatOf(path)
	if err != nil {
		return nil, err
	}
	switch info, err := os.Stat(path); {
	case err != nil:
		return nil, fmt.Errorf("%s cannot be read: %s", path, media.Reason(err))
	case !info.Mode().IsRegular():
		return nil, fmt.Errorf("%s is no scene file but a folder, a device or a pipe", path)
	case info.Size() > limit.SceneFileBytes:
		return nil, fmt.Errorf(
			"%s has %s; a scene file may have %s",
			path,
			limit.Bytes(info.Size()),
			limit.Bytes(limit.SceneFileBytes),
		)
	}
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %s", path, media.Reason(err))
	}
	probeAll(ctx, filepath.Dir(path), format.Targets(raw))
	s, warnings, err := format.Read(raw, interchange.Hints{
		Length: func(target string) (sound, picture *big.Rat) {
			file, err := LocalPath(filepath.Dir(path), target)
			if err != nil {
				return nil, nil
			}
			return lengths(ctx, file)
		},
		Start: func(target string) *big.Rat {
			file, err := LocalPath(filepath.Dir(path), target)
			if err != nil {
				return nil
			}
			return starts(ctx, file)
		},
		Rate: rate,
	})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return &File{Scene: s, Warnings: warnings, open: map[string]*wav.Reader{}, files: map[string]string{}}, nil
}

// probeAll asks ahead, several at once, what the files hold that a scene file names, so that reading it does not wait
// for one after the other. What cannot be read is said by whoever needs it.
func probeAll(ctx context.Context, dir string, targets []string) {
	seen := map[string]bool{}
	var files []string
	for _, target := range targets {
		if file, err := LocalPath(dir, target); err == nil && !seen[file] {
			seen[file] = true
			files = append(files, file)
		}
	}
	_ = parallel.Each(ctx, len(files), 0, func(i int) error {
		lengths(ctx, files[i])
		return nil
	})
}

// lengths gives the seconds of sound and of picture in a file, nil what it has not or where it cannot be read.
func lengths(ctx context.Context, file string) (sound, picture *big.Rat) {
	if info, err := os.Stat(file); err != nil || !info.Mode().IsRegular() {
		return nil, nil
	}
	if w, err := wav.Open(file); err == nil {
		defer w.Close()
		return big.NewRat(w.Len(), int64(w.Format().Rate)), nil
	}
	if f, err := os.Open(file); err == nil {
		defer f.Close()
		if d, err := flac.NewDecoder(f); err == nil && d.Len() > 0 {
			return big.NewRat(d.Len(), int64(d.Format().Rate)), nil
		}
	}
	p, err := media.ProbeFile(ctx, file)
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

// starts gives the source timecode of a file's first moment, in seconds, nil where it has none.
func starts(ctx context.Context, file string) *big.Rat {
	if w, err := wav.Open(file); err == nil {
		defer w.Close()
		if w.Bext == nil {
			return nil
		}
		return big.NewRat(w.Bext.TimeReference, int64(w.Format().Rate))
	}
	if p, err := media.ProbeFile(ctx, file); err == nil && p.Timecode != "" && p.FrameRate.Num > 0 {
		return p.StartS()
	}
	return nil
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
		plain := filepath.Join(dir, filepath.FromSlash(target))
		if _, err := os.Stat(plain); err == nil {
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

// Open gives the sound of a source of the scene.
func (f *File) Open(src scene.Source) (pcm.ReaderAt, error) {
	if r := f.open[src.ID]; r != nil {
		return heldFrom(r, src.HeldFrom), nil
	}
	return nil, fmt.Errorf("the recording %s is not open", src.Name)
}

// heldFrom is a recording of which a file holds what comes from a sample on: before that it is silent.
func heldFrom(r pcm.ReaderAt, from int64) pcm.ReaderAt {
	if from == 0 {
		return r
	}
	return pcm.Part{ReaderAt: r, Span: pcm.Span{From: -from, To: r.Len()}}
}

// Sources give the scene's sound, and what its recordings say by themselves, which is kept in the user's cache folder.
func (f *File) Sources() *meter.Sources {
	if f.sources == nil {
		f.sources = meter.NewSources(
			f.Open,
			func(ctx context.Context, src scene.Source, r pcm.ReaderAt) (*analysis.Recording, error) {
				if src.HeldFrom > 0 {
					return analysis.Analyze(ctx, r)
				}
				return media.AnalysisOf(ctx, f.files[src.ID], r)
			},
		)
	}
	return f.sources
}

// File is where a source's recording lies, as it was opened; "" if it was not.
func (f *File) File(source string) string { return f.files[source] }

// Restored writes the recording of a source whose file was cut to what is used, as long as it was, silent where it is
// not held: for whoever keeps recordings as they are.
func Restored(ctx context.Context, file, to string, src scene.Source, rate int64) error {
	r, err := media.Open(ctx, file, int(rate))
	if err != nil {
		return err
	}
	defer r.Close()
	f := r.Format()
	out, err := media.Create(to, f.Rate, f.Channels, media.DepthOf(f), true)
	if err != nil {
		return err
	}
	defer out.Discard()
	whole := heldFrom(r, src.HeldFrom)
	if err := out.CopyContext(ctx, whole, pcm.Span{To: whole.Len()}); err != nil {
		return err
	}
	return out.Close()
}

// Close closes all recordings.
func (f *File) Close() error {
	var errs []error
	for _, r := range f.open {
		errs = append(errs, r.Close())
	}
	return errors.Join(errs...)
}
