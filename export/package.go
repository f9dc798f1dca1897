package export

import (
	"archive/zip"
	"cmp"
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/sound/pcm"
	"blendseam/durable"
	"blendseam/interchange"
	"blendseam/media"
)

// A Packing says how a scene and what it needs are put together.
type Packing struct {
	HandleS float64 // seconds of each recording that are kept beside what is used
	FLAC    bool    // recordings of whole numbers as FLAC; else all are WAV
	Picture bool    // picture files go along, as they are
	Report  []byte  // a seam report to go along, nil for none
	// Open gives the sound of a recording at the scene's rate, and File where the file lies that it was brought in as.
	Open func(scene.Source) (pcm.ReaderAt, error)
	File func(scene.Source) (string, error)
	When time.Time // when the scene was as it is
}

// A Packed says what is in a package.
type Packed struct {
	Scene   string // the scene file's name
	Bytes   int64
	Files   int
	KeptS   float64 // seconds of recordings that are in it
	WholeS  float64 // that these last
	Missing []string
}

// mediaFolder is where a package has its recordings.
const mediaFolder = "media"

// Pack puts a scene into a folder, which must be empty or not there: the scene file, its recordings cut to what is used
// with handles, and what is asked for beside. progress is told the share that is done. It sounds the same bits there.
func Pack(ctx context.Context, s *scene.Scene, dir string, p Packing, progress func(float64)) (*Packed, error) {
	if info, err := os.Stat(dir); err == nil && !info.IsDir() {
		return nil, refuse.Errorf("%s is a file; name a folder that is new, or a file that ends in .zip", dir)
	}
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return nil, refuse.Errorf("%s is not empty; name a folder that is new", dir)
	}
	if !(p.HandleS >= 0 && p.HandleS <= 3600) {
		return nil, refuse.Errorf("handles of %g seconds cannot be; 0 to 3600 can", p.HandleS)
	}
	if err := os.MkdirAll(filepath.Join(dir, mediaFolder), 0o755); err != nil {
		return nil, err
	}
	w := &packing{Packing: p, scene: apart(s), dir: dir, done: &Packed{Missing: []string{}}, taken: map[string]bool{}}
	if err := w.all(ctx, progress); err != nil {
		return nil, err
	}
	usual := interchange.DefaultFormat()
	raw, err := usual.Write(w.scene)
	if err != nil {
		return nil, err
	}
	w.done.Scene = FileName(s.Name) + usual.Extensions[0]
	if err := w.put(w.done.Scene, append(raw, '\n')); err != nil {
		return nil, err
	}
	if p.Report != nil {
		if err := w.put("seams.csv", p.Report); err != nil {
			return nil, err
		}
	}
	return w.done, nil
}

// packing is one under way.
type packing struct {
	Packing
	scene *scene.Scene
	dir   string
	done  *Packed
	taken map[string]bool // names of files
}

// put writes a file of the package, as old as the scene.
func (w *packing) put(name string, raw []byte) error {
	path := filepath.Join(w.dir, name)
	if err := os.WriteFile(path, raw, 0o644); err != nil {
		return err
	}
	w.done.Bytes += int64(len(raw))
	w.done.Files++
	if w.When.IsZero() {
		return nil
	}
	return os.Chtimes(path, w.When, w.When)
}

// pictureSuffix is behind the id of a recording's picture, where it is a source of its own.
const pictureSuffix = "-picture"

// PictureOf is the id of the recording that a source of a package is the picture of.
func PictureOf(id string) string { return strings.TrimSuffix(id, pictureSuffix) }

// apart is a copy of a scene in which the picture of a recording is another source than its sound: they go into files
// of their own.
func apart(s *scene.Scene) *scene.Scene {
	c := *s
	c.Sources = maps.Clone(s.Sources)
	copied := func(tracks []*scene.Track) (list []*scene.Track) {
		for _, t := range tracks {
			own := *t
			own.Clips = slices.Clone(t.Clips)
			for i := range own.Clips {
				if t.Kind != scene.Picture {
					break
				}
				src := c.Sources[own.Clips[i].Source]
				if src.Samples == 0 {
					continue
				}
				src.ID, src.Samples, src.Channels, src.Stretches, src.Speech = src.ID+pictureSuffix, 0, 0, nil, nil
				c.Sources[src.ID], own.Clips[i].Source = src, src.ID
			}
			list = append(list, &own)
		}
		return list
	}
	c.Tracks = copied(s.Tracks)
	c.Aside = nil
	for _, a := range s.Aside {
		own := *a
		own.Tracks = copied(a.Tracks)
		c.Aside = append(c.Aside, &own)
	}
	return &c
}

