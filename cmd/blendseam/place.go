package main

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"time"

	"blendseam/core/limit"
	"blendseam/ingest"
	"blendseam/media"
	"blendseam/media/objects"
	"blendseam/scratch"
	"blendseam/store"
	"blendseam/store/server"
)

// place says where the program keeps its things.
type place struct {
	Var        string `help:"Folder for the database, recordings and what is made." default:"var" env:"BLENDSEAM_VAR"`
	Media      string `help:"Recordings: a folder, or s3://HOST/BUCKET." env:"BLENDSEAM_MEDIA" placeholder:"PLACE"`
	MediaCache int64  `name:"media-cache" help:"GB of copies that are kept." default:"50" env:"BLENDSEAM_MEDIA_CACHE"`
	DSN        string `help:"MariaDB server to use: user:password@tcp(host:port)/name." env:"BLENDSEAM_DSN" name:"dsn"`
}

// opened is what a command works on.
type opened struct {
	ingest.Ingester
	work *scratch.Place // this process's own
	ends []func()       // of what was opened, in the order of opening
}

// close ends what was opened, the last first.
func (o *opened) close() {
	for _, end := range slices.Backward(o.ends) {
		end()
	}
}

// open opens database and library.
func (p place) open(ctx context.Context) (o *opened, err error) {
	o = &opened{}
	defer func() {
		if err != nil {
			o.close()
		}
	}()
	if o.work, err = scratch.Open(filepath.Join(p.Var, "work")); err != nil {
		return o, err
	}
	o.ends = append(o.ends, func() { o.work.Close() })
	dsn := p.DSN
	if dsn == "" {
		if err := media.Space(p.Var, limit.EditsBytes); err != nil { // the database would only say that it cannot be started
			return o, err
		}
		private, err := server.Start(ctx, filepath.Join(p.Var, "database"))
		if err != nil {
			return o, err
		}
		o.ends = append(o.ends, private.Stop)
		dsn = private.DSN
	}
	if o.Store, err = openStore(ctx, dsn, p.DSN == ""); err != nil {
		return o, err
	}
	o.Store.Process = o.work.Name()
	if p.DSN == "" {
		o.Store.Room = func() error { return media.Space(p.Var, limit.EditsBytes) }
	}
	o.ends = append(o.ends, func() { o.Store.Close() })
	folder := filepath.Join(p.Var, "media")
	if p.Media != "" && !objects.IsURL(p.Media) {
		folder = p.Media
	}
	if o.Library, err = media.OpenLibrary(folder); err != nil {
		return o, err
	}
	if objects.IsURL(p.Media) {
		shared, err := objects.Open(p.Media)
		if err != nil {
			return o, fmt.Errorf("--media: %w", err)
		}
		o.Library.Share(shared, p.MediaCache<<30)
	}
	o.ends = append(o.ends, func() { o.Library.Close() })
	return o, nil
}

// openStore opens a database; a private one may be going from one process to another just now.
func openStore(ctx context.Context, dsn string, private bool) (*store.Store, error) {
	for end := time.Now().Add(storeLimit); ; {
		s, err := store.Open(ctx, dsn)
		if !private || !errors.Is(err, store.ErrUnavailable) || time.Now().After(end) || ctx.Err() != nil {
			return s, err
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
		}
	}
}

// storeLimit is how long a private database may take to go from one process to another.
const storeLimit = 60 * time.Second
