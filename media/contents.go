package media

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"blendseam/durable"
	"blendseam/media/copies"
	"blendseam/media/objects"
)

// ContentsFile is where a recording's folder keeps how long each of its files is, and its hash.
const ContentsFile = "contents.json"

// A Content is what is known of a file of a recording's folder.
type Content struct {
	Bytes   int64  `json:"bytes"`
	SHA256  string `json:"sha256"`
	Damaged bool   `json:"damaged,omitempty"` // it was found to have another hash
}

// Contents are the files of a recording's folder, by name.
type Contents map[string]Content

// contentsOf reads what is known of a folder's files; of one that an earlier release made nothing is.
func contentsOf(dir string) Contents {
	list := Contents{}
	raw, err := os.ReadFile(filepath.Join(dir, ContentsFile))
	if err != nil || json.Unmarshal(raw, &list) != nil {
		return Contents{}
	}
	return list
}

// filesOf lists the files of a recording's folder that are kept, by their names within it.
func filesOf(dir string) (list []string, err error) {
	err = filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) { // it has gone meanwhile
			return nil
		} else if err != nil {
			return err
		}
		name, err := filepath.Rel(dir, path)
		base := d.Name()
		if err != nil || !d.Type().IsRegular() || base == ContentsFile || base == waitingFile ||
			strings.HasPrefix(base, ".") ||
			strings.HasSuffix(base, ".lock") || strings.Contains(base, ".part-") || copies.IsList(base) {
			return err
		}
		list = append(list, filepath.ToSlash(name))
		return nil
	})
	return list, err
}

// settle writes all that lies in a recording's folder to the disk, with the length and the hash of each file. known are
// hashes that need not be found again, by name.
func settle(ctx context.Context, dir string, known map[string]string) error {
	was, now := contentsOf(dir), Contents{}
	files, err := filesOf(dir)
	if err != nil {
		return err
	}
	var seen []os.FileInfo // a recording may be its own sound
	var of []string
	for _, name := range files {
		if err := ctx.Err(); err != nil {
			return err
		}
		path := filepath.Join(dir, filepath.FromSlash(name))
		info, err := os.Stat(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		} else if err != nil {
			return err
		}
		c := Content{Bytes: info.Size(), SHA256: known[name]}
		if old, ok := was[name]; ok { // whatever it is now, it should be what it was
			now[name], seen, of = old, append(seen, info), append(of, name)
			continue
		}
		if i := slices.IndexFunc(seen, func(o os.FileInfo) bool { return os.SameFile(o, info) }); i >= 0 {
			c.SHA256 = now[of[i]].SHA256
		}
		if c.SHA256 == "" {
			if c.SHA256, err = objects.Sum(path); err != nil {
				return err
			}
		}
		now[name], seen, of = c, append(seen, info), append(of, name)
	}
	if err := durable.Sync(dir); err != nil {
		return err
	}
	return now.keep(dir)
}

// keep keeps what is known of a folder's files.
func (c Contents) keep(dir string) error {
	raw, err := json.Marshal(c)
	if err != nil {
		return err
	}
	return durable.Write(filepath.Join(dir, ContentsFile), raw)
}

// drop removes files of a recording's folder, or the folders within it that they lie in, to be made anew.
func (l *Library) drop(id string, names []string) error {
	dir, known := l.folder(id), contentsOf(l.folder(id))
	if len(names) == 0 {
		return nil
	}
	for _, name := range names {
		under, _, _ := strings.Cut(name, "/")
		for other := range known {
			if other == under || strings.HasPrefix(other, under+"/") {
				delete(known, other)
			}
		}
		if err := os.RemoveAll(filepath.Join(dir, under)); err != nil {
			return err
		}
	}
	l.known.Delete(id)
	return known.keep(dir)
}

// whole tells whether a file of a recording's folder is as long as it was when it was made. An empty one never is.
func (l *Library) whole(id, name string) bool {
	info, err := os.Stat(filepath.Join(l.folder(id), filepath.FromSlash(name)))
	if err != nil || info.Size() == 0 {
		return false
	}
	c, known := l.contents(id)[filepath.ToSlash(name)]
	return !known || c.Bytes == info.Size() && !c.Damaged
}

