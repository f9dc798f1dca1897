// Package objects keeps files under names, in a folder or in an S3 store. What is kept under a name never changes, so
// that copies of it can be kept anywhere; each file has its SHA-256 with it where the place can keep that.
package objects

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"blendseam/durable"
)

// ErrNone says that nothing is kept under a name.
var ErrNone = errors.New("there is no such file in the store")

// An Object is a file that is kept.
type Object struct {
	Name   string // with slashes between its parts
	Bytes  int64
	SHA256 string // "" where the place does not keep it
}

// A Store keeps files. Its methods may be called in parallel.
type Store interface {
	// Put keeps a file under a name, whole or not at all.
	Put(ctx context.Context, name, path string) error
	// Get writes what is kept under a name into a new file, whole or not at all. ErrNone if there is nothing.
	Get(ctx context.Context, name, path string) error
	// Read reads len(p) bytes of what is kept under a name, from a byte on. ErrNone if there is nothing.
	Read(ctx context.Context, name string, from int64, p []byte) error
	// Stat says what is kept under a name. ErrNone if there is nothing.
	Stat(ctx context.Context, name string) (Object, error)
	// List gives what is kept under names that begin so; hashes may be missing.
	List(ctx context.Context, prefix string) ([]Object, error)
	// Remove removes what is kept under names that begin so.
	Remove(ctx context.Context, prefix string) error
	// Where says where that is, for people.
	Where() string
}

// IsURL tells whether a place is an S3 store and no folder.
func IsURL(place string) bool {
	return strings.HasPrefix(place, "s3:") || strings.HasPrefix(place, "s3+http:")
}

// Open opens a place: a folder, or an S3 store by its address s3://HOST/BUCKET/PREFIX, with s3+http: one that is not
// encrypted. Its keys are those of the environment, AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY.
func Open(place string) (Store, error) {
	if !IsURL(place) {
		return Folder(place), nil
	}
	u, err := url.Parse(place)
	if err != nil || u.Host == "" || strings.Trim(u.Path, "/") == "" {
		return nil, fmt.Errorf("%s is no store; it should look like s3://HOST/BUCKET", place)
	}
	return openS3(u)
}

// Sum is the SHA-256 of a file, in hexadecimal digits.
func Sum(path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, f); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// Folder is a folder as a store.
type Folder string

// Where is its path.
func (f Folder) Where() string { return string(f) }

func (f Folder) path(name string) string { return filepath.Join(string(f), filepath.FromSlash(name)) }

// Put is as Store has it.
func (f Folder) Put(ctx context.Context, name, path string) error {
	return copied(ctx, path, f.path(name))
}

// Get is as Store has it.
func (f Folder) Get(ctx context.Context, name, path string) error {
	err := copied(ctx, f.path(name), path)
	if errors.Is(err, fs.ErrNotExist) {
		return ErrNone
	}
	return err
}

// Read is as Store has it.
func (f Folder) Read(_ context.Context, name string, from int64, p []byte) error {
	in, err := os.Open(f.path(name))
	if errors.Is(err, fs.ErrNotExist) {
		return ErrNone
	} else if err != nil {
		return err
	}
	defer in.Close()
	_, err = in.ReadAt(p, from)
	return err
}

// Stat is as Store has it.
func (f Folder) Stat(_ context.Context, name string) (Object, error) {
	info, err := os.Stat(f.path(name))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return Object{}, ErrNone
	case err != nil:
		return Object{}, err
	}
	return Object{Name: name, Bytes: info.Size()}, nil
}

// Incoming and Pieces are the folders of a library in which lies what processes are bringing in just now, and what
// they have read of recordings that lie elsewhere.
const (
	Incoming = "incoming"
	Pieces   = "pieces"
	Waiting  = "waiting" // what came whole, and is not part of the library yet
)

// List is as Store has it. What processes are bringing in just now, what they have read of recordings that lie
// elsewhere, and what they lock, is left out.
func (f Folder) List(ctx context.Context, prefix string) (list []Object, err error) {
	err = filepath.WalkDir(string(f), func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) { // it has gone meanwhile
			return nil
		} else if err != nil {
			return err
		}
		rel, err := filepath.Rel(string(f), path)
		if err != nil {
			return err
		}
		if d.IsDir() && (rel == Incoming || rel == Pieces || rel == Waiting) {
			return fs.SkipDir
		}
		name := filepath.ToSlash(rel)
		if !d.Type().IsRegular() || !strings.HasPrefix(name, prefix) || strings.HasSuffix(name, ".lock") {
			return ctx.Err()
		}
		info, err := d.Info()
		if err == nil {
			list = append(list, Object{Name: name, Bytes: info.Size()})
		}
		return nil
	})
	return list, err
}

// Remove is as Store has it.
func (f Folder) Remove(ctx context.Context, prefix string) error {
	list, err := f.List(ctx, prefix)
	for _, o := range list {
		err = errors.Join(err, os.Remove(f.path(o.Name)))
	}
	return err
}

// copied copies a file to another, which is there only once it is whole.
func copied(ctx context.Context, from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	return written(to, func(w io.Writer) error {
		_, err := io.Copy(w, reader{ctx, in})
		return err
	})
}

// Write makes a file, which is there only once it is whole.
func Write(path string, content []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	return durable.Write(path, content)
}

// written makes a file, which is there only once it is whole.
func written(to string, write func(io.Writer) error) error {
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(to), ".part-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	defer part.Close()
	if err := errors.Join(write(part), part.Chmod(0o644), part.Close()); err != nil {
		return err
	}
	return durable.Rename(part.Name(), to)
}

// reader ends when its context does.
type reader struct {
	ctx context.Context
	io.Reader
}

func (r reader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.Reader.Read(p)
}
