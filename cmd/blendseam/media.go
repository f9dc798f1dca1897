package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/media"
	"blendseam/media/copies"
	"blendseam/media/objects"
	"blendseam/scratch"
)

// mediaCmd keeps libraries of recordings.
type mediaCmd struct {
	Copy   mediaCopyCmd   `cmd:"" help:"Copy all recordings and what was made from them; goes on where it was broken off."`
	Verify mediaVerifyCmd `cmd:"" help:"Compare files with their hashes, mend what can be; exit 1 if any stays damaged."`
}

type mediaCopyCmd struct {
	From string `arg:"" help:"A folder (var/media), or s3://HOST/BUCKET."`
	To   string `arg:"" help:"Another one."`
}

func (c *mediaCopyCmd) Run(ctx context.Context) error {
	from, err := openPlace(c.From)
	if err != nil {
		return err
	}
	to, err := objects.Open(c.To)
	if err != nil {
		return err
	}
	list, part, done, err := looking(ctx, from)
	if err != nil {
		return err
	}
	defer done()
	var copied []objects.Object
	_, into := to.(objects.Folder)
	if folder, is := from.(objects.Folder); is && !into {
		copied, err = sendLibrary(ctx, folder, to, list)
	} else {
		copied, err = copyEach(ctx, from, to, list, part)
	}
	if err != nil {
		return err
	}
	bytes := int64(0)
	for _, o := range copied {
		bytes += o.Bytes
	}
	fmt.Printf("%d files (%.1f MB) copied, %d were there\n", len(copied), float64(bytes)/1e6, len(list)-len(copied))
	return nil
}

// sendLibrary sends the files of a folder to a store, as a process does that shares its recordings.
func sendLibrary(
	ctx context.Context,
	from objects.Folder,
	to objects.Store,
	list []objects.Object,
) (sent []objects.Object, err error) {
	seen, store := map[string]bool{}, copies.New(to, string(from), 0)
	for _, o := range list {
		under, _, nested := strings.Cut(o.Name, "/")
		if seen[under] || !nested {
			continue
		}
		seen[under] = true
		files, err := store.SendAll(ctx, under, filepath.Join(string(from), under), media.InfoFile)
		sent = append(sent, files...)
		if err != nil {
			return sent, err
		}
	}
	return sent, nil
}

// copyEach copies each file that is not there; a folder gets what has a list of pieces in a store as a file.
func copyEach(
	ctx context.Context,
	from, to objects.Store,
	list []objects.Object,
	part string,
) (copied []objects.Object, err error) {
	_, into := to.(objects.Folder)
	for _, o := range list {
		of := o.Name
		if into && copies.IsList(o.Name) {
			if o.Name, of, err = copies.Listed(ctx, from, o.Name); err != nil {
				return copied, err
			}
			is, err := from.Stat(ctx, of)
			if err != nil {
				return copied, fmt.Errorf("%s: %w", of, err)
			}
			o.Bytes = is.Bytes
		}
		if there, err := to.Stat(ctx, o.Name); err == nil && there.Bytes == o.Bytes {
			continue
		} else if err != nil && !errors.Is(err, objects.ErrNone) {
			return copied, err
		}
		if err = from.Get(ctx, of, part); err == nil {
			err = errors.Join(to.Put(ctx, o.Name, part), os.Remove(part))
		}
		if err != nil {
			return copied, err
		}
		copied = append(copied, o)
	}
	return copied, nil
}

// openPlace is a place that has to be there.
func openPlace(place string) (objects.Store, error) {
	if !objects.IsURL(place) {
		if info, err := os.Stat(place); err != nil || !info.IsDir() {
			return nil, fmt.Errorf("%s is no folder of recordings; the library of a program is media in its --var folder", place)
		}
	}
	return objects.Open(place)
}

// looking gives the files of a place, with a path at which one of them after the other can lie until done is called.
func looking(ctx context.Context, at objects.Store) (list []objects.Object, part string, done func(), err error) {
	if list, err = at.List(ctx, ""); err != nil {
		return nil, "", nil, err
	}
	dir, err := scratch.Dir()
	if err != nil {
		return nil, "", nil, err
	}
	return list, filepath.Join(dir, "file"), func() { os.RemoveAll(dir) }, nil
}