// A keptContents is what was read of a folder's files, and when that was written.
type keptContents struct {
	at   time.Time
	list Contents
}

// contents reads what is known of a recording's files, if that has changed since it was read last.
func (l *Library) contents(id string) Contents {
	dir := l.folder(id)
	info, err := os.Stat(filepath.Join(dir, ContentsFile))
	if err != nil {
		return nil
	}
	if kept, ok := l.known.Load(id); ok && kept.(keptContents).at.Equal(info.ModTime()) {
		return kept.(keptContents).list
	}
	list := contentsOf(dir)
	l.known.Store(id, keptContents{info.ModTime(), list})
	return list
}

// settled notes what lies in a recording's folder now.
func (l *Library) settled(ctx context.Context, id string) error {
	if l.shares(id) { // its store keeps the hashes
		return full(durable.Sync(l.folder(id)))
	}
	l.known.Delete(id)
	return full(settle(ctx, l.folder(id), nil))
}

// A Checked says what comparing a recording's files with their hashes found.
type Checked struct {
	Intact  int
	Damaged []string // by name
	Without int      // no hash of them is kept
}

// unfinishedAfter is how long nothing was written to an unfinished file before whoever wrote it has gone.
const unfinishedAfter = time.Hour

// clearUnfinished removes what a program that was killed had begun to write into a folder.
func clearUnfinished(dir string) error {
	return filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		} else if err != nil || !d.Type().IsRegular() || !strings.Contains(d.Name(), ".part-") {
			return err
		}
		info, err := d.Info()
		if err == nil && time.Since(info.ModTime()) > unfinishedAfter {
			err = os.Remove(path)
		}
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	})
}

// Check compares the files of a recording with what they were when they were made: by their hash, or, where an earlier
// release brought a file in, by the recording's id. What is damaged is noted, and counts as missing from then on. What
// was never finished goes.
func (l *Library) Check(ctx context.Context, id string) (found Checked, err error) {
	dir := l.folder(id)
	if err := clearUnfinished(dir); err != nil {
		return found, err
	}
	files, err := filesOf(dir)
	if err != nil {
		return found, err
	}
	known := contentsOf(dir)
	for name := range known {
		if !slices.Contains(files, name) {
			files = append(files, name)
		}
	}
	slices.Sort(files)
	for _, name := range files {
		if err := ctx.Err(); err != nil {
			return found, err
		}
		c, is := known[name]
		if !is && !IsOriginal(name) {
			found.Without++
			continue
		}
		sum, err := objects.Sum(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return found, err
		}
		if is && sum == c.SHA256 || !is && strings.HasPrefix(sum, id) {
			found.Intact++
			continue
		}
		found.Damaged = append(found.Damaged, name)
		c.Damaged = true
		known[name] = c
	}
	if len(found.Damaged) == 0 {
		return found, nil
	}
	l.known.Delete(id)
	return found, known.keep(dir)
}

// Repair makes those files of a recording anew that were made from the one that was brought in, and gives those that
// cannot be.
func (l *Library) Repair(ctx context.Context, id string, damaged []string) (left []string, err error) {
	if len(damaged) == 0 {
		return nil, nil
	}
	if slices.ContainsFunc(damaged, IsOriginal) {
		return damaged, nil
	}
	info, ok := l.looked(id)
	if !ok || slices.Contains(damaged, InfoFile) {
		return damaged, nil
	}
	defer l.lock(id)()
	dir := l.folder(id)
	if err := l.drop(id, damaged); err != nil {
		return damaged, err
	}
	original, err := l.Original(id)
	if err != nil {
		return damaged, err
	}
	for _, name := range damaged {
		if err := l.remade(ctx, dir, original, info, name); err != nil {
			return damaged, err
		}
	}
	return nil, l.settled(ctx, id)
}

// IDs are all recordings whose files lie in the folder.
func (l *Library) IDs() (list []string, err error) {
	entries, err := os.ReadDir(l.dir)
	for _, e := range entries {
		if e.IsDir() && isID(e.Name()) {
			list = append(list, e.Name())
		}
	}
	return list, err
}