// all packs every recording that is needed.
func (w *packing) all(ctx context.Context, progress func(float64)) error {
	used, picture := w.used()
	ids := slices.Sorted(maps.Keys(used))
	for i, id := range ids {
		if progress != nil {
			progress(float64(i) / float64(len(ids)))
		}
		if err := w.sound(ctx, id, used[id]); err != nil {
			return err
		}
	}
	for _, id := range slices.Sorted(maps.Keys(picture)) {
		if err := w.picture(ctx, id); err != nil {
			return err
		}
	}
	for id := range w.scene.Sources { // what nothing needs stays behind
		if _, heard := used[id]; !heard && !picture[id] && !w.scene.Sources[id].Made() {
			delete(w.scene.Sources, id)
		}
	}
	return nil
}

// used are the stretches of recordings that are heard, or that tone is made from, and the sources of picture.
func (w *packing) used() (sound map[string]pcm.Span, picture map[string]bool) {
	s := w.scene
	sound, picture = map[string]pcm.Span{}, map[string]bool{}
	add := func(id string, span pcm.Span) {
		if x, ok := sound[id]; ok {
			span = pcm.Span{From: min(x.From, span.From), To: max(x.To, span.To)}
		}
		sound[id] = span
	}
	whole := func(id string) { add(id, pcm.Span{To: s.Sources[id].Samples}) }
	tracks := slices.Clone(s.Tracks)
	for _, a := range s.Aside {
		tracks = append(tracks, a.Tracks...)
	}
	for _, t := range tracks {
		reach := map[scene.ClipID][2]int64{}
		for _, b := range t.Blends {
			l, r := reach[b.Left], reach[b.Right]
			l[1], r[0] = b.After, b.Before
			reach[b.Left], reach[b.Right] = l, r
		}
		for i := range t.Clips {
			c := &t.Clips[i]
			src := s.Sources[c.Source]
			if t.Kind == scene.Picture {
				picture[c.Source] = true
				continue
			}
			own := c.Source
			if src.Fit != nil {
				own = src.Fit.Of
			}
			for _, id := range scene.Needed(s, c) {
				switch x := s.Sources[id]; {
				case x.Tone != nil || x.Fit != nil:
				case id != own || x.Joined != nil || src.Fit != nil || c.Takes != nil: // parts, takes, what tone is made from
					if id != own && c.Takes == nil && x.Joined == nil && w.materials(c, id, add) {
						continue
					}
					whole(id)
				default:
					add(id, pcm.Span{From: c.In - reach[c.ID][0], To: c.In + c.Length + reach[c.ID][1]})
				}
			}
		}
		for _, id := range scene.Recordings(s, t.Needs()...) {
			whole(id)
		}
	}
	for _, src := range s.Sources {
		if src.Joined == nil {
			continue
		}
		for _, id := range scene.PartsOf(s, src) {
			if _, heard := sound[src.ID]; heard && !s.Sources[id].Made() {
				whole(id)
			}
		}
	}
	return sound, picture
}

// materials adds what a clip's own tone is made from of a recording; false if that is not all that it needs of it.
func (w *packing) materials(c *scene.Clip, id string, add func(string, pcm.Span)) bool {
	t := w.scene.Sources[c.Source].Tone
	if t == nil || len(c.Sources()) > 1 {
		return false
	}
	for _, m := range slices.Concat(t.Left, t.Right) {
		if m.Source == id {
			add(id, m.Span())
		}
	}
	return true
}

