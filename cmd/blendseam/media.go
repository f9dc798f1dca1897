package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"blendseam/media/objects"
	"blendseam/scratch"
)

// mediaCmd keeps libraries of recordings.
type mediaCmd struct {
	Copy   mediaCopyCmd   `cmd:"" help:"Copy all recordings and what was made from them; goes on where it was broken off."`
	Verify mediaVerifyCmd `cmd:"" help:"Compare every file with its hash; exit 1 if any is damaged."`
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
	copied, bytes := 0, int64(0)
	for _, o := range list {
		if there, err := to.Stat(ctx, o.Name); err == nil && there.Bytes == o.Bytes {
			continue
		} else if err != nil && !errors.Is(err, objects.ErrNone) {
			return err
		}
		if err := from.Get(ctx, o.Name, part); err != nil {
			return err
		}
		if err := to.Put(ctx, o.Name, part); err != nil {
			return err
		}
		if err := os.Remove(part); err != nil {
			return err
		}
		copied, bytes = copied+1, bytes+o.Bytes
	}
	fmt.Printf("%d files (%.1f MB) copied, %d were there\n", copied, float64(bytes)/1e6, len(list)-copied)
	return nil
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
	list, part, done, err := looking(ctx, at)
	if err != nil {
		return err
	}
	defer done()
	looked, damaged, without := 0, 0, 0
	for _, o := range list {
		switch is, err := intact(ctx, at, o.Name, part); {
		case errors.Is(err, errNoHash):
			without++
		case err != nil || !is:
			damaged++
			fmt.Fprintf(os.Stderr, "blendseam: %s is damaged\n", o.Name)
		default:
			looked++
		}
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	fmt.Printf("%d files have their hash, %d are damaged, %d have none to compare with\n", looked, damaged, without)
	if damaged > 0 {
		return fmt.Errorf("%d files are damaged; bring their recordings in again, or copy them from a backup", damaged)
	}
	return nil
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
	original := strings.HasPrefix(file, "original")
	if o.SHA256 == "" && !original {
		return false, errNoHash
	}
	defer os.Remove(part)
	if err := at.Get(ctx, name, part); err != nil {
		return false, err
	}
	sum, err := objects.Sum(part)
	return err == nil && (o.SHA256 == "" || sum == o.SHA256) && (!original || strings.HasPrefix(sum, id)), err
}
