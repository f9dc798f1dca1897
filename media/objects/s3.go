package objects

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"strings"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// S3 is a bucket of an S3 store, or what lies under a prefix of one.
type S3 struct {
	client         *minio.Client
	where          string
	bucket, prefix string
}

// sumKey is the metadata that has a file's SHA-256.
const sumKey = "Blendseam-Sha256"

// partBytes is how large the parts of a large file are that are sent side by side.
const partBytes = 16 << 20

func openS3(u *url.URL) (*S3, error) {
	client, err := minio.New(u.Host, &minio.Options{Creds: credentials.NewEnvAWS(), Secure: u.Scheme == "s3"})
	if err != nil {
		return nil, fmt.Errorf("%s cannot be used: %w", u, err)
	}
	bucket, prefix, _ := strings.Cut(strings.Trim(u.Path, "/"), "/")
	return &S3{client, u.String(), bucket, prefix}, nil
}

// Where is its address.
func (s *S3) Where() string { return s.where }

func (s *S3) key(name string) string { return path.Join(s.prefix, name) }

// plain says what went wrong in a line.
func (s *S3) plain(err error) error {
	switch code := minio.ToErrorResponse(err); {
	case err == nil, errors.Is(err, context.Canceled):
		return err
	case code.StatusCode == http.StatusNotFound && code.Code != "NoSuchBucket":
		return ErrNone
	}
	return fmt.Errorf("the store of recordings at %s: %w", s.where, err)
}

// Put is as Store has it: large files go in parts, several at once, and one that is broken off leaves nothing.
func (s *S3) Put(ctx context.Context, name, file string) error {
	sum, err := Sum(file)
	if err != nil {
		return err
	}
	_, err = s.client.FPutObject(ctx, s.bucket, s.key(name), file,
		minio.PutObjectOptions{PartSize: partBytes, UserMetadata: map[string]string{sumKey: sum}})
	return s.plain(err)
}

// Get is as Store has it. What does not have its hash is not taken.
func (s *S3) Get(ctx context.Context, name, to string) error {
	o, err := s.client.GetObject(ctx, s.bucket, s.key(name), minio.GetObjectOptions{})
	if err != nil {
		return s.plain(err)
	}
	defer o.Close()
	info, err := o.Stat()
	if err != nil {
		return s.plain(err)
	}
	h := sha256.New()
	return written(to, func(w io.Writer) error {
		if _, err := io.Copy(io.MultiWriter(w, h), o); err != nil {
			return s.plain(err)
		}
		if want := info.UserMetadata[sumKey]; want != "" && want != hex.EncodeToString(h.Sum(nil)) {
			return fmt.Errorf("%s is damaged in the store at %s: its hash is another one", name, s.where)
		}
		return nil
	})
}

// Read is as Store has it.
func (s *S3) Read(ctx context.Context, name string, from int64, p []byte) error {
	var ask minio.GetObjectOptions
	if err := ask.SetRange(from, from+int64(len(p))-1); err != nil {
		return err
	}
	o, err := s.client.GetObject(ctx, s.bucket, s.key(name), ask)
	if err != nil {
		return s.plain(err)
	}
	defer o.Close()
	_, err = io.ReadFull(o, p)
	return s.plain(err)
}

// Stat is as Store has it.
func (s *S3) Stat(ctx context.Context, name string) (Object, error) {
	info, err := s.client.StatObject(ctx, s.bucket, s.key(name), minio.StatObjectOptions{})
	return Object{name, info.Size, info.UserMetadata[sumKey]}, s.plain(err)
}

// List is as Store has it.
func (s *S3) List(ctx context.Context, prefix string) (list []Object, err error) {
	under := prefix
	if s.prefix != "" {
		under = s.prefix + "/" + prefix
	}
	for o := range s.client.ListObjects(ctx, s.bucket, minio.ListObjectsOptions{Prefix: under, Recursive: true}) {
		if o.Err != nil {
			return nil, s.plain(o.Err)
		}
		name := strings.TrimPrefix(strings.TrimPrefix(o.Key, s.prefix), "/")
		list = append(list, Object{Name: name, Bytes: o.Size})
	}
	return list, nil
}

// Remove is as Store has it.
func (s *S3) Remove(ctx context.Context, prefix string) error {
	list, err := s.List(ctx, prefix)
	for _, o := range list {
		if e := s.client.RemoveObject(ctx, s.bucket, s.key(o.Name), minio.RemoveObjectOptions{}); e != nil {
			err = errors.Join(err, s.plain(e))
		}
	}
	return err
}