type mediaVerifyCmd struct {
	Place string `arg:"" help:"A folder (var/media), or s3://HOST/BUCKET."`
}

func (c *mediaVerifyCmd) Run(ctx context.Context) error {
	at, err := openPlace(c.Place)
	if err != nil {
		return err
	}
	var all verified
	if folder, is := at.(objects.Folder); is {
		all, err = verifyFolder(ctx, string(folder))
	} else {
		all, err = verifyStore(ctx, at)
	}
	if err != nil {
		return err
	}
	fmt.Printf("%d files have their hash, %d are damaged, %d have none to compare with\n", all.intact, all.damaged,
		all.without)
	if all.repaired > 0 {
		fmt.Printf("%d damaged files were made anew\n", all.repaired)
	}
	if left := all.damaged - all.repaired; left > 0 {
		return fmt.Errorf("%d files are damaged; bring their recordings in again, or copy them from a backup", left)
	}
	return nil
}

// A verified counts files.
type verified struct{ intact, damaged, repaired, without int }

// verifyFolder compares the files of a library's folder with their hashes, and makes those anew that were made from the
// recordings.
func verifyFolder(ctx context.Context, dir string) (all verified, err error) {
	l, err := media.OpenLibrary(dir)
	if err != nil {
		return all, err
	}
	defer l.Close()
	ids, err := l.IDs()
	if err != nil {
		return all, err
	}
	for _, id := range ids {
		found, err := l.Check(ctx, id)
		if err != nil {
			return all, err
		}
		all.intact, all.without = all.intact+found.Intact, all.without+found.Without
		for _, name := range found.Damaged {
			all.damaged++
			fmt.Fprintf(os.Stderr, "blendseam: %s/%s is damaged\n", id, name)
		}
		left, err := l.Repair(ctx, id, found.Damaged)
		if err != nil {
			fmt.Fprintf(os.Stderr, "blendseam: %s cannot be made anew: %s\n", id, err)
		}
		all.repaired += len(found.Damaged) - len(left)
	}
	return all, nil
}

// verifyStore compares the files of a store with the hashes that it keeps with them.
func verifyStore(ctx context.Context, at objects.Store) (all verified, err error) {
	list, part, done, err := looking(ctx, at)
	if err != nil {
		return all, err
	}
	defer done()
	for _, o := range list {
		switch is, err := intact(ctx, at, o.Name, part); {
		case errors.Is(err, errNoHash):
			all.without++
		case err != nil || !is:
			all.damaged++
			fmt.Fprintf(os.Stderr, "blendseam: %s is damaged\n", o.Name)
		default:
			all.intact++
		}
		if err := ctx.Err(); err != nil {
			return all, err
		}
	}
	return all, nil
}

// errNoHash says that it is not known what a file should be: it was made from a recording, and a folder keeps no
// hashes.
var errNoHash = errors.New("no hash is kept")

// intact compares a file with its hash: that which the store has with it, or, of a recording, the one it is named by.
func intact(ctx context.Context, at objects.Store, name, part string) (bool, error) {
	o, err := at.Stat(ctx, name)
	if err != nil {
		return false, err
	}
	id, file, _ := strings.Cut(name, "/")
	original := media.IsOriginal(file)
	if o.SHA256 == "" && !original {
		return false, errNoHash
	}
	defer os.Remove(part)
	if err := at.Get(ctx, name, part); err != nil {
		return false, err
	}
	if copies.IsList(name) {
		if _, of, err := copies.Listed(ctx, at, name); err != nil {
			return false, err
		} else if _, err := at.Stat(ctx, of); err != nil {
			return false, err
		}
	}
	sum, err := objects.Sum(part)
	return err == nil && (o.SHA256 == "" || sum == o.SHA256) && (!original || strings.HasPrefix(sum, id)), err
}