// name is one for a file in the package that no other has.
func (w *packing) name(src scene.Source, ending string) string {
	base := filepath.Base(src.URL)
	base = FileName(cmp.Or(strings.TrimSuffix(base, filepath.Ext(base)), src.Name))
	name := base + ending
	for n := 2; w.taken[strings.ToLower(name)]; n++ {
		name = fmt.Sprintf("%s %d%s", base, n, ending)
	}
	w.taken[strings.ToLower(name)] = true
	return name
}

// sound writes the used stretch of a recording.
func (w *packing) sound(ctx context.Context, id string, used pcm.Span) error {
	src := w.scene.Sources[id]
	r, err := w.Open(src)
	if err != nil {
		return fmt.Errorf("%s: %w", src.Name, err)
	}
	handle := int64(w.HandleS * float64(w.scene.SampleRate))
	whole := pcm.Span{To: r.Len()}
	span := pcm.Span{From: used.From - handle, To: used.To + handle}.Intersect(whole)
	if span.Empty() {
		span = pcm.Span{To: min(1, r.Len())}
	}
	f := r.Format()
	ending, depth := ".wav", media.DepthOf(f)
	if w.FLAC && depth != "32f" {
		ending = ".flac"
	}
	name := w.name(src, ending)
	path := filepath.Join(w.dir, mediaFolder, name)
	out, err := media.CreateAs(path, media.Form{Rate: f.Rate, Channels: f.Channels, Depth: depth, NoDither: true})
	if err != nil {
		return err
	}
	defer out.Discard()
	if err := out.CopyContext(ctx, r, span); err != nil {
		return err
	}
	if err := out.Close(); err != nil {
		return err
	}
	rate := float64(w.scene.SampleRate)
	w.done.KeptS, w.done.WholeS = w.done.KeptS+float64(span.Len())/rate, w.done.WholeS+float64(whole.Len())/rate
	src.URL, src.SHA256, src.HeldFrom = mediaFolder+"/"+name, "", span.From
	src.Samples = span.To
	w.scene.Sources[id] = src
	return w.count(path)
}

func (w *packing) count(path string) error {
	info, err := os.Stat(path)
	if err != nil {
		return err
	}
	w.done.Bytes += info.Size()
	w.done.Files++
	return nil
}

// picture lets a picture file go along, or says that it does not.
func (w *packing) picture(ctx context.Context, id string) error {
	src := w.scene.Sources[id]
	name := ""
	file, err := w.File(src)
	if err == nil && w.Picture {
		name = w.name(src, strings.ToLower(filepath.Ext(file)))
		path := filepath.Join(w.dir, mediaFolder, name)
		if err := copied(ctx, file, path); err != nil {
			return err
		}
		if err := w.count(path); err != nil {
			return err
		}
	} else {
		name = w.name(src, filepath.Ext(src.URL))
		if w.Picture {
			w.done.Missing = append(w.done.Missing, src.Name)
		}
	}
	src.URL, src.SHA256 = mediaFolder+"/"+name, ""
	w.scene.Sources[id] = src
	return nil
}

// copied copies a file, until ctx ends.
func copied(ctx context.Context, from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		return err
	}
	defer out.Close()
	for {
		if err := ctx.Err(); err != nil {
			return err
		}
		if _, err := io.CopyN(out, in, 8<<20); err == io.EOF {
			return out.Close()
		} else if err != nil {
			return err
		}
	}
}

// Zip puts the files of a folder into a ZIP file beside it, without making them smaller.
func Zip(ctx context.Context, dir, to string) error {
	part, err := os.CreateTemp(filepath.Dir(to), "."+filepath.Base(to)+".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	defer part.Close()
	part.Chmod(0o644)
	z := zip.NewWriter(part)
	err = filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		name, err := filepath.Rel(dir, path)
		if err != nil {
			return err
		}
		return ZipFile(z, path, filepath.ToSlash(name))
	})
	if err == nil {
		err = z.Close()
	}
	if err == nil {
		err = part.Close()
	}
	if err != nil {
		return err
	}
	return durable.Rename(part.Name(), to)
}

// ZipFile puts a file into a ZIP file under a name, without making it smaller.
func ZipFile(z *zip.Writer, path, name string) error {
	in, err := os.Open(path)
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	out, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: info.ModTime()})
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return err
}
